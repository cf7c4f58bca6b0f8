#include "lab/run/point_maker.hpp"

#include <algorithm>
#include <chrono>
#include <thread>

#include "core/base/error.hpp"
#include "core/base/text.hpp"
#include "core/correct/by_kind.hpp"
#include "core/rules/judge.hpp"
#include "lab/captures/capture_file.hpp"
#include "lab/captures/kind.hpp"
#include "lab/clock.hpp"
#include "lab/formats/files.hpp"

namespace rt::lab {

PointRecord head_of(const PointJob& job, std::size_t position) {
    PointRecord record;
    record.id = job.point->id_text();
    record.position = position;
    record.kind = job.kind;
    record.parent = job.parent;
    record.test = job.test->name;
    record.label = label(*job.sweep, *job.point);
    record.started = utc_now();
    record.axes = axes_of(*job.sweep, *job.point);
    return record;
}

static void put_parameters(const Parameters& parameters, PointRecord& record) {
    record.parameters.assign(parameters.texts().begin(), parameters.texts().end());
    for (const auto& [name, text] : parameters.texts()) {
        if (!parameters.stated(name)) record.presets.insert(name);
    }
}

PointMaker::PointMaker(const Plan& plan, const std::filesystem::path& folder, Tally& tally,
                       BenchConnection& bench, Calibrations& calibrations, RunListener& listener)
    : folder_(folder),
      tally_(tally),
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
      recorded_(plan) {}

bool PointMaker::makes_path(const std::string& role) const {
    const BenchPath* path = bench_.bench().find_path(role);
    if (!path || !now_ || now_->provides.empty()) return false;
    return std::any_of(path->entries.begin(), path->entries.end(),
                       [&](const PathEntry& entry) { return entry.calibration == now_->provides; });
}

void PointMaker::note(const std::string& kind, const std::string& text) {
    const EventRecord event{utc_now(), kind, text};
    tally_.add(event);
    listener_.event(event);
}

void PointMaker::prompt_axes(const PointJob& job) {
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

void PointMaker::set_up(const PointJob& job) {
    std::vector<std::pair<SettingTarget, std::string>> wanted;
    const auto want = [&](const SettingTarget& target, const std::string& value) {
        for (auto& [known, text] : wanted) {
            if (known.role != target.role || known.setting != target.setting) continue;
            text = value;
            return;
        }
        wanted.emplace_back(target, value);
    };
    for (const auto& [name, value] : job.test->settings) want(*setting_target(name, ""), value);
    for (std::size_t i = 0; i < job.sweep->axes.size(); ++i) {
        const Axis& axis = job.sweep->axes[i];
        const AxisValue& value = job.point->value(*job.sweep, i);
        for (const auto& text : axis.sets) {
            const auto target = setting_target(text, axis.name);
            if (!target) continue;
            // A channel is a number for the unit and a frequency for everything else.
            const bool frequency = value.channel && target->role != "unit" && value.quantity;
            want(*target, frequency ? format_exact(*value.quantity) : value.text);
        }
    }
    setter_.apply(std::move(wanted));
    if (std::exchange(unit_known_, true) || !bench_.speaks("unit")) return;
    // A unit that had no power when the run began can say only now who it is.
    auto instruments = bench_.identified();
    for (auto& instrument : instruments) {
        if (instrument.role != "unit" || !instrument.identity.empty()) continue;
        instrument.identity = bench_.role("unit").identify();
        tally_.put_instruments({instrument});
        listener_.connected(instrument);
    }
}

void PointMaker::power_cycle(const Test& test) {
    const std::string& supply = test.power_cycle;
    std::vector<std::pair<SettingTarget, std::string>> wanted;
    for (const auto& [name, value] : test.settings) {
        const auto target = *setting_target(name, "");
        if (target.role == supply) wanted.emplace_back(target, value);
    }
    setter_.apply(std::move(wanted));
    const Instrument& instrument = *bench_.bench().find(supply);
    setter_.forget(supply);
    bench_.role(supply).set("output", "OFF");
    std::this_thread::sleep_for(std::chrono::duration<double>(instrument.off_time_s));
    bench_.role(supply).set("output", "ON");
    note("power", "the unit's supply was switched off for " + format({instrument.off_time_s, Unit::second}));
    if (!bench_.speaks("unit")) return;
    const auto deadline = std::chrono::steady_clock::now() +
                          std::chrono::duration<double>(bench_.bench().find("unit")->timeout_s);
    for (;;) {
        try {
            bench_.reconnect("unit");
            bench_.role("unit").identify();
            return;
        } catch (const Error& error) {
            if (std::chrono::steady_clock::now() >= deadline) throw;
            std::this_thread::sleep_for(std::chrono::milliseconds(20));
        }
    }
}

Capture PointMaker::recorded(const PointJob& job, const Parameters& parameters) {
    Capture capture = read_capture(recorded_.find(*job.instrument, *job.test, *job.sweep, *job.point));
    // What the bench and the campaign state counts where the file says nothing.
    kind_of(capture).state(capture, job.instrument->impedance_ohm);
    complete(capture, parameters);
    return capture;
}

// Captures until the signal is the one expected, or somebody says that this one is to be taken.
Capture PointMaker::capture(const PointJob& job, const Parameters& parameters, const CaptureSetup& setup) {
    for (int tries = 0;; ++tries) {
        Capture capture = job.instrument->recorded()
                              ? recorded(job, parameters)
                              : kind_of(setup).acquire(bench_.role(job.instrument->role), setup);
        if (!job.test->procedure->check || distrust(capture)) return capture;
        const auto unexpected = job.test->procedure->check(capture, parameters);
        if (!unexpected) return capture;
        note("unexpected signal",
             job.test->name + ", " + label(*job.sweep, *job.point) + ": " + unexpected->text());
        if (job.instrument->recorded()) return capture;
        const auto reply = listener_.ask(
            {Request::Kind::unexpected, job.test->name, unexpected->text(), tries < job.test->redo});
        if (reply == RunListener::Reply::skip || reply == RunListener::Reply::stop) throw Interruption{reply};
        if (reply == RunListener::Reply::go) return capture;
        setter_.forget("unit");
        set_up(job);
    }
}

void PointMaker::restarted(const std::string& role) {
    const Instrument& instrument = *bench_.bench().find(role);
    note("restart", "the " + role + " was switched on anew: what it was set to is lost and set again");
    setter_.forget(role);
    if (instrument.zero) {
        bench_.role(role).zero();
        note("zero", role + " zeroed and calibrated again");
    }
}

void PointMaker::connect_anew(const std::string& role, WatchKeeper& watches) {
    {
        const auto hold = watches.hold();
        bench_.reconnect(role);
    }
    setter_.forget(role);
    const Instrument& instrument = *bench_.bench().find(role);
    if (instrument.zero && bench_.speaks(role)) bench_.role(role).zero();
}

bool PointMaker::look_for_restarts() {
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

Capture PointMaker::take(const PointJob& job, const Parameters& parameters, const CaptureSetup& setup,
                         WatchKeeper& watches, std::string& doubt) {
    std::map<std::string, int> tried;
    std::string failed;  // role to be connected anew
    int restarts = 0;
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
            set_up(job);
            watches.look();
            taken = capture(job, parameters, setup);
            watches.look();
            // What restarted meanwhile was not in the state that this was taken in.
            if (look_for_restarts()) {
                constexpr int most_restarts = 3;
                if (++restarts < most_restarts) continue;
                fail_bench("instruments restart again and again in the middle of a point");
            }
            doubt = setter_.doubt();
            return std::move(*taken);
        } catch (const Error& error) {
            if (error.kind() != ErrorKind::bench) throw;
            failed = bench_.in_use();
            const Instrument* instrument = bench_.bench().find(failed);
            if (instrument && tried[failed]++ < instrument->retries) {
                note("retry", std::string(error.what()) + "; connected anew, attempt " +
                                  std::to_string(tried[failed] + 1) + " of " +
                                  std::to_string(instrument->retries + 1));
                continue;
            }
            if (!taken) throw;
            // The capture is there, what should have vouched for it is not.
            doubt = "a watch could not be read after the capture: " + std::string(error.what());
            return std::move(*taken);
        }
    }
}

std::string PointMaker::correct(const PointJob& job, Capture& capture) {
    const SignalPath path = calibrations_.path(job.instrument->role);
    if (corrected(capture)) return {};
    if (auto trouble = path.invalid(); !trouble.empty()) return trouble;
    if (auto why = path_refusal(capture, path); !why.empty())
        return "the path to the " + job.instrument->role + ": " + why;
    rt::correct(capture, path);
    return {};
}

PointRecord PointMaker::make(const PointJob& job, std::size_t position, WatchKeeper& watches) {
    PointRecord record = head_of(job, position);
    now_ = job.test;
    const Parameters parameters = job.test->parameters_at(*job.sweep, *job.point);
    put_parameters(parameters, record);
    const CaptureSetup setup = job.test->procedure->setup(parameters);
    prompt_axes(job);
    std::string doubt;
    Capture taken = take(job, parameters, setup, watches, doubt);
    std::string path_trouble = correct(job, taken);
    record.capture = keep(record, taken);
    Outcome outcome = measure(*job.test->procedure, std::move(taken), parameters);
    if (!path_trouble.empty()) invalidate(outcome, std::move(path_trouble));
    if (!doubt.empty()) invalidate(outcome, std::move(doubt));
    judge_all(job, parameters, std::move(outcome), record);
    attach_picture(job, record, watches);
    record.ended = utc_now();
    return record;
}

std::string PointMaker::file_name(const PointRecord& record, const std::string& ending) const {
    std::string number = std::to_string(record.position);
    number.insert(0, number.size() < 5 ? 5 - number.size() : 0, '0');
    // As patterns for recorded captures spell them: {test}-{label}.
    return "captures/" + number + "-" + file_part(record.test) + "-" + file_part(record.label) + ending;
}

CaptureRecord PointMaker::keep(const PointRecord& record, const Capture& capture) const {
    const auto written = write_capture(folder_ / file_name(record, ""), capture);
    return {written.file.lexically_relative(folder_).string(), kind_name(capture), sha256(written.content),
            written.content.size()};
}

CaptureRecord PointMaker::keep(const PointRecord& record, const std::string& table, const char* kind) const {
    const std::string file = file_name(record, ".csv");
    write_file(folder_ / file, table);
    return {file, kind, sha256(table), table.size()};
}

void PointMaker::judge_all(const PointJob& job, const Parameters& parameters, Outcome outcome,
                           PointRecord& record) {
    if (auto lapse = calibration_lapse(*job.instrument); !lapse.empty()) {
        invalidate(outcome, std::move(lapse));
    }
    // Sources set through a path that cannot be relied on have sent an unknown level.
    for (const auto& path : bench_.bench().paths) {
        const bool sets = std::any_of(job.test->settings.begin(), job.test->settings.end(),
                                      [&](const auto& s) { return s.first == path.role + ".level"; });
        const bool swept = std::any_of(job.sweep->axes.begin(), job.sweep->axes.end(), [&](const Axis& axis) {
            return std::find(axis.sets.begin(), axis.sets.end(), path.role + ".level") != axis.sets.end();
        });
        if ((!sets && !swept) || makes_path(path.role)) continue;
        auto trouble = calibrations_.path(path.role).invalid();
        if (!trouble.empty()) invalidate(outcome, std::move(trouble));
    }
    for (const auto& need : job.test->needs) {
        if (auto lapse = calibrations_.lapse(need); !lapse.empty()) invalidate(outcome, std::move(lapse));
    }
    for (const auto& judging : job.test->judgings) {
        if (!job.test->judges(judging, job.kind == PointKind::trial, record.axes)) continue;
        JudgeOptions options = judging.options;
        options.budgets = bench_.bench().budgets;
        record.findings.push_back(judge(judging.rule, outcome, parameters, options));
    }
    record.results = std::move(outcome.results);
    record.notes = std::move(outcome.notes);
    if (!outcome.invalid) return;
    record.invalid = *outcome.invalid;
    record.notes.push_back("not valid: " + *outcome.invalid);
}

// A picture of the instrument's screen beside a finding that failed.
void PointMaker::attach_picture(const PointJob& job, PointRecord& record, WatchKeeper& watches) {
    const bool failed = std::any_of(record.findings.begin(), record.findings.end(),
                                    [](const Finding& f) { return f.verdict == Verdict::fail; });
    if (!failed || !bench_.speaks(job.instrument->role)) return;
    try {
        const std::string picture = bench_.role(job.instrument->role).picture();
        if (picture.empty()) return;
        const std::string ending = picture.starts_with("BM")        ? ".bmp"
                                   : picture.starts_with("\x89PNG") ? ".png"
                                                                    : ".picture";
        const std::string file = file_name(record, "-screen" + ending);
        write_file(folder_ / file, picture);
        record.attachments.push_back({file, "picture", sha256(picture), picture.size()});
    } catch (const Error& error) {
        if (error.kind() != ErrorKind::bench) throw;
        // The finding stands without it.
        record.notes.push_back(std::string("no picture of the screen: ") + error.what());
        const auto hold = watches.hold();
        bench_.reconnect(job.instrument->role);
        setter_.forget(job.instrument->role);
    }
}

// On what a threshold rests that was found by bisection.
static std::string assumption_of(const ThresholdSearch& search) {
    const auto list = [](const std::vector<Quantity>& values) {
        std::string out;
        for (const auto& value : values) out += (out.empty() ? "" : ", ") + format(value);
        return out;
    };
    std::string out = "takes for granted that what holds at one value holds at every easier one";
    if (!search.confirmed().empty()) out += "; confirmed at " + list(search.confirmed());
    if (!search.refuted().empty())
        out += "; it does not hold at " + list(search.refuted()) + ", although it does at harder values";
    return out;
}

PointRecord PointMaker::conclude(const PointJob& job, std::size_t position, const ThresholdSearch& search,
                                 const std::vector<PointRecord>& trials) {
    const Search& what = *job.test->search;
    PointRecord record = head_of(job, position);
    const Parameters& parameters = job.test->parameters;
    put_parameters(parameters, record);
    std::string table = "trial," + what.axis + "," + what.result + ",holds,point\n";
    for (std::size_t i = 0; i < trials.size(); ++i) {
        const Result* result = trials[i].find_result(what.result);
        table += std::to_string(i + 1) + "," + trials[i].axes.back().second + "," +
                 (result ? exact(result->value.value) + " " + symbol(result->value.unit) : "") + "," +
                 (result ? (what.holds(result->value.value) ? "yes" : "no") : "") + "," +
                 std::to_string(trials[i].position) + "\n";
    }
    record.capture = keep(record, table, "trials");
    Outcome outcome;
    const auto threshold = search.threshold();
    outcome.stated = parameters.stated_names();
    if (search.invalid()) {
        outcome.invalid = "the trial at " + trials.back().axes.back().second + " has no " + what.result +
                          (trials.back().notes.empty() ? "" : " (" + trials.back().notes.back() + ")");
    } else if (!threshold) {
        outcome.invalid =
            "the criterion does not hold even at " + format(what.alive_at.value_or(what.holds_at)) +
            (what.alive_at ? ": nothing answers there either"
                           : ", the end of the search: give alive_at, a value at which it must hold");
    } else {
        outcome.results.push_back({what.gives, *threshold, {}});
        outcome.results.push_back({"trials", {static_cast<double>(trials.size()), Unit::count}, {}});
        if (search.beyond()) {
            outcome.notes.push_back("it still holds at " + format(what.fails_at) +
                                    ", the end of the search: the threshold lies beyond");
        }
        outcome.notes.push_back(assumption_of(search));
    }
    judge_all(job, parameters, std::move(outcome), record);
    record.ended = utc_now();
    return record;
}

}  // namespace rt::lab
