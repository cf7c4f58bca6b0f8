#include "cli/run_listener.hpp"

#include <fmt/core.h>

#include <termios.h>
#include <unistd.h>

#include <cmath>
#include <csignal>
#include <iostream>
#include <set>
#include <string_view>

#include "cli/look.hpp"
#include "core/base/error.hpp"
#include "core/base/text.hpp"
#include "lab/captures/kind.hpp"
#include "lab/formats/files.hpp"
#include "lab/now.hpp"
#include "lab/report/connection_diagram.hpp"
#include "lab/session/abort.hpp"

namespace rt::cli {
namespace {

volatile std::sig_atomic_t interrupted = 0;

std::string counts_text(const VerdictCounts& counts) {
    return fmt::format("{} PASS, {} MARGINAL, {} FAIL, {} NONE", counts.pass, counts.marginal, counts.fail,
                       counts.none);
}

bool asks_by_hand(const Plan& plan) {
    const Instrument* unit = plan.bench->find("unit");
    return unit && unit->place.kind == Address::Kind::by_hand && plan.roles.contains("unit");
}

}  // namespace

bool somebody_there(const Call& call) {
    return !call.flag("unattended") && (call.flag("driven") || ::isatty(STDIN_FILENO));
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
        if (!planned.test->prompt_after.empty()) names.push_back(after_name(*planned.test));
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
      person_(somebody_there(call)),
      table_(call.console, loaded.plan) {
    // Without SA_RESTART, so that a signal also ends the wait for an answer.
    struct sigaction action {};
    action.sa_handler = [](int) {
        // At once, whatever is waited for; a capture under way is not cut.
        constexpr std::string_view
            first = "interrupted: waiting for the capture under way to end; once more aborts it\n",
            second = "aborting the capture under way\n", clean = "\r\x1b[K";
        const auto say = [](std::string_view text) {
            [[maybe_unused]] const auto written = ::write(STDERR_FILENO, text.data(), text.size());
        };
        // Counted before it is said: whoever reads it may press again at once.
        const bool again = interrupted;
        interrupted = again ? 2 : 1;
        if (again) request_abort();
        if (::isatty(STDERR_FILENO)) say(clean);
        say(again ? second : first);
    };
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
    folder_ = folder, unit_ = unit;
    if (!json_) {
        console_.out(console_.tinted(printable(loaded_.campaign.title), Tone::strong));
        console_.out("unit " + printable(unit) + "; bench " + printable(loaded_.bench.name));
    }
    const auto list = connections(loaded_.bench, loaded_.plan.roles);
    write_file(folder / "connections.svg", diagram_svg(list, unit, loaded_.bench.name));
    if (loaded_.campaign.confirm_connections) {
        console_.progress("connections, drawn in " + (folder / "connections.svg").string());
        for (const auto& line : diagram_text(list)) console_.progress("  " + printable(line));
    }
    if (call_.flag("no-live") && call_.flag("serve-live"))
        fail_input("--serve-live shows the live page, and --no-live writes none");
    if (call_.flag("no-live")) return;
    live_.emplace(folder, loaded_.campaign.title, unit, earlier);
    console_.progress("live page " + (folder / live_file).string());
    if (!call_.flag("serve-live")) return;
    server_.emplace(call_.text("serve-live"), folder / live_file);
    for (const auto& link : server_->links()) console_.progress("live page for a phone: " + link);
}

void ConsoleListener::connected(const InstrumentRecord& i) {
    console_.progress("  " + i.role + ": " + printable(i.identity));
}

void ConsoleListener::measuring(const std::string& test, const std::string& label, const Progress& progress) {
    progress_ = progress;
    forget_now();
    now_ = test + (label == "single point" ? "" : ": " + label);
    show_status();
}

void ConsoleListener::waiting(const std::string& what, double seconds_left) {
    const std::string text = what + ", " + duration_text(std::round(seconds_left)) + " to go";
    if (console_.stays_put()) {
        console_.status("  " + text);
    } else if (said_waiting_.passed()) {
        said_waiting_ = Deadline(60);
        console_.progress("       " + text);
    }
    if (live_) live_->say(text);
}

void ConsoleListener::point_done(const PointRecord& point, const Progress& progress) {
    if (const Test* test = loaded_.campaign.find(point.test); test && test->bell && point.invalid.empty())
        console_.ring();
    for (const auto& finding : point.findings) {
        counts_.add(finding.verdict);
        failed_ = failed_ || finding.verdict == Verdict::fail;
    }
    if (live_) live_->point(point, progress);
    if (!json_) {
        // The trials of a maximisation are many; the point that they lead to tells what they came to.
        const Test* test = loaded_.campaign.find(point.test);
        const bool quiet =
            point.kind == PointKind::trial && test && (test->maximise || test->adjust) && !console_.verbose();
        if (!quiet) table_.point(point);
    }
    for (const auto& result : point.results) {
        console_.detail("       " + result.name + " " + shown(result.value));
    }
    progress_ = progress;
    say_progress();
}

// In place on a terminal; elsewhere a line now and then, and the last one.
void ConsoleListener::say_progress() {
    if (console_.stays_put()) return show_status();
    const bool last =
        progress_.done >= progress_.total && !std::exchange(said_last_, progress_.done >= progress_.total);
    if (!last && (progress_.done >= progress_.total || !said_.passed())) return;
    said_ = Deadline(10);
    const bool more = progress_.done < progress_.total;
    console_.progress(fmt::format("       capture {} of {}{}{}; {}{}", progress_.done,
                                  (more && progress_.at_most ? "at most " : ""), progress_.total,
                                  more ? ", " + duration_text(progress_.seconds_left) + " left" : "",
                                  counts_text(counts_), more ? " so far" : ""));
}

void ConsoleListener::hide_status() {
    {
        const std::lock_guard lock(mutex_);
        status_.clear();
    }
    console_.status("");
}

void ConsoleListener::tick(const std::stop_token& stop) {
    std::unique_lock lock(mutex_);
    while (!stop.stop_requested()) {
        wake_.wait_for(lock, stop, std::chrono::seconds(1), [] { return false; });
        constexpr double soon_s = 2.5;
        const double taken = since_.seconds();
        if (stop.stop_requested() || status_.empty() || taken < soon_s) continue;
        const std::string told = told_now();
        console_.status(status_ + ", for " + duration_text(std::floor(taken)) +
                        (told.empty() ? "" : ": " + printable(told)));
    }
}

void ConsoleListener::show_status() {
    std::string counts;
    for (const auto& [n, word] : {std::pair{counts_.pass, " PASS"},
                                  {counts_.marginal, " MARGINAL"},
                                  {counts_.fail, " FAIL"},
                                  {counts_.none, " NONE"}}) {
        if (n > 0) counts += "  " + std::to_string(n) + word;
    }
    const std::string text =
        fmt::format("{} of {}{}, {} left{}  {}", progress_.done, (progress_.at_most ? "≤ " : ""),
                    progress_.total, duration_text(progress_.seconds_left), counts, now_);
    {
        const std::lock_guard lock(mutex_);
        status_ = text;
        since_ = Stopwatch();
    }
    console_.status(text);
    if (!console_.stays_put() || ticker_.joinable()) return;
    // Signals are for the thread that waits for answers.
    sigset_t all, before;
    ::sigfillset(&all);
    ::pthread_sigmask(SIG_BLOCK, &all, &before);
    ticker_ = std::jthread([this](std::stop_token stop) { tick(stop); });
    ::pthread_sigmask(SIG_SETMASK, &before, nullptr);
}

void ConsoleListener::event(const EventRecord& event) {
    table_.event(event);
    if (live_) live_->event(event);
}

RunListener::Reply ConsoleListener::ask(const Request& request) {
    std::string drawing;
    if (person_ && request.kind == Request::Kind::prompt && !replies_.contains(request.name)) {
        hide_status();
        drawing = show_wiring(request.name);
    }
    if (live_) live_->ask(request.text, drawing);
    const Reply reply = asked(request);
    if (live_) live_->say("");
    return reply;
}

// How the instruments of a test are connected, and what is measured first.
std::string ConsoleListener::show_wiring(const std::string& name) const {
    const PlannedTest* planned = loaded_.plan.find(name);
    if (!planned || !planned->instrument) return "";
    const Test& test = *planned->test;
    std::set<std::string> roles{planned->instrument->role};
    const auto take_in = [&](const TextPairs& settings) {
        for (const auto& [setting, value] : settings) {
            if (const auto target = setting_target(setting, "")) roles.insert(target->role);
        }
    };
    take_in(test.settings);
    for (const auto& take : test.takes) {
        if (!take.instrument.empty()) roles.insert(take.instrument);
        take_in(take.settings);
    }
    const auto list = connections(loaded_.bench, roles);
    constexpr std::size_t indent = 7;
    const std::size_t columns = console_.width();
    for (const auto& line : diagram_text(list)) {
        const std::string text = printable(line);
        const bool fits = columns <= 2 * indent || text.size() <= columns - indent;
        const auto parts = fits ? std::vector{text} : wrapped(text, columns - 2 * indent);
        for (std::size_t i = 0; i < parts.size(); ++i)
            console_.progress(std::string(i == 0 ? indent : 2 * indent, ' ') + parts[i]);
    }
    const auto file = folder_ / ("connections-" + slug(test.name) + ".svg");
    const std::string drawing = diagram_svg(list, unit_, test.title.empty() ? test.name : test.title);
    write_file(file, drawing);
    console_.progress("       drawn in " + file.string());
    if (planned->points.empty() || !test.measures()) return drawing;
    try {
        const CaptureSetup setup = test.setup_at(planned->points.front());
        console_.progress("       measured then: " + printable(kind_of(setup).describe(setup)));
    } catch (const Error&) {
        // What it still lacks comes from an earlier test.
    }
    return drawing;
}

RunListener::Reply ConsoleListener::asked(const Request& request) {
    hide_status();
    const bool decides = request.kind == Request::Kind::unexpected || request.kind == Request::Kind::failure;
    if (const auto known = replies_.find(request.name); !decides && known != replies_.end()) {
        return known->second == "skip" ? Reply::skip : known->second == "stop" ? Reply::stop : Reply::go;
    }
    if (!person_) {
        // --unattended says that everything is in place; an unexpected signal is worth another look.
        return request.kind == Request::Kind::unexpected && request.may_redo ? Reply::redo : Reply::go;
    }
    for (;;) {
        const std::string choices = std::string("  [go, ") + (request.look ? "look, " : "") +
                                    (request.may_redo ? "redo, " : "") + "skip or stop; Enter means go] ";
        const std::string answer = read_line(request.name + ": " + request.text + choices);
        if (answer.empty() || answer == "go" || answer == "yes") return Reply::go;
        if (answer == "skip") return Reply::skip;
        if (answer == "stop" || interrupted) return Reply::stop;
        if (answer == "redo" && request.may_redo) return Reply::redo;
        if (answer == "look" && request.look) {
            try {
                look_until_enough(console_, request.name, request.look);
            } catch (const Error& error) {
                if (error.kind() != ErrorKind::bench) throw;
                console_.progress(printable(error.what()));
            }
            continue;
        }
        console_.progress(in_quotes(answer) + " is none of them");
    }
}

std::optional<std::string> ConsoleListener::read(const Request& request) {
    if (!person_) return std::nullopt;
    hide_status();
    if (live_) live_->ask(request.text, "");
    for (;;) {
        const std::string typed = read_line(request.name + ": " + request.text + "  [or skip or stop] ");
        if (interrupted) return "stop";
        if (!typed.empty() || request.kind == Request::Kind::choice) return typed;
    }
}

// The terminal gives each key at once, and shows none, while it waits here.
std::optional<char> ConsoleListener::key(const std::string& test, const std::string& text) {
    if (!person_) return std::nullopt;
    hide_status();
    forget_typed();
    console_.status(test + ": " + text + "; Enter goes on");
    termios before{};
    ::tcgetattr(STDIN_FILENO, &before);
    termios raw = before;
    raw.c_lflag &= ~static_cast<tcflag_t>(ICANON | ECHO);
    ::tcsetattr(STDIN_FILENO, TCSANOW, &raw);
    char pressed = 0;
    const auto count = ::read(STDIN_FILENO, &pressed, 1);
    ::tcsetattr(STDIN_FILENO, TCSANOW, &before);
    console_.status("");
    if (count != 1 || pressed == '\n' || pressed == '\r' || interrupted) return std::nullopt;
    return pressed;
}

RunListener::Reply ConsoleListener::ending() {
    if (stop_at_failure_ && failed_) return Reply::stop;
    if (!interrupted) return Reply::go;
    // Ctrl-C on a terminal asks; a second one there, or one where nobody can be asked, ends the run.
    if (!person_ || interrupted > 1) return Reply::stop;
    hide_status();
    for (;;) {
        interrupted = 0;
        const auto answer = read_line(
            "interrupted: go on, skip the rest of this test, or stop the run?  [go, skip or stop; Enter "
            "means stop] ");
        if (interrupted || answer.empty() || answer == "stop") return Reply::stop;
        forget_abort();  // it was not for what comes now
        if (answer == "go") return Reply::go;
        if (answer == "skip") return Reply::skip;
        console_.progress(in_quotes(answer) + " is none of them");
    }
}

void ConsoleListener::finish(const std::string& state, bool with_report) {
    hide_status();
    if (live_) live_->finish(state, with_report);
}

}  // namespace rt::cli
