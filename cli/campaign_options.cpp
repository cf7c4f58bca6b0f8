#include "cli/campaign_options.hpp"

#include <unistd.h>
#include <chrono>

#include <csignal>
#include <functional>
#include <iostream>
#include <optional>
#include <set>

#include "core/base/text.hpp"
#include "lab/bench/roles.hpp"
#include "lab/report/report.hpp"
#include "lab/report/tables.hpp"
#include "lab/run/kept_inputs.hpp"
#include "lab/run/runner.hpp"
#include "lab/tally/tally.hpp"

namespace rt {

namespace {

// `loaded->library` holds its rulebooks already.
void load(LoadedCampaign& loaded, const std::filesystem::path& campaign, const std::filesystem::path& bench,
          const InputFiles& files, const std::vector<std::string>& only) {
    loaded.campaign = read_campaign(campaign, loaded.library, files);
    const auto bench_path = bench.empty() ? loaded.campaign.bench : bench;
    if (bench_path.empty()) {
        fail_input(campaign.string(),
                   "the campaign names no bench: add bench = \"FILE\" to [campaign] or use --bench");
    }
    loaded.bench = read_bench(bench_path, files);
    loaded.plan = make_plan(loaded.campaign, loaded.bench, only);
}

}  // namespace

std::unique_ptr<LoadedCampaign> load_campaign(const Call& call, const std::filesystem::path& campaign,
                                              const std::filesystem::path& bench) {
    auto loaded = std::make_unique<LoadedCampaign>();
    loaded->library = load_rules(call);
    load(*loaded, campaign, bench, DiskFiles(share_folder() / "dialects"), call.texts("only"));
    return loaded;
}

std::unique_ptr<LoadedCampaign> load_kept_campaign(const std::filesystem::path& run) {
    auto loaded = std::make_unique<LoadedCampaign>();
    const RunRecord record = Tally::open(run).read();
    const KeptFiles files(run, record.files);
    std::vector<std::string> only;
    const std::string selection = record.fact("selection");
    for (const auto name : split(selection, '\n')) {
        if (!name.empty()) only.emplace_back(name);
    }
    for (const auto& book : files.further_rulebooks()) loaded->library.add(book);
    load(*loaded, files.campaign(), files.find("bench", "", ""), files, only);
    return loaded;
}

namespace {

std::string setup_text(const SpectrumSetup& setup) {
    return format({setup.start_hz, Unit::hertz}) + " to " + format({setup.stop_hz, Unit::hertz}) + ", RBW " +
           format({setup.resolution_bandwidth_hz, Unit::hertz}) + ", " + name(setup.detector);
}

std::string rules_text(const Test& test, const Point& point) {
    std::string rules;
    for (const auto& judging : test.judgings) {
        if (judging.applies(test.sweep, point)) rules += (rules.empty() ? "" : ", ") + judging.rule.full_id();
    }
    return rules.empty() ? "not judged" : rules;
}

std::string padded(std::string text, std::size_t width) {
    if (text.size() < width) text.insert(0, width - text.size(), ' ');
    return text;
}

// "   4   -4.47 dB  supply-emission: state=transmitting  at 395.244 kHz  cispr-32/mains-b-av"
std::string point_line(const PointRecord& point, std::size_t total, const Finding* finding) {
    std::string line = padded(std::to_string(point.position), std::to_string(total).size()) + "  ";
    if (finding) {
        const auto unit = std::string(" ") + pretty(finding->margin_unit());
        line += padded(finding->margin ? fixed(*finding->margin, 2) + unit : "-", 10) + "  ";
    }
    line += point.test + ": " + point.label;
    if (!finding) return line;
    if (finding->at) line += "  at " + place_text(*finding);
    line += "  " + finding->rule;
    return finding->margin ? line : line + ": " + finding->reason;
}

volatile std::sig_atomic_t interrupted = 0;

// A question on the terminal; what comes after the end of input is "stop".
std::string read_line(const std::string& question) {
    std::fprintf(stderr, "%s", printable(question).c_str());
    std::fflush(stderr);
    std::string line;
    if (!std::getline(std::cin, line)) return "stop";
    return std::string(trim(line));
}

bool somebody_there(const Call& call) {
    return !call.flag("unattended") && ::isatty(STDIN_FILENO);
}

// Pre-checks and the like, answered before anything moves.
Answers answer_questions(const Call& call, const std::vector<Question>& questions) {
    Answers known;
    if (const std::string file = call.text("answers"); !file.empty()) known = read_answers(file, questions);
    std::function<std::string(const Question&)> person;
    if (somebody_there(call)) {
        person = [](const Question& q) { return read_line(q.ask + "  [" + expected_answer(q) + "] "); };
    }
    return ask_all(questions, std::move(known), call.flag("unattended"), person);
}

void require_somebody(const Call& call, const Plan& plan) {
    if (call.flag("unattended") || somebody_there(call)) return;
    for (const auto& planned : plan.tests) {
        if (planned.test->prompt.empty()) continue;
        fail_input(planned.test->place, "test " + in_quotes(planned.test->name) +
                                            " has a prompt but nobody is there: run "
                                            "on a terminal, or use --unattended when everything is in place");
    }
}

class ConsoleListener : public RunListener {
  public:
    explicit ConsoleListener(const Call& call)
        : console_(call.console),
          json_(call.flag("json")),
          stop_at_failure_(call.flag("stop-at-failure")),
          person_(somebody_there(call)) {
        // Without SA_RESTART, so that a signal also ends the wait for an answer.
        struct sigaction action {};
        action.sa_handler = [](int) { interrupted = 1; };
        ::sigaction(SIGINT, &action, nullptr);
        ::sigaction(SIGTERM, &action, nullptr);
    }
    ~ConsoleListener() override {
        std::signal(SIGINT, SIG_DFL);
        std::signal(SIGTERM, SIG_DFL);
    }

    void connected(const InstrumentRecord& i) override {
        console_.progress("connected  " + i.role + ": " + printable(i.identity));
    }

    void point_done(const PointRecord& point, std::size_t done, std::size_t total,
                    double seconds_left) override {
        for (const auto& finding : point.findings) counts_.add(finding.verdict);
        if (!json_) {
            if (point.findings.empty())
                console_.out("measured  " + printable(point_line(point, total, nullptr)));
            for (const auto& finding : point.findings) {
                console_.out(console_.verdict(finding.verdict) + "  " +
                             printable(point_line(point, total, &finding)));
            }
        }
        for (const auto& result : point.results) {
            console_.detail("           " + result.name + " " + format(result.value));
        }
        const auto now = std::chrono::steady_clock::now();
        if (done < total && now - said_ < std::chrono::seconds(1)) return;
        said_ = now;
        console_.progress("           point " + std::to_string(done) + " of " + std::to_string(total) + ", " +
                          duration_text(seconds_left) + " left; " + tally_text());
    }

    std::string tally_text() const {
        return std::to_string(counts_.pass) + " PASS, " + std::to_string(counts_.marginal) + " MARGINAL, " +
               std::to_string(counts_.fail) + " FAIL, " + std::to_string(counts_.none) + " NONE so far";
    }

    Reply prompt(const Test& test) override {
        if (!person_) return Reply::go;  // --unattended says that everything is in place
        const std::string answer = read_line(test.name + ": " + test.prompt + "  [go, skip or stop] ");
        if (answer == "skip") return Reply::skip;
        return answer == "stop" ? Reply::stop : Reply::go;
    }

    bool stop() override { return interrupted != 0 || (stop_at_failure_ && counts_.fail > 0); }

  private:
    const Console& console_;
    bool json_;
    bool stop_at_failure_;
    bool person_;
    VerdictCounts counts_;
    std::chrono::steady_clock::time_point said_{};  // progress at most once a second
};

}  // namespace

void print_plan(const Call& call, const LoadedCampaign& loaded, std::size_t most) {
    const Console& console = call.console;
    const Plan& plan = loaded.plan;
    const Campaign& campaign = loaded.campaign;
    console.out(console.tinted(printable(campaign.title), Tone::strong));
    console.out("unit " +
                printable(campaign.unit_detail("model") + ", serial " + campaign.unit_detail("serial")) +
                "; bench " + printable(loaded.bench.name));
    std::size_t number = 0;
    const std::size_t width = std::to_string(plan.points()).size();
    std::set<std::string> cited;
    std::vector<std::vector<std::string>> rule_rows;
    for (const auto& planned : plan.tests) {
        const Test& test = *planned.test;
        console.out("");
        console.out(console.tinted(printable(test.name), Tone::strong) + "  " + test.procedure->name + ", " +
                    printable(test.instrument) + ", " + std::to_string(planned.points.size()) +
                    (planned.points.size() == 1 ? " point, " : " points, ") + duration_text(planned.seconds));
        std::vector<std::vector<std::string>> rows;
        for (const auto& point : planned.points) {
            if (++number > most) continue;
            rows.push_back({padded(std::to_string(number), width), label(test.sweep, point),
                            setup_text(test.procedure->setup(test.parameters_at(point))),
                            rules_text(test, point)});
        }
        for (const auto& line : aligned(rows, "  ")) console.out(line);
        if (number > most && rows.size() < planned.points.size()) {
            console.out("  ... and " + std::to_string(planned.points.size() - rows.size()) +
                        " more (--all shows them)");
        }
        for (const auto& judging : test.judgings) {
            if (!cited.insert(judging.rule.full_id()).second) continue;
            const auto& [book, rule] = judging.rule;
            rule_rows.push_back({judging.rule.full_id(),
                                 book->standard + ", " + book->edition + ", " + rule->clause,
                                 std::string("confidence: ") + name(rule->confidence),
                                 rule->sign_off ? "signed off by " + rule->sign_off->by : "not signed off"});
        }
    }
    console.out("");
    console.out(console.tinted("rules", Tone::strong));
    for (const auto& line : aligned(rule_rows, "  ")) console.out(line);
    console.out("");
    for (const auto& warning : plan.warnings) console.out("attention: " + printable(warning));
    console.out(std::to_string(plan.points()) + (plan.points() == 1 ? " point" : " points") +
                ", estimated measuring time " + duration_text(plan.seconds()));
}

ExitCode run_and_report(const Call& call, const LoadedCampaign& loaded, const std::filesystem::path& folder,
                        bool with_report, bool resume) {
    const Console& console = call.console;
    ConsoleListener listener(call);
    require_somebody(call, loaded.plan);
    RunOptions options;
    options.traffic = call.flag("traffic");
    if (!resume) options.answers = answer_questions(call, loaded.campaign.questions);
    const RunEnd end = resume ? carry_on(loaded.plan, folder, listener, options)
                              : carry_out(loaded.plan, loaded.library, folder, listener, options);
    const bool complete = end.state == RunEnd::State::complete;
    std::vector<std::filesystem::path> written{folder / "tally.sqlite"};
    const bool json = call.flag("json");
    std::optional<RunData> data;  // reading a long run back takes a while
    if (with_report || json) data.emplace(folder);
    if (with_report) {
        console.progress("drawing figures and writing the report");
        const auto files = write_report(*data, folder / "report");
        written.insert(written.end(), files.begin(), files.begin() + 3);
    }
    if (json) {
        console.out(run_json(data->record()));
    } else {
        console.out("");
        console.out(console.tinted(complete ? "run complete: " : "run stopped: ", Tone::strong) +
                    console.counts(end.counts));
        for (const auto& file : written) console.out("wrote " + file.string());
    }
    return exit_code(end.counts, complete);
}

}  // namespace rt
