#include "core/serial/symmetric_edges.hpp"

#include <cmath>

namespace rt {

Edges symmetric_edges(const WaveSamples& samples, double step_s, const Edges& edges, const Clock& clock,
                      const std::vector<double>& levels, double threshold) {
    Edges out;
    out.searched = edges.searched;
    const auto level_at = [&](double t) {
        const double place = std::round(t / step_s);
        if (place < 0 || place >= static_cast<double>(samples.size())) return std::nan("");
        float v = 0;
        samples.read(static_cast<std::uint64_t>(place), {&v, 1});
        double nearest = levels.front();
        for (const double level : levels) {
            if (std::abs(level - static_cast<double>(v)) < std::abs(nearest - static_cast<double>(v)))
                nearest = level;
        }
        return nearest;
    };
    const double closest = (levels.back() - levels.front()) / static_cast<double>(levels.size() - 1) / 4;
    const double half = clock.interval_s() / 2;
    for (std::size_t k = 0; k < edges.size(); ++k) {
        const double middle = clock.place_s(k);
        const double between = (level_at(middle - half) + level_at(middle + half)) / 2;
        if (!(std::abs(between - threshold) < closest)) continue;
        out.at.push_back(edges.at[k]);
        out.directions.push_back(edges.rises(k));
    }
    return out;
}

}  // namespace rt
