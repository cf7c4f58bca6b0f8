#include "lab/run/conductor.hpp"

#include <algorithm>
#include <cmath>
#include <cstdlib>

#include "core/base/error.hpp"
#include "core/base/text.hpp"
#include "lab/captures/result_table.hpp"
#include "lab/clock.hpp"
#include "lab/formats/files.hpp"

namespace rt::lab {

Conductor::Conductor(const Plan& plan, const std::filesystem::path& folder, Tally& tally,
                     BenchConnection& bench, RunListener& listener, const RunOptions& options)
    : plan_(plan),
      folder_(folder),
      tally_(tally),
      bench_(bench),
      listener_(listener),
      options_(options),
      calibrations_(*plan.bench, folder),
      measured_(plan),
      maker_(plan, folder, tally, bench, calibrations_, listener),
      watches_(plan.campaign->watches, bench),
      pace_(plan) {
    for (const auto& recheck : plan.campaign->rechecks) stabilities_.emplace_back(recheck);
}

void Conductor::know(const RunRecord& earlier) {
    for (const auto& record : earlier.superseded) {
        measured_.set_aside(record);
        position_ = std::max(position_, record.position);
    }
    std::map<std::string, std::vector<const PointRecord*>> open;  // points since the last check, by recheck
    for (const auto& record : earlier.points) {
        position_ = std::max(position_, record.position);
        last_ended_ = record.ended;
        if (record.kind == PointKind::check) {
            measured_.set_aside(record);
            open[record.test].clear();
            continue;
        }
        // What a recheck has doubted was to be measured again: the run ended before it came to that.
        if (record.standing == Standing::voided && record.attempt == 1 &&
            record.standing_cause == Cause::recheck) {
            measured_.set_aside(record);
            continue;
        }
        // So does one whose input, or limit, from another test has been measured again, or counts no more.
        if (!inputs_stand(record) || !limits_stand(record)) {
            measured_.set_aside(record);
            continue;
        }
        measured_.put(record);
        settle(record);
        for (auto& stability : stabilities_) {
            const auto& name = stability.recheck().test.name;
            if (stability.covers(record.test)) open[name].push_back(&record);
        }
        const PlannedTest* planned = plan_.find(record.test);
        if (planned && record.kind != PointKind::threshold) pace_.known(*planned);
    }
    for (const auto& calibration : earlier.calibrations) calibrations_.know(calibration);
    // A calibration whose test is measured again is made again.
    for (const auto& planned : plan_.tests) {
        const bool whole = std::all_of(planned.points.begin(), planned.points.end(),
                                       [&](const Point& point) { return done(point); });
        if (!planned.test->provides.empty() && !whole) calibrations_.forget(planned.test->provides);
    }
    for (auto& stability : stabilities_) {
        const auto& name = stability.recheck().test.name;
        if (const auto value = to_double(earlier.fact("recheck." + name))) stability.set_reference(*value);
        for (const PointRecord* record : open[name]) {
            const PlannedTest* planned = plan_.find(record->test);
            if (!planned) continue;
            if (record->kind == PointKind::trial) {
                Point trial;
                trial.id = id_of(*record);
                stability.vouch({planned, trial, record->position, true});
            }
            for (const auto& point : planned->points) {
                if (point.id == id_of(*record)) stability.vouch({planned, point, record->position});
            }
        }
    }
}

RunEnd Conductor::run() {
    Flow flow = confirm_connections();
    if (flow == Flow::go) zero_instruments();
    for (const auto& stretch : plan_.order) {
        if (flow == Flow::stop) break;
        if (skipped_.contains(&plan_.tests[stretch.test])) continue;
        flow = run_stretch(stretch);
        if (flow == Flow::skip_test) {
            skipped_.insert(&plan_.tests[stretch.test]);
            pace_.ended(plan_.tests[stretch.test]);
            end_.state = RunEnd::State::stopped;
        }
    }
    for (auto& stability : stabilities_) {
        if (flow != Flow::stop && stability.open()) flow = check(stability);
    }
    if (flow != Flow::stop) flow = renew();
    if (flow == Flow::stop) end_.state = RunEnd::State::stopped;
    if (end_.state == RunEnd::State::complete) tell_owed();
    watches_.close_events();
    flush_watches();
    end_.counts = tally_.counts();
    return end_;
}

Conductor::Flow Conductor::interrupted(RunListener::Reply reply) {
    if (reply == RunListener::Reply::stop) return Flow::stop;
    return reply == RunListener::Reply::skip ? Flow::skip_test : Flow::go;
}

Conductor::Flow Conductor::confirm_connections() {
    if (!plan_.campaign->confirm_connections) return Flow::go;
    const auto reply = listener_.ask(
        {Request::Kind::connections, "connections", "is everything connected as drawn?", false});
    maker_.note("connections", reply == RunListener::Reply::go ? "confirmed" : "not confirmed");
    return reply == RunListener::Reply::go ? Flow::go : Flow::stop;
}

void Conductor::zero_instruments() {
    for (const auto& instrument : plan_.bench->instruments) {
        if (!instrument.zero || !bench_.speaks(instrument.role)) continue;
        bench_.role(instrument.role).zero();
        maker_.note("zero", instrument.role + " zeroed and calibrated");
    }
}

Conductor::Flow Conductor::run_stretch(const Stretch& stretch) {
    const PlannedTest& planned = plan_.tests[stretch.test];
    Flow flow = Flow::go;
    if (planned.test->from_test) {
        flow = run_derived(planned);
    } else if (planned.test->duration_s) {
        flow = run_duration(planned);
    } else {
        flow = run_points(planned, planned.points, stretch.points, false);
    }
    if (flow == Flow::go && stretch.last) finish_test(planned);
    return flow;
}

// A test that provides something has all its points now.
void Conductor::finish_test(const PlannedTest& planned) {
    pace_.ended(planned);
    const Test& test = *planned.test;
    if (test.provides.empty() || calibrations_.knows(test.provides)) return;
    std::vector<PointRecord> points;
    for (const PointRecord* record : measured_.of(test.name)) points.push_back(*record);
    const CalibrationRecord made = calibrations_.make(planned, points);
    tally_.add(made);
    maker_.note("calibration",
                made.invalid.empty()
                    ? made.name + (made.valid_until.empty() ? "" : ", valid until " + made.valid_until)
                    : made.name + " is not valid: " + made.invalid);
}

Conductor::Flow Conductor::prepare(const PlannedTest& planned) {
    if (!prepared_.insert(&planned).second) return Flow::go;
    const Test& test = *planned.test;
    if (!test.prompt.empty()) {
        // What the others had a person connect is no longer in place.
        prepared_ = {&planned};
        const auto reply = listener_.ask({Request::Kind::prompt, test.name, test.prompt, false});
        const char* word = reply == RunListener::Reply::skip   ? "test skipped"
                           : reply == RunListener::Reply::stop ? "run stopped"
                                                               : "done";
        maker_.note("prompt", test.name + ": " + test.prompt + " (" + word + ")");
        const Flow flow = interrupted(reply);
        if (flow != Flow::go) return flow;
    }
    if (!test.power_cycle.empty()) {
        const auto hold = watches_.hold();  // a unit without power answers nobody
        maker_.power_cycle(test);
    }
    return Flow::go;
}

Conductor::Flow Conductor::require_calibrations(const PlannedTest& planned) {
    for (const auto& need : planned.test->needs) {
        if (!calibrations_.lapsed(need)) continue;
        const PlannedTest* provider = plan_.provider(need);
        if (!provider || skipped_.contains(provider)) continue;
        maker_.note("calibration", calibrations_.lapse(need) + ": made again");
        const Flow flow = make_calibration(*provider);
        if (flow == Flow::stop) return flow;
        prepared_.erase(&planned);  // what was connected for it may not be any more
    }
    return Flow::go;
}

Conductor::Flow Conductor::make_calibration(const PlannedTest& provider) {
    prepared_.erase(&provider);
    calibrations_.forget(provider.test->provides);
    std::vector<std::size_t> all(provider.points.size());
    for (std::size_t i = 0; i < all.size(); ++i) all[i] = i;
    const Flow flow = run_points(provider, provider.points, all, true);
    if (flow == Flow::go) finish_test(provider);
    return flow;
}

Conductor::Flow Conductor::before_point(const PlannedTest& planned) {
    if (listener_.stop()) return Flow::stop;
    Flow flow = require_calibrations(planned);
    if (flow == Flow::go) flow = prepare(planned);
    for (auto& stability : stabilities_) {
        if (flow != Flow::go || recovering_) break;
        if (planned.instrument && stability.covers(planned.test->name) && stability.due())
            flow = check(stability);
    }
    return flow;
}

Conductor::Flow Conductor::run_points(const PlannedTest& planned, const std::vector<Point>& points,
                                      const std::vector<std::size_t>& chosen, bool again) {
    for (const std::size_t i : chosen) {
        // Of a maximum the point that it is found at gets the finding.
        if (!planned.test->maximise) owe(*planned.test, planned.test->sweep, points[i]);
        if (!again && done(points[i])) continue;
        const Flow flow = visit(planned, planned.test->sweep, points[i]);
        if (flow != Flow::go) return flow;
    }
    return Flow::go;
}

// Turns of the whole sweep until the time has passed; what earlier parts of the run needed counts.
Conductor::Flow Conductor::run_duration(const PlannedTest& planned) {
    const Test& test = *planned.test;
    double passed = 0;
    for (const PointRecord* record : measured_.of(test.name))
        passed += seconds_between(record->started, record->ended);
    Sweep sweep = test.sweep;
    sweep.repeats = 2;  // labels name the turn
    for (std::uint32_t turn = 1;; ++turn) {
        for (Point point : planned.points) {
            point.repeat = turn;
            point.id = point_id(test.name, sweep, point);
            if (done(point)) continue;
            if (passed >= *test.duration_s && turn > 1) return Flow::go;
            Flow flow = before_point(planned);  // what a person needs for it is no part of the time
            const Stopwatch start;
            if (flow == Flow::go) flow = one(planned, sweep, point);
            if (flow != Flow::go) return flow;
            passed += start.seconds();
        }
    }
}

// The values come from what an earlier test has found, in the order in which it was found.
Conductor::Flow Conductor::visit(const PlannedTest& planned, const Sweep& sweep, const Point& point) {
    const Flow flow = before_point(planned);
    return flow == Flow::go ? one(planned, sweep, point) : flow;
}

// Every input that a kept point has from another test is still the capture of a point that counts.
bool Conductor::inputs_stand(const PointRecord& record) const {
    const Test* test = plan_.campaign->find(record.test);
    return std::all_of(record.inputs.begin(), record.inputs.end(), [&](const InputRecord& input) {
        if (input.source.empty()) return true;
        const Source* source = test ? test->source_of(input.name) : nullptr;
        if (!source) return true;
        const PointRecord* now =
            measured_.find(source->test, std::strtoull(input.source.c_str(), nullptr, 16));
        return now && now->standing == Standing::valid && now->capture.sha256 == input.capture.sha256;
    });
}

// Every point that this one has its limits or settings from was measured before it, and still counts if it
// was judged by it.
bool Conductor::limits_stand(const PointRecord& record) const {
    const PlannedTest* planned = plan_.find(record.test);
    if (!planned || record.kind == PointKind::check) return true;
    const bool judged = std::any_of(record.findings.begin(), record.findings.end(),
                                    [](const Finding& f) { return f.verdict != Verdict::none; });
    std::set<std::string> sources = planned->test->limits_from();
    for (const auto& name : planned->test->settings_from()) {
        if (const PlannedTest* provider = plan_.provider(name)) sources.insert(provider->test->name);
    }
    return std::all_of(sources.begin(), sources.end(), [&](const std::string& name) {
        std::string why;
        const PointRecord* source = only_point(
            name, record.axes, [&](const std::string& of) { return measured_.of(of); }, why);
        if (!source) return !judged;
        return source->position < record.position && !(judged && source->standing == Standing::voided);
    });
}

// What rests on results or captures that were measured again, or lost their verdict, since: conclusions are
// drawn anew; points that were measured with such an input lose their verdict.
Conductor::Flow Conductor::renew() {
    for (const auto& planned : plan_.tests) {
        const bool looks_up = !planned.test->limits_from().empty() || !planned.test->settings_from().empty();
        if ((planned.test->sources.empty() && !looks_up) || skipped_.contains(&planned)) continue;
        std::vector<std::size_t> doubtful;
        for (const auto& point : planned.points) {
            const PointRecord* kept = measured_.find(planned.test->name, point.id);
            if (!kept) continue;
            if (!planned.test->concludes) {
                if (kept->standing == Standing::valid && !(inputs_stand(*kept) && limits_stand(*kept)))
                    doubtful.push_back(kept->position);
                continue;
            }
            if (still_drawn_from(planned, point, *kept) && limits_stand(*kept)) continue;
            const Flow flow = one(planned, planned.test->sweep, point);
            if (flow != Flow::go) return flow;
        }
        if (doubtful.empty()) continue;
        tally_.void_points(doubtful, Cause::input,
                           "an input or limit from another test was measured again or counts no more");
        maker_.note("inputs",
                    planned.test->name + ": " + std::to_string(doubtful.size()) +
                        (doubtful.size() == 1 ? " point was" : " points were") +
                        " made with an input or limit that no longer counts, and lost the verdict; carry "
                        "the run on to measure anew");
        end_.state = RunEnd::State::stopped;
    }
    return Flow::go;
}

// Whether the tables that a conclusion would be drawn from now are those that it was drawn from.
bool Conductor::still_drawn_from(const PlannedTest& planned, const Point& point,
                                 const PointRecord& kept) const {
    for (const auto& given :
         given_inputs(plan_, measured_, folder_, *planned.test, planned.test->sweep, point)) {
        const auto named = [&](const InputRecord& i) { return i.name == given.input; };
        const auto at = std::find_if(kept.inputs.begin(), kept.inputs.end(), named);
        const std::string& known = at == kept.inputs.end() ? kept.capture.sha256 : at->capture.sha256;
        if (sha256(table_text(std::get<ResultTable>(*given.capture))) != known) return false;
    }
    return true;
}

void Conductor::owe(const Test& test, const Sweep& sweep, const Point& point) {
    const TextPairs axes = axes_of(sweep, point);
    const bool judged = std::any_of(test.judgings.begin(), test.judgings.end(),
                                    [&](const Judging& j) { return test.judges(j, false, axes); });
    if (judged) owed_[point.id] = test.name + ": " + label(sweep, point);
}

void Conductor::settle(const PointRecord& record) {
    if (record.kind != PointKind::check && !record.findings.empty()) settled_.insert(id_of(record));
}

void Conductor::tell_owed() {
    std::vector<std::string> missing;
    for (const auto& [id, name] : owed_) {
        if (!settled_.contains(id)) missing.push_back(name);
    }
    if (missing.empty()) return;
    end_.state = RunEnd::State::stopped;
    maker_.note("without finding",
                std::to_string(missing.size()) + (missing.size() == 1 ? " point has" : " points have") +
                    " rules and no finding, " + missing.front() + (missing.size() == 1 ? "" : " first"));
}

Conductor::Flow Conductor::one(const PlannedTest& planned, const Sweep& sweep, const Point& point) {
    if (planned.test->search) return search(planned, point);
    if (planned.test->adjust) return adjust(planned, point);
    if (planned.test->maximise) return maximum(planned, sweep, point);
    PointRecord record;
    return measure(planned, job_of(planned, sweep, point, PointKind::point), record);
}

PointJob Conductor::job_of(const PlannedTest& planned, const Sweep& sweep, const Point& point, PointKind kind,
                           const std::string& parent) const {
    const Test& test = *planned.test;
    const TextPairs axes = axes_of(sweep, point);
    PointJob job{&test, planned.instrument, &sweep, &point, kind, parent};
    job.blocked = adjusted_settings(test, axes, job.adjusted);
    if (kind != PointKind::threshold) job.given = given_inputs(plan_, measured_, folder_, test, sweep, point);
    job.around = around(test, planned.instrument, options_.unit, axes,
                        [&](const std::string& name) { return measured_.of(name); });
    return job;
}

std::string Conductor::adjusted_settings(const Test& test, const TextPairs& axes, TextPairs& out) const {
    for (const auto& name : test.settings_from()) {
        const PlannedTest* provider = plan_.provider(name);
        if (!provider) return "the calibration " + in_quotes(name) + " was not made";
        const std::string& gives = provider->test->adjust->gives;
        const auto found = only_result(provider->test->name, gives, axes,
                                       [&](const std::string& of) { return measured_.of(of); });
        if (!found.result)
            return "the setting from the calibration " + in_quotes(name) + ": " + found.missing;
        if (auto lapse = calibrations_.knows(name) ? calibrations_.lapse(name) : "";
            !lapse.empty() && provider->test->valid_for_s)
            return lapse;
        out.emplace_back(name, format_exact(found.result->value));
    }
    return {};
}

Conductor::Flow Conductor::measure(const PlannedTest& planned, const PointJob& job, PointRecord& out) {
    for (;;) {
        pace_.begin();
        PointRecord record;
        try {
            record = maker_.make(job, position_ + 1, watches_);
        } catch (const Interruption& interruption) {
            return interrupted(interruption.reply);
        }
        bool again = false;
        Flow flow = heed_watches(record, again);
        // What was measured meanwhile is not kept: it is measured again, now or when the run is carried on.
        if (again && flow == Flow::go) continue;
        if (again) return flow;
        ++position_;
        pace_.measured(planned);
        out = record;
        const bool failed = std::any_of(record.findings.begin(), record.findings.end(),
                                        [](const Finding& f) { return f.verdict == Verdict::fail; });
        add(&planned, std::move(record), job.point);
        if (flow != Flow::go || !failed || !options_.ask_at_failure) return flow;
        const auto reply =
            listener_.ask({Request::Kind::failure, job.test->name, out.label + " has failed", true});
        if (reply != RunListener::Reply::redo) return interrupted(reply);
    }
}

void Conductor::add(const PlannedTest* planned, PointRecord record, const Point* point) {
    const std::uint64_t id = id_of(record);
    record.attempt = measured_.next_attempt(id);
    if (record.kind == PointKind::check) {
        measured_.set_aside(record);
    } else {
        measured_.put(record);
    }
    note_clock(record);
    tally_.add(record, watches_.take_samples());
    settle(record);
    flush_watches();
    last_ended_ = record.ended;
    PointRecord shown = record;
    if (record.standing == Standing::voided) withdraw(shown);
    for (auto& stability : stabilities_) {
        // What was not measured has not drifted.
        if (!point || !stability.covers(record.test) || !planned->instrument) continue;
        stability.vouch({planned, *point, record.position, record.kind == PointKind::trial});
    }
    listener_.point_done(shown, pace_.progress());
}

}  // namespace rt::lab
