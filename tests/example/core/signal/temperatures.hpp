// Temperatures over time, as a logger writes them.
#pragma once

#include <optional>
#include <string>
#include <vector>

namespace rt {

// Nothing is asked of an instrument: loggers are read from files.
struct TemperaturesSetup {};

struct Temperatures {
    using Setup = TemperaturesSetup;
    static constexpr const char* kind = "temperatures";
    static constexpr const char* needed = "temperatures over time";

    std::vector<double> time_s, celsius;
    std::optional<std::string> distrust{};  // why it cannot be trusted, if it cannot
};

// Colder than absolute zero is nothing.
inline std::string implausible(const Temperatures& t) {
    for (const double value : t.celsius) {
        if (value < -273.15) return "a temperature below -273.15 degC cannot be";
    }
    return {};
}

}  // namespace rt
