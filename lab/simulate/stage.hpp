// The world that joins simulated instruments: what the generator sends passes wires and attenuator and
// reaches the unit, which needs its supply, stands on the turntable and is heard by the analyser.
#pragma once

#include <chrono>
#include <deque>
#include <memory>
#include <mutex>
#include <optional>
#include <set>
#include <string>
#include <vector>

#include "lab/simulate/world.hpp"

namespace rt::lab {

// Safe to use from several instruments at once.
class Stage {
  public:
    struct Options {
        std::uint64_t seed = 1;
        bool instant = false;   // nothing takes time
        bool supplied = false;  // the unit hangs on a simulated supply and is dead without it
    };

    Stage(std::shared_ptr<SimulatedUnit> unit, Options options);

    SimulatedUnit& unit() { return *unit_; }
    const Options& options() const { return options_; }
    // Seconds of the stage's own clock, which counts what its instruments needed: the same run sees the same
    // drift however fast the machine is.
    double seconds() const;
    // An instrument needs this long. In an instant world it does not wait.
    void spend(double seconds);

    // What instruments set. Roles tell several generators apart.
    struct Tone {
        double frequency_hz = 1e9, level_dbm = -30;
        bool on = false, modulated = false;
        bool operator==(const Tone&) const = default;
    };
    void set_tone(const std::string& generator, Tone tone);
    Tone tone(const std::string& generator) const;
    // What generators send from an instant on, in real time: for records in which something is switched.
    struct Watch {
        std::chrono::steady_clock::time_point begun;
        std::map<std::string, Tone> tones;
    };
    Watch watch() const;
    // The same until `seconds` after that, as it arrives at a port and at the role at the end of a wire.
    std::vector<Heard> heard(const Watch& watch, const std::string& port, const std::string& role,
                             double seconds) const;
    // The transmitter at a port that listens, with the level that arrives at the role.
    std::optional<Sharing> sharing(const std::string& port, const std::string& role) const;
    // Beacons and homing signals of a port, the same.
    std::vector<SimulatedBeacon> beacons(const std::string& port, const std::string& role) const;
    std::vector<SimulatedHoming> homings(const std::string& port, const std::string& role) const;
    // What a generator of samples plays.
    void set_samples(const std::string& generator, PlayedSamples played);
    // The same as it arrives at the end of a wire; nothing where none leads from one that is on.
    std::optional<PlayedSamples> arriving_samples(const std::string& end) const;
    // The same of complex samples.
    void set_iq(const std::string& generator, PlayedIq played);
    // What such generators send into wires that end there.
    std::vector<ArrivingIq> arriving_iq(const std::string& end) const;
    // What the modems at a port send, as it arrives at a role.
    std::vector<ArrivingIq> sent_iq(const std::string& port, const std::string& role) const;
    // The cell of a tester at a port, whose role is at the end of a wire from there; what the modem there
    // makes of it. Attaching begins when it is asked for, and takes its time.
    void set_cell(const std::string& port, const std::string& role, const Cell& cell);
    void attach(const std::string& port);
    void detach(const std::string& port);
    Attachment attachment(const std::string& port) const;
    // The landing-system receiver at a port, with the strongest that it hears on its channel.
    std::optional<std::pair<LandingReceiver, LandingHeard>> landing_receiver(const std::string& port) const;
    // The receiver in loop-back that sends at a port, with what arrives at it.
    std::optional<std::pair<Looped, PlayedSamples>> looped(const std::string& out) const;
    void set_attenuation(const std::string& attenuator, double db);
    void set_supply(double volts, double limit_a, bool on);
    void set_angle(double degrees);
    void set_height(double metres);
    void set_probes(const ProbePlace& place);
    void set_bias(const ProbeBias& bias);
    void set_signal(std::optional<double> dbm);  // of the network analyser at the probes; nothing while off

    // What arrives at the port of the unit, or at an instrument at the end of a wire.
    std::vector<EmittedLine> arriving(const std::string& end) const;
    // What leaves a port, with what passes through the unit, as it arrives at the role at the end of a wire
    // from there. Nothing while the unit has no supply.
    Emission emission(const std::string& port, const std::string& role = "") const;
    bool powered() const;
    double current() const;      // amperes that the unit draws now
    double temperature() const;  // of the unit, degC
    // The receiver at a port under the present settings; nothing while there is none.
    std::optional<Receiver> receiver(const std::string& port) const;
    // What reaches the receiver at a port: the level that it is tuned to, and the share of packets that it
    // loses. Nothing while there is no receiver.
    struct Reception {
        double level_dbm = -300, loss = 1;
    };
    std::optional<Reception> reception(const std::string& port) const;
    // Whether anything passes the receiver at a port now. One that is sticky loses its association when
    // nothing does, until connect() finds all well.
    bool associated(const std::string& port);
    void connect();
    // Of the first receiver that there is: "up" or "down", and the level that it reports.
    std::optional<std::string> link();
    std::optional<double> reported_level() const;
    // Devices of short-range radio that are heard at a port. The unit's own, whose losses are its receiver's,
    // only while it has its supply.
    std::vector<DeviceAround> devices(const std::string& port) const;
    // Registers of the module in a port; nothing while it has no supply.
    std::optional<Registers> module_registers(const std::string& port) const;
    std::optional<DigitalWaveform> waveform(const std::string& port) const;
    std::optional<BusTraffic> bus(const std::string& port) const;
    std::optional<LinePair> pair(const std::string& port) const;
    std::optional<PairLoad> load(const std::string& port) const;
    // The wire between two ends, for network analysers.
    std::optional<Wire> wire(const std::string& from, const std::string& to) const;

    // At the probes: currents there, and what a network analyser sees.
    Wafer::Currents probe_currents() const;
    std::function<Two(double hz)> probed() const;

    // Equal text means equal emission, drift apart.
    std::string state_text() const;

    // Faults. A hung unit answers nobody until its supply was off.
    void hang();
    bool hung() const;
    void take_no_settings();  // accepts them without following
    bool follows() const;
    void drift(double db);  // added to all that leaves the unit

  private:
    template <typename Thing>
    std::optional<Thing> present(const std::vector<Thing>& things, const std::string& port) const;

    std::shared_ptr<SimulatedUnit> unit_;
    Options options_;
    mutable std::mutex mutex_;
    struct ToneChange {
        std::chrono::steady_clock::time_point at;
        std::string generator;
        Tone tone;
    };
    double level_behind(const Wire& wire, const Tone& tone) const;
    template <typename Thing>
    std::vector<Thing> arriving_of(const std::vector<Thing>& things, const std::string& port,
                                   const std::string& role) const;

    const SimulatedModem* attending(const std::string& port) const;
    bool hears_cell(const std::string& port, const Cell& cell, const std::string& role) const;

    struct KnownCell {
        Cell cell = {};
        std::string role = {};
        std::optional<double> attached_s = {};  // when it is attached, on the stage's clock
        bool lost = false;
    };
    mutable std::map<std::string, KnownCell> cells_;  // by port
    std::map<std::string, Tone> tones_;
    std::map<std::string, PlayedSamples> samples_;
    std::map<std::string, PlayedIq> iq_;
    std::map<std::string, LandingHeard> landing_;  // by generator, for a level of 0 dBm
    std::map<std::string, std::uint64_t> played_;  // a fingerprint of each
    std::deque<ToneChange> changes_;               // the last of them
    std::map<std::string, double> attenuations_;
    std::set<std::string> lost_;  // ports whose association is
    std::set<std::string> up_;    // ports of receivers in loop-back that were brought up out of band
    double volts_ = 0, limit_a_ = 1;
    bool output_ = false, hung_ = false, follows_ = true;
    ProbePlace probes_;
    ProbeBias bias_;
    std::optional<double> signal_dbm_;
    double angle_deg_ = 0, height_m_ = 1, drift_db_ = 0, spent_s_ = 0;
};

}  // namespace rt::lab
