#include "cli/driven_listener.hpp"

#include <poll.h>
#include <unistd.h>

#include <csignal>
#include <cstdio>
#include <nlohmann/json.hpp>

#include "core/base/text.hpp"
#include "lab/report/tables.hpp"

namespace rt::cli {

using Json = nlohmann::ordered_json;

Dialogue::Dialogue() {
    // Signals are for the thread of the run.
    sigset_t all, before;
    ::sigfillset(&all);
    ::pthread_sigmask(SIG_BLOCK, &all, &before);
    reader_ = std::jthread([this] { listen(); });
    ::pthread_sigmask(SIG_SETMASK, &before, nullptr);
}

Dialogue::~Dialogue() {
    const std::lock_guard lock(mutex_);
    ended_ = true;
}

void Dialogue::say(Json line) {
    const std::lock_guard lock(output_);
    std::printf("%s\n", line.dump(-1, ' ', false, Json::error_handler_t::replace).c_str());
    std::fflush(stdout);
}

std::optional<std::string> Dialogue::ask(Json line) {
    {
        const std::lock_guard lock(mutex_);
        line["id"] = ++asked_;
        reply_.reset();
    }
    say(std::move(line));
    std::unique_lock lock(mutex_);
    changed_.wait(lock, [&] { return reply_ || ended_ || wanted_ == RunListener::Reply::stop; });
    return std::exchange(reply_, std::nullopt);
}

RunListener::Reply Dialogue::command() {
    const std::lock_guard lock(mutex_);
    // Who drives has gone: nobody would know of what comes next.
    if (ended_) return RunListener::Reply::stop;
    return std::exchange(wanted_, RunListener::Reply::go);
}

void Dialogue::listen() {
    std::string text;
    for (;;) {
        pollfd entry{STDIN_FILENO, POLLIN, 0};
        const int ready = ::poll(&entry, 1, 100);
        {
            const std::lock_guard lock(mutex_);
            if (ended_) return;
        }
        if (ready <= 0) continue;
        char chunk[4096];
        const auto count = ::read(STDIN_FILENO, chunk, sizeof chunk);
        if (count <= 0) break;
        text.append(chunk, static_cast<std::size_t>(count));
        constexpr std::size_t most = 1 << 20;
        for (auto end = text.find('\n'); end != std::string::npos; end = text.find('\n')) {
            take(text.substr(0, end));
            text.erase(0, end + 1);
        }
        if (text.size() > most) break;
    }
    const std::lock_guard lock(mutex_);
    ended_ = true;
    changed_.notify_all();
}

void Dialogue::complain(const std::string& what, const std::string& line) {
    say({{"event", "refused"}, {"why", what}, {"line", line.substr(0, 200)}});
}

void Dialogue::take(const std::string& line) {
    if (trim(line).empty()) return;
    const Json json = Json::parse(line, nullptr, false);
    if (!json.is_object()) return complain("is no JSON object", line);
    const auto text = [&](const char* key) {
        return json.contains(key) && json[key].is_string() ? json[key].get<std::string>() : std::string();
    };
    if (json.contains("command")) {
        const std::string word = text("command");
        if (word != "stop" && word != "skip") return complain("the command is stop or skip", line);
        const std::lock_guard lock(mutex_);
        wanted_ = word == "stop" ? RunListener::Reply::stop : RunListener::Reply::skip;
        changed_.notify_all();
        return;
    }
    if (!json.contains("id") || !json["id"].is_number_integer() || !json.contains("reply") ||
        !json["reply"].is_string())
        return complain("write {\"id\": NUMBER, \"reply\": \"TEXT\"} or {\"command\": \"stop\"}", line);
    std::unique_lock lock(mutex_);
    if (json["id"].get<long>() != asked_) {
        lock.unlock();
        return complain("nothing waits for this reply: the last request has another id", line);
    }
    reply_ = text("reply");
    changed_.notify_all();
}

void DrivenListener::begun(const std::filesystem::path& folder, const std::string& unit,
                           const VerdictCounts& earlier) {
    counts_ = earlier;
    dialogue_.say({{"event", "begun"},
                   {"run", folder.string()},
                   {"campaign", loaded_.campaign.title},
                   {"unit", unit},
                   {"bench", loaded_.bench.name}});
}

void DrivenListener::connected(const lab::InstrumentRecord& instrument) {
    dialogue_.say({{"event", "connected"}, {"role", instrument.role}, {"identity", instrument.identity}});
}

void DrivenListener::measuring(const std::string& test, const std::string& label,
                               const lab::Progress& progress) {
    dialogue_.say({{"event", "measuring"},
                   {"test", test},
                   {"point", label},
                   {"done", progress.done},
                   {"total", progress.total},
                   {"at_most", progress.at_most},
                   {"seconds_left", progress.seconds_left}});
}

void DrivenListener::point_done(const lab::PointRecord& point, const lab::Progress& progress) {
    for (const auto& finding : point.findings) {
        counts_.add(finding.verdict);
        failed_ = failed_ || finding.verdict == Verdict::fail;
    }
    Json line = Json::parse(lab::point_json(point));
    Json out{{"event", "point"}, {"done", progress.done}, {"total", progress.total}};
    out.update(line);
    dialogue_.say(std::move(out));
}

void DrivenListener::event(const lab::EventRecord& event) {
    dialogue_.say({{"event", "event"}, {"time", event.time}, {"kind", event.kind}, {"text", event.text}});
}

void DrivenListener::waiting(const std::string& what, double seconds_left) {
    dialogue_.say({{"event", "waiting"}, {"what", what}, {"seconds_left", seconds_left}});
}

namespace {

const char* name_of(lab::Request::Kind kind) {
    using Kind = lab::Request::Kind;
    switch (kind) {
        case Kind::connections:
            return "connections";
        case Kind::prompt:
            return "prompt";
        case Kind::axis:
            return "axis";
        case Kind::by_hand:
            return "by-hand";
        case Kind::unexpected:
            return "unexpected";
        case Kind::failure:
            return "failure";
        case Kind::look:
            return "look";
        case Kind::reading:
            return "reading";
        case Kind::choice:
            return "choice";
        case Kind::after:
            return "after";
    }
    return "";
}

}  // namespace

lab::RunListener::Reply DrivenListener::ask(const lab::Request& request) {
    const bool decides =
        request.kind == lab::Request::Kind::unexpected || request.kind == lab::Request::Kind::failure;
    if (const auto known = replies_.find(request.name); !decides && known != replies_.end())
        return known->second == "skip" ? Reply::skip : known->second == "stop" ? Reply::stop : Reply::go;
    Json replies{"go", "skip", "stop"};
    if (request.may_redo) replies.push_back("redo");
    for (;;) {
        const auto reply = dialogue_.ask({{"event", "ask"},
                                          {"kind", name_of(request.kind)},
                                          {"name", request.name},
                                          {"text", request.text},
                                          {"replies", replies}});
        if (!reply || *reply == "stop") return Reply::stop;
        if (*reply == "go") return Reply::go;
        if (*reply == "skip") return Reply::skip;
        if (*reply == "redo" && request.may_redo) return Reply::redo;
        dialogue_.say({{"event", "refused"},
                       {"why", "the reply is none of those that the request names"},
                       {"line", *reply}});
    }
}

std::optional<std::string> DrivenListener::read(const lab::Request& request) {
    const auto reply = dialogue_.ask(
        {{"event", "read"}, {"kind", name_of(request.kind)}, {"name", request.name}, {"text", request.text}});
    return reply ? reply : std::optional<std::string>("stop");
}

lab::RunListener::Reply DrivenListener::ending() {
    if (stop_at_failure_ && failed_) return Reply::stop;
    return dialogue_.command();
}

}  // namespace rt::cli
