// The indicator of the unit's landing-system receiver.
#pragma once

#include "lab/simulate/scpi_instrument.hpp"

namespace rt::lab {

// MEASure:DEViation?, FLAG?, AGC?: three questions of one moment, the first of which begins it.
class SimulatedIndicator : public ScpiInstrument {
  public:
    SimulatedIndicator(std::shared_ptr<Stage> stage, std::string port);

  private:
    void reset() override {}
    void look();

    std::string port_;
    LandingReceiver::Shown shown_;
    std::optional<double> before_;
    std::uint64_t readings_ = 0;
};

}  // namespace rt::lab
