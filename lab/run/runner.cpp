#include "lab/run/runner.hpp"

#include <algorithm>
#include <chrono>
#include <set>

#include "core/base/error.hpp"
#include "core/base/text.hpp"
#include "lab/formats/files.hpp"
#include "lab/formats/spectrum_csv.hpp"
#include "lab/run/instruments.hpp"
#include "lab/tally/tally.hpp"
#include "lab/version.hpp"

namespace rt {
namespace {

// Copies of everything the run depends on, so that it can be judged again years later.
class InputCopies {
  public:
    InputCopies(const std::filesystem::path& folder) : folder_(folder) {}

    void add(const std::string& kind, const std::string& name, const std::string& text) {
        if (!names_.insert(name).second) return;
        const auto path = folder_ / name;
        make_folder(path.parent_path());
        write_file(path, text);
        records_.push_back({name, kind, sha256(text)});
    }
    const std::vector<FileRecord>& records() const { return records_; }

  private:
    std::filesystem::path folder_;
    std::set<std::string> names_;
    std::vector<FileRecord> records_;
};

std::vector<FileRecord> copy_inputs(const Plan& plan, const RuleLibrary& library,
                                    const std::filesystem::path& folder) {
    InputCopies copies(folder);
    copies.add("campaign", "inputs/campaign.toml", plan.campaign->text);
    copies.add("bench", "inputs/bench.toml", plan.bench->text);
    std::set<const Rulebook*> used;
    for (const auto& test : plan.campaign->tests) {
        for (const auto& judging : test.judgings) used.insert(judging.rule.book);
    }
    for (const auto& entry : library.entries()) {
        if (used.contains(&entry.book)) {
            copies.add("rulebook", "inputs/rulebooks/" + slug(entry.book.id) + ".toml", entry.text);
        }
    }
    for (const auto& instrument : plan.bench->instruments) {
        copies.add("dialect", "inputs/dialects/" + slug(instrument.dialect.id) + ".toml",
                   instrument.dialect.text);
    }
    if (plan.bench->simulation) {
        copies.add("simulated unit", "inputs/simulated-unit.toml", read_file(plan.bench->simulation->unit));
    }
    return copies.records();
}

RunRecord head_of(const Plan& plan) {
    const Campaign& campaign = *plan.campaign;
    RunRecord run;
    run.facts = {{"title", campaign.title},     {"customer", campaign.customer},
                 {"operator", campaign.person}, {"note", campaign.note},
                 {"bench", plan.bench->name},   {"version", version()},
                 {"started", utc_now()},        {"state", "running"}};
    for (const auto& [name, value] : campaign.unit) run.facts["unit." + name] = value;
    for (const auto& [name, value] : campaign.environment) run.facts["environment." + name] = value;
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
          planned_(plan.seconds()) {}

    RunEnd run(const Plan& plan) {
        for (const auto& planned : plan.tests) {
            for (const auto& [name, value] : planned.test->unit_settings) unit_.set(name, value);
            for (const auto& point : planned.points) {
                if (listener_.stop()) {
                    end_.state = RunEnd::State::stopped;
                    return end_;
                }
                one_point(planned, point);
            }
        }
        return end_;
    }

  private:
    void one_point(const PlannedTest& planned, const Point& point) {
        const Test& test = *planned.test;
        PointRecord record;
        record.id = point.id_text();
        record.position = ++done_;
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
        planned_done_ += planned.seconds / static_cast<double>(planned.points.size());
        listener_.point_done(record, done_, total_, seconds_left());
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
        const double besides = std::max(0.0, passed.count() - planned_done_) / static_cast<double>(done_);
        return std::max(0.0, planned_ - planned_done_) + besides * static_cast<double>(total_ - done_);
    }

    const std::filesystem::path& folder_;
    Tally& tally_;
    BenchConnection& bench_;
    RunListener& listener_;
    UnitSetter unit_;
    std::size_t total_;
    std::size_t done_ = 0;
    double planned_;           // seconds
    double planned_done_ = 0;  // of those, for finished points
    std::chrono::steady_clock::time_point start_ = std::chrono::steady_clock::now();
    RunEnd end_;
};

}  // namespace

RunEnd carry_out(const Plan& plan, const RuleLibrary& library, const std::filesystem::path& folder,
                 RunListener& listener) {
    Tally tally = Tally::create(folder);
    make_folder(folder / "captures");
    RunRecord head = head_of(plan);
    head.files = copy_inputs(plan, library, folder);
    tally.begin(head);
    try {
        BenchConnection bench(plan);
        RunRecord found;
        found.instruments = bench.identified();
        tally.begin(found);
        for (const auto& instrument : found.instruments) listener.connected(instrument);
        const RunEnd end = Runner(plan, folder, tally, bench, listener).run(plan);
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

}  // namespace rt
