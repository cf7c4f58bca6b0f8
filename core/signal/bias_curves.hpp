// Bias curves of a device with three terminals, the third one common: voltages and currents of its input
// (base, gate) and its output (collector, drain).
#pragma once

#include <cstddef>
#include <optional>
#include <string>
#include <vector>

namespace rt {

// Evenly spaced values, both ends included.
struct ForcedSteps {
    double from = 0, to = 0;
    std::size_t points = 1;
};

// One output curve for each value at the input. What a channel forces is a voltage or a current, its
// compliance the other one of them.
struct BiasSetup {
    ForcedSteps input, output;
    bool input_current = false;                          // the input is forced by current
    double input_compliance = 0, output_compliance = 0;  // A, or V where a current is forced
    double settling_s = 0;                               // after each value
};

struct BiasPoint {
    double input_v = 0, input_a = 0, output_v = 0, output_a = 0;
    bool input_limited = false, output_limited = false;  // a channel was at its compliance: it did not force

    bool limited() const { return input_limited || output_limited; }
};

struct BiasCurves {
    using Setup = BiasSetup;
    static constexpr const char* kind = "bias-curves";
    static constexpr const char* needed = "bias curves (a table of voltages and currents)";

    std::vector<BiasPoint> points;  // as measured
    bool input_current = false;     // the input was forced by current
    std::optional<std::string> distrust{};
};

// Values that are no numbers, or all 0. Empty when they can have been measured.
std::string implausible(const BiasCurves& curves);

}  // namespace rt
