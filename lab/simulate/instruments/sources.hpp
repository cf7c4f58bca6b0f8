// Simulated instruments that set something: generator, step attenuator, DC supply, turntable and mast.
#pragma once

#include <chrono>

#include "lab/simulate/scpi_instrument.hpp"

namespace rt::lab {

// SOURce:FREQuency, SOURce:POWer, OUTPut; TRACe:IQ takes complex samples as 16-bit numbers, SOURce:IQ:RATE.
// Its level is that of samples with |x| = 1.
class SimulatedGenerator : public ScpiInstrument {
  public:
    SimulatedGenerator(std::shared_ptr<Stage> stage, std::string role);
    std::optional<std::string> handle(std::string_view message) override;

  private:
    void reset() override;
    void send();
    void play();

    std::string role_;
    double frequency_hz_ = 1e9, level_dbm_ = -30;
    double rate_hz_ = 1e6;
    bool on_ = false, modulated_ = false;
    std::shared_ptr<const std::vector<std::complex<float>>> samples_;
};

// INPut:ATTenuation in steps of 1 dB up to 110 dB.
class SimulatedAttenuator : public ScpiInstrument {
  public:
    SimulatedAttenuator(std::shared_ptr<Stage> stage, std::string role);

  private:
    void reset() override;

    std::string role_;
    double attenuation_db_ = 0;
};

// SOURce:VOLTage, SOURce:CURRent, OUTPut, MEASure:VOLTage?, MEASure:CURRent?.
class SimulatedSupply : public ScpiInstrument {
  public:
    explicit SimulatedSupply(std::shared_ptr<Stage> stage, const std::string& role);

  private:
    void reset() override;
    void feed();

    double volts_ = 0, limit_a_ = 1;
    bool on_ = false;
};

// OUTPut: a mains outlet; behind it the unit has its supply.
class SimulatedSwitch : public ScpiInstrument {
  public:
    SimulatedSwitch(std::shared_ptr<Stage> stage, const std::string& role);

  private:
    void reset() override {}
    bool on_ = false;
};

// SOURce:TRACe:RATE, SOURce:VOLTage and its OFFSet, OUTPut; TRACe:DATA takes a block of 16-bit numbers,
// TRACe:POINts? says how many it holds. Wires of the world carry what it plays.
class SimulatedWaveformGenerator : public ScpiInstrument {
  public:
    SimulatedWaveformGenerator(std::shared_ptr<Stage> stage, const std::string& role);
    std::optional<std::string> handle(std::string_view message) override;

  private:
    void reset() override;
    void play();

    std::string role_;
    double rate_hz_ = 1e6, amplitude_v_ = 0.1, offset_v_ = 0;
    bool on_ = false;
    std::vector<std::int16_t> samples_;
};

// A turntable (POSition:ANGLe, 30 deg/s) and mast (POSition:HEIGht, 0.5 m/s) in one. Movements go on by
// themselves; *OPC? answers when they have ended.
class SimulatedPositioner : public ScpiInstrument {
  public:
    SimulatedPositioner(std::shared_ptr<Stage> stage, const std::string& role);

  private:
    struct Drive {
        double from = 0, to = 0, speed = 1;
        std::chrono::steady_clock::time_point start{};
    };
    void reset() override {}
    double now_at(const Drive& drive) const;
    void move(Drive& drive, double to);
    void arrive();

    Drive angle_{0, 0, 30, {}}, height_{1, 1, 0.5, {}};
    double wanted_angle_ = 0, wanted_height_ = 1;
    std::size_t polarisation_ = 0;
};

}  // namespace rt::lab
