// Points that depend on what was measured before: values out of an earlier test, thresholds, maxima.
#include <algorithm>
#include <cmath>

#include "core/measure/emission/candidates.hpp"
#include "lab/run/conductor.hpp"
#include "lab/run/trials.hpp"
#include "lab/tally/measure_kept.hpp"

namespace rt::lab {

std::vector<AxisValue> Conductor::found_results(const FromTest& from) {
    std::vector<AxisValue> values;
    std::vector<double> taken;
    for (const PointRecord* record : measured_.of(from.test)) {
        if (record->standing != Standing::valid) continue;
        const Result* result = record->find_result(from.result);
        if (!result || values.size() == from.most) continue;
        const double apart = from.apart ? from.apart->value : 0;
        const bool near = std::any_of(taken.begin(), taken.end(), [&](double other) {
            return std::abs(other - result->value.value) <= apart;
        });
        if (near) continue;
        taken.push_back(result->value.value);
        values.push_back(quantity_value(result->value));
    }
    return values;
}

// Peaks of what the points of the earlier test have in common, nearest to its limits first.
std::vector<AxisValue> Conductor::found_candidates(const FromTest& from) {
    const auto source = std::find_if(plan_.tests.begin(), plan_.tests.end(),
                                     [&](const PlannedTest& t) { return t.test->name == from.test; });
    std::vector<Trace> traces;
    for (const PointRecord* record : measured_.of(from.test)) {
        if (record->standing != Standing::valid) continue;
        Outcome outcome = measure_kept(folder_, *source->test->procedure, *record);
        if (outcome.invalid) continue;
        for (auto& trace : outcome.traces) {
            if (trace.name == from.trace) traces.push_back(std::move(trace));
        }
    }
    std::vector<AxisValue> values;
    if (traces.empty()) return values;
    std::vector<const Rule*> rules;
    for (const auto& judging : source->test->judgings) rules.push_back(judging.rule.rule);
    for (const auto& candidate : choose_candidates(held_maximum(std::move(traces)), rules, from.candidates)) {
        values.push_back(quantity_value({candidate.frequency_hz, Unit::hertz}));
        maker_.note("candidate",
                    format({candidate.frequency_hz, Unit::hertz}) +
                        (candidate.margin ? ", margin " + fixed(*candidate.margin, 2) + " dB" : "") +
                        (candidate.added ? ", added by the operator" : ""));
    }
    return values;
}

Conductor::Flow Conductor::run_derived(const PlannedTest& planned) {
    const Test& test = *planned.test;
    const FromTest& from = *test.from_test;
    const auto values = from.trace.empty() ? found_results(from) : found_candidates(from);
    if (values.empty()) {
        maker_.note("nothing to measure", test.name + ": " + from.test + " has given no " +
                                              (from.trace.empty() ? from.result : "peak of " + from.trace));
        end_.state = RunEnd::State::stopped;
        return Flow::go;
    }
    Sweep sweep = test.sweep;
    sweep.axes.back().values = std::move(values);
    for (const auto& point : expand(test.name, sweep)) {
        if (!test.maximise) owe(test, sweep, point);
        if (done(point)) continue;
        const Flow flow = visit(planned, sweep, point);
        if (flow != Flow::go) return flow;
    }
    return Flow::go;
}

Conductor::Flow Conductor::search(const PlannedTest& planned, const Point& point) {
    const Test& test = *planned.test;
    const TextPairs axes = axes_of(test.sweep, point);
    ThresholdSearch search(*test.search, confirmations(test, &axes));
    std::vector<PointRecord> trials;
    while (const auto value = search.next()) {
        const Trial trial = trial_of(test.name, test.sweep, point, *test.search, *value);
        PointRecord record;
        // One that is carried on takes the trials that it has.
        const Flow flow = try_out(planned, trial, point, record);
        if (flow != Flow::go) return flow;
        const Result* result = record.find_result(test.search->result);
        const bool valid = result && record.standing == Standing::valid;
        search.put(valid ? std::optional(test.search->holds(result->value.value)) : std::nullopt);
        trials.push_back(std::move(record));
    }
    const PointJob job = job_of(planned, test.sweep, point, PointKind::threshold);
    add(&planned,
        maker_.conclude(job, ++position_, table_of(*test.search, trials),
                        outcome_of(*test.search, search, trials)),
        &point);
    return Flow::go;
}

Conductor::Flow Conductor::adjust(const PlannedTest& planned, const Point& point) {
    const Test& test = *planned.test;
    Adjustment adjustment(*test.adjust);
    std::vector<PointRecord> trials;
    while (const auto value = adjustment.next()) {
        const Trial trial = trial_of(test.name, test.sweep, point, *test.adjust, *value);
        PointRecord record;
        const Flow flow = try_out(planned, trial, point, record);
        if (flow != Flow::go) return flow;
        const Result* result = record.find_result(test.adjust->result);
        const bool valid = result && record.standing == Standing::valid && result->known == Known::exactly;
        adjustment.put(valid ? std::optional(result->value.value) : std::nullopt);
        trials.push_back(std::move(record));
    }
    const PointJob job = job_of(planned, test.sweep, point, PointKind::threshold);
    add(&planned,
        maker_.conclude(job, ++position_, table_of(*test.adjust, trials),
                        outcome_of(*test.adjust, adjustment, trials)),
        &point);
    return Flow::go;
}

// A trial, or what an earlier part of the run has measured of it.
Conductor::Flow Conductor::try_out(const PlannedTest& planned, const Trial& trial, const Point& point,
                                   PointRecord& record) {
    const PointRecord* before = measured_.find(planned.test->name, trial.point.id);
    if (before && done(trial.point)) {
        record = *before;
        return Flow::go;
    }
    if (listener_.stop()) return Flow::stop;
    return measure(planned, job_of(planned, trial.sweep, trial.point, PointKind::trial, point.id_text()),
                   record);
}

Conductor::Flow Conductor::maximum(const PlannedTest& planned, const Sweep& sweep, const Point& point) {
    const Test& test = *planned.test;
    const Maximise& what = *test.maximise;
    MaximumSearch search(what);
    while (const auto place = search.next()) {
        const Trial trial = place_of(test.name, sweep, point, what, *place, true);
        PointRecord record;
        // One that is carried on takes the trials that it has.
        const Flow flow = try_out(planned, trial, point, record);
        if (flow != Flow::go) return flow;
        const Result* result = record.find_result(what.result);
        const bool valid = result && record.standing == Standing::valid;
        search.put(valid ? std::optional(result->value.value) : std::nullopt);
    }
    auto best = search.best();
    if (!best) {
        maker_.note("no maximum", test.name + ": no trial has given a valid " + what.result);
        best.emplace();
        for (const auto& axis : what.axes) best->push_back(axis.from);
    }
    const Trial last = place_of(test.name, sweep, point, what, *best, false);
    owe(test, last.sweep, last.point);
    if (done(last.point)) return Flow::go;
    if (told_.insert(&planned).second) {
        for (const auto& text : search.told()) maker_.note("maximum", test.name + ": " + text);
    }
    if (const auto text = search.not_measured(); !text.empty())
        maker_.note("maximum", test.name + ", " + label(sweep, point) + ": " + text);
    PointRecord record;
    return measure(planned, job_of(planned, last.sweep, last.point, PointKind::point, point.id_text()),
                   record);
}

}  // namespace rt::lab
