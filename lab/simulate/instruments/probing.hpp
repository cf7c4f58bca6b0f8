// Simulated instruments around a wafer: the stage that moves it and the source-measure unit at its probes.
#pragma once

#include "lab/simulate/scpi_instrument.hpp"

namespace rt::lab {

// STAGe:DIE, STAGe:DEVice, STAGe:CONTact, STAGe:TEMPerature, and lists of dies and devices. Moving with the
// probes down is refused (-221).
class SimulatedWaferStage : public ScpiInstrument {
  public:
    SimulatedWaferStage(std::shared_ptr<Stage> stage, const std::string& role);

  private:
    void reset() override;
    void move(std::string& what, const ScpiArguments& arguments, bool die);

    ProbePlace place_;
    std::size_t contact_ = 0;
    double wanted_c_ = 25;
    std::size_t led_ = 0;  // places that a hand has moved it to
    std::pair<double, double> position() const;
};

// Two channels: SOURce#, SENSe#, OUTPut, MEASure:ALL. Bits 0 and 1 of the questionable status tell of
// compliance.
class SimulatedSourceMeasure : public ScpiInstrument {
  public:
    SimulatedSourceMeasure(std::shared_ptr<Stage> stage, const std::string& role);
    std::optional<std::string> handle(std::string_view message) override {
        note_compliance();  // another device may stand under the probes
        return ScpiInstrument::handle(message);
    }

  private:
    void note_compliance();
    void reset() override;
    void force();

    ProbeBias bias_;
    double input_a_ = 0, input_limit_v_ = 2;
    bool by_current_ = false;
    std::uint64_t readings_ = 0;
};

}  // namespace rt::lab
