// The operator at a terminal: the program on a pseudo-terminal of its own, answered when it asks.
#pragma once

#include <poll.h>
#include <pty.h>
#include <sys/ioctl.h>

#include <chrono>
#include <functional>
#include <thread>

#include "tests/cli/program.hpp"

// One thing that the person does: types a line (or raises Ctrl-C) when the output since the last thing ends
// with `at`, `pause` later.
struct Keys {
    std::string text;
    std::string at = "] ";
    std::chrono::milliseconds pause{0};
};

// Runs the program in `folder` and does the things in turn; both streams come back together. `before`, if
// given, is typed at once, before anything was asked.
inline Said at_terminal(const std::filesystem::path& folder, std::vector<std::string> arguments,
                        const std::vector<Keys>& keys, const std::string& before = "") {
    Said said;
    int terminal = -1;
    const pid_t child = ::forkpty(&terminal, nullptr, nullptr, nullptr);
    if (child == 0) become(folder, binary(), std::move(arguments));
    const auto type = [&](const std::string& text) {
        for (std::string_view left = text; !left.empty();) {
            const auto wrote = ::write(terminal, left.data(), left.size());
            if (wrote <= 0) return;
            left.remove_prefix(static_cast<std::size_t>(wrote));
        }
    };
    type(before);
    std::size_t next = 0, seen = 0;
    const auto deadline = std::chrono::steady_clock::now() + std::chrono::seconds(120);
    for (;;) {
        pollfd entry{terminal, POLLIN, 0};
        if (::poll(&entry, 1, 200) > 0) {
            char chunk[4096];
            const auto count = ::read(terminal, chunk, sizeof chunk);
            if (count <= 0) break;  // the program has ended
            said.out.append(chunk, static_cast<std::size_t>(count));
        }
        if (next < keys.size()) {
            const std::string fresh = said.out.substr(seen);
            if (fresh.ends_with(keys[next].at) ||
                (keys[next].at != "] " && fresh.find(keys[next].at) != std::string::npos)) {
                seen = said.out.size();
                std::this_thread::sleep_for(keys[next].pause);
                type(keys[next++].text);
            }
        }
        if (std::chrono::steady_clock::now() > deadline) {
            ::kill(child, SIGKILL);
            said.out += "\n(still running after two minutes: killed)\n";
            break;
        }
    }
    said.code = wait_for(child);
    ::close(terminal);
    return said;
}

// Lines typed one after the other, each at a question.
inline Said at_terminal_lines(const std::filesystem::path& folder, std::vector<std::string> arguments,
                              const std::vector<std::string>& lines) {
    std::vector<Keys> keys;
    for (const auto& line : lines) keys.push_back({line + "\n"});
    return at_terminal(folder, std::move(arguments), keys);
}
