// Simulated instruments that read something: power meter, link counter, oscilloscope, network analyser.
#pragma once

#include "lab/simulate/scpi_instrument.hpp"

namespace rt::lab {

// SENSe:FREQuency, SENSe:AVERage:COUNt, READ1?, CALibration:ZERO, CALibration, UNIT:POWer. Three sensors: the
// first at `end`, the others at "`end`-2" and "`end`-3". Reads 3 nW too much until zeroed.
class SimulatedPowerMeter : public ScpiInstrument {
  public:
    SimulatedPowerMeter(std::shared_ptr<Stage> stage, std::string role, std::string end);

  private:
    void reset() override;
    double read(int sensor);

    std::string role_, end_;
    double frequency_hz_ = 50e6, averages_ = 4;
    std::size_t unit_ = 1;
    bool zeroed_ = false;
    std::uint64_t readings_ = 0;
};

// Sends packets to the unit at the level that arrives there and counts those that come back: to whatever
// hears them, or as a tester of short-range links, at its own level, to the device that was named.
// CONFigure:PACKets, INITiate, FETCh?; SEARch:TIME, SEARch, SEARch:DATA?, LINK:DEVice, LINK:METHod,
// LINK:CHANnel, LINK:LEVel, LINK:METHod:USED?.
class SimulatedCounter : public ScpiInstrument {
  public:
    SimulatedCounter(std::shared_ptr<Stage> stage, std::string role, std::string port);

  private:
    void reset() override;
    void count();
    std::optional<DeviceAround> meant() const;
    void send();

    std::string role_, port_, device_, found_, used_ = "NONE";
    double packets_ = 1000, search_s_ = 10, channel_ = 0, level_dbm_ = -30;
    std::size_t method_ = 0;
    std::uint64_t sent_ = 0, received_ = 0, bits_ = 0, errors_ = 0;
    std::map<std::string, std::uint64_t> visits_;
};

// Four channels at "`port`", "`port`-2" ... The first one also shows what a wire from a generator of samples
// brings to its role or port, and what a receiver in loop-back sends there. SENSe:SWEep:TIME,
// SENSe:SWEep:POINts, SENSe:VOLTage#:RANGe, TRIGger, INITiate, TRACe#:DATA?.
class SimulatedOscilloscope : public ScpiInstrument {
  public:
    SimulatedOscilloscope(std::shared_ptr<Stage> stage, std::string role, std::string port);

  private:
    void reset() override;
    void acquire();

    static constexpr int channels = 4;
    std::string role_, port_;
    double span_s_ = 1e-6, points_ = 1000, trigger_v_ = 0;
    std::vector<double> range_v_;
    std::vector<std::vector<double>> records_;
    std::uint64_t acquisitions_ = 0;
};

// Between both ends of a wire, or on both conductors of a connector that has a load. SENSe:FREQuency,
// SENSe:SWEep:POINts, SENSe:BANDwidth, CALCulate:PARameter, INITiate, TRACe:DATA?.
class SimulatedNetworkAnalyser : public ScpiInstrument {
  public:
    SimulatedNetworkAnalyser(std::shared_ptr<Stage> stage, std::string role, std::string wire_from);

  private:
    void reset() override;
    void sweep();

    std::string role_, wire_from_;
    // At the probes of a wafer: raw, or with its own correction.
    void sweep_wafer();
    void send_signal();
    double level_at(double hz) const;  // of its source, as slope and table have it

    double start_hz_ = 1e6, stop_hz_ = 3e9, points_ = 201, bandwidth_hz_ = 1e3, power_dbm_ = -10;
    double attenuation_db_ = 0, slope_db_ = 0, held_hz_ = 1e9;
    bool held_ = false;                             // at one frequency, until a sweep
    std::vector<std::pair<double, double>> table_;  // Hz, dB
    std::string table_text_;
    bool table_on_ = false;
    bool corrected_ = true, output_ = true;
    std::size_t parameter_ = 0;
    std::vector<double> trace_;
    std::uint64_t sweeps_ = 0;
};

}  // namespace rt::lab
