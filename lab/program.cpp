#include "lab/program.hpp"

#include <fcntl.h>
#include <poll.h>
#include <signal.h>
#include <spawn.h>
#include <sys/wait.h>
#include <unistd.h>

#include <array>
#include <cerrno>
#include <chrono>
#include <cstring>
#include <thread>

#include "core/base/text.hpp"

namespace rt::lab {
namespace {

using Steady = std::chrono::steady_clock;

constexpr std::size_t most_said = 4096;  // of standard error, from its end

// The reading end of a pipe into which the program writes.
class Listening {
  public:
    Listening() { opened_ = ::pipe2(ends_.data(), O_CLOEXEC) == 0; }
    ~Listening() {
        close_writer();
        if (opened_) ::close(ends_[0]);
    }
    Listening(const Listening&) = delete;
    Listening& operator=(const Listening&) = delete;

    bool opened() const { return opened_; }
    int writer() const { return ends_[1]; }
    int reader() const { return ended_ ? -1 : ends_[0]; }
    void close_writer() {
        if (opened_ && !writer_closed_) ::close(ends_[1]);
        writer_closed_ = true;
    }
    // What is there now.
    void read(std::string& text) {
        char chunk[65536];
        const auto count = ::read(ends_[0], chunk, sizeof chunk);
        if (count > 0) text.append(chunk, static_cast<std::size_t>(count));
        ended_ = count == 0 || (count < 0 && errno != EINTR && errno != EAGAIN);
    }

  private:
    std::array<int, 2> ends_{-1, -1};
    bool opened_ = false, writer_closed_ = false, ended_ = false;
};

// In a group of its own, so that what it starts ends with it. Gives an error number, 0 when it runs.
int start(const ProgramCall& call, const Listening& output, const Listening& said, pid_t& child) {
    std::vector<std::string> words = call.words;
    std::vector<char*> pointers;
    for (auto& word : words) pointers.push_back(word.data());
    pointers.push_back(nullptr);
    const std::string input = call.input.empty() ? "/dev/null" : call.input.string();
    posix_spawn_file_actions_t actions;
    posix_spawn_file_actions_init(&actions);
    posix_spawn_file_actions_addopen(&actions, STDIN_FILENO, input.c_str(), O_RDONLY, 0);
    posix_spawn_file_actions_adddup2(&actions, output.writer(), STDOUT_FILENO);
    posix_spawn_file_actions_adddup2(&actions, said.writer(), STDERR_FILENO);
    posix_spawnattr_t attributes;
    posix_spawnattr_init(&attributes);
    posix_spawnattr_setflags(&attributes, POSIX_SPAWN_SETPGROUP);
    posix_spawnattr_setpgroup(&attributes, 0);
    const int error =
        ::posix_spawn(&child, words.front().c_str(), &actions, &attributes, pointers.data(), environ);
    posix_spawnattr_destroy(&attributes);
    posix_spawn_file_actions_destroy(&actions);
    return error;
}

// Reads both until the program has closed them, the time is over, or it says too much.
std::string listen(const ProgramCall& call, Listening& output, Listening& said, Steady::time_point deadline,
                   ProgramEnd& end) {
    while (output.reader() >= 0 || said.reader() >= 0) {
        const auto left =
            std::chrono::duration_cast<std::chrono::milliseconds>(deadline - Steady::now()).count();
        if (left <= 0) return "did not end within " + exact(call.timeout_s) + " s";
        std::array<pollfd, 2> entries{pollfd{output.reader(), POLLIN, 0}, pollfd{said.reader(), POLLIN, 0}};
        if (::poll(entries.data(), entries.size(), static_cast<int>(std::min<long long>(left, 1000))) <= 0)
            continue;
        if (entries[0].revents != 0) output.read(end.output);
        if (entries[1].revents != 0) said.read(end.said);
        if (end.said.size() > most_said) end.said.erase(0, end.said.size() - most_said);
        if (end.output.size() > call.most_output)
            return "wrote more than " + std::to_string(call.most_output) + " bytes";
    }
    return {};
}

}  // namespace

ProgramEnd run_program(const ProgramCall& call) {
    ProgramEnd end;
    Listening output, said;
    if (!output.opened() || !said.opened()) {
        end.trouble = std::string("cannot be listened to: ") + std::strerror(errno);
        return end;
    }
    pid_t child = 0;
    if (const int error = start(call, output, said, child); error != 0) {
        end.trouble = std::string("cannot be started: ") + std::strerror(error);
        return end;
    }
    output.close_writer();
    said.close_writer();
    const auto deadline = Steady::now() + std::chrono::duration_cast<Steady::duration>(
                                              std::chrono::duration<double>(call.timeout_s));
    end.trouble = listen(call, output, said, deadline, end);
    // One that closed its output and runs on is waited for no longer than one that says nothing.
    int status = 0;
    if (!end.trouble.empty()) ::kill(-child, SIGKILL);
    while (::waitpid(child, &status, end.trouble.empty() ? WNOHANG : 0) == 0) {
        if (Steady::now() < deadline) {
            std::this_thread::sleep_for(std::chrono::milliseconds(1));
            continue;
        }
        end.trouble = "did not end within " + exact(call.timeout_s) + " s";
        ::kill(-child, SIGKILL);
    }
    if (!end.trouble.empty()) return end;
    if (WIFSIGNALED(status)) end.trouble = "was ended by signal " + std::to_string(WTERMSIG(status));
    if (WIFEXITED(status) && WEXITSTATUS(status) != 0)
        end.trouble = "ended with exit code " + std::to_string(WEXITSTATUS(status));
    return end;
}

std::string last_line(const std::string& text) {
    const auto trimmed = trim(text);
    if (trimmed.empty()) return {};
    const auto before = trimmed.rfind('\n');
    return in_quotes(trimmed.substr(before == std::string_view::npos ? 0 : before + 1));
}

}  // namespace rt::lab
