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
    std::vector<Entry> faults_;
    long long answers_ = 0;
};

}  // namespace rt::lab
