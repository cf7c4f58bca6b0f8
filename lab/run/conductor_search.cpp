// Points that depend on what was measured before: values out of an earlier test, thresholds, maxima.
#include <algorithm>
#include <cmath>

#include "lab/formats/files.hpp"
#include "lab/run/conductor.hpp"
#include "lab/run/trials.hpp"

namespace rt::lab {

Conductor::Flow Conductor::run_derived(const PlannedTest& planned) {
    const Test& test = *planned.test;
    if (found_.asks_bench(test)) {
        const Flow flow = before_point(planned);
        if (flow != Flow::go) return flow;
        maker_.set_up(test);
    }
    std::vector<AxisValue> values;
    try {
        values = found_.of(test);
    } catch (const Interruption& interruption) {
        return interrupted(interruption.reply);
    }
    if (values.empty()) {
        end_.state = RunEnd::State::stopped;
        return Flow::go;
    }
    Sweep sweep = test.sweep;
    sweep.axes.back().values = std::move(values);
    for (const auto& point : expand(test.name, sweep)) {
        if (!test.maximise) owed_.owe(test, sweep, point);
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
        search.put(valid ? test.search->holds(*result) : std::nullopt);
        trials.push_back(std::move(record));
    }
    const PointJob job = grounds_.job_of(planned, test.sweep, point, PointKind::threshold);
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
    const PointJob job = grounds_.job_of(planned, test.sweep, point, PointKind::threshold);
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
    if (const auto reply = listener_.ending(); reply != RunListener::Reply::go) return interrupted(reply);
    return measure(planned,
                   grounds_.job_of(planned, trial.sweep, trial.point, PointKind::trial, point.id_text()),
                   record);
}

Conductor::Flow Conductor::maximum(const PlannedTest& planned, const Sweep& sweep, const Point& point) {
    const Test& test = *planned.test;
    const Maximise& what = *test.maximise;
    MaximumSearch search(what);
    std::vector<PointRecord> trials;
    while (const auto place = search.next()) {
        const Trial trial = place_of(test.name, sweep, point, what, *place, true);
        PointRecord record;
        // One that is carried on takes the trials that it has.
        const Flow flow = try_out(planned, trial, point, record);
        if (flow != Flow::go) return flow;
        const Result* result = record.find_result(what.result);
        const bool valid = result && record.standing == Standing::valid;
        search.put(valid ? std::optional(result->value.value) : std::nullopt);
        trials.push_back(std::move(record));
    }
    // What the trials came to is kept with their table. One that is carried on has it, if they are the same.
    Point drawn = point;
    drawn.id = point_id(test.name + " (maximum)", sweep, point);
    std::string table = table_of(what, trials);
    const PointRecord* kept = measured_.find(test.name, drawn.id);
    if (!kept || kept->capture.sha256 != sha256(table)) {
        const PointJob job = grounds_.job_of(planned, sweep, drawn, PointKind::maximum, point.id_text());
        add(&planned, maker_.conclude(job, ++position_, table, outcome_of(what, search, trials)), &drawn,
            &sweep);
    }
    auto best = search.best();
    if (!best) {
        maker_.note("no maximum", test.name + ": no trial has given a valid " + what.result);
        best.emplace();
        for (const auto& axis : what.axes) best->push_back(axis.from);
    }
    const Trial last = place_of(test.name, sweep, point, what, *best, false);
    owed_.owe(test, last.sweep, last.point);
    if (done(last.point)) return Flow::go;
    if (told_.insert(&planned).second) {
        for (const auto& text : search.told()) maker_.note("maximum", test.name + ": " + text);
    }
    if (const auto text = search.not_measured(); !text.empty())
        maker_.note("maximum", test.name + ", " + label(sweep, point) + ": " + text);
    PointRecord record;
    return measure(
        planned, grounds_.job_of(planned, last.sweep, last.point, PointKind::point, point.id_text()), record);
}

}  // namespace rt::lab
