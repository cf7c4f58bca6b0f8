// A record of an oscilloscope channel.
#pragma once

#include <optional>
#include <string>
#include <vector>

namespace rt {

struct Waveform {
    std::vector<double> volts;
    double step_s = 0;                    // between samples
    std::optional<std::string> overload;  // why it cannot be trusted, if it cannot
};

// What a record says whose converter was driven beyond its range.
std::string clipped_text(std::size_t samples);

}  // namespace rt
