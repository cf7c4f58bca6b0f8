// What the indicator of a landing-system receiver shows.
#pragma once

#include <cmath>
#include <cstddef>
#include <optional>
#include <string>
#include <vector>

namespace rt {

// What is read from it.
struct IndicationSetup {
    std::size_t readings = 1;
    double every_s = 0;  // between two readings
};

struct Indication {
    using Setup = IndicationSetup;
    static constexpr const char* kind = "indication";
    static constexpr const char* needed = "readings of an indicator";

    struct Reading {
        double at_s = 0;                   // since the first
        double deviation = 0;              // in whatever the receiver indicates: DDM, microamperes, per cent
        std::optional<bool> flag = {};     // whether the flag is shown: nothing is valid then
        std::optional<double> level = {};  // of its automatic gain control, as it tells it
    };
    std::vector<Reading> readings;
    bool by_person = false;                 // read and typed
    std::optional<std::string> distrust{};  // why it cannot be trusted, if it cannot

    double seconds() const { return readings.empty() ? 0 : readings.back().at_s; }
};

// Why it cannot have been read: no readings, or numbers beyond a million. Empty when it can.
inline std::string implausible(const Indication& capture) {
    if (capture.readings.empty()) return "the indicator was not read";
    for (const auto& reading : capture.readings) {
        if (!(std::abs(reading.deviation) <= 1e6)) return "an indication beyond a million";
    }
    return {};
}

}  // namespace rt
