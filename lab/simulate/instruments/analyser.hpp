// A signal analyser at one port of the unit.
#pragma once

#include <map>

#include "lab/simulate/iq_display.hpp"
#include "lab/simulate/landing_receiver.hpp"
#include "lab/simulate/scpi_instrument.hpp"

namespace rt::lab {

// Its commands are SCPI-1999: FREQuency, BANDwidth, DETector, SWEep, INPut:ATTenuation, DISPlay ... RLEVel,
// UNIT:POWer, INITiate, TRACe, FORMat, STATus.
class SimulatedAnalyser : public ScpiInstrument {
  public:
    struct Options {
        std::string port;
        std::string role = "";            // its end of the wire from there
        double scan_bandwidth_hz = 40e6;  // spectrum measured at once
    };

    SimulatedAnalyser(std::shared_ptr<Stage> stage, Options options);

  protected:
    void reset() override;

  private:
    void add_settings();
    void add_trace_commands();
    void add_sample_commands();
    void sweep();
    void record();
    std::vector<ArrivingIq> heard_iq() const;
    std::vector<double> shown() const;
    std::vector<double> envelope_dbm() const;

    Options options_;
    double start_hz_ = 0, stop_hz_ = 0, bandwidth_hz_ = 0, dwell_s_ = 0, reference_dbm_ = 0,
           attenuation_db_ = 0, points_ = 0;
    bool attenuation_coupled_ = true, continuous_ = false;
    std::size_t detector_ = 0, power_unit_ = 0;
    std::vector<double> trace_dbm_;
    double centre_hz_ = 0, sample_rate_hz_ = 0, samples_ = 0;
    IqDisplay record_;
    std::map<std::string, std::uint64_t>
        visits_;  // how often each setting was swept: noise differs each time
};

}  // namespace rt::lab
