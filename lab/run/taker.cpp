#include "lab/run/taker.hpp"

#include <fmt/core.h>

#include <algorithm>

#include "core/base/error.hpp"
#include "core/base/text.hpp"
#include "core/correct/by_kind.hpp"
#include "lab/captures/acquire.hpp"
#include "lab/captures/capture_file.hpp"
#include "lab/captures/kind.hpp"
#include "lab/clock.hpp"
#include "lab/run/switching.hpp"
#include "lab/session/abort.hpp"

namespace rt::lab {

Taker::Taker(const Plan& plan, BenchConnection& bench, Calibrations& calibrations, RunListener& listener,
             Tally& tally)
    : tally_(tally),
      bench_(bench),
      calibrations_(calibrations),
      listener_(listener),
      setter_(
          bench,
          [this](const std::string& text) {
              const auto reply = listener_.ask({Request::Kind::by_hand, "unit", text, false});
              if (reply != RunListener::Reply::go) throw Interruption{reply};
          },
          [this](const std::string& role, double hz) {
              if (makes_path(role)) return 0.0;  // a level that measures the path counts before it
              const SignalPath path = calibrations_.path(role);
              // What cannot be relied on keeps its points from a verdict; the level stays as it is.
              return path.parts.empty() || !path.invalid().empty() ? 0.0 : path.loss_db(hz);
          }),
      recorded_(plan),
      soaks_(bench, listener) {}

void Taker::note(const std::string& kind, const std::string& text) {
    const EventRecord event{utc_now(), kind, text};
    tally_.add(event);
    listener_.event(event);
}

bool Taker::makes_path(const std::string& role) const {
    const BenchPath* path = bench_.bench().find_path(role);
    if (!path || !now_ || now_->provides.empty()) return false;
    return std::any_of(path->entries.begin(), path->entries.end(),
                       [&](const PathEntry& entry) { return entry.calibration == now_->provides; });
}

void Taker::ask(const std::string& test, const std::string& text) {
    const auto reply = listener_.ask({Request::Kind::prompt, test, text, false});
    note("prompt", test + ": " + text);
    if (reply != RunListener::Reply::go) throw Interruption{reply};
}

void Taker::prompt_axes(const PointJob& job) {
    for (std::size_t i = 0; i < job.sweep->axes.size(); ++i) {
        const Axis& axis = job.sweep->axes[i];
        const std::string& value = job.point->value(*job.sweep, i).text;
        if (axis.prompt.empty() || prompted_[axis.name] == value) continue;
        std::string text = axis.prompt;
        if (const auto hole = text.find("{value}"); hole != std::string::npos) text.replace(hole, 7, value);
        const auto reply = listener_.ask({Request::Kind::axis, job.test->name, text, false});
        note("prompt", job.test->name + ": " + text);
        if (reply != RunListener::Reply::go) throw Interruption{reply};
        prompted_[axis.name] = value;
    }
}

Capture Taker::recorded(const PointJob& job, const Instrument& instrument, const Parameters& parameters) {
    CaptureHints hints;
    if (instrument.layout) hints.layout = &*instrument.layout;
    Capture capture = read_capture(recorded_.find(instrument, *job.test, *job.sweep, *job.point), hints);
    // What the bench and the campaign state counts where the file says nothing.
    kind_of(capture).state(capture, instrument.impedance_ohm);
    complete(capture, parameters);
    return capture;
}

// Captures until the signal is the one expected, or somebody says that this one is to be taken.
bool Taker::looked_at(const PointJob& job, std::string& doubt) {
    const Request request{Request::Kind::look, look_name(*job.test), job.test->look + ": in order?", true};
    const auto reply = listener_.ask(request);
    const bool person = listener_.answered_by_person(request);
    for (const auto& instrument : bench_.bench().instruments) {
        if (!instrument.is("wafer-stage") || !bench_.speaks(instrument.role)) continue;
        if (auto picture = bench_.role(instrument.role).picture(); !picture.empty())
            looks_.push_back(std::move(picture));
    }
    note("looked at", job.test->name + ", " + label(*job.sweep, *job.point) + ": " + job.test->look + ": " +
                          (!person                             ? "nobody was there to look"
                           : reply == RunListener::Reply::redo ? "not yet, once more"
                           : reply == RunListener::Reply::go   ? "in order"
                                                               : "not in order"));
    if (reply == RunListener::Reply::skip || reply == RunListener::Reply::stop) throw Interruption{reply};
    if (!person) doubt = "nobody has looked whether it is in order: " + job.test->look;
    return reply == RunListener::Reply::redo;
}

void Taker::set_up_again(const PointJob& job, const Take* take) {
    setter_.forget("unit");
    // A contact that was not made may be made by another touch-down.
    for (const auto& instrument : bench_.bench().instruments) {
        if (instrument.is("wafer-stage")) setter_.forget(instrument.role);
    }
    set_up(job, take);
}

// A person reads the indicator and types it; what is no reading is asked for again.
Capture Taker::read_by_hand(const PointJob& job, const Instrument& instrument) {
    std::string text = "read the " + instrument.role + " at " + label(*job.sweep, *job.point) +
                       ": deviation, with flag behind it while the flag is shown";
    for (;;) {
        const auto typed = listener_.read({Request::Kind::reading, job.test->name, text, false});
        if (!typed) {
            Indication nothing;
            nothing.readings.emplace_back();
            nothing.distrust = "nobody was there to read the " + instrument.role;
            return nothing;
        }
        if (*typed == "stop") throw Interruption{RunListener::Reply::stop};
        if (*typed == "skip") throw Interruption{RunListener::Reply::skip};
        try {
            Indication out = typed_indication(*typed);
            note("reading", job.test->name + ", " + label(*job.sweep, *job.point) + ": " + *typed);
            return out;
        } catch (const Error& error) {
            text = error.message();
        }
    }
}

// The record of an instrument, with what is switched while it runs; that goes back to what the test sets.
Capture Taker::acquired(const PointJob& job, const Wanted& wanted, std::string& doubt) {
    const auto& steps = job.test->during;
    const std::string& recorder = wanted.instrument->role;
    InstrumentRole& role = bench_.role(recorder);
    if (steps.empty()) return kind_of(wanted.setup).acquire(role, wanted.setup);
    for (const auto& other : Switching::roles_of(steps)) {
        bench_.role(other);  // there, or Error(bench)
        setter_.forget(other);
    }
    bench_.use(recorder);
    Switching switching(steps, bench_);
    Capture capture = kind_of(wanted.setup).acquire(role, wanted.setup);
    std::string why = switching.finish();
    std::vector<std::pair<SettingTarget, std::string>> back;
    for (const auto& [name, value] : job.test->settings) {
        const bool switched = std::any_of(steps.begin(), steps.end(), [&](const During& step) {
            return std::any_of(step.settings.begin(), step.settings.end(),
                               [&](const auto& pair) { return pair.first == name; });
        });
        if (switched) back.emplace_back(*setting_target(name, ""), value);
    }
    setter_.apply(std::move(back));
    for (const auto& step : steps) {
        for (const auto& [name, value] : step.settings)
            note("switched", fmt::format("{}: {} {}, {} after the record was begun", job.test->name, name,
                                         value, format({step.after_s, Unit::second})));
    }
    if (doubt.empty()) doubt = why;
    bench_.use(recorder);
    return capture;
}

Capture Taker::capture(const PointJob& job, const Wanted& wanted, const Parameters& parameters,
                       std::string& doubt) {
    for (int tries = 0;; ++tries) {
        Capture capture = wanted.instrument->recorded() ? recorded(job, *wanted.instrument, parameters)
                          : wanted.instrument->place.kind == Address::Kind::by_hand
                              ? read_by_hand(job, *wanted.instrument)
                              : acquired(job, wanted, doubt);
        if (kind_of(wanted.setup).moves_settings()) setter_.forget(wanted.instrument->role);
        if (const char* ended = kind_of(wanted.setup).ends_setting())
            setter_.forget(wanted.instrument->role, ended);
        if (wanted.first && !job.test->look.empty() && looked_at(job, doubt)) {
            set_up_again(job, wanted.take);
            continue;
        }
        if (!wanted.first || !job.test->procedure->check || distrust(capture)) return capture;
        const auto unexpected = job.test->procedure->check(capture, parameters);
        if (!unexpected) return capture;
        note("unexpected signal",
             job.test->name + ", " + label(*job.sweep, *job.point) + ": " + unexpected->text());
        if (wanted.instrument->recorded()) return capture;
        const auto reply = listener_.ask(
            {Request::Kind::unexpected, job.test->name, unexpected->text(), tries < job.test->redo});
        if (reply == RunListener::Reply::skip || reply == RunListener::Reply::stop) throw Interruption{reply};
        if (reply == RunListener::Reply::go) return capture;
        set_up_again(job, wanted.take);
    }
}

void Taker::restarted(const std::string& role) {
    const Instrument& instrument = *bench_.bench().find(role);
    note("restart", "the " + role + " was switched on anew: what it was set to is lost and set again");
    forget(role);
    if (instrument.zero) {
        bench_.role(role).zero();
        note("zero", role + " zeroed and calibrated again");
    }
}

void Taker::connect_anew(const std::string& role, WatchKeeper& watches) {
    {
        const auto hold = watches.hold();
        bench_.reconnect(role);
    }
    forget(role);
    const Instrument& instrument = *bench_.bench().find(role);
    if (instrument.zero && bench_.speaks(role)) bench_.role(role).zero();
}

bool Taker::look_for_restarts() {
    bool any = false;
    const std::string in_use = bench_.in_use();
    for (const auto& role : bench_.speaking()) {
        if (!bench_.role(role).switched_on()) continue;
        bench_.role(role).prepare();
        restarted(role);
        any = true;
    }
    bench_.use(in_use);
    return any;
}

// After a capture: every instrument still answers what it is asked, and says nothing against itself. A unit
// that has lost its power by intent is not asked.
std::string Taker::vouch() {
    const std::string in_use = bench_.in_use();
    std::string doubt;
    for (const auto& role : bench_.speaking()) {
        InstrumentRole& instrument = bench_.role(role);
        if (role != "unit") instrument.session().require_in_step();
        if (doubt.empty()) doubt = instrument.distrust();
        if (auto changed = instrument.still_set(); !changed.empty()) {
            setter_.forget(role);  // set anew for the next point
            if (doubt.empty()) doubt = changed + "; somebody has changed it meanwhile";
        }
    }
    bench_.use(in_use);
    return doubt;
}

// What it was doing is ended, and nothing of what it still says is taken for an answer: it is connected anew.
void Taker::abort(WatchKeeper& watches) {
    const std::string role = bench_.in_use();
    note("aborted", "the operator ended what the " + role + " was doing; the point is not kept");
    if (!bench_.speaks(role)) return;
    try {
        auto& session = bench_.role(role).session();
        if (session.knows("abort")) session.send("abort");
        connect_anew(role, watches);
    } catch (const Error& error) {
        if (error.kind() != ErrorKind::bench) throw;
        note("aborted", "the " + role + " has not answered since: " + error.what());
    }
}

Capture Taker::look(const PointJob& job, const CaptureSetup& setup) {
    set_up(job, nullptr);
    const std::string& role = job.instrument->role;
    Capture capture = kind_of(setup).acquire(bench_.role(role), setup);
    correct(role, capture);
    return capture;
}

Capture Taker::take(const PointJob& job, const Wanted& wanted, const Parameters& parameters,
                    WatchKeeper& watches, std::string& doubt) {
    const Abortable may_be_aborted;
    std::map<std::string, int> tried;
    std::string failed;  // role to be connected anew
    int restarts = 0, times_lost = 0;
    for (;;) {
        std::optional<Capture> taken;
        try {
            if (!failed.empty()) {
                if (failed == "unit" && !job.test->power_cycle.empty()) {
                    const auto hold = watches.hold();
                    power_cycle(*job.test);
                }
                connect_anew(failed, watches);
                failed.clear();
            }
            for (const auto& role : watches.take_lost()) {
                bench_.use(role);
                note("retry", "the " + role + " gave a watch no answer in time; connected anew");
                connect_anew(role, watches);
            }
            look_for_restarts();
            set_up(job, wanted.take);
            const bool linked = associate(job, wanted.take);
            if (const auto waited = soaks_.wait(*job.sweep, *job.point); !waited.empty())
                note("soak", waited);
            watches.look();
            std::string unseen;
            taken = capture(job, wanted, parameters, unseen);
            watches.look();
            // What restarted meanwhile was not in the state that this was taken in.
            if (look_for_restarts()) {
                constexpr int most_restarts = 3;
                if (++restarts < most_restarts) continue;
                fail_bench("instruments restart again and again in the middle of a point");
            }
            doubt = unseen.empty() ? setter_.doubt() : unseen;
            if (const Association* link = lost(*job.test); link || !linked) {
                constexpr int most_lost = 3;
                if (linked && ++times_lost < most_lost) {
                    note("association",
                         fmt::format("{}, {}: {} was lost while it was measured; once more", job.test->name,
                                     label(*job.sweep, *job.point), link->asks));
                    continue;
                }
                if (doubt.empty())
                    doubt = linked ? link->asks + " was lost while it was measured, again and again"
                                   : "a link that it needs did not come up, or does not hold here";
            }
            if (doubt.empty()) doubt = vouch();
            return std::move(*taken);
        } catch (const Aborted&) {
            abort(watches);
            throw Interruption{RunListener::Reply::stop};
        } catch (const Error& error) {
            if (error.kind() != ErrorKind::bench) throw;
            failed = bench_.in_use();
            const Instrument* instrument = bench_.bench().find(failed);
            if (instrument && tried[failed]++ < instrument->retries) {
                note("retry", fmt::format("{}; connected anew, attempt {} of {}", error.what(),
                                          tried[failed] + 1, instrument->retries + 1));
                continue;
            }
            if (!taken) throw;
            // The capture is there, what should have vouched for it is not.
            doubt = "a watch could not be read after the capture: " + std::string(error.what());
            return std::move(*taken);
        }
    }
}

std::string Taker::correct(const std::string& role, Capture& capture) {
    const SignalPath path = calibrations_.path(role);
    if (corrected(capture)) return {};
    if (auto trouble = path.invalid(); !trouble.empty()) return trouble;
    if (auto why = path_refusal(capture, path); !why.empty()) return "the path to the " + role + ": " + why;
    rt::correct(capture, path);
    return {};
}

// What is asked for at a point, in order: each input that is not given, by its own take where it has one.
std::vector<Taker::Wanted> Taker::wanted_of(const PointJob& job, const Parameters& parameters,
                                            const CaptureSetup& setup) const {
    const Test& test = *job.test;
    std::vector<Wanted> out;
    if (!test.measures()) return out;
    const auto instrument_of = [&](const Take* take) {
        return take && !take->instrument.empty() ? bench_.bench().find(take->instrument) : job.instrument;
    };
    if (test.takes.empty() && test.sources.empty() && test.files.empty()) {
        out.push_back({"", nullptr, job.instrument, setup, true});
        return out;
    }
    const auto& inputs = test.procedure->inputs;
    for (const auto& take : test.takes) {
        const auto info = std::find_if(inputs.begin(), inputs.end(),
                                       [&](const InputInfo& i) { return i.named(take.input); });
        out.push_back({take.input, &take, instrument_of(&take), info->setup ? info->setup(parameters) : setup,
                       info == inputs.begin()});
    }
    const char* first = inputs.front().name;
    if (!test.take_of(first) && !test.given(first))
        out.insert(out.begin(), {first, nullptr, job.instrument, setup, true});
    return out;
}

std::vector<Taken> Taker::take_all(const PointJob& job, const Parameters& parameters,
                                   const CaptureSetup& setup, WatchKeeper& watches, std::string& doubt) {
    now_ = job.test;
    prompt_axes(job);
    std::vector<Taken> out;
    for (const Wanted& wanted : wanted_of(job, parameters, setup)) {
        if (wanted.take && !wanted.take->prompt.empty()) ask(job.test->name, wanted.take->prompt);
        std::string why;
        Capture capture = take(job, wanted, parameters, watches, why);
        std::string refused = correct(wanted.instrument->role, capture);
        const std::string before = wanted.input.empty() ? "" : wanted.input + ": ";
        for (const auto* text : {&refused, &why}) {
            if (!text->empty()) doubt = before + *text;
        }
        out.push_back({wanted.input, std::move(capture)});
    }
    return out;
}

}  // namespace rt::lab
