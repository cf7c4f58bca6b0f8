#include "lab/run/setter.hpp"

#include <fcntl.h>
#include <poll.h>
#include <signal.h>
#include <spawn.h>
#include <sys/wait.h>
#include <unistd.h>

#include <algorithm>
#include <chrono>
#include <cstring>
#include <set>
#include <thread>

#include "core/base/error.hpp"
#include "core/base/text.hpp"

namespace rt::lab {

Setter::Setter(BenchConnection& bench, std::function<void(const std::string&)> by_hand,
               std::function<double(const std::string&, double)> path)
    : bench_(bench), by_hand_(std::move(by_hand)), path_(std::move(path)) {}

void Setter::forget(const std::string& role) {
    present_.erase(role);
    // The unit may have lost its power, and its settings with it.
    const Instrument* instrument = bench_.bench().find(role);
    if (instrument && instrument->is("supply")) present_.erase("unit");
}

std::string Setter::doubt() const {
    return doubts_.empty() ? "" : doubts_.begin()->second;
}

void Setter::apply(std::vector<std::pair<SettingTarget, std::string>> wanted) {
    // A level depends on the frequency of its source through the path, and everything of the unit on its
    // supply.
    const auto feeds = [&](const SettingTarget& target) {
        const Instrument* instrument = bench_.bench().find(target.role);
        return instrument && instrument->is("supply");
    };
    std::stable_partition(wanted.begin(), wanted.end(),
                          [](const auto& w) { return w.first.setting == "frequency"; });
    std::stable_partition(wanted.begin(), wanted.end(), [&](const auto& w) { return feeds(w.first); });
    std::map<std::string, double> frequency;
    std::set<std::string> begun;
    for (auto& [target, value] : wanted) {
        const bool source = target.role != "unit";
        if (source && target.setting == "frequency")
            frequency[target.role] = parse_quantity(value, Unit::hertz).value;
        if (source && target.setting == "level") {
            const double level = parse_quantity(value, Unit::dbm).value;
            const auto hz = frequency.find(target.role);
            const double loss = path_(target.role, hz == frequency.end() ? 0 : hz->second);
            if (loss != 0) value = decimal(level + loss, 3) + " dBm";
        }
        auto& present = present_[target.role];
        const auto at = present.find(target.setting);
        if (at != present.end() && at->second == value) continue;
        present.erase(target.setting);
        send(target, value);
        // A unit whose supply was set begins anew, for all that is known.
        if (feeds(target)) forget("unit");
        present_[target.role][target.setting] = value;
        begun.insert(target.role);
    }
    for (const auto& role : begun) {
        if (!bench_.speaks(role)) continue;
        const std::string doubt = bench_.role(role).settle();
        if (doubt.empty()) {
            doubts_.erase(role);
        } else {
            doubts_[role] = doubt;
            forget(role);  // moved once more for the next point
        }
    }
}

void Setter::send(const SettingTarget& target, const std::string& value) {
    const Instrument& instrument = *bench_.bench().find(target.role);
    bench_.use(target.role);
    switch (instrument.place.kind) {
        case Address::Kind::by_hand:
            return by_hand_("set the unit: " + target.setting + " = " + value);
        case Address::Kind::program:
            return set_by_program(instrument, target.setting, value);
        case Address::Kind::files:
            return;  // recorded captures are as they are
        default:
            break;
    }
    InstrumentRole& role = bench_.role(target.role);
    role.begin(target.setting, value);
    // One after the other: a refusal names the setting it belongs to.
    if (instrument.is("positioner")) {
        role.require_taken();
    } else {
        role.settle();
    }
}

// Runs "PROGRAM SETTING VALUE"; its exit code 0 means done, its last words go into the error.
void Setter::set_by_program(const Instrument& unit, const std::string& setting, const std::string& value) {
    int ends[2];
    if (::pipe2(ends, O_CLOEXEC) != 0) fail_bench(std::string("unit: ") + std::strerror(errno));
    posix_spawn_file_actions_t actions;
    posix_spawn_file_actions_init(&actions);
    posix_spawn_file_actions_adddup2(&actions, ends[1], STDOUT_FILENO);
    posix_spawn_file_actions_adddup2(&actions, ends[1], STDERR_FILENO);
    std::string words[] = {unit.place.path, setting, value};
    char* arguments[] = {words[0].data(), words[1].data(), words[2].data(), nullptr};
    pid_t child = 0;
    const int error = ::posix_spawn(&child, words[0].c_str(), &actions, nullptr, arguments, environ);
    posix_spawn_file_actions_destroy(&actions);
    ::close(ends[1]);
    if (error != 0) {
        ::close(ends[0]);
        fail_bench("unit: the program " + unit.place.path + " cannot be started: " + std::strerror(error));
    }
    const auto deadline = std::chrono::steady_clock::now() + std::chrono::duration<double>(unit.timeout_s);
    std::string said;
    bool late = false;
    for (;;) {
        const auto left = std::chrono::duration_cast<std::chrono::milliseconds>(
            deadline - std::chrono::steady_clock::now());
        pollfd entry{ends[0], POLLIN, 0};
        if (left.count() <= 0 || ::poll(&entry, 1, static_cast<int>(left.count())) == 0) {
            late = true;
            ::kill(child, SIGKILL);
            break;
        }
        char chunk[512];
        const auto count = ::read(ends[0], chunk, sizeof chunk);
        if (count <= 0) break;
        said.append(chunk, static_cast<std::size_t>(count));
        if (said.size() > 4096) said.erase(0, said.size() - 4096);
    }
    ::close(ends[0]);
    // One that closed its output and runs on is waited for no longer than one that says nothing.
    int status = 0;
    while (::waitpid(child, &status, late ? 0 : WNOHANG) == 0) {
        if (std::chrono::steady_clock::now() >= deadline) {
            late = true;
            ::kill(child, SIGKILL);
        } else {
            std::this_thread::sleep_for(std::chrono::milliseconds(1));
        }
    }
    if (late) fail_bench("unit: " + unit.place.path + " did not end within " + exact(unit.timeout_s) + " s");
    if (WIFEXITED(status) && WEXITSTATUS(status) == 0) return;
    const auto text = trim(said);
    const auto line = text.substr(text.rfind('\n') == std::string_view::npos ? 0 : text.rfind('\n') + 1);
    fail_bench("unit: " + unit.place.path + " did not set " + setting + " = " + in_quotes(value) + ": " +
               (line.empty() ? "it ended without a word" : in_quotes(line)));
}

}  // namespace rt::lab
