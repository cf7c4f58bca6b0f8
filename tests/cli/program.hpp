// Runs the built program and keeps what it said.
#pragma once

#include <fcntl.h>
#include <sys/wait.h>
#include <unistd.h>

#include <algorithm>
#include <cerrno>
#include <cstdlib>
#include <string>
#include <vector>

#include "tests/lab/folder.hpp"

struct Said {
    int code = -1;
    std::string out, err;
};

// A program of the build under test: the one these tests were built with, or the one RT_BUILD names. What
// starts the programs needs no sanitizers itself.
inline std::string in_build(const char* program) {
    const char* build = std::getenv("RT_BUILD");
    return std::string(build ? build : RT_BUILT_WITH) + "/bin/" + program;
}
inline std::string binary() {
    return in_build("rare-tally");
}

using Environment = std::vector<std::pair<std::string, std::string>>;

// In a child: becomes the program, in `folder`.
[[noreturn]] inline void become(const std::filesystem::path& folder, const std::string& program,
                                std::vector<std::string> arguments) {
    std::vector<char*> argv{const_cast<char*>(program.c_str())};
    for (auto& argument : arguments) argv.push_back(argument.data());
    argv.push_back(nullptr);
    if (::chdir(folder.c_str()) != 0) ::_exit(126);
    ::execv(program.c_str(), argv.data());
    ::_exit(127);
}

// Starts a program in `folder`; its two streams go to files.
inline pid_t start_in(const std::filesystem::path& folder, const std::string& program,
                      std::vector<std::string> arguments, const std::string& out = "/dev/null",
                      const std::string& err = "/dev/null", const Environment& environment = {}) {
    const pid_t child = ::fork();
    if (child != 0) return child;
    const int out_file = ::open(out.c_str(), O_WRONLY | O_CREAT, 0600),
              err_file = ::open(err.c_str(), O_WRONLY | O_CREAT, 0600);
    ::dup2(out_file, 1);
    ::dup2(err_file, 2);
    for (const auto& [name, value] : environment) ::setenv(name.c_str(), value.c_str(), 1);
    become(folder, program, std::move(arguments));
}

// Its exit code, or 128 when a signal ended it.
inline int wait_for(pid_t child) {
    int status = 0;
    while (::waitpid(child, &status, 0) < 0 && errno == EINTR) {
    }
    return WIFEXITED(status) ? WEXITSTATUS(status) : 128;
}

inline Said run_in(const std::filesystem::path& folder, const std::string& program,
                   std::vector<std::string> arguments, const Environment& environment = {}) {
    TestFolder scratch;
    const std::string out = (scratch / "out").string(), err = (scratch / "err").string();
    const int code = wait_for(start_in(folder, program, std::move(arguments), out, err, environment));
    return {code, rt::lab::read_file(out), rt::lab::read_file(err)};
}

inline Said rare_tally(const std::filesystem::path& folder, std::vector<std::string> arguments,
                       const Environment& environment = {}) {
    return run_in(folder, binary(), std::move(arguments), environment);
}

inline bool contains(const std::string& text, const std::string& part) {
    return text.find(part) != std::string::npos;
}

inline std::size_t lines(const std::string& text) {
    return static_cast<std::size_t>(std::count(text.begin(), text.end(), '\n'));
}
