// Remote control of the simulated unit.
#pragma once

#include "lab/simulate/scpi_instrument.hpp"

namespace rt::lab {

// UNIT:STATe, :CHANnel, :LEVel ... one command for each of its settings; UNIT:TEMPerature?; of a
// unit that has a receiver UNIT:LINK?, UNIT:CONNect and UNIT:RSSI?. Silent while the
// unit has no supply or hangs.
class SimulatedUnitControl : public ScpiInstrument {
  public:
    explicit SimulatedUnitControl(std::shared_ptr<Stage> stage);
    std::optional<std::string> handle(std::string_view message) override;

  private:
    void reset() override { stage_->unit().restart(); }
};

}  // namespace rt::lab
