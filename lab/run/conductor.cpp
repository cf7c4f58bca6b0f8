#include "lab/run/conductor.hpp"

#include <algorithm>

#include "core/base/error.hpp"
#include "core/base/text.hpp"
#include "lab/clock.hpp"
#include "lab/run/hand_keys.hpp"

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
      pace_(plan),
      grounds_(plan, measured_, calibrations_, folder, options.unit),
      found_(
          plan, measured_, folder, tally, bench,
          [this](const std::string& kind, const std::string& text) { maker_.note(kind, text); },
          [this](const Test& test, const std::string& text) {
              auto reply = listener_.read({Request::Kind::choice, test.name, text, false});
              if (reply == "stop") throw Interruption{RunListener::Reply::stop};
              if (reply == "skip") throw Interruption{RunListener::Reply::skip};
              return reply;
          }) {
    for (const auto& recheck : plan.campaign->rechecks) stabilities_.emplace_back(recheck);
}

void Conductor::know(const RunRecord& earlier) {
    found_.know(earlier);
    // Points since the last check, by recheck.
    std::map<std::string, std::vector<Earlier>> open;
    tally_.each_point([&](PointRecord&& record) { know(record, open); });
    for (const auto& calibration : earlier.calibrations) calibrations_.know(calibration);
    // A calibration whose test is measured again is made again.
    for (const auto& planned : plan_.tests) {
        const bool whole = std::all_of(planned.points.begin(), planned.points.end(),
                                       [&](const Point& point) { return done(point); });
        if (!planned.test->provides.empty() && !whole) calibrations_.forget(planned.test->provides);
    }
    for (auto& stability : stabilities_) {
        const auto& name = stability.recheck().test.name;
        const auto reference = earlier.head.references.find(name);
        if (reference != earlier.head.references.end())
            stability.set_reference(to_double(reference->second).value());
        for (const auto& record : open[name]) {
            const PlannedTest* planned = plan_.find(record.test);
            if (!planned) continue;
            // Those whose values are found only when their turn comes are measured again then.
            if (record.trial || planned->test->found) {
                Point trial;
                trial.id = record.id;
                stability.vouch({planned, trial, record.position, true});
                continue;
            }
            for (const auto& point : planned->points) {
                if (point.id == record.id) stability.vouch({planned, point, record.position});
            }
        }
    }
}

void Conductor::know(const PointRecord& record, std::map<std::string, std::vector<Earlier>>& open) {
    position_ = std::max(position_, record.position);
    if (record.standing == Standing::superseded) {
        measured_.set_aside(record);
        return;
    }
    last_ended_ = record.ended;
    if (record.kind == PointKind::check) {
        measured_.set_aside(record);
        open[record.test].clear();
        return;
    }
    // What a recheck has doubted was to be measured again: the run ended before it came to that.
    if (record.standing == Standing::voided && record.attempt == 1 &&
        record.standing_cause == Cause::recheck) {
        measured_.set_aside(record);
        return;
    }
    // So does one whose input, or limit, from another test has been measured again, or counts no more.
    if (!grounds_.stand(record)) {
        measured_.set_aside(record);
        return;
    }
    measured_.put(record);
    owed_.settle(record);
    for (auto& stability : stabilities_) {
        if (stability.covers(record.test))
            open[stability.recheck().test.name].push_back(
                {record.test, record.kind == PointKind::trial, id_of(record), record.position});
    }
    const PlannedTest* planned = plan_.find(record.test);
    if (planned && !made_of_trials(record.kind)) pace_.known(*planned);
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
    if (end_.state == RunEnd::State::complete) {
        if (const std::string missing = owed_.missing(); !missing.empty()) {
            end_.state = RunEnd::State::stopped;
            maker_.note("without finding", missing);
        }
    }
    leave_probes();
    watches_.close_events();
    flush_watches();
    end_.counts = tally_.counts();
    return end_;
}

// Nothing stays biased or under the needles when nobody looks any more.
void Conductor::leave_probes() {
    const auto speaking = bench_.speaking();
    for (const auto& role : speaking) {
        const Instrument& instrument = *plan_.bench->find(role);
        const bool bias = instrument.is("source-measure"), stage = instrument.is("wafer-stage");
        if (!bias && !stage) continue;
        try {
            bench_.role(role).set(bias ? "output" : "contact", bias ? "OFF" : "UP");
        } catch (const Error& error) {
            if (error.kind() != ErrorKind::bench) throw;
            maker_.note("left on", "the " + role + " could not be " + (bias ? "switched off" : "lifted") +
                                       ": " + error.what());
        }
    }
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
    const std::size_t before = position_;
    if (planned.test->found) {
        flow = run_derived(planned);
    } else if (planned.test->repeats_whole()) {
        flow = run_duration(planned);
    } else {
        flow = run_points(planned, planned.points, stretch.points, false);
    }
    if (flow == Flow::go && stretch.last) finish_test(planned);
    // Of a run that is carried on, what was asked then is not asked again.
    if (flow == Flow::go && stretch.last && position_ > before) flow = ask_after(planned);
    return flow;
}

// What a test has come to is shown; the operator lets it stand or has all of it measured again.
Conductor::Flow Conductor::ask_after(const PlannedTest& planned) {
    const Test& test = *planned.test;
    if (test.prompt_after.empty()) return Flow::go;
    const bool may_redo = !test.found && !test.repeats_whole() && !test.concludes;
    for (;;) {
        const auto reply =
            listener_.ask({Request::Kind::after, after_name(test), test.prompt_after, may_redo});
        maker_.note("after", test.name + ": " + test.prompt_after + " (" +
                                 (reply == RunListener::Reply::redo   ? "measured again"
                                  : reply == RunListener::Reply::stop ? "run stopped"
                                                                      : "stands") +
                                 ")");
        if (reply == RunListener::Reply::skip) return Flow::go;
        if (reply != RunListener::Reply::redo) return interrupted(reply);
        std::vector<std::size_t> all(planned.points.size());
        for (std::size_t i = 0; i < all.size(); ++i) all[i] = i;
        const Flow flow = run_points(planned, planned.points, all, true);
        if (flow != Flow::go) return flow;
        calibrations_.forget(test.provides);
        finish_test(planned);
    }
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
        // What the others had the operator connect is no longer in place.
        prepared_ = {&planned};
        Request request{Request::Kind::prompt, test.name, test.prompt, false};
        if (maker_.can_look(planned)) request.look = [&] { return look(planned); };
        const auto reply = listener_.ask(request);
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
    if (!test.hand_keys.empty() && listener_.somebody() && !planned.points.empty()) step_by_hand(planned);
    return Flow::go;
}

// The signal of its first point, stepped by single keys until somebody has seen enough. Each step is an
// event.
void Conductor::step_by_hand(const PlannedTest& planned) {
    const Test& test = *planned.test;
    const PointJob job = grounds_.job_of(planned, test.sweep, planned.points.front(), PointKind::point);
    HandKeys keys(test.hand_keys, test.settings);
    maker_.set_up_with(job, {});
    while (const auto pressed = listener_.key(test.name, keys.text())) {
        const auto step = keys.press(*pressed);
        if (!step) continue;
        maker_.set_up_with(job, keys.changed());
        maker_.note("by hand", test.name + ": " + step->first + " " + step->second);
    }
}

Outcome Conductor::look(const PlannedTest& planned) {
    return maker_.look(
        grounds_.job_of(planned, planned.test->sweep, planned.points.front(), PointKind::point));
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
    if (const auto reply = listener_.ending(); reply != RunListener::Reply::go) return interrupted(reply);
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
        if (!planned.test->maximise) owed_.owe(*planned.test, planned.test->sweep, points[i]);
        if (!again && done(points[i])) continue;
        const Flow flow = visit(planned, planned.test->sweep, points[i]);
        if (flow != Flow::go) return flow;
    }
    return Flow::go;
}

// Turns of the whole sweep until the time has passed, or until somebody ends the test (one turn where nobody
// is there); what earlier parts of the run needed counts.
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
            if (turn > 1 && (test.until_stopped ? !listener_.somebody() : passed >= *test.duration_s))
                return Flow::go;
            Flow flow = before_point(planned);  // what the operator needs for it is no part of the time
            const Stopwatch start;
            if (flow == Flow::go) flow = one(planned, sweep, point);
            // That is how it is meant to end, once it was measured whole.
            if (flow == Flow::skip_test && test.until_stopped && turn > 1) return Flow::go;
            if (flow != Flow::go) return flow;
            passed += start.seconds();
        }
    }
}

Conductor::Flow Conductor::visit(const PlannedTest& planned, const Sweep& sweep, const Point& point) {
    const Flow flow = before_point(planned);
    return flow == Flow::go ? one(planned, sweep, point) : flow;
}

Conductor::Flow Conductor::one(const PlannedTest& planned, const Sweep& sweep, const Point& point) {
    if (planned.test->search) return search(planned, point);
    if (planned.test->adjust) return adjust(planned, point);
    if (planned.test->maximise) return maximum(planned, sweep, point);
    PointRecord record;
    return measure(planned, grounds_.job_of(planned, sweep, point, PointKind::point), record);
}

Conductor::Flow Conductor::measure(const PlannedTest& planned, const PointJob& job, PointRecord& out) {
    for (;;) {
        pace_.begin();
        PointRecord record;
        listener_.measuring(job.test->name, label(*job.sweep, *job.point), pace_.progress());
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
        add(&planned, std::move(record), job.point, job.sweep);
        if (flow != Flow::go || !failed || !options_.ask_at_failure) return flow;
        const auto reply =
            listener_.ask({Request::Kind::failure, job.test->name, out.label + " has failed", true});
        if (reply != RunListener::Reply::redo) return interrupted(reply);
    }
}

void Conductor::add(const PlannedTest* planned, PointRecord record, const Point* point, const Sweep* sweep) {
    const std::uint64_t id = id_of(record);
    record.attempt = measured_.next_attempt(id);
    if (record.kind == PointKind::check) {
        measured_.set_aside(record);
    } else {
        measured_.put(record);
    }
    note_clock(record);
    tally_.add(record, watches_.take_samples());
    owed_.settle(record);
    flush_watches();
    last_ended_ = record.ended;
    PointRecord shown = record;
    if (record.standing == Standing::voided) withdraw(shown);
    for (auto& stability : stabilities_) {
        // What was not measured has not drifted.
        if (!point || !stability.covers(record.test) || !planned->instrument) continue;
        Vouched vouched{planned, *point, record.position, record.kind == PointKind::trial};
        const Test& test = *planned->test;
        // Most points are those of their test's sweep: that is not copied for each.
        if (sweep && !vouched.trial && (test.found || test.maximise || test.repeats_whole()))
            vouched.sweep = std::make_shared<const Sweep>(*sweep);
        stability.vouch(std::move(vouched));
    }
    listener_.point_done(shown, pace_.progress());
}

}  // namespace rt::lab
