#include "lab/run/runner.hpp"

#include <fmt/core.h>

#include <algorithm>
#include <optional>
#include <set>

#include "core/base/error.hpp"
#include "core/base/text.hpp"
#include "lab/bench/traffic_log.hpp"
#include "lab/clock.hpp"
#include "lab/formats/files.hpp"
#include "lab/run/conductor.hpp"
#include "lab/run/corrected_bench.hpp"
#include "lab/run/instruments.hpp"
#include "lab/run/kept_inputs.hpp"
#include "lab/run/unit_identity.hpp"
#include "lab/tally/tally.hpp"
#include "lab/version.hpp"

namespace rt::lab {
namespace {

RunHead::Texts budgets_of(const Bench& bench) {
    RunHead::Texts out;
    for (const Budget& budget : bench.budgets) {
        const std::string number = std::to_string(out.size() + 1);
        out[std::string(number.size() < 2 ? 1 : 0, '0') + number] = budget_text(budget);
    }
    return out;
}

RunRecord head_of(const Plan& plan, const Answers& answers) {
    const Campaign& campaign = *plan.campaign;
    RunRecord run;
    RunHead& head = run.head;
    head.title = campaign.title, head.customer = campaign.customer,
    head.operator_name = campaign.operator_name;
    head.note = campaign.note, head.bench = plan.bench->name, head.version = version();
    head.started = utc_now();
    for (const auto& [name, value] : campaign.unit) head.unit[name] = value;
    for (const auto& question : campaign.questions) {
        const auto answer = answers.find(question.name);
        if (answer == answers.end()) continue;
        head.answers[question.name] = answer->second;
        if (!question.sets.empty()) head.unit[question.sets] = answer->second;
    }
    for (const auto& [name, value] : campaign.environment) head.environment[name] = value;
    head.selection = plan.only;
    for (const auto& planned : plan.tests) {
        const Test& t = *planned.test;
        TestRecord test{t.name, t.title, t.procedure->name, t.instrument, t.note, planned.captures};
        test.trend = t.trend;
        if (t.found && !t.concludes) test.found_by = t.found->test;
        if (t.concludes) test.origin = t.origin();
        run.tests.push_back(std::move(test));
    }
    for (const auto& recheck : campaign.rechecks) {
        const Test& t = recheck.test;
        run.tests.push_back({t.name, "Recheck of " + recheck.result, t.procedure->name, t.instrument, "", 0});
    }
    head.decision = campaign.judging.decision;
    head.budgets = budgets_of(*plan.bench);
    if (campaign.table) head.table = std::filesystem::absolute(campaign.table->file).string();
    for (const auto& [name, value] : campaign.report.texts) head.report[name] = value;
    head.profile = campaign.profile.title;
    head.defaults = campaign.defaults;
    return run;
}

// Model and serial, as they were stated or answered.
std::string unit_of(const RunRecord& run) {
    const std::string model = run.head.detail("model"), serial = run.head.detail("serial");
    if (model.empty() && serial.empty()) return "as it says itself";
    return model + (model.empty() || serial.empty() ? "" : " ") + serial;
}

// Points to be measured again, by test or by number. Throws Error(input) for what the run does not have.
std::vector<std::size_t> chosen_again(const RunRecord& run, const std::vector<std::string>& redo) {
    std::vector<std::size_t> positions;
    for (const auto& wanted : redo) {
        const auto number = to_double(wanted);
        bool found = false;
        for (const auto& point : run.points) {
            const bool chosen =
                number ? static_cast<double>(point.position) == *number : point.test == wanted;
            if (!chosen) continue;
            if (number && point.kind == PointKind::check)
                fail_input("--redo " + wanted + ": point " + wanted +
                           " is a recheck, which the run repeats itself");
            positions.push_back(point.position);
            found = true;
            if (!number || !made_of_trials(point.kind)) continue;
            // Measured again means its trials.
            const std::string& parent = point.parent.empty() ? point.id : point.parent;
            for (const auto& trial : run.points) {
                if (trial.kind == PointKind::trial && trial.parent == parent)
                    positions.push_back(trial.position);
            }
        }
        if (found) continue;
        std::vector<std::string> names;
        for (const auto& test : run.tests) names.push_back(test.name);
        fail_input(
            "--redo " + wanted + ": the run has measured " +
            (number ? "no point of this number" : "no point of such a test" + suggestion(wanted, names)));
    }
    return positions;
}

// The bench of the plan takes the place of the one that the run has: what is another now is told, and what
// was measured with it is measured again.
void correct_bench(const Plan& plan, const Bench& before, const std::filesystem::path& folder,
                   RunListener& listener, Tally& tally) {
    const auto parts = changed_parts(before, *plan.bench);
    if (parts.empty() && before.text == plan.bench->text) return;
    const RunRecord run = tally.read();
    const auto affected = tests_with(parts, plan);
    Tally::Correction correction;
    std::set<std::string> again;
    for (const auto& point : run.points) {
        if (!affected.contains(point.test)) continue;
        correction.again.push_back(point.position);
        again.insert(point.test);
    }
    std::string text = "the bench was corrected: ";
    for (const auto& part : parts) text += (&part == parts.data() ? "" : ", ") + part.text();
    if (parts.empty()) text += "nothing that a number depends on";
    if (again.empty()) {
        text += "; no point was measured with it";
    } else {
        std::string names;
        for (const auto& name : again) names += (names.empty() ? "" : ", ") + name;
        const auto count = correction.again.size();
        text += fmt::format("; {} of {} {} measured again",
                            count == 1 ? "1 point" : std::to_string(count) + " points", names,
                            count == 1 ? "is" : "are");
    }
    int number = 1;
    for (const auto& file : run.files) number = std::max(number, file.correction + 1);
    correction.files = keep_corrected(*plan.bench, number, folder);
    correction.event = {utc_now(), "bench", text};
    correction.facts["bench"] = plan.bench->name;
    for (const auto& [name, value] : run.head.budgets) correction.facts["budget." + name] = "";
    // The next check makes a new reference.
    for (const auto& [name, value] : run.head.references)
        if (affected.contains(name)) correction.facts["recheck." + name] = "";
    for (const auto& [name, value] : budgets_of(*plan.bench)) correction.facts["budget." + name] = value;
    tally.correct(correction, "the bench was corrected");
    listener.event(correction.event);
}

// Before anything is measured: what the unit says of itself becomes part of the run, or ends it.
void ask_unit(const Plan& plan, BenchConnection& bench, RunListener& listener, Tally& tally,
              TextPairs& unit) {
    const std::string& role = plan.campaign->unit_says;
    if (role.empty()) return;
    const TextPairs said = said_of_itself(bench.role(role));
    std::string text;
    for (const auto& [name, value] : taken_over(said, unit, role)) {
        tally.set_fact("unit." + name, value);
        unit.emplace_back(name, value);
    }
    for (const auto& [name, value] : said) text += (text.empty() ? "" : ", ") + name + " " + value;
    const EventRecord event{utc_now(), "unit", "the " + role + " says: " + text};
    tally.add(event);
    listener.event(event);
}

RunEnd run_plan(const Plan& plan, const std::filesystem::path& folder, RunListener& listener, Tally& tally,
                const RunRecord& earlier, const std::string& unit, RunOptions options) {
    try {
        listener.begun(folder, unit, tally.counts());
        std::optional<TrafficLog> traffic;
        if (options.traffic) traffic.emplace(folder / "traffic.log");
        BenchConnection bench(plan, traffic ? &*traffic : nullptr);
        tally.put_instruments(bench.identified());
        for (const auto& instrument : bench.identified()) {
            if (!instrument.identity.empty()) listener.connected(instrument);
        }
        ask_unit(plan, bench, listener, tally, options.unit);
        Conductor conductor(plan, folder, tally, bench, listener, options);
        conductor.know(earlier);
        const RunEnd end = conductor.run();
        tally.set_state(end.state == RunEnd::State::complete ? RunState::complete : RunState::stopped);
        tally.set_fact("ended", utc_now());
        return end;
    } catch (const Error& error) {
        tally.add(EventRecord{utc_now(), "error", error.what()});
        tally.set_state(RunState::aborted);
        tally.set_fact("ended", utc_now());
        throw;
    }
}

}  // namespace

RunEnd carry_out(const Plan& plan, const RuleLibrary& library, const std::filesystem::path& folder,
                 RunListener& listener, const RunOptions& wishes) {
    RunOptions options = wishes;
    std::string unit;
    Tally tally = Tally::create(folder, [&] {
        make_folder(folder / "captures");
        RunRecord head = head_of(plan, options.answers);
        unit = unit_of(head);
        options.unit = unit_details(head);
        head.files = keep_inputs(plan, library, folder);
        return head;
    });
    return run_plan(plan, folder, listener, tally, {}, unit, options);
}

RunEnd carry_on(const Plan& plan, const std::filesystem::path& folder, RunListener& listener,
                const RunOptions& wishes) {
    RunOptions options = wishes;
    Tally tally = Tally::open_to_write(folder);
    if (options.corrected) correct_bench(plan, *options.corrected, folder, listener, tally);
    if (!options.redo.empty()) {
        tally.supersede(chosen_again(tally.read(), options.redo), "chosen to be measured again");
    }
    const RunRecord earlier = tally.read_frame();
    options.unit = unit_details(earlier);
    tally.add(
        EventRecord{utc_now(), "resumed",
                    fmt::format("after {} of {}{} points{}", tally.points(),
                                (plan.at_most() ? "at most " : ""), plan.captures(), tally.state_text())});
    tally.set_state(RunState::running);
    return run_plan(plan, folder, listener, tally, earlier, unit_of(earlier), options);
}

}  // namespace rt::lab
