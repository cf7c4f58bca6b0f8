#include "cli/run_listener.hpp"

#include <fmt/core.h>

#include <termios.h>
#include <unistd.h>

#include <csignal>
#include <iostream>

#include "core/base/error.hpp"
#include "core/base/text.hpp"
#include "lab/formats/files.hpp"
#include "lab/report/connection_diagram.hpp"

namespace rt::cli {
namespace {

volatile std::sig_atomic_t interrupted = 0;

// "   4   -4.47 dB  supply-emission: state=transmitting  at 395.244 kHz  cispr-32/mains-b-av"
// What a search or an adjustment goes by stands in the line of its trials, else the first result.
const Result* shown_result(const PointRecord& point, const Plan& plan) {
    const Test* test = plan.campaign->find(point.test);
    if (point.kind == PointKind::trial && test) {
        const Result* wanted = test->search   ? point.find_result(test->search->result)
                               : test->adjust ? point.find_result(test->adjust->result)
                                              : nullptr;
        if (wanted) return wanted;
    }
    return point.results.empty() ? nullptr : &point.results.front();
}

std::string point_line(const PointRecord& point, std::size_t total, const Finding* finding,
                       const Plan& plan) {
    std::string line = padded(std::to_string(point.position), std::to_string(total).size()) + "  ";
    if (finding) {
        line += padded(margin_text(*finding), 10) + "  ";
    } else {
        const Result* result = shown_result(point, plan);
        const std::string bound =
            result && result->known != Known::exactly ? name(result->known) + std::string(" ") : "";
        line += padded(result ? bound + format(result->value) : "-", 10) + "  ";
    }
    line += point.test + ": " + point.label;
    if (!finding) return point.invalid.empty() ? line : line + "  not valid: " + point.invalid;
    if (finding->at) line += "  at " + place_text(*finding);
    line += "  " + finding->rule;
    return finding->margin ? line : line + ": " + finding->reason;
}

std::string counts_text(const VerdictCounts& counts) {
    return fmt::format("{} PASS, {} MARGINAL, {} FAIL, {} NONE so far", counts.pass, counts.marginal,
                       counts.fail, counts.none);
}

bool asks_by_hand(const Plan& plan) {
    const Instrument* unit = plan.bench->find("unit");
    return unit && unit->place.kind == Address::Kind::by_hand && plan.roles.contains("unit");
}

}  // namespace

bool somebody_there(const Call& call) {
    return !call.flag("unattended") && ::isatty(STDIN_FILENO);
}

// Keys that were typed before a question was there are no answer to it.
static void forget_typed() {
    if (!::isatty(STDIN_FILENO)) return;
    ::tcflush(STDIN_FILENO, TCIFLUSH);
    const auto waiting = std::cin.rdbuf()->in_avail();
    if (waiting > 0) std::cin.ignore(waiting);
}

std::string read_line(const std::string& question) {
    forget_typed();
    std::fprintf(stderr, "%s", printable(question).c_str());
    std::fflush(stderr);
    std::string line;
    if (!std::getline(std::cin, line)) return "stop";
    return std::string(trim(line));
}

std::vector<std::string> prompt_names(const Plan& plan) {
    std::vector<std::string> names;
    if (plan.campaign->confirm_connections) names.emplace_back("connections");
    if (asks_by_hand(plan)) names.emplace_back("unit");
    for (const auto& planned : plan.tests) {
        bool asks = !planned.test->prompt.empty();
        for (const auto& axis : planned.test->sweep.axes) asks = asks || !axis.prompt.empty();
        if (asks) names.push_back(planned.test->name);
        if (!planned.test->look.empty()) names.push_back(look_name(*planned.test));
    }
    return names;
}

void require_somebody(const Call& call, const Plan& plan, const Answers& replies) {
    if (call.flag("unattended") || somebody_there(call)) return;
    for (const auto& name : prompt_names(plan)) {
        if (replies.contains(name)) continue;
        const Test* test = plan.campaign->find(name);
        fail_input(test ? test->where : plan.campaign->file.string(),
                   (test ? "test " + in_quotes(name) + " has a prompt"
                         : "the prompt " + in_quotes(name) + " is there") +
                       " but nobody is: run on a terminal, answer it in an --answers file (" + name +
                       " = \"go\"), or use --unattended when everything is in place");
    }
}

ConsoleListener::ConsoleListener(const Call& call, const LoadedCampaign& loaded, Answers replies)
    : call_(call),
      console_(call.console),
      loaded_(loaded),
      replies_(std::move(replies)),
      json_(call.flag("json")),
      stop_at_failure_(call.flag("stop-at-failure")),
      person_(somebody_there(call)) {
    // Without SA_RESTART, so that a signal also ends the wait for an answer.
    struct sigaction action {};
    action.sa_handler = [](int) { interrupted = 1; };
    ::sigaction(SIGINT, &action, nullptr);
    ::sigaction(SIGTERM, &action, nullptr);
}

ConsoleListener::~ConsoleListener() {
    std::signal(SIGINT, SIG_DFL);
    std::signal(SIGTERM, SIG_DFL);
}

void ConsoleListener::begun(const std::filesystem::path& folder, const std::string& unit,
                            const VerdictCounts& earlier) {
    counts_ = earlier;
    const auto list = connections(loaded_.bench, loaded_.plan.roles);
    write_file(folder / "connections.svg", diagram_svg(list, unit, loaded_.bench.name));
    if (loaded_.campaign.confirm_connections) {
        console_.progress("connections, drawn in " + (folder / "connections.svg").string());
        for (const auto& line : diagram_text(list)) console_.progress("  " + printable(line));
    }
    if (call_.flag("no-live")) return;
    live_.emplace(folder, loaded_.campaign.title, unit, earlier);
    console_.progress("live page  " + (folder / live_file).string());
}

void ConsoleListener::connected(const InstrumentRecord& i) {
    console_.progress("connected  " + i.role + ": " + printable(i.identity));
}

void ConsoleListener::point_done(const PointRecord& point, const Progress& progress) {
    for (const auto& finding : point.findings) {
        counts_.add(finding.verdict);
        failed_ = failed_ || finding.verdict == Verdict::fail;
    }
    if (live_) live_->point(point, progress);
    if (!json_) {
        // The trials of a maximisation are many; the point that they lead to tells what they came to.
        const Test* test = loaded_.campaign.find(point.test);
        const char* done = test && test->concludes ? "concluded " : "measured  ";
        const bool quiet =
            point.kind == PointKind::trial && test && (test->maximise || test->adjust) && !console_.verbose();
        if (point.findings.empty() && !quiet)
            console_.out(done + printable(point_line(point, progress.total, nullptr, loaded_.plan)));
        for (const auto& finding : point.findings) {
            console_.out(console_.verdict(finding.verdict) + "  " +
                         printable(point_line(point, progress.total, &finding, loaded_.plan)));
        }
    }
    for (const auto& result : point.results) {
        console_.detail("           " + result.name + " " + format(result.value));
    }
    say_progress(progress);
}

void ConsoleListener::say_progress(const Progress& progress) {
    const auto now = std::chrono::steady_clock::now();
    if (progress.done < progress.total && now - said_ < std::chrono::seconds(1)) return;
    said_ = now;
    console_.progress(fmt::format("           point {} of {}{}, {} left; {}", progress.done,
                                  (progress.at_most ? "at most " : ""), progress.total,
                                  duration_text(progress.seconds_left), counts_text(counts_)));
}

void ConsoleListener::event(const EventRecord& event) {
    console_.progress("event      " + event.kind + ": " + printable(event.text) +
                      (event.seconds > 0 ? ", for " + duration_text(event.seconds) : ""));
    if (live_) live_->event(event);
}

RunListener::Reply ConsoleListener::ask(const Request& request) {
    if (live_) live_->say("waiting for the operator: " + request.text);
    return asked(request);
}

RunListener::Reply ConsoleListener::asked(const Request& request) {
    const bool decides = request.kind == Request::Kind::unexpected || request.kind == Request::Kind::failure;
    if (const auto known = replies_.find(request.name); !decides && known != replies_.end()) {
        return known->second == "skip" ? Reply::skip : known->second == "stop" ? Reply::stop : Reply::go;
    }
    if (!person_) {
        // --unattended says that everything is in place; an unexpected signal is worth another look.
        return request.kind == Request::Kind::unexpected && request.may_redo ? Reply::redo : Reply::go;
    }
    for (;;) {
        const std::string choices = request.may_redo ? "  [go, redo, skip or stop; Enter means go] "
                                                     : "  [go, skip or stop; Enter means go] ";
        const std::string answer = read_line(request.name + ": " + request.text + choices);
        if (answer.empty() || answer == "go" || answer == "yes") return Reply::go;
        if (answer == "skip") return Reply::skip;
        if (answer == "stop" || interrupted) return Reply::stop;
        if (answer == "redo" && request.may_redo) return Reply::redo;
        console_.progress(in_quotes(answer) + " is none of them");
    }
}

std::optional<std::string> ConsoleListener::read(const Request& request) {
    if (!person_) return std::nullopt;
    if (live_) live_->say("waiting for the operator: " + request.text);
    for (;;) {
        const std::string typed = read_line(request.name + ": " + request.text + "  [or skip or stop] ");
        if (interrupted) return "stop";
        if (!typed.empty()) return typed;
    }
}

bool ConsoleListener::stop() {
    // Ctrl-C on a terminal asks; a second one there, or one where nobody can be asked, ends the run.
    if (interrupted && person_ &&
        read_line("interrupted: go on, or stop?  [go or stop; Enter means stop] ") == "go")
        interrupted = 0;
    return interrupted != 0 || (stop_at_failure_ && failed_);
}

void ConsoleListener::finish(const std::string& state, bool with_report) {
    if (live_) live_->finish(state, with_report);
}

}  // namespace rt::cli
