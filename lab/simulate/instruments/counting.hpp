// The counter that a program of the user's is.
#pragma once

#include <memory>

#include "lab/counting/counting_program.hpp"
#include "lab/simulate/scpi_instrument.hpp"

namespace rt::lab {

// CONFigure:PACKets, INITiate, FETCh?, as counters have it. A count takes as many frames (bits, of a program
// that counts none) as were asked for. Whatever goes wrong stands in the error queue: no count is trusted
// then.
class CountingAgent : public SimulatedInstrument {
  public:
    CountingAgent(std::string program, double timeout_s);
    std::optional<std::string> handle(std::string_view message) override { return tree_.execute(message); }
    void suffer(const PlannedFault&) override {}

  private:
    void count();

    std::string program_;
    double timeout_s_, wanted_ = 1000;
    std::unique_ptr<CountingProgram> running_;
    std::optional<ProgramCounts> counted_;
    ScpiTree tree_;
};

}  // namespace rt::lab
