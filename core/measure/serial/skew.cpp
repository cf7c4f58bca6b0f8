// serial.skew: how much later a signal comes on one lane than on another.
#include <fmt/core.h>

#include <algorithm>
#include <array>
#include <cmath>
#include <map>

#include "core/base/error.hpp"
#include "core/measure/procedure.hpp"
#include "core/measure/serial/source.hpp"

namespace rt {
namespace {

constexpr auto skew_parameters = joined(
    std::array{
        ParameterInfo{"channel", ParameterKind::text, Unit::none, "1",
                      "the lane that counts as in time: 1, 2 ..., a difference of two channels as 1-2"},
        ParameterInfo{"other_channel", ParameterKind::text, Unit::none, "2",
                      "the lane whose delay is wanted"},
        ParameterInfo{"most", ParameterKind::quantity, Unit::second, "",
                      "largest delay that is looked for, either way; an eighth of the record without it"},
        probe_ratio_parameter, from_parameter, to_parameter},
    std::array{threshold_part_parameter, band_parameter}, record_rows);

constexpr std::array skew_traces{
    Product{"delay", Unit::second, "of each edge of the other lane, against time"}};
constexpr std::array skew_products{
    Product{"skew", Unit::second, "mean delay of the other lane, later positive"},
    Product{"skew_size", Unit::second, "the same without its sign"},
    Product{"rising_skew", Unit::second, "of rising edges alone"},
    Product{"falling_skew", Unit::second, "of falling edges alone"},
    Product{"skew_span", Unit::second, "from the least to the greatest delay of an edge"},
    Product{"matched", Unit::percent, "edges of the first lane that have one on the other, at that delay"},
    Product{"edges", Unit::count, "that were compared"},
};

struct Lane {
    std::vector<double> at;
    std::vector<bool> rises;
};

Lane lane_of(const Waveform& wave, const Parameters& p, const char* which, double& step) {
    Parameters own(p.known());
    for (const auto& [name, text] : p.texts()) own.set(name, text);
    own.set("channel", p.text(which));
    const Signal signal = signal_of(wave, own);
    step = signal.step_s;
    const LevelHistogram histogram = level_histogram(*signal.samples);
    const auto two = clustered_levels(histogram, 2);
    const double height = two[1] - two[0];
    if (!(height > 0) || !stand_apart(histogram, two[0], two[1]))
        fail_signal("channel " + p.text(which) + " has no two levels: there is no signal of two states");
    const double part = p.required("threshold_part") / 100, band = p.required("hysteresis") / 100;
    const Edges edges = find_edges(*signal.samples, {two[0] + part * height, band * height});
    Lane out;
    for (std::size_t k = 0; k < edges.size(); ++k)
        out.at.push_back(edges.at[k] * signal.step_s), out.rises.push_back(edges.rises(k));
    constexpr std::size_t fewest = 32;
    if (out.at.size() < fewest)
        fail_signal(
            fmt::format("channel {} has {} edges, {} are needed", p.text(which), out.at.size(), fewest));
    return out;
}

// Differences of edges of one direction, counted in bins: the delay that most pairs have.
struct Peak {
    double delay = 0;
    std::size_t count = 0, next = 0;  // pairs at it, and at the best other one
};
Peak best_delay(const Lane& a, const Lane& b, double most, double bin) {
    std::map<long, std::size_t> counts;
    std::size_t from = 0;
    for (std::size_t i = 0; i < a.at.size(); ++i) {
        while (from < b.at.size() && b.at[from] < a.at[i] - most) ++from;
        for (std::size_t k = from; k < b.at.size() && b.at[k] <= a.at[i] + most; ++k) {
            if (a.rises[i] == b.rises[k]) ++counts[std::lround((b.at[k] - a.at[i]) / bin)];
        }
    }
    const auto around = [&](long place) {
        std::size_t sum = 0;
        for (long d = -1; d <= 1; ++d) {
            const auto at = counts.find(place + d);
            if (at != counts.end()) sum += at->second;
        }
        return sum;
    };
    Peak out;
    long best = 0;
    for (const auto& [place, count] : counts) {
        if (const auto sum = around(place); sum > out.count) out.count = sum, best = place;
    }
    for (const auto& [place, count] : counts) {
        if (std::labs(place - best) > 3) out.next = std::max(out.next, around(place));
    }
    out.delay = static_cast<double>(best) * bin;
    return out;
}

Outcome measure_skew(Capture any, const Parameters& p) {
    const Waveform wave = take_waveform(std::move(any), "serial.skew");
    double step = 0;
    const Lane first = lane_of(wave, p, "channel", step), other = lane_of(wave, p, "other_channel", step);
    const double seconds = static_cast<double>(wave.size()) * wave.step_s;
    const double most = p.number("most").value_or(seconds / 8);
    if (!(most > 0)) fail_input("parameter most: must be above 0 s");
    // The shortest spacing is an interval of the signal: pairs of one delay lie within a part of it.
    std::vector<double> spacings;
    for (std::size_t i = 1; i < first.at.size(); ++i) spacings.push_back(first.at[i] - first.at[i - 1]);
    std::nth_element(spacings.begin(), spacings.begin() + static_cast<std::ptrdiff_t>(spacings.size() / 20),
                     spacings.end());
    const double interval = spacings[spacings.size() / 20];
    const double bin = std::max(interval / 10, step / 4);
    const double pairs = most / interval * static_cast<double>(first.at.size());
    constexpr double most_pairs = 3e8;
    if (pairs > most_pairs)
        fail_input("parameter most: " + format({most, Unit::second}, 3) + " is too long for " +
                   std::to_string(first.at.size()) + " edges: name a shorter one, or a part of the record");
    const Peak peak = best_delay(first, other, most, bin);
    // Edges of the first lane whose partner would lie in the record.
    std::size_t could = 0;
    Spread all, rising, falling;
    std::vector<double> times, delays;
    std::size_t k = 0;
    for (std::size_t i = 0; i < first.at.size(); ++i) {
        const double wanted = first.at[i] + peak.delay;
        if (wanted < other.at.front() - interval / 2 ||
            wanted > std::min(seconds, other.at.back() + interval / 2))
            continue;
        ++could;
        while (k < other.at.size() && other.at[k] < wanted - interval / 2) ++k;
        std::size_t nearest = other.at.size();
        for (std::size_t j = k; j < other.at.size() && other.at[j] <= wanted + interval / 2; ++j) {
            if (other.rises[j] != first.rises[i]) continue;
            if (nearest == other.at.size() ||
                std::abs(other.at[j] - wanted) < std::abs(other.at[nearest] - wanted))
                nearest = j;
        }
        if (nearest == other.at.size()) continue;
        const double delay = other.at[nearest] - first.at[i];
        all.add(delay, first.at[i]);
        (first.rises[i] ? rising : falling).add(delay, first.at[i]);
        times.push_back(first.at[i]), delays.push_back(delay);
    }
    constexpr std::size_t fewest = 32;
    if (could < fewest) fail_signal("fewer than 32 edges have a partner within the record");
    const double matched = static_cast<double>(all.count) / static_cast<double>(could);
    constexpr double least_matched = 0.9;
    if (matched < least_matched)
        fail_signal(
            fmt::format("the lanes do not carry the same signal: {:.0f} % of the edges match at the best "
                        "delay, {:.0f} % are needed",
                        100 * matched, 100 * least_matched));
    // A signal that repeats goes as well with itself a period later.
    if (static_cast<double>(peak.next) > 0.8 * static_cast<double>(peak.count))
        fail_signal(
            "the signal repeats within the delays that are looked for: which one is meant? Send a longer "
            "sequence, or give a smaller parameter most");
    Outcome out;
    out.add("skew", all.mean(), Unit::second);
    out.add("skew_size", std::abs(all.mean()), Unit::second);
    if (rising.count > 0) out.add("rising_skew", rising.mean(), Unit::second);
    if (falling.count > 0) out.add("falling_skew", falling.mean(), Unit::second);
    out.add("skew_span", all.greatest - all.least, Unit::second);
    out.add("matched", 100 * matched, Unit::percent);
    out.add("edges", static_cast<double>(all.count), Unit::count);
    out.traces.push_back(trace_over_time("delay", "Delay of each edge", Unit::second, times, delays));
    return out;
}

}  // namespace

Procedure serial_skew() {
    return {"serial.skew",
            "Delay of one lane against another",
            "Two lanes that carry the same sequence: edges of one direction are paired at the delay that "
            "most pairs have, and "
            "the mean of their differences is the skew. Refuses lanes of which fewer than nine in ten edges "
            "match, and a "
            "sequence that repeats within the delays that are looked for.",
            skew_parameters,
            skew_traces,
            skew_products,
            waveform_setup,
            measure_skew,
            preset_named};
}

}  // namespace rt
