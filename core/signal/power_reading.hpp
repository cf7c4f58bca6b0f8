// One reading of a power meter.
#pragma once

#include <optional>
#include <string>

namespace rt {

struct PowerReading {
    double level_dbm = 0;
    double frequency_hz = 0;                   // at which the sensor was corrected
    int sensor = 1;                            // counts from 1
    std::optional<double> correction_db = {};  // contained in the level: what the path was
    std::optional<std::string> trouble = {};   // why it cannot be trusted, if it cannot
};

}  // namespace rt
