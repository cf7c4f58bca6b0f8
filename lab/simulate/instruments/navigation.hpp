// A generator of navigation signals that makes its samples itself.
#pragma once

#include "lab/simulate/scpi_instrument.hpp"

namespace rt::lab {

// SOURce:FREQuency, SOURce:POWer (of the carrier), OUTPut; NAVigation:MODE, DDM, SDM, PHASe, REMove, IDENt.
class SimulatedNavigationGenerator : public ScpiInstrument {
  public:
    SimulatedNavigationGenerator(std::shared_ptr<Stage> stage, const std::string& role);

  private:
    void reset() override;
    void play();  // the modulation anew
    void send();

    std::string role_, ident_;
    double frequency_hz_ = 110.1e6, level_dbm_ = -60, above_db_ = 0;
    double deviation_ = 0, depth_sum_ = 40, phase_deg_ = 0, ident_depth_ = 10;
    std::size_t mode_ = 0, removed_ = 0;
    bool on_ = false;
};

}  // namespace rt::lab
