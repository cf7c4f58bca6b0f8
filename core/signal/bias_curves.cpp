#include "core/signal/bias_curves.hpp"

#include <algorithm>
#include <cmath>

namespace rt {

std::string implausible(const BiasCurves& curves) {
    for (const auto& p : curves.points) {
        for (const double value : {p.input_v, p.input_a, p.output_v, p.output_a}) {
            if (!(std::abs(value) <= 1e4)) return "a voltage or a current of " + std::to_string(value);
        }
    }
    const bool still = std::all_of(curves.points.begin(), curves.points.end(), [](const BiasPoint& p) {
        return p.input_v == 0 && p.input_a == 0 && p.output_v == 0 && p.output_a == 0;
    });
    return still ? "all voltages and currents are 0: nothing was forced" : "";
}

}  // namespace rt
