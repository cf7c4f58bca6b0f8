#include "core/measure/emission/candidates.hpp"

#include <algorithm>
#include <cmath>

#include "core/base/error.hpp"
#include "core/dsp/peaks.hpp"

namespace rt {
namespace {

std::optional<double> margin_at(const Trace& trace, std::span<const Rule* const> rules, double frequency,
                                double level) {
    std::optional<double> least;
    for (const Rule* rule : rules) {
        const LimitLine* line = rule->line();
        if (!line || rule->unit != trace.y_unit) continue;
        const auto limit = line->at(frequency);
        if (limit && (!least || *limit - level < *least)) least = *limit - level;
    }
    return least;
}

std::size_t nearest(const Trace& trace, double frequency) {
    const auto at = std::lower_bound(trace.x.begin(), trace.x.end(), frequency);
    if (at == trace.x.begin()) return 0;
    if (at == trace.x.end()) return trace.x.size() - 1;
    const auto i = static_cast<std::size_t>(at - trace.x.begin());
    return frequency - trace.x[i - 1] < trace.x[i] - frequency ? i - 1 : i;
}

bool among(const std::vector<double>& list, double frequency, double apart) {
    return std::any_of(list.begin(), list.end(),
                       [&](double other) { return std::abs(other - frequency) <= apart; });
}

// Nearest to the limit first; without limits the highest first.
bool more_urgent(const Candidate& a, const Candidate& b) {
    if (a.margin && b.margin && *a.margin != *b.margin) return *a.margin < *b.margin;
    if (a.margin.has_value() != b.margin.has_value()) return a.margin.has_value();
    return a.level > b.level;
}

}  // namespace

Trace held_maximum(std::vector<Trace> traces) {
    if (traces.empty()) fail_input("there is no trace to take candidates from");
    Trace out = std::move(traces.front());
    for (std::size_t t = 1; t < traces.size(); ++t) {
        if (traces[t].x != out.x) fail_input("the traces to take candidates from have different points");
        for (std::size_t i = 0; i < out.y.size(); ++i) out.y[i] = std::max(out.y[i], traces[t].y[i]);
    }
    return out;
}

std::vector<Candidate> choose_candidates(const Trace& trace, std::span<const Rule* const> rules,
                                         const CandidateSettings& settings) {
    std::vector<Candidate> all;
    for (const auto& peak :
         merged(find_peaks(trace.y, settings.prominence_db, Ends::falls), trace.x, settings.apart_hz)) {
        Candidate candidate{trace.x[peak.at], peak.level, {}, false};
        candidate.margin = margin_at(trace, rules, candidate.frequency_hz, peak.level);
        if (settings.within_db && (!candidate.margin || *candidate.margin > *settings.within_db)) continue;
        const double reach = std::max(settings.apart_hz, 1e-9 * candidate.frequency_hz);
        if (among(settings.drop_hz, candidate.frequency_hz, reach)) continue;
        all.push_back(candidate);
    }
    std::stable_sort(all.begin(), all.end(), more_urgent);
    auto ends = settings.split_at_hz;
    std::sort(ends.begin(), ends.end());
    std::vector<std::size_t> taken(ends.size() + 1);
    std::vector<Candidate> out;
    for (const auto& candidate : all) {
        const auto part = static_cast<std::size_t>(
            std::upper_bound(ends.begin(), ends.end(), candidate.frequency_hz) - ends.begin());
        if (taken[part]++ < settings.most) out.push_back(candidate);
    }
    for (const double frequency : settings.add_hz) {
        const double level = trace.y[nearest(trace, frequency)];
        out.push_back({frequency, level, margin_at(trace, rules, frequency, level), true});
    }
    std::stable_sort(out.begin(), out.end(),
                     [](const Candidate& a, const Candidate& b) { return a.frequency_hz < b.frequency_hz; });
    return out;
}

}  // namespace rt
