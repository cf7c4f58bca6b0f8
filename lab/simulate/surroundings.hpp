// What surrounds a simulated unit: wires, its receiver, what it draws from its supply, how it radiates.
#pragma once

#include <map>
#include <string>
#include <vector>

#include "lab/formats/config.hpp"

namespace rt {

extern const SectionInfo wire_section, receiver_section, draw_section, through_section, pattern_section,
    waveform_section;

// Settings of the unit under which something holds.
using UnitWhen = std::map<std::string, std::string>;

// Loss rises with the square root of frequency, as that of a cable does.
struct Wire {
    std::string from, to;  // role of a generator, or port; role of an instrument, or port
    double loss_db, at_hz;
    std::string attenuator;  // role of the step attenuator in it, "" for none

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

    double loss_share(double level_dbm) const;
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

// A pseudo-random two-level signal (PRBS7).
struct DigitalWaveform {
    std::string port;
    UnitWhen when;
    double rate_bit_s, amplitude_v, rise_s, noise_v;
};

struct Surroundings {
    std::vector<Wire> wires;
    std::vector<Receiver> receivers;
    std::vector<Draw> draws;
    std::vector<Through> throughs;
    std::vector<Pattern> patterns;
    std::vector<DigitalWaveform> waveforms;
};

// `root` is the file of a simulated unit, `settings` what it has.
Surroundings read_surroundings(const ConfigSection& root, const std::map<std::string, std::string>& settings);

// The settings under "when" of a section, checked against those that there are.
UnitWhen when_of(const ConfigSection& section, const std::map<std::string, std::string>& settings);

}  // namespace rt
