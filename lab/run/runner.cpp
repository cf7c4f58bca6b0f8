#include "lab/run/runner.hpp"

#include <algorithm>
#include <chrono>
#include <optional>
#include <set>

#include "core/base/error.hpp"
#include "core/base/text.hpp"
#include "lab/clock.hpp"
#include "lab/formats/files.hpp"
#include "lab/formats/spectrum_csv.hpp"
#include "lab/run/instruments.hpp"
#include "lab/run/kept_inputs.hpp"
#include "lab/tally/tally.hpp"
#include "lab/version.hpp"

namespace rt {
namespace {

RunRecord head_of(const Plan& plan, const Answers& answers) {
    const Campaign& campaign = *plan.campaign;
    RunRecord run;
    run.facts = {{"title", campaign.title},     {"customer", campaign.customer},
                 {"operator", campaign.person}, {"note", campaign.note},
                 {"bench", plan.bench->name},   {"version", version()},
                 {"started", utc_now()},        {"state", "running"}};
    for (const auto& [name, value] : campaign.unit) run.facts["unit." + name] = value;
    for (const auto& question : campaign.questions) {
        const auto answer = answers.find(question.name);
        if (answer == answers.end()) continue;
        run.facts["answer." + question.name] = answer->second;
        if (!question.sets.empty()) run.facts["unit." + question.sets] = answer->second;
    }
    for (const auto& [name, value] : campaign.environment) run.facts["environment." + name] = value;
    for (const auto& name : plan.only) run.facts["selection"] += name + "\n";
    for (const auto& planned : plan.tests) {
        const Test& t = *planned.test;
        run.tests.push_back(
            {t.name, t.title, t.procedure->name, t.instrument, t.note, planned.points.size()});
    }
    return run;
}

// Sends settings to the unit, and only those that differ from what it has.
class UnitSetter {
  public:
    explicit UnitSetter(BenchConnection& bench) : bench_(bench) {}

    void set(const std::string& name, const std::string& value) {
        const auto at = present_.find(name);
        if (at != present_.end() && at->second == value) return;
        bench_.unit().set(name, value);
        present_[name] = value;
    }

  private:
    BenchConnection& bench_;
    std::map<std::string, std::string> present_;
};

class Runner {
  public:
    Runner(const Plan& plan, const std::filesystem::path& folder, Tally& tally, BenchConnection& bench,
           RunListener& listener)
        : folder_(folder),
          tally_(tally),
          bench_(bench),
          listener_(listener),
          unit_(bench),
          total_(plan.points()),
          planned_left_(plan.seconds()) {}

    // Points that an earlier part of the run has measured.
    void skip(const RunRecord& earlier) {
        for (const auto& point : earlier.points) {
            measured_.insert(point.id);
            for (const auto& finding : point.findings) end_.counts.add(finding.verdict);
        }
    }

    RunEnd run(const Plan& plan) {
        std::size_t first = 1;  // position of a test's first point
        for (const auto& planned : plan.tests) {
            if (!run_test(planned, first)) break;
            first += planned.points.size();
        }
        return end_;
    }

  private:
    // False when the run is to end here.
    bool run_test(const PlannedTest& planned, std::size_t first) {
        bool prepared = false;
        for (std::size_t i = 0; i < planned.points.size(); ++i) {
            if (measured_.contains(planned.points[i].id_text())) {
                count_done(planned);
                continue;
            }
            if (listener_.stop()) {
                end_.state = RunEnd::State::stopped;
                return false;
            }
            if (!std::exchange(prepared, true)) {
                const auto reply = ask(*planned.test);
                if (reply != RunListener::Reply::go) {
                    end_.state = RunEnd::State::stopped;
                    return reply == RunListener::Reply::skip;
                }
                for (const auto& [name, value] : planned.test->unit_settings) unit_.set(name, value);
            }
            one_point(planned, planned.points[i], first + i);
        }
        return true;
    }

    RunListener::Reply ask(const Test& test) {
        if (test.prompt.empty()) return RunListener::Reply::go;
        const auto reply = listener_.prompt(test);
        const char* word = reply == RunListener::Reply::go     ? "done"
                           : reply == RunListener::Reply::skip ? "test skipped"
                                                               : "run stopped";
        tally_.add(EventRecord{utc_now(), "prompt", test.name + ": " + test.prompt + " (" + word + ")"});
        return reply;
    }

    void one_point(const PlannedTest& planned, const Point& point, std::size_t position) {
        const Test& test = *planned.test;
        PointRecord record;
        record.id = point.id_text();
        record.position = position;
        record.test = test.name;
        record.label = label(test.sweep, point);
        record.started = utc_now();
        for (std::size_t i = 0; i < test.sweep.axes.size(); ++i) {
            const auto& axis = test.sweep.axes[i];
            const auto& value = point.value(test.sweep, i).text;
            record.axes.emplace_back(axis.name, value);
            for (const auto& target : axis.sets) {
                if (target == "unit") unit_.set(axis.name, value);
            }
        }
        const Parameters parameters = test.parameters_at(point);
        record.parameters.assign(parameters.texts().begin(), parameters.texts().end());
        Spectrum capture = bench_.analyser(test.instrument).sweep(test.procedure->setup(parameters));
        record.capture = keep(record, capture);
        judge_point(planned, point, parameters, std::move(capture), record);
        record.ended = utc_now();
        tally_.add(record);
        planned_now_ += count_done(planned);
        ++measured_now_;
        listener_.point_done(record, done_, total_, seconds_left());
    }

    // Gives the point's share of the planned seconds.
    double count_done(const PlannedTest& planned) {
        const double share = planned.seconds / static_cast<double>(planned.points.size());
        ++done_;
        planned_left_ -= share;
        return share;
    }

    CaptureRecord keep(const PointRecord& record, const Spectrum& capture) {
        std::string number = std::to_string(record.position);
        number.insert(0, number.size() < 5 ? 5 - number.size() : 0, '0');
        const std::string file = "captures/" + number + "-" + slug(record.test + " " + record.label) + ".csv";
        const std::string text = spectrum_csv(capture);
        write_file(folder_ / file, text);
        return {file, "spectrum", sha256(text), text.size()};
    }

    void judge_point(const PlannedTest& planned, const Point& point, const Parameters& parameters,
                     Spectrum capture, PointRecord& record) {
        const Test& test = *planned.test;
        Outcome outcome = measure(*test.procedure, std::move(capture), parameters);
        if (auto lapse = calibration_lapse(*planned.instrument); !lapse.empty()) {
            invalidate(outcome, std::move(lapse));
        }
        for (const auto& judging : test.judgings) {
            if (!judging.applies(test.sweep, point)) continue;
            outcome.deviations = deviations_from(*judging.rule.rule, parameters);
            record.findings.push_back(judge(judging.rule, outcome, judging.options));
            end_.counts.add(record.findings.back().verdict);
        }
        record.results = std::move(outcome.results);
        record.notes = std::move(outcome.notes);
        if (outcome.invalid) record.notes.push_back("not valid: " + *outcome.invalid);
    }

    // What the plan expects for the rest, and for each point what instruments and tool needed besides so far.
    double seconds_left() const {
        const std::chrono::duration<double> passed = std::chrono::steady_clock::now() - start_;
        const double besides =
            std::max(0.0, passed.count() - planned_now_) / static_cast<double>(measured_now_);
        return std::max(0.0, planned_left_) + besides * static_cast<double>(total_ - done_);
    }

    const std::filesystem::path& folder_;
    Tally& tally_;
    BenchConnection& bench_;
    RunListener& listener_;
    UnitSetter unit_;
    std::size_t total_;
    std::size_t done_ = 0;
    std::set<std::string> measured_;  // ids
    std::size_t measured_now_ = 0;    // by this process
    double planned_left_;             // seconds
    double planned_now_ = 0;          // of what this process measured
    std::chrono::steady_clock::time_point start_ = std::chrono::steady_clock::now();
    RunEnd end_;
};

RunEnd run_plan(const Plan& plan, const std::filesystem::path& folder, RunListener& listener, Tally& tally,
                const RunRecord& earlier, const RunOptions& options) {
    try {
        std::optional<TrafficLog> traffic;
        if (options.traffic) traffic.emplace(folder / "traffic.log");
        BenchConnection bench(plan, traffic ? &*traffic : nullptr);
        tally.put_instruments(bench.identified());
        for (const auto& instrument : bench.identified()) listener.connected(instrument);
        Runner runner(plan, folder, tally, bench, listener);
        runner.skip(earlier);
        const RunEnd end = runner.run(plan);
        tally.set_fact("state", end.state == RunEnd::State::complete ? "complete" : "stopped");
        tally.set_fact("ended", utc_now());
        return end;
    } catch (const Error& error) {
        tally.add(EventRecord{utc_now(), "error", error.what()});
        tally.set_fact("state", "aborted");
        tally.set_fact("ended", utc_now());
        throw;
    }
}

}  // namespace

RunEnd carry_out(const Plan& plan, const RuleLibrary& library, const std::filesystem::path& folder,
                 RunListener& listener, const RunOptions& options) {
    Tally tally = Tally::create(folder, [&] {
        make_folder(folder / "captures");
        RunRecord head = head_of(plan, options.answers);
        head.files = keep_inputs(plan, library, folder);
        return head;
    });
    return run_plan(plan, folder, listener, tally, {}, options);
}

RunEnd carry_on(const Plan& plan, const std::filesystem::path& folder, RunListener& listener,
                const RunOptions& options) {
    Tally tally = Tally::open_to_write(folder);
    const RunRecord earlier = tally.read();
    tally.add(EventRecord{utc_now(), "resumed",
                          "after " + std::to_string(earlier.points.size()) + " of " +
                              std::to_string(plan.points()) + " points"});
    tally.set_fact("state", "running");
    return run_plan(plan, folder, listener, tally, earlier, options);
}

}  // namespace rt
