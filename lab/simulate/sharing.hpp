// A simulated transmitter that listens before it talks, and the interference that it may hear.
#pragma once

#include <complex>
#include <map>
#include <string>
#include <vector>

#include "core/signal/iq_record.hpp"
#include "lab/formats/config.hpp"

namespace rt::lab {

extern const SectionInfo sharing_section;

// It is on for an occupancy and idle after it, again and again, while it hears nothing at its port.
struct Sharing {
    std::string port;
    std::map<std::string, std::string> when = {};
    double frequency_hz = 0, level_dbm = 0;
    double occupancy_s = 5e-3, idle_s = 0.5e-3;
    double threshold_dbm = -70;  // of all that arrives; what is weaker is not heard
    double reaction_s = 0;       // it begins no occupancy that long after interference began
    double away_s = 0;           // and stays away for so long after it ended
    double control_s = 0, control_period_s = 50e-3;  // short signals while it is kept quiet
    double interference_width_hz = 5e6;              // of modulated generators, and of what it listens to
    double blocked_dbm = 300;  // while so much arrives beside its channel it hears nothing
};

Sharing read_sharing(const ConfigSection& section, const std::map<std::string, std::string>& settings);

// What a generator sends from an instant of a record on: as it arrives at the unit, and at the analyser.
struct Heard {
    double from_s, to_s;
    double frequency_hz;
    double at_unit_dbm, at_analyser_dbm;
    bool modulated;
};

// The unit's bursts and the interference of a record, relative to full scale, added to `samples`. The unit's
// level is that at the analyser. The same `seed` gives the same record.
void add_sharing(std::vector<std::complex<double>>& samples, const IqSetup& setup, double full_scale_dbm,
                 const Sharing& sharing, const std::vector<Heard>& heard, std::uint64_t seed);

}  // namespace rt::lab
