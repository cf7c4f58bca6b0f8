#include <functional>
#include <memory>
#include <nlohmann/json.hpp>
#include <optional>

#include "cli/campaign_options.hpp"
#include "cli/driven_listener.hpp"
#include "cli/run_listener.hpp"
#include "core/base/text.hpp"
#include "lab/formats/question_section.hpp"
#include "lab/report/anomalies.hpp"
#include "lab/report/growing_table.hpp"
#include "lab/report/page/report.hpp"
#include "lab/report/tables.hpp"
#include "lab/run/runner.hpp"

namespace rt::cli {
namespace {

struct Replies {
    Answers answers;  // of questions
    Answers prompts;  // of requests during the run, by name
};

// Pre-checks and the like, answered before anything moves; the file may also answer prompts.
Replies answer_questions(const Call& call, const LoadedCampaign& loaded, bool ask, Dialogue* dialogue) {
    const Console& console = call.console;
    const auto& questions = loaded.campaign.questions;
    Replies replies;
    if (const std::string file = call.text("answers"); !file.empty()) {
        auto names = prompt_names(loaded.plan);
        // A file answers for tests that are left out this time too.
        for (const auto& test : loaded.campaign.tests) {
            if (!loaded.plan.find(test.name))
                names.insert(names.end(), {test.name, look_name(test), after_name(test)});
        }
        for (auto& [name, answer] : read_answers(file, questions, names)) {
            const bool prompt = std::find(names.begin(), names.end(), name) != names.end();
            if (prompt && answer != "go" && answer != "skip" && answer != "stop" && answer != "yes") {
                fail_input(file, "the prompt " + in_quotes(name) + " is answered by " + in_quotes(answer) +
                                     ": write go, skip or stop");
            }
            (prompt ? replies.prompts : replies.answers)[name] = answer;
        }
    }
    if (!ask) return replies;
    AskOperator ask_operator;
    if (dialogue) {
        ask_operator = [&](const Question& q, const std::string& why) {
            const auto reply = dialogue->ask({{"event", "question"},
                                              {"name", q.name},
                                              {"text", q.ask},
                                              {"expected", expected_answer(q)},
                                              {"default", q.otherwise},
                                              {"refused", why}});
            return reply ? *reply : std::string("stop");
        };
    } else if (somebody_there(call)) {
        ask_operator = [&](const Question& q, const std::string& why) {
            if (!why.empty()) console.progress(printable(why));
            const std::string otherwise = q.otherwise.empty() ? "" : "; Enter means " + q.otherwise;
            return read_line(q.ask + "  [" + expected_answer(q) + otherwise +
                             (why.empty() ? "] " : ", or stop] "));
        };
    }
    replies.answers = ask_all(questions, std::move(replies.answers), call.flag("unattended"), ask_operator);
    return replies;
}

void say_anomalies(const Console& console, const RunRecord& run) {
    constexpr std::size_t most = 8;
    const auto anomalies = anomalies_of(run);
    for (std::size_t i = 0; i < std::min(most, anomalies.size()); ++i)
        console.out(console.tinted("look at", Tone::strong) + "    " + anomaly_text(anomalies[i]));
    if (anomalies.size() > most)
        console.out("look at    " + std::to_string(anomalies.size() - most) + " more in the report");
}

}  // namespace

ExitCode run_and_report(const Call& call, const LoadedCampaign& loaded, const std::filesystem::path& folder,
                        bool with_report, bool resume) {
    const Console& console = call.console;
    std::optional<Dialogue> dialogue;
    if (call.flag("driven")) dialogue.emplace();
    Replies replies = answer_questions(call, loaded, !resume, dialogue ? &*dialogue : nullptr);
    require_somebody(call, loaded.plan, replies.prompts);
    std::unique_ptr<Teller> teller;
    if (dialogue)
        teller = std::make_unique<DrivenListener>(*dialogue, loaded, std::move(replies.prompts),
                                                  call.flag("stop-at-failure"));
    else
        teller = std::make_unique<ConsoleListener>(call, loaded, std::move(replies.prompts));
    Teller& listener = *teller;
    RunOptions options;
    options.traffic = call.flag("traffic");
    options.ask_at_failure = call.flag("ask-at-failure");
    options.redo = call.texts("redo");
    options.answers = std::move(replies.answers);
    if (loaded.corrected) options.corrected = &*loaded.corrected;
    RunEnd end;
    try {
        end = resume ? carry_on(loaded.plan, folder, listener, options)
                     : carry_out(loaded.plan, loaded.library, folder, listener, options);
    } catch (const Error& error) {
        listener.finish("aborted", false);
        if (dialogue) dialogue->say({{"event", "failed"}, {"why", error.what()}, {"run", folder.string()}});
        // Points that were kept are told all the same.
        if (call.flag("json") && std::filesystem::exists(folder / "tally.sqlite")) {
            try {
                console.out(run_json(RunData(folder).record()));
            } catch (const Error&) {
                // The trouble itself is what is told.
            }
        }
        throw;
    }
    const bool complete = end.state == RunEnd::State::complete;
    std::vector<std::filesystem::path> written{folder / "tally.sqlite"};
    const bool json = call.flag("json");
    std::optional<RunData> data;  // reading a long run back takes a while
    const auto& table = loaded.campaign.table;
    if (with_report || json || (table && complete)) data.emplace(folder);
    // Beside the campaign as it was given, not beside the copy that the run kept; a run that was moved to
    // another machine may find no such folder.
    std::string grown;
    if (table && complete) {
        const std::filesystem::path place = data->record().head.table;
        if (!place.empty() && std::filesystem::is_directory(place.parent_path())) {
            append_row(place, table_row(*table, data->record()));
            grown = place.string();
        }
    }
    if (with_report) {
        console.progress("drawing figures and writing the report");
        ReportOptions looks;
        looks.language = language_named("", *data);
        const WrittenReport report = write_report({&*data}, folder / "report", looks);
        written.insert(written.end(), report.files.begin(), report.files.end());
        for (const auto& why : report.left_out) console.attention("template left out: " + why);
    }
    listener.finish(complete ? "complete" : "stopped", with_report);
    if (dialogue) {
        nlohmann::ordered_json files = nlohmann::ordered_json::array();
        for (const auto& file : written) files.push_back(file.string());
        dialogue->say({{"event", "finished"},
                       {"state", complete ? "complete" : "stopped"},
                       {"counts",
                        {{"PASS", end.counts.pass},
                         {"MARGINAL", end.counts.marginal},
                         {"FAIL", end.counts.fail},
                         {"NONE", end.counts.none}}},
                       {"run", folder.string()},
                       {"written", files}});
    } else if (json) {
        console.out(run_json(data->record()));
    } else {
        console.out("");
        if (data) print_summary(console, data->record());
        console.out(console.tinted(complete ? "run complete: " : "run stopped: ", Tone::strong) +
                    console.counts(end.counts));
        if (with_report) say_anomalies(console, data->record());
        for (const auto& file : written) console.out("wrote " + file.string());
        if (!grown.empty()) console.out("appended a row to " + grown);
        if (table && complete && grown.empty())
            console.out("the table grows by: rare-tally export " + folder.string() + " --append FILE");
        if (!complete) console.out("to go on: rare-tally run --resume " + folder.string());
    }
    return exit_code(end.counts, complete);
}

}  // namespace rt::cli
