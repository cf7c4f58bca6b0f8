// A scalar network bench: a source behind a splitter and a directional coupler, a filter that is measured,
// and the standards that stand in its place.
#pragma once

#include <string>

#include "lab/formats/config.hpp"

namespace rt::lab {

extern const SectionInfo scalar_section;

struct ScalarBench {
    std::string source;   // role of the generator
    std::string port;     // of the power meter: sensors at output, incident arm and reflected arm
    std::string setting;  // of the unit: device, thru, open or short
    double coupling_db = 10, directivity_db = 30, source_match_db = 20;
    double centre_hz = 0, width_hz = 0, loss_db = 0.5;
    int order = 3;

    // Level at a sensor (1 output, 2 incident, 3 reflected) for this level of the source.
    double level_dbm(int sensor, const std::string& in_place, double hz, double source_dbm) const;
};

ScalarBench read_scalar_bench(const ConfigSection& section);

}  // namespace rt::lab
