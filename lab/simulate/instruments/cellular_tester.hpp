// A tester of mobile devices, simulated: a cell to which a modem attaches, and an analyser of what it sends.
#pragma once

#include "lab/simulate/cell.hpp"
#include "lab/simulate/instruments/analyser.hpp"

namespace rt::lab {

// CELL, UPLink, CONNection and STATus:CELL; complex samples as an analyser records them.
class SimulatedCellularTester : public SimulatedAnalyser {
  public:
    SimulatedCellularTester(std::shared_ptr<Stage> stage, Options options);

  private:
    void reset() override;
    void add_cell();
    void tell();  // the stage what the cell is now

    std::string port_, role_;
    double frequency_hz_ = 0, bandwidth_hz_ = 0, identity_ = 0, level_dbm_ = 0, first_block_ = 0, blocks_ = 0,
           target_dbm_ = 0;
    bool on_ = false;
    std::string modulation_;
    std::string pattern_ = "0";
    std::size_t control_ = 0, technology_ = 0;
};

}  // namespace rt::lab
