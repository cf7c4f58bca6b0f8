#include "core/dsp/peaks.hpp"

#include <algorithm>
#include <cmath>
#include <limits>

namespace rt {
namespace {

struct Valley {
    double level;
    bool open;  // nothing higher lies beyond it before the end
};

// For each point the lowest level between it and the nearest higher one before it (or the beginning).
std::vector<Valley> valleys(std::span<const double> level) {
    std::vector<Valley> out(level.size());
    struct Step {
        double level, valley;
    };
    std::vector<Step> higher;
    for (std::size_t i = 0; i < level.size(); ++i) {
        double valley = level[i];
        while (!higher.empty() && higher.back().level <= level[i]) {
            valley = std::min(valley, higher.back().valley);
            higher.pop_back();
        }
        out[i] = {valley, higher.empty()};
        higher.push_back({level[i], valley});
    }
    return out;
}

// How far one must come down on the shallower side; a side that the trace's end cuts off does not count.
double prominence_of(double level, const Valley& left, const Valley& right, Ends ends) {
    if (ends == Ends::falls && left.open != right.open) return level - (left.open ? right.level : left.level);
    if (ends == Ends::falls && left.open) return level - std::min(left.level, right.level);
    return level - std::max(left.level, right.level);
}

struct Bend {
    double shift, rise;
};

Bend parabola(std::span<const double> y, std::size_t at) {
    if (at == 0 || at + 1 >= y.size()) return {0, 0};
    const double shift = vertex(y[at - 1], y[at], y[at + 1]);
    return {shift, -(y[at - 1] - y[at + 1]) * shift / 4};
}

}  // namespace

double vertex(double before, double at, double after) {
    const double bend = before - 2 * at + after;
    return bend < 0 ? std::clamp((before - after) / (2 * bend), -0.5, 0.5) : 0;
}

std::vector<TracePeak> find_peaks(std::span<const double> level, double least_prominence, Ends ends) {
    const auto left = valleys(level);
    std::vector<double> backwards(level.rbegin(), level.rend());
    auto right = valleys(backwards);
    std::reverse(right.begin(), right.end());
    std::vector<TracePeak> out;
    for (std::size_t i = 0; i < level.size(); ++i) {
        std::size_t end = i;
        while (end + 1 < level.size() && level[end + 1] == level[i]) ++end;
        const bool open = ends == Ends::falls;
        const bool rises = i > 0 ? level[i - 1] < level[i] : open;
        const bool falls = end + 1 < level.size() ? level[end + 1] < level[i] : open;
        if (rises && falls) {
            // valleys() takes equal levels as lower, so the first point of a flat top is asked on its left
            // and the last one on its right.
            const double prominence = prominence_of(level[i], left[i], right[end], ends);
            if (prominence >= least_prominence) out.push_back({(i + end) / 2, level[i], prominence});
        }
        i = end;
    }
    std::stable_sort(out.begin(), out.end(),
                     [](const TracePeak& a, const TracePeak& b) { return a.level > b.level; });
    return out;
}

std::vector<TracePeak> merged(std::vector<TracePeak> peaks, std::span<const double> x, double distance) {
    std::vector<TracePeak> out;
    for (const auto& peak : peaks) {
        const bool near = std::any_of(out.begin(), out.end(), [&](const TracePeak& kept) {
            return std::abs(x[kept.at] - x[peak.at]) < distance;
        });
        if (!near) out.push_back(peak);
    }
    return out;
}

double refined_x(std::span<const double> x, std::span<const double> level_db, std::size_t at) {
    const Bend bend = parabola(level_db, at);
    if (bend.shift == 0) return x[at];
    return bend.shift > 0 ? x[at] + bend.shift * (x[at + 1] - x[at])
                          : x[at] + bend.shift * (x[at] - x[at - 1]);
}

double refined_level(std::span<const double> level_db, std::size_t at) {
    return level_db[at] + parabola(level_db, at).rise;
}

}  // namespace rt
