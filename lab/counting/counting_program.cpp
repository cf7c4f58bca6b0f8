#include "lab/counting/counting_program.hpp"

#include <fcntl.h>
#include <poll.h>
#include <signal.h>
#include <spawn.h>
#include <sys/socket.h>
#include <sys/wait.h>
#include <unistd.h>

#include <array>
#include <cerrno>
#include <cstring>
#include <nlohmann/json.hpp>

#include "core/base/error.hpp"
#include "core/base/text.hpp"
#include "lab/clock.hpp"

namespace rt::lab {
namespace {

using nlohmann::json;

constexpr int protocol = 1;
constexpr std::size_t longest_line = 65536;

}  // namespace

// Counts only grow; errors are never more than what was counted.
SaidCounts counts_said(const std::string& answer, const ProgramCounts& before) {
    const json said = json::parse(answer, nullptr, false);
    const auto odd = [](std::string why) { return SaidCounts{{}, std::move(why)}; };
    if (!said.is_object() || said.value("counting", json()) != protocol)
        return odd("an object with \"counting\":1 was expected");
    if (said.contains("error")) return odd("it says that it cannot count");
    ProgramCounts out;
    for (const auto& [key, into] : {std::pair{"frames", &out.frames},
                                    {"frame_errors", &out.frame_errors},
                                    {"bits", &out.bits},
                                    {"bit_errors", &out.bit_errors}}) {
        if (!said.contains(key)) continue;
        const auto& value = said[key];
        constexpr std::uint64_t most = 9'000'000'000'000'000U;
        if (!value.is_number_integer() || (!value.is_number_unsigned() && value.get<std::int64_t>() < 0) ||
            value.get<std::uint64_t>() > most)
            return odd(std::string(key) + " is no whole number from 0 to 9e15");
        *into = value.get<std::uint64_t>();
    }
    for (const auto& [key, value] : said.items()) {
        if (key != "counting" && key != "frames" && key != "frame_errors" && key != "bits" &&
            key != "bit_errors" && key != "locked" && key != "note")
            return odd("the key " + in_quotes(key) + " is not known");
    }
    if (!said.contains("frames") && !said.contains("bits")) return odd("it has neither frames nor bits");
    if (!said.contains("locked") || !said["locked"].is_boolean())
        return odd("\"locked\" is missing: true while the pattern is seen, else false");
    out.locked = said["locked"].get<bool>();
    if (out.frame_errors > out.frames || out.bit_errors > out.bits)
        return odd("more errors than were counted");
    if (out.frames < before.frames || out.frame_errors < before.frame_errors || out.bits < before.bits ||
        out.bit_errors < before.bit_errors)
        return odd("fewer than before: it began anew meanwhile");
    return {out, {}};
}

// One socket for both ways: a program that has died gives an error here and no signal.
CountingProgram::CountingProgram(std::string path, double timeout_s)
    : path_(std::move(path)), timeout_s_(timeout_s) {
    std::array<int, 2> ends{-1, -1};
    if (::socketpair(AF_UNIX, SOCK_STREAM | SOCK_CLOEXEC, 0, ends.data()) != 0)
        fail_bench(path_ + " cannot be spoken to: " + std::strerror(errno));
    posix_spawn_file_actions_t actions;
    posix_spawn_file_actions_init(&actions);
    posix_spawn_file_actions_adddup2(&actions, ends[1], STDIN_FILENO);
    posix_spawn_file_actions_adddup2(&actions, ends[1], STDOUT_FILENO);
    posix_spawnattr_t attributes;
    posix_spawnattr_init(&attributes);
    posix_spawnattr_setflags(&attributes, POSIX_SPAWN_SETPGROUP);
    posix_spawnattr_setpgroup(&attributes, 0);
    std::array<char*, 2> words{path_.data(), nullptr};
    const int error = ::posix_spawn(&child_, path_.c_str(), &actions, &attributes, words.data(), environ);
    posix_spawnattr_destroy(&attributes);
    posix_spawn_file_actions_destroy(&actions);
    ::close(ends[1]);
    to_ = from_ = ends[0];
    if (error != 0) {
        ::close(ends[0]);
        child_ = 0, to_ = from_ = -1;
        fail_bench(path_ + " cannot be started: " + std::strerror(error));
    }
}

// Its input ends: it has a moment to end by itself.
CountingProgram::~CountingProgram() {
    if (child_ == 0) return;
    ::shutdown(to_, SHUT_WR);
    const Deadline deadline(0.5);
    int status = 0;
    while (::waitpid(child_, &status, WNOHANG) == 0) {
        if (deadline.passed()) {
            ::kill(-child_, SIGKILL);
            ::waitpid(child_, &status, 0);
            break;
        }
        clock().sleep(0.005);
    }
    ::kill(-child_, SIGKILL);  // what it has started
    ::close(to_);
}

void CountingProgram::fail(const std::string& why) {
    fail_bench("the counting program " + path_ + " " + why);
}

std::string CountingProgram::ask(const std::string& line, const char* what) {
    const std::string out = line + "\n";
    if (::send(to_, out.data(), out.size(), MSG_NOSIGNAL) != static_cast<ssize_t>(out.size()))
        fail(std::string("has ended before it was told to ") + what);
    const Deadline deadline(timeout_s_);
    for (;;) {
        if (const auto end = waiting_.find('\n'); end != std::string::npos) {
            std::string answer = waiting_.substr(0, end);
            waiting_.erase(0, end + 1);
            return answer;
        }
        if (waiting_.size() > longest_line) fail("says more than fits a line");
        pollfd entry{from_, POLLIN, 0};
        const int ready = ::poll(&entry, 1, 50);
        if (deadline.passed())
            fail(std::string("does not answer ") + what + " within " + exact(timeout_s_) + " s");
        if (ready <= 0) continue;
        char chunk[4096];
        const auto count = ::read(from_, chunk, sizeof chunk);
        if (count <= 0) fail(std::string("has ended when it was to ") + what);
        waiting_.append(chunk, static_cast<std::size_t>(count));
    }
}

void CountingProgram::start(std::uint64_t wanted) {
    last_ = {};
    const json request{{"counting", protocol}, {"do", "start"}, {"wanted", wanted}};
    const std::string answer = ask(request.dump(), "start");
    const json said = json::parse(answer, nullptr, false);
    if (!said.is_object() || said.value("counting", json()) != protocol ||
        said.value("started", json()) != true) {
        const bool other = said.is_object() && said.contains("counting") && said["counting"] != protocol;
        fail("answers start by " + in_quotes(answer) +
             (other ? ": another version of the protocol, 1 is spoken here"
                    : ": {\"counting\":1,\"started\":true} was expected"));
    }
}

ProgramCounts CountingProgram::counts(const char* what) {
    const json request{{"counting", protocol}, {"do", what}};
    const std::string answer = ask(request.dump(), what);
    const SaidCounts said = counts_said(answer, last_);
    if (!said.odd.empty())
        fail(std::string("answers ") + what + " by " + in_quotes(answer) + ": " + said.odd);
    return last_ = said.counts;
}

ProgramCounts CountingProgram::read() {
    return counts("read");
}

ProgramCounts CountingProgram::stop() {
    return counts("stop");
}

}  // namespace rt::lab
