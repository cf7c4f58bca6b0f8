// One reading of a power meter.
#pragma once

#include <optional>
#include <string>

namespace rt {

// What a power meter has to be asked for.
struct PowerSetup {
    double frequency_hz = 0;
    int sensor = 1;  // counts from 1
    int averages = 4;
};

struct PowerReading {
    using Setup = PowerSetup;
    static constexpr const char* kind = "power";
    static constexpr const char* needed = "a power reading";  // what a procedure says that takes nothing else

    double level_dbm = 0;
    double frequency_hz = 0;                   // at which the sensor was corrected
    int sensor = 1;                            // counts from 1
    std::optional<double> correction_db = {};  // contained in the level: what the path was
    std::optional<std::string> distrust{};     // why it cannot be trusted, if it cannot
};

// Why it cannot have been measured: below -150 dBm or above 70 dBm. Empty when it can.
std::string implausible(const PowerReading& capture);

}  // namespace rt
