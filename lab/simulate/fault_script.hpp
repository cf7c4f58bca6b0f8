// When a simulated instrument goes wrong, by the fault plan of the bench.
#pragma once

#include <optional>
#include <string>
#include <vector>

#include "lab/model/bench.hpp"
#include "lab/simulate/scpi_instrument.hpp"

namespace rt::lab {

// What becomes of one answer.
struct Reply {
    std::optional<std::string> text;  // without line end
    bool drop = false;                // close the connection instead
    bool cut = false;                 // the text is all there is: no line end follows
    bool leaves = false;              // the connection is closed behind it
};

// Counts the answers of one instrument and spoils those that the plan names.
class FaultScript {
  public:
    explicit FaultScript(std::vector<PlannedFault> faults);

    Reply reply(SimulatedInstrument& instrument, std::string_view message);

  private:
    struct Entry {
        PlannedFault fault;
        long long happened = 0;
    };
    bool happen(SimulatedInstrument& instrument);
    bool due(const Entry& entry) const;
    void spoil(Reply& reply, const PlannedFault& fault);

    std::vector<Entry> faults_;
    long long answers_ = 0, messages_ = 0;
    std::string before_;  // the answer before
};

}  // namespace rt::lab
