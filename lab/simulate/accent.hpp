// A simulated instrument that speaks otherwise than SCPI-1999: for rehearsing dialects of its own.
#pragma once

#include <memory>
#include <string>
#include <vector>

#include "lab/model/bench.hpp"
#include "lab/simulate/scpi_instrument.hpp"

namespace rt::lab {

// Headers of its own in place of those of the standard. What it `hears` is carried out as what that `means`,
// or answered by a fixed text; with neither it is refused as unknown.
class AccentedInstrument : public SimulatedInstrument {
  public:
    AccentedInstrument(std::shared_ptr<SimulatedInstrument> instrument, std::vector<Accent> accents);

    std::optional<std::string> handle(std::string_view message) override;
    void suffer(const PlannedFault& fault) override { instrument_->suffer(fault); }

  private:
    std::string headers();

    std::shared_ptr<SimulatedInstrument> instrument_;
    std::vector<Accent> accents_;
};

}  // namespace rt::lab
