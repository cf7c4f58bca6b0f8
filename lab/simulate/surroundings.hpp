// What surrounds a simulated unit: wires, its receiver, what it draws from its supply, how it radiates.
#pragma once

#include <complex>
#include <functional>
#include <map>
#include <optional>
#include <string>
#include <utility>
#include <vector>

#include "core/signal/devices.hpp"
#include "core/signal/registers.hpp"
#include "lab/formats/config.hpp"
#include "lab/simulate/beacon.hpp"
#include "lab/simulate/landing_receiver.hpp"
#include "lab/simulate/looped.hpp"
#include "lab/simulate/modem.hpp"
#include "lab/simulate/scalar_bench.hpp"
#include "lab/simulate/sharing.hpp"
#include "lab/simulate/wafer.hpp"

namespace rt::lab {

extern const SectionInfo module_section, wire_section, receiver_section, draw_section, through_section,
    pattern_section, waveform_section, device_section, bus_section, pair_section, load_section;

// Settings of the unit under which something holds.
using UnitWhen = std::map<std::string, std::string>;

// Loss rises with the square root of frequency, as that of a cable does.
struct Wire {
    std::string from, to;  // role of a generator, or port; role of an instrument, or port
    double loss_db, at_hz;
    std::string attenuator;  // role of the step attenuator in it, "" for none
    double pad_db = 0;       // the same at all frequencies

    double loss_at(double hz) const;
};

// Packets lost at a level: 1 / (1 + 99^((level - half) / width)), half of them at half_dbm, one in a hundred
// width_db above.
struct Receiver {
    std::string port;
    UnitWhen when;
    double half_dbm, width_db;
    double packet_time_s;
    int packet_bits;
    double most_bps = 50e6;         // of traffic
    double association_dbm = -200;  // below it nothing passes
    // What it is tuned to; without it whatever is strongest. Signals beyond half its bandwidth count as noise
    // in it, weaker by the rejection.
    std::optional<double> frequency_hz = {};
    double bandwidth_hz = 2e6, rejection_db = 40;
    bool sticky = false;    // an association that is lost stays lost until it is told to connect
    double reports_db = 0;  // what the level that it reports is wrong by
    // Where that depends on a gain index: settings with the index, its frequency and its table of
    // corrections, the step of an index, ripple from index to index, slope over frequency from the middle.
    std::string report_index = "", report_frequency = "", report_table = "";
    double report_step_db = 0, report_ripple_db = 0, report_slope_db_per_100mhz = 0, report_middle_hz = 0;

    double loss_share(double level_dbm, double interference_dbm = -300) const;
    // What it reports of a level, by the settings of the unit; nothing where it has no such index.
    std::optional<double> reported(double level_dbm,
                                   const std::function<std::string(const std::string&)>& setting) const;
};

// Current drawn from the supply.
struct Draw {
    UnitWhen when;
    double ampere;
};

// A signal into one port that leaves another.
struct Through {
    std::string from, to;
    UnitWhen when;
    double gain_db, saturation_dbm;
};

// How much a port radiates towards the antenna.
struct Pattern {
    std::string port;
    double front_deg;  // of the turntable, where it is strongest
    double depth_db;   // behind
    double height_m;   // of the antenna, where it is strongest
    double per_metre_db;

    double gain_db(double angle_deg, double height_m) const;
};

// A signal of two to five levels and what is wrong with it. Times are standard deviations or peak values as
// the keys say.
struct DigitalWaveform {
    std::string port;
    UnitWhen when;
    std::string pattern = "prbs7";  // or another of waveform_patterns
    int run = 1;                    // of the same symbol, for clocks and even runs
    double rate_bit_s = 0, amplitude_v = 0, rise_s = 0, noise_v = 0;
    double rate_error_ppm = 0, random_jitter_s = 0, periodic_jitter_s = 0, periodic_hz = 0, duty_cycle_s = 0;
    double cable_hz = 0;                           // -3 dB of the cable behind it, 0 for none
    double droop_s = 0;                            // time constant of a high-pass, 0 for none
    double compression = 0;                        // part of the amplitude that is missing at its peak
    double disturber_v = 0, disturber_hz = 0;      // peak
    double burst_s = 0, gap_s = 0, rest_s = 2e-6;  // driven for bursts with gaps between, 0 for always
    int bursts = 6;                                // in a row before the line rests
};

// "prbs7" ... "prbs31", "clock", "pam3-random", "pam4-random", "pam3-test", "pam5-test".
bool is_waveform_pattern(const std::string& name);

// Two lines that hold voltages one after the other: channel 1 and channel 2 of a probe at the port.
struct LinePair {
    struct Step {
        double first_v = 0, second_v = 0;  // with toggling: between these, the lines against each other
        double toggle_hz = 0;
        double length_s = 0;
    };
    std::string port;
    UnitWhen when;
    std::vector<Step> steps;
    double rise_s = 0, noise_v = 0;
};

// Traffic on a two-wire bus: clock on channel 1, data on channel 2 of a probe at the port.
struct BusTraffic {
    std::string port;
    UnitWhen when;
    double rate_hz = 0, supply_v = 0, rise_s = 0, fall_s = 0, data_delay_s = 0, noise_v = 0;
    int address = 0;
    std::vector<int> bytes;
    // The bit of each write (counted from 0 over all its bytes with their acknowledge) that comes late, if
    // any.
    int late_bit = -1;
    double late_by_s = 0;
};

// What a connector for a pair shows a network analyser whose ports stand on its two conductors.
struct PairLoad {
    std::string port;
    UnitWhen when;
    double ohm = 100;         // between the conductors
    double time_s = 0;        // of this resistance with the capacitance beside it
    double common_ohm = 1e9;  // of both together to ground

    // Scattering parameters of the two ports in 50 ohm: S11 = S22, S12 = S21.
    std::pair<std::complex<double>, std::complex<double>> scattering(double hz) const;
};

// A pluggable module in a port: what its registers hold but for its temperature.
struct PluggedModule {
    std::string port;
    UnitWhen when;
    Registers registers;
};

// A device of short-range radio that can be heard at a port.
struct DeviceAround {
    std::string port;
    UnitWhen when;
    NearbyDevice device;
    std::optional<double> loss;  // share of packets that it loses; without it the receiver at the port
};

struct Surroundings {
    std::vector<Wire> wires;
    std::vector<Receiver> receivers;
    std::vector<Draw> draws;
    std::vector<Through> throughs;
    std::vector<Pattern> patterns;
    std::vector<DigitalWaveform> waveforms;
    std::vector<BusTraffic> buses;
    std::vector<LinePair> pairs;
    std::vector<PairLoad> loads;
    std::vector<Sharing> sharings;
    std::vector<SimulatedBeacon> beacons;
    std::vector<SimulatedHoming> homings;
    std::vector<PluggedModule> modules;
    std::vector<Looped> looped;
    std::vector<LandingReceiver> landings;
    std::vector<SimulatedModem> modems;
    std::vector<DeviceAround> devices;
    std::optional<Wafer> wafer;
    std::optional<ScalarBench> scalar;
};

// `root` is the file of a simulated unit, `settings` what it has.
Surroundings read_surroundings(const ConfigSection& root, const std::map<std::string, std::string>& settings);

// The settings under "when" of a section, checked against those that there are.
UnitWhen when_of(const ConfigSection& section, const std::map<std::string, std::string>& settings);

}  // namespace rt::lab
