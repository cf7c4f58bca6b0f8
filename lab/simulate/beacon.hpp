// A simulated distress beacon: its bursts on 406 MHz and the swept tone that others home on.
#pragma once

#include <complex>
#include <map>
#include <string>
#include <vector>

#include "core/signal/iq_record.hpp"
#include "lab/formats/config.hpp"

namespace rt::lab {

extern const SectionInfo beacon_section, homing_section;

// Bursts as C/S T.001 has them, with what is wrong with this one.
struct SimulatedBeacon {
    std::string port;
    std::map<std::string, std::string> when = {};
    double frequency_hz = 406.025e6, level_dbm = 37;
    std::vector<int> bits;  // with their synchronisation
    double first_s = 5, period_s = 50;
    double carrier_s = 160e-3, bit_rate = 400;
    double positive_rad = 1.1, negative_rad = 1.1, rise_s = 150e-6;  // 10 % to 90 %
    double cut_s = 0;                                                // it ends so much early

    double length_s() const { return carrier_s + static_cast<double>(bits.size()) / bit_rate - cut_s; }
};

// A carrier that is switched by a tone; the tone sweeps.
struct SimulatedHoming {
    std::string port;
    std::map<std::string, std::string> when = {};
    double frequency_hz = 121.5e6, level_dbm = 17;  // at the crest
    double from_hz = 1400, to_hz = 500, sweeps_hz = 3, duty = 0.4, factor = 0.95;
};

SimulatedBeacon read_beacon(const ConfigSection& section, const std::map<std::string, std::string>& settings);
SimulatedHoming read_homing(const ConfigSection& section, const std::map<std::string, std::string>& settings);

// Adds them to samples that begin `now_s` after the stage did.
void add_beacon(std::vector<std::complex<double>>& samples, const IqSetup& setup, double full_scale_dbm,
                const SimulatedBeacon& beacon, double now_s);
void add_homing(std::vector<std::complex<double>>& samples, const IqSetup& setup, double full_scale_dbm,
                const SimulatedHoming& homing, double now_s);

}  // namespace rt::lab
