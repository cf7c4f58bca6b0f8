#include "core/serial/activity.hpp"

#include <algorithm>
#include <cmath>

namespace rt {
namespace {

// Where |v| passes the threshold between two samples, as a part of the step from the first.
double share(double a, double b, double threshold) {
    return a == b ? 0.5 : std::clamp((threshold - a) / (b - a), 0.0, 1.0);
}

}  // namespace

std::vector<ActiveStretch> find_activity(const WaveSamples& samples, double step_s,
                                         const ActivitySettings& s) {
    std::vector<ActiveStretch> out;
    constexpr std::uint64_t piece = 1 << 18;
    const auto middle = static_cast<float>(s.middle_v), threshold = static_cast<float>(s.threshold_v);
    std::vector<float> values;
    bool active = false;
    float before = 0;
    double last = 0;  // where the line was last driven, in samples
    float peak = 0;
    for (std::uint64_t at = 0; at < samples.size(); at += piece) {
        values.resize(static_cast<std::size_t>(std::min(piece, samples.size() - at)));
        samples.read(at, values);
        for (std::size_t i = 0; i < values.size(); ++i) {
            const float v = std::fabs(values[i] - middle);
            const auto place = static_cast<double>(at + i);
            if (v > threshold) {
                if (!active || (place - last) * step_s > s.hold_off_s) {
                    if (active)
                        out.back().to_s = last * step_s, out.back().peak_v = static_cast<double>(peak);
                    const double from = at + i > 0 ? place - 1 +
                                                         share(static_cast<double>(before),
                                                               static_cast<double>(v), s.threshold_v)
                                                   : 0;
                    out.push_back({from * step_s, 0, 0});
                    active = true;
                    peak = 0;
                }
                peak = std::max(peak, v);
                last = place;
            } else if (active && before > threshold) {
                last = place - 1 + share(static_cast<double>(before), static_cast<double>(v), s.threshold_v);
            }
            before = v;
        }
    }
    if (active) out.back().to_s = last * step_s, out.back().peak_v = static_cast<double>(peak);
    return out;
}

}  // namespace rt
