// Simulated instruments: they answer SCPI messages like real ones.
#pragma once

#include <map>
#include <memory>
#include <optional>
#include <string>
#include <string_view>

#include "lab/simulate/scpi_tree.hpp"
#include "lab/simulate/spectrum_display.hpp"
#include "lab/simulate/world.hpp"

namespace rt {

// Takes one message without its line end, gives the answer without its line end, or none.
class SimulatedInstrument {
  public:
    virtual ~SimulatedInstrument() = default;
    virtual std::optional<std::string> handle(std::string_view message) = 0;
};

// IEEE 488.2 common commands and SYSTem:ERRor, shared by all.
void add_common_commands(ScpiTree& tree, const std::string& identity, std::function<void()> reset);

// A signal analyser at one port of the unit. Its commands are SCPI-1999: FREQuency, BANDwidth, DETector,
// SWEep, INPut:ATTenuation, DISPlay ... RLEVel, UNIT:POWer, INITiate, TRACe, FORMat, STATus.
class SimulatedAnalyser : public SimulatedInstrument {
  public:
    struct Options {
        std::string port;
        std::uint64_t seed = 1;
        bool instant = false;             // a sweep takes no time
        double scan_bandwidth_hz = 40e6;  // spectrum measured at once
    };

    SimulatedAnalyser(std::shared_ptr<SimulatedUnit> unit, Options options);
    std::optional<std::string> handle(std::string_view message) override { return tree_.execute(message); }

  private:
    void add_settings();
    void add_trace_commands();
    void reset();
    void sweep();
    std::string trace();
    // A number kept in `value`, with its query.
    void number(const std::string& pattern, double& value, ScpiUnit unit, ScpiRange range,
                std::function<void()> after = {});

    std::shared_ptr<SimulatedUnit> unit_;
    Options options_;
    ScpiTree tree_;
    double start_hz_ = 0, stop_hz_ = 0, bandwidth_hz_ = 0, dwell_s_ = 0, reference_dbm_ = 0,
           attenuation_db_ = 0, points_ = 0;
    bool attenuation_coupled_ = true, swapped_ = true, continuous_ = false;
    std::size_t detector_ = 0, power_unit_ = 0, format_ = 0;
    std::vector<double> trace_dbm_;
    int questionable_ = 0, questionable_event_ = 0;
    double elapsed_s_ = 0;  // time that sweeps took, for drift
    std::map<std::string, std::uint64_t>
        visits_;  // how often each setting was swept: noise differs each time
};

// Remote control of the unit: UNIT:SET:STATe, :CHANnel, :LEVel ... one command for each of its settings.
class SimulatedUnitControl : public SimulatedInstrument {
  public:
    explicit SimulatedUnitControl(std::shared_ptr<SimulatedUnit> unit);
    std::optional<std::string> handle(std::string_view message) override { return tree_.execute(message); }

  private:
    std::shared_ptr<SimulatedUnit> unit_;
    ScpiTree tree_;
};

}  // namespace rt
