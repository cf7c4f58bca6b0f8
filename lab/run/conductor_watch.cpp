// What a conductor does when something is not as it should be: watches, rechecks, clocks, points that no
// longer count.
#include <algorithm>

#include "core/base/text.hpp"
#include "lab/clock.hpp"
#include "lab/run/conductor.hpp"

namespace rt::lab {

void Conductor::note_clock(const PointRecord& record) {
    const double step = seconds_between(last_ended_, record.started);
    if (last_ended_.empty() || step > -1) return;
    maker_.note("clock", "the clock was set back by " + format({-step, Unit::second}) + " before point " +
                             std::to_string(record.position));
}

void Conductor::flush_watches() {
    for (const auto& event : watches_.take_events()) {
        tally_.add(event);
        listener_.event(event);
    }
    tally_.add(watches_.take_samples());
}

Conductor::Flow Conductor::heed_watches(PointRecord& record, bool& again) {
    const auto seen = watches_.take_worst();
    if (!seen) return Flow::go;
    switch (seen->watch->action) {
        case Watch::Action::note:
            record.notes.push_back("while it was measured: " + seen->text);
            return Flow::go;
        case Watch::Action::drop:
        case Watch::Action::stop:
            record.standing = Standing::voided;
            record.standing_cause = Cause::watch;
            record.standing_reason = seen->text;
            if (seen->watch->action == Watch::Action::drop) return Flow::go;
            maker_.note("watch", seen->text + ": the run stops");
            return Flow::stop;
        case Watch::Action::pause:
            break;
    }
    again = true;
    return wait_for_watches(*seen);
}

Conductor::Flow Conductor::wait_for_watches(const WatchKeeper::Seen& seen) {
    maker_.note("pause", seen.text + ": waiting until it is in order again");
    const Deadline deadline(seen.watch->longest_pause_s);
    while (!watches_.all_inside()) {
        if (const auto reply = listener_.ending(); reply != RunListener::Reply::go) return interrupted(reply);
        if (deadline.passed()) {
            maker_.note("watch", seen.text + ": still outside after " +
                                     format({seen.watch->longest_pause_s, Unit::second}) + ": the run stops");
            return Flow::stop;
        }
        clock().sleep(std::min(seen.watch->every_s, 0.2));
        watches_.look();
    }
    watches_.take_worst();
    return Flow::go;
}

Conductor::Flow Conductor::check(Stability& stability) {
    const Test& test = stability.recheck().test;
    Point point;
    point.id = point_id(test.name, test.sweep, point);
    PointRecord record;
    try {
        PointJob job{&test, plan_.bench->find(test.instrument), &test.sweep, &point, PointKind::check, {}};
        job.given = given_inputs(plan_, measured_, folder_, test, test.sweep, point);
        record = maker_.make(job, ++position_, watches_);
    } catch (const Interruption& interruption) {
        return interrupted(interruption.reply);
    }
    const auto reason = stability.put(record);
    if (stability.reference()) tally_.set_fact("recheck." + test.name, exact(*stability.reference()));
    add(nullptr, std::move(record), nullptr);
    return reason ? recover(stability, *reason) : Flow::go;
}

// Points since the last good check lose their verdicts; their calibrations are made again, the check gets a
// new reference, and they are measured once more. What then fails the check again stays without verdict.
Conductor::Flow Conductor::recover(Stability& stability, const std::string& reason) {
    const std::vector<Vouched> doubtful = stability.take();
    std::vector<std::size_t> positions;
    for (const auto& vouched : doubtful) {
        positions.push_back(vouched.position);
        measured_.forget(vouched.planned->test->name, vouched.point.id);
    }
    if (!positions.empty()) tally_.void_points(positions, Cause::recheck, reason);
    maker_.note("drift",
                reason + "; " + std::to_string(positions.size()) +
                    (positions.size() == 1 ? " point loses its verdict" : " points lose their verdict") +
                    (recovering_ ? "" : " and will be measured again"));
    if (recovering_) return Flow::go;
    recovering_ = true;
    Flow flow = Flow::go;
    std::set<std::string> remade;
    for (const auto& vouched : doubtful) {
        for (const auto& need : vouched.planned->test->needs) {
            const PlannedTest* provider = plan_.provider(need);
            if (flow == Flow::go && provider && remade.insert(need).second)
                flow = make_calibration(*provider);
        }
    }
    stability.forget();
    if (flow == Flow::go) flow = check(stability);
    for (const auto& vouched : doubtful) {
        if (flow != Flow::go) break;
        if (vouched.trial) continue;
        flow = visit_again(vouched);
    }
    if (flow == Flow::go) flow = check(stability);
    recovering_ = false;
    return flow;
}

// A point with the values that it had, without what a search over places has added.
Conductor::Flow Conductor::visit_again(const Vouched& vouched) {
    const Test& test = *vouched.planned->test;
    if (!vouched.sweep) return visit(*vouched.planned, test.sweep, vouched.point);
    Sweep sweep = *vouched.sweep;
    Point point = vouched.point;
    sweep.axes.resize(test.sweep.axes.size());
    point.settings.resize(sweep.axes.size());
    point.id = point_id(test.name, sweep, point);
    return visit(*vouched.planned, sweep, point);
}

// What rests on results or captures that were measured again, or lost their verdict, since: conclusions are
// drawn anew; points that were measured with such an input lose their verdict.
Conductor::Flow Conductor::renew() {
    for (const auto& planned : plan_.tests) {
        const bool looks_up = !planned.test->limits_from().empty() || !planned.test->settings_from().empty();
        if ((planned.test->sources.empty() && !looks_up) || skipped_.contains(&planned)) continue;
        std::vector<std::size_t> doubtful;
        if (!planned.test->concludes) {
            for (const PointRecord* kept : measured_.of(planned.test->name)) {
                const bool counts = kept->standing == Standing::valid && kept->kind != PointKind::trial &&
                                    kept->kind != PointKind::check;
                if (counts && !grounds_.stand(*kept)) doubtful.push_back(kept->position);
            }
        } else {
            Sweep sweep = planned.test->sweep;
            if (planned.test->found) sweep.axes.back().values = found_.of(*planned.test);
            const bool any = !planned.test->found || !sweep.axes.back().values.empty();
            for (const auto& point : any ? expand(planned.test->name, sweep) : std::vector<Point>{}) {
                const PointRecord* kept = measured_.find(planned.test->name, point.id);
                if (!kept || grounds_.conclusion_stands(planned, sweep, point, *kept)) continue;
                const Flow flow = one(planned, sweep, point);
                if (flow != Flow::go) return flow;
            }
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

}  // namespace rt::lab
