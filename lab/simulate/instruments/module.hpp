// Readers of a pluggable module's registers: the one that the program itself is, at an I2C bus of this
// machine, and a simulated one.
#pragma once

#include "core/measure/module/management.hpp"
#include "lab/module/bus.hpp"
#include "lab/simulate/scpi_instrument.hpp"

namespace rt::lab {

// MODule:REPeat, INITiate, FETCh:MODule?, MONitor:TEMPerature? and its kin. What both have.
class ModuleInstrument {
  protected:
    ~ModuleInstrument() = default;
    void add_to(ScpiTree& tree);
    void forget();
    virtual Registers read(std::size_t times) = 0;

  private:
    std::string monitored(management::Measured measured);
    std::string number_of(std::size_t management::Totals::*counted);

    double times_ = 1;
    std::optional<Registers> read_;
    std::string failed_;
};

class ModuleAgent : public SimulatedInstrument, private ModuleInstrument {
  public:
    // `path`: "/dev/i2c-3". Opened for each reading.
    explicit ModuleAgent(std::string path);
    std::optional<std::string> handle(std::string_view message) override { return tree_.execute(message); }
    void suffer(const PlannedFault&) override {}

  private:
    Registers read(std::size_t times) override;

    std::string path_;
    ScpiTree tree_;
};

// The module of the simulated unit at a port: its registers come from a file, its temperature is the unit's.
class SimulatedModule : public ScpiInstrument, private ModuleInstrument {
  public:
    SimulatedModule(std::shared_ptr<Stage> stage, std::string port);

  private:
    void reset() override { forget(); }
    Registers read(std::size_t times) override;

    std::string port_;
};

}  // namespace rt::lab
