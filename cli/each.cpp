// The same for many kept runs, several at once.
#include <fcntl.h>
#include <spawn.h>
#include <sys/wait.h>
#include <unistd.h>

#include <atomic>
#include <map>
#include <mutex>
#include <nlohmann/json.hpp>
#include <set>
#include <thread>

#include "cli/command.hpp"
#include "core/base/error.hpp"
#include "core/base/text.hpp"
#include "lab/formats/files.hpp"
#include "lab/store/finding_query.hpp"
#include "lab/tally/tally.hpp"

extern char** environ;

namespace rt::cli {
namespace {

namespace fs = std::filesystem;

constexpr const char* done_file = "done.tsv";

// Options as a shell would take them apart: words, those with spaces in quotation marks.
std::vector<std::string> words_of(const std::string& text) {
    std::vector<std::string> out;
    std::string word;
    bool open = false, any = false;
    for (const char c : text) {
        if (c == '"') {
            open = !open, any = true;
        } else if (c == ' ' && !open) {
            if (any) out.push_back(std::exchange(word, {}));
            any = false;
        } else {
            word += c, any = true;
        }
    }
    if (open) fail_input("--options " + text + ": a quotation mark is not closed");
    if (any) out.push_back(word);
    return out;
}

// A name for what comes of a run: its folder, told apart where several are called so.
std::vector<std::string> names_of(const std::vector<fs::path>& runs) {
    std::vector<std::string> out;
    std::map<std::string, int> taken;
    for (const auto& run : runs) {
        std::string name = slug(fs::absolute(run).lexically_normal().filename().string());
        if (const int count = ++taken[name]; count > 1) name += "-" + std::to_string(count);
        out.push_back(name);
    }
    return out;
}

struct Work {
    fs::path run;
    std::string name, state;  // of the run when the work was done: its seal list
    int code = -1;
    bool before = false;  // done by an earlier call
};

std::string state_of(const fs::path& run, const std::string& options) {
    std::error_code error;
    const fs::path seals = run / "tally.seals";
    return sha256((fs::exists(seals, error) ? read_file(seals) : std::string()) + "\n" + options);
}

// Runs the program itself; both streams go to files.
int carry_out_for(const std::vector<std::string>& arguments, const fs::path& out) {
    const std::string program = fs::read_symlink("/proc/self/exe").string();
    std::vector<std::string> all{program};
    all.insert(all.end(), arguments.begin(), arguments.end());
    std::vector<char*> pointers;
    for (auto& argument : all) pointers.push_back(argument.data());
    pointers.push_back(nullptr);
    fs::path said = out;
    said += ".err";
    posix_spawn_file_actions_t actions;
    posix_spawn_file_actions_init(&actions);
    posix_spawn_file_actions_addopen(&actions, STDIN_FILENO, "/dev/null", O_RDONLY, 0);
    posix_spawn_file_actions_addopen(&actions, STDOUT_FILENO, out.c_str(), O_WRONLY | O_CREAT | O_TRUNC,
                                     0644);
    posix_spawn_file_actions_addopen(&actions, STDERR_FILENO, said.c_str(), O_WRONLY | O_CREAT | O_TRUNC,
                                     0644);
    pid_t child = 0;
    const int code = posix_spawn(&child, program.c_str(), &actions, nullptr, pointers.data(), environ);
    posix_spawn_file_actions_destroy(&actions);
    if (code != 0) return 5;
    int status = 0;
    while (waitpid(child, &status, 0) < 0 && errno == EINTR) {
    }
    return WIFEXITED(status) ? WEXITSTATUS(status) : 5;
}

// What an earlier call has done and noted.
std::map<std::string, std::pair<std::string, int>> noted(const fs::path& file) {
    std::map<std::string, std::pair<std::string, int>> out;
    std::error_code error;
    if (!fs::exists(file, error)) return out;
    const std::string text = read_file(file);
    for (const auto line : split(std::string_view(text), '\n')) {
        const auto cells = split(line, '\t');
        const auto code = cells.size() == 3 ? to_double(cells[2]) : std::nullopt;
        if (code) out[std::string(cells[0])] = {std::string(cells[1]), static_cast<int>(*code)};
    }
    return out;
}

// Of judgements: findings whose verdict is another now, by rule and by unit.
void print_changes(const Console& console, const std::vector<Work>& all, const fs::path& folder) {
    std::map<std::string, std::size_t> by_rule, by_unit;
    std::size_t findings = 0, changed = 0, verdicts = 0;
    for (const auto& work : all) {
        const fs::path file = folder / (work.name + ".json");
        std::error_code error;
        if (work.code > 4 || !fs::exists(file, error)) continue;
        const auto document = nlohmann::json::parse(read_file(file), nullptr, false);
        if (!document.is_object()) continue;
        findings += document.value("findings", std::size_t{0});
        const std::string unit = Tally::open(work.run).read().head.detail("model");
        for (const auto& change : document.value("differences", nlohmann::json::array())) {
            ++changed;
            const auto before = change.value("before", nlohmann::json::object()),
                       after = change.value("after", nlohmann::json::object());
            if (before.value("verdict", "") == after.value("verdict", "")) continue;
            ++verdicts;
            ++by_rule[before.value("rule", "")];
            ++by_unit[unit];
        }
    }
    console.out(std::to_string(findings) + " findings judged again, " + std::to_string(changed) +
                " differ, " + std::to_string(verdicts) + " in their verdict");
    for (const auto& [what, counts] : {std::pair("rule", &by_rule), {"unit", &by_unit}}) {
        std::vector<std::vector<std::string>> rows;
        for (const auto& [name, count] : *counts)
            rows.push_back({what, printable(name), std::to_string(count)});
        for (const auto& line : aligned(rows, "  ")) console.out(line);
    }
}

ExitCode perform_each(const Call& call) {
    const auto words = call.texts("words");
    const std::set<std::string> known{"judge", "verify", "report", "export", "push"};
    if (words.size() < 2 || !known.contains(words.front()))
        fail_input(
            "each needs a command (judge, verify, report, export, push) and folders with runs: rare-tally "
            "each "
            "verify tallies/");
    const std::string command = words.front();
    std::vector<fs::path> runs;
    for (std::size_t i = 1; i < words.size(); ++i)
        for (auto& run : lab::runs_in(words[i])) runs.push_back(std::move(run));
    const fs::path folder = call.flag("out") ? fs::path(call.text("out")) : fs::path("each-" + command);
    const auto options = words_of(call.text("options"));
    const std::size_t at_once = call.flag("jobs") ? whole_option(call, "jobs", 1, 256)
                                                  : std::max(1u, std::thread::hardware_concurrency());
    make_folder(folder);
    const std::string how = command + "\n" + call.text("options");
    const auto earlier = noted(folder / done_file);
    std::vector<Work> all;
    const auto names = names_of(runs);
    for (std::size_t i = 0; i < runs.size(); ++i) {
        Work work{runs[i], names[i], state_of(runs[i], how)};
        if (const auto at = earlier.find(runs[i].string());
            at != earlier.end() && at->second.first == work.state)
            work.code = at->second.second, work.before = true;
        all.push_back(std::move(work));
    }
    std::atomic<std::size_t> next = 0, done = 0;
    std::mutex mutex;
    const auto note = [&](const Work& work) {
        const std::lock_guard lock(mutex);
        const int file =
            ::open((folder / done_file).c_str(), O_WRONLY | O_CREAT | O_APPEND | O_CLOEXEC, 0644);
        const std::string line =
            work.run.string() + "\t" + work.state + "\t" + std::to_string(work.code) + "\n";
        if (file < 0 || ::write(file, line.data(), line.size()) != static_cast<ssize_t>(line.size()))
            call.console.attention("cannot note what is done in " + (folder / done_file).string());
        if (file >= 0) ::close(file);
        call.console.status(std::to_string(done) + " of " + std::to_string(all.size()) + " runs");
    };
    const auto work_on = [&] {
        for (std::size_t i; (i = next++) < all.size();) {
            Work& work = all[i];
            if (!work.before) {
                std::vector<std::string> arguments{command, work.run.string()};
                if (command == "judge")
                    arguments.insert(arguments.end(), {"--out", (folder / (work.name + ".json")).string()});
                arguments.insert(arguments.end(), options.begin(), options.end());
                work.code = carry_out_for(arguments, folder / (work.name + ".txt"));
            }
            ++done;
            note(work);
        }
    };
    {
        std::vector<std::jthread> threads;
        for (std::size_t k = 0; k < std::min(at_once, all.size()); ++k) threads.emplace_back(work_on);
    }
    call.console.status("");
    std::map<int, std::size_t> codes;
    std::size_t before = 0;
    for (const auto& work : all) ++codes[work.code], before += work.before;
    for (const auto& work : all) {
        if (work.code == 0 || (command == "judge" && work.code == 1)) continue;
        call.console.out("exit code " + std::to_string(work.code) + "  " + printable(work.run.string()) +
                         "  see " + (folder / (work.name + ".txt")).string() + ".err");
    }
    if (command == "judge") print_changes(call.console, all, folder);
    call.console.out(std::to_string(all.size()) + " runs" +
                     (before > 0 ? ", " + std::to_string(before) + " of them done before" : "") + ": " +
                     std::to_string(codes[0]) + " passed, " + std::to_string(codes[1]) + " failed, " +
                     std::to_string(codes[4]) + " without verdict, " +
                     std::to_string(codes[2] + codes[3] + codes[5]) + " in trouble; " + folder.string() +
                     " has what each said");
    if (codes[2] + codes[3] + codes[5] > 0) return ExitCode::trouble;
    if (codes[1] > 0) return ExitCode::failed;
    return codes[4] > 0 ? ExitCode::no_verdict : ExitCode::passed;
}

}  // namespace

Command each_command() {
    return {"each",
            "COMMAND FOLDER... [--options \"...\"]",
            "judge, verify, report, export or push for all runs in folders, several at once; what was done "
            "is not done "
            "again",
            "rare-tally each judge tallies/ --options \"--rulebook ours.toml --instead cispr-32=ours\" --out "
            "by-monday",
            {{"options", "TEXT", "options of the command, as on its own command line"},
             {"out", "DIR", "folder for what each says; one that has notes of an earlier call is carried on"},
             {"jobs", "N", "how many at once; as many as there are cores without it"}},
            "words",
            perform_each};
}

}  // namespace rt::cli
