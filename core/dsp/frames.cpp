#include "core/dsp/frames.hpp"

#include <algorithm>
#include <cmath>

namespace rt {

Frames::Frames(std::uint64_t samples, std::size_t length, std::size_t hop, double sample_rate_hz,
               const std::vector<Gate>& gates)
    : hop_(hop) {
    const auto add = [&](std::uint64_t from, std::uint64_t to) {
        if (to < from + length) return;
        const std::uint64_t frames = (to - from - length) / hop + 1;
        stretches_.push_back({count_, from, frames});
        count_ += frames;
    };
    if (gates.empty()) add(0, samples);
    for (const Gate& gate : gates) {
        const double from = std::ceil(gate.from_s * sample_rate_hz);
        const double to = std::floor(gate.to_s * sample_rate_hz);
        if (to > from) {
            add(static_cast<std::uint64_t>(std::max(from, 0.0)),
                std::min(samples, static_cast<std::uint64_t>(std::max(to, 0.0))));
        }
    }
}

Frames::Run Frames::run(std::uint64_t from, std::uint64_t to, std::size_t most) const {
    const auto after =
        std::upper_bound(stretches_.begin(), stretches_.end(), from,
                         [](std::uint64_t frame, const Stretch& s) { return frame < s.before; });
    const Stretch& in = *std::prev(after);
    const std::uint64_t skipped = from - in.before;
    const std::uint64_t left = std::min({in.frames - skipped, to - from, std::uint64_t{most}});
    return {in.sample + skipped * hop_, static_cast<std::size_t>(left)};
}

}  // namespace rt
