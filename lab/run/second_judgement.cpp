#include "lab/run/second_judgement.hpp"

#include <fmt/core.h>

#include <cmath>
#include <set>
#include <vector>

#include "core/base/error.hpp"
#include "lab/run/around.hpp"
#include "lab/run/measured.hpp"
#include "lab/tally/measure_kept.hpp"

namespace rt::lab {
namespace {

bool same(const std::optional<double>& a, const std::optional<double>& b) {
    if (!a || !b) return a.has_value() == b.has_value();
    return std::abs(*a - *b) <= 1e-9 * std::max({std::abs(*a), std::abs(*b), 1e-15});
}

// The parameters that a point was measured with, as its record has them.
Parameters parameters_of(const Test& test, const PointRecord& point) {
    Parameters out(test.procedure->parameters);
    for (const auto& [name, value] : point.parameters) {
        if (out.find(name)) set_kept(out, point, name, value);
    }
    return out;
}

// What judging needs to know of a point besides its results, when these are taken from its record.
void complete_from_record(const PointRecord& point, const Parameters& parameters, Outcome& outcome) {
    std::vector<Result> kept = point.results;
    // How far something was counted is no part of the record: the capture says it.
    for (auto& result : kept) {
        if (const Result* again = outcome.find_result(result.name)) result.decided_at = again->decided_at;
    }
    outcome.results = std::move(kept);
    outcome.stated = parameters.stated_names();
}

}  // namespace

bool SecondFinding::differs() const {
    return before.verdict != after.verdict || !same(before.limit, after.limit) ||
           !same(before.value, after.value) || !same(before.margin, after.margin);
}

// The judgings of a test that apply to a point, in the order in which its findings were made. What a tally
// holds beyond them, or lacks, is told by the caller.
static std::vector<const Judging*> judgings_of(const Test& test, const PointRecord& point) {
    std::vector<const Judging*> out;
    for (const auto& judging : test.judgings) {
        if (test.judges(judging, point.kind == PointKind::trial, point.axes)) out.push_back(&judging);
    }
    return out;
}

void judge_again(const RunData& run, const Campaign& campaign, const Bench& bench, const SecondJudgement& how,
                 const std::function<void(SecondFinding&&)>& take) {
    const TextPairs unit = unit_details(run.record());
    // By test and by the values of its axes, so that a long run is not gone through for every point of it.
    std::set<std::string> looked_up;
    for (const auto& test : campaign.tests) looked_up.merge(test.limits_from());
    Measured points(std::move(looked_up));
    if (points.remembers()) run.each_point([&](const PointRecord& point) { points.remember(point); });
    const PointsAt points_at = [&](const std::string& name, const TextPairs& axes) {
        return points.at(name, axes);
    };
    run.each_point([&](const PointRecord& point) {
        if (point.findings.empty()) return;
        const Test* test = campaign.find(point.test);
        if (!test) fail_input(run.folder().string(), "the kept campaign has no test " + point.test);
        const auto judgings = judgings_of(*test, point);
        if (judgings.size() != point.findings.size()) {
            fail_input(run.folder().string(),
                       fmt::format("point {} has {} findings, {} rules of the kept campaign apply to it",
                                   point.position, point.findings.size(), judgings.size()));
        }
        std::vector<RuleRef> rules;
        bool needs_capture = how.from_captures;
        for (const Judging* judging : judgings) {
            rules.push_back(how.rule_for(judging->rule.full_id()));
            const Rule& rule = *rules.back().rule;
            // Curves, and how a result came about, are known by measuring again.
            needs_capture = needs_capture || !rule.bound() || rule.looked_up() || rule.bandwidth ||
                            rule.detector || rule.least_observation_s ||
                            point.capture.kind == Counts::kind;  // how far they were counted
        }
        const Parameters parameters = parameters_of(*test, point);
        Outcome outcome;
        const std::string invalid = why_invalid(point);
        // What a search came to has no capture of its own.
        const bool measured = !made_of_trials(point.kind) && !point.capture.file.empty();
        if (!invalid.empty()) {
            outcome.invalid = invalid;
        } else if (measured && needs_capture) {
            outcome = run.outcome_of(point);
        }
        if (!outcome.invalid && !how.from_captures) complete_from_record(point, parameters, outcome);
        if (!measured) complete_from_record(point, parameters, outcome);
        const Circumstances surroundings =
            around(*test, bench.find(test->instrument), unit, point.axes, points_at);
        for (std::size_t i = 0; i < rules.size(); ++i) {
            JudgeOptions options = judgings[i]->options;
            options.budgets = bench.budgets;
            options.around = surroundings;
            if (how.decision) options.decision = *how.decision;
            take({point, point.findings[i], judge_or_none(rules[i], outcome, parameters, options)});
        }
    });
}

}  // namespace rt::lab
