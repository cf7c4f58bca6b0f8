// A landing-system receiver of the unit, and what a vector generator plays to it.
#pragma once

#include <complex>
#include <cstdint>
#include <map>
#include <memory>
#include <optional>
#include <string>
#include <vector>

#include "core/signal/iq_record.hpp"
#include "lab/formats/config.hpp"

namespace rt::lab {

extern const SectionInfo landing_section;

// Complex samples that a generator plays again and again while its modulation is on.
struct PlayedIq {
    std::shared_ptr<const std::vector<std::complex<float>>> samples;  // null for none
    double rate_hz = 1;
};

// The same with the level of |x| = 1 where it arrives.
struct ArrivingIq {
    PlayedIq played;
    double level_dbm, frequency_hz;
};
// Adds it to the samples of an analyser, as their other sources are added: from a moment of chance on.
void add_played(std::vector<std::complex<double>>& samples, const IqSetup& setup, double full_scale_dbm,
                const ArrivingIq& arriving, double even);

// What a receiver hears of a localiser or glide path.
struct LandingHeard {
    double carrier_dbm = -300;
    double depth_90 = 0, depth_150 = 0;  // over the carrier
};
// Depths by the sums over one turn: its tones have whole cycles in it.
LandingHeard heard_of(const PlayedIq& played, double level_dbm);

struct LandingReceiver {
    std::string port;
    std::map<std::string, std::string> when;
    double frequency_hz = 0;
    double full_scale = 150, full_scale_ddm = 0.155;  // what it indicates there
    double offset = 0, gain_error = 0;                // of what it indicates; relative
    double backlash = 0;                              // what it indicates stays behind, in what it indicates
    double noise = 0;                                 // of each reading
    double flag_dbm = -93;                            // the flag shows below it
    double flag_depth = 0.2;                          // or where the sum of depths is below it
    bool flag_sticks = false;                         // it never shows
    std::optional<double> loose_from, loose_to;  // between these indications a contact opens now and then

    struct Shown {
        double deviation = 0;
        double needle = 0;  // the same without its noise: what the backlash holds
        bool flag = true;
        double level = 0;  // of its gain control, in volts
    };
    // `random`: 0 to 1, and normal; `before`: what it indicated last, for the backlash.
    Shown shown(const LandingHeard& heard, double even, double normal, std::optional<double> before) const;
};
LandingReceiver read_landing_receiver(const ConfigSection& section,
                                      const std::map<std::string, std::string>& settings);

}  // namespace rt::lab
