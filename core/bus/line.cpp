#include "core/bus/line.hpp"

#include <algorithm>
#include <cmath>

#include "core/base/error.hpp"
#include "core/serial/edges.hpp"
#include "core/serial/pieces.hpp"

namespace rt {
namespace {

struct LevelSum {
    double low = 0, high = 0, lows = 0, highs = 0;
    float lowest = 3e38F, highest = -3e38F;
};

}  // namespace

Line read_line(const WaveSamples& samples, double step_s, const LineThresholds& t) {
    Line out;
    const auto lower = static_cast<float>(t.lower_v), upper = static_cast<float>(t.upper_v);
    LevelSum all;
    for (const LevelSum& s :
         over_pieces<LevelSum>(samples, [&](LevelSum&sum, std::span<const float> v, auto) {
             for (const float x : v) {
                 sum.lowest = std::min(sum.lowest, x), sum.highest = std::max(sum.highest, x);
                 if (x < lower) sum.low += static_cast<double>(x), ++sum.lows;
                 if (x > upper) sum.high += static_cast<double>(x), ++sum.highs;
             }
         })) {
        all.low += s.low, all.high += s.high, all.lows += s.lows, all.highs += s.highs;
        all.lowest = std::min(all.lowest, s.lowest), all.highest = std::max(all.highest, s.highest);
    }
    out.lowest = static_cast<double>(all.lowest), out.highest = static_cast<double>(all.highest);
    out.low_level = all.lows > 0 ? all.low / all.lows : 0;
    out.high_level = all.highs > 0 ? all.high / all.highs : 0;
    // Crossings of each threshold with a hysteresis that noise does not pass: a tenth of their distance.
    // Of equal thresholds, a fiftieth of them.
    const double band = std::max((t.upper_v - t.lower_v) / 10, t.upper_v / 50);
    const Edges at_lower = find_edges(samples, {t.lower_v, band}),
                at_upper = find_edges(samples, {t.upper_v, band});
    std::size_t i = 0, k = 0;
    std::vector<float> first(1);
    samples.read(0, first);
    bool high = at_upper.size() ? !at_upper.first_rises : first[0] > upper;
    if (at_lower.size() && at_lower.first_rises) high = false;
    out.begins_high = high;
    // From one level to the other: the last crossing out before the first crossing in.
    while (true) {
        const Edges& in = high ? at_lower : at_upper;
        const Edges& from = high ? at_upper : at_lower;
        std::size_t& next_in = high ? i : k;
        std::size_t& next_from = high ? k : i;
        const bool rises = !high;
        while (next_in < in.size() && in.rises(next_in) != rises) ++next_in;
        if (next_in >= in.size()) break;
        const double end = in.at[next_in];
        double begin = end;
        bool left = false;
        while (next_from < from.size() && from.at[next_from] <= end) {
            if (from.rises(next_from) == rises) begin = from.at[next_from], left = true;
            ++next_from;
        }
        ++next_in;
        high = !high;
        if (!left && out.edges.empty()) {
            // The record begins within this change: it cannot be timed.
            out.begins_high = high;
            continue;
        }
        out.edges.push_back({rises, begin * step_s, end * step_s});
    }
    return out;
}

std::size_t suppress_spikes(Line& line, double width_s) {
    const auto middle = [](const LineEdge& e) { return (e.begin_s + e.end_s) / 2; };
    std::vector<LineEdge> kept;
    std::size_t out = 0;
    for (const LineEdge& edge : line.edges) {
        if (!kept.empty() && middle(edge) - middle(kept.back()) < width_s) {
            kept.pop_back();  // both changes of the spike go
            ++out;
        } else {
            kept.push_back(edge);
        }
    }
    line.edges = std::move(kept);
    return out;
}

std::vector<TimeSpan> states_of(const Line& line) {
    std::vector<TimeSpan> out;
    for (std::size_t k = 0; k + 1 < line.edges.size(); ++k)
        out.push_back({line.edges[k].end_s, line.edges[k + 1].begin_s});
    return out;
}

std::vector<Plateau> plateaus(const WaveSamples& samples, double step_s, const Line& line,
                              const std::vector<TimeSpan>& times) {
    constexpr std::uint64_t fewest = 4, most = 1 << 16;
    std::vector<Plateau> out;
    std::vector<float> values;
    std::size_t edge = 0;
    for (const TimeSpan& time : times) {
        while (edge < line.edges.size() && line.edges[edge].end_s <= time.from_s) ++edge;
        if (edge < line.edges.size() && line.edges[edge].begin_s < time.to_s) continue;
        const double length = time.to_s - time.from_s;
        const auto from = static_cast<std::uint64_t>(std::ceil((time.from_s + length / 2) / step_s));
        const auto to = static_cast<std::uint64_t>(std::floor((time.to_s - length / 10) / step_s)) + 1;
        if (to < from + fewest || to > samples.size()) continue;
        values.resize(static_cast<std::size_t>(std::min(to - from, most)));
        samples.read(from, values);
        double sum = 0;
        for (const float v : values) sum += static_cast<double>(v);
        const bool high = edge == 0 ? line.begins_high : line.edges[edge - 1].rises;
        out.push_back({sum / static_cast<double>(values.size()), time.from_s, high});
    }
    return out;
}

bool high_at(const Line& line, double time_s) {
    const auto after = std::upper_bound(line.edges.begin(), line.edges.end(), time_s,
                                        [](double t, const LineEdge& e) { return t < e.end_s; });
    return after == line.edges.begin() ? line.begins_high : std::prev(after)->rises;
}

}  // namespace rt
