// The same for many kept runs, several at once, on this machine or on a cluster.
#include <algorithm>
#include <atomic>
#include <chrono>
#include <iostream>
#include <iterator>
#include <map>
#include <mutex>
#include <nlohmann/json.hpp>
#include <set>
#include <thread>

#include "cli/command.hpp"
#include "core/base/error.hpp"
#include "core/base/text.hpp"
#include "lab/clock.hpp"
#include "lab/formats/files.hpp"
#include "lab/many/cluster.hpp"
#include "lab/many/work.hpp"
#include "lab/store/finding_query.hpp"
#include "lab/tally/tally.hpp"

namespace rt::cli {
namespace {

namespace fs = std::filesystem;

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
        const std::string unit = Tally::open(work.run).read_frame().head.detail("model");
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

std::string runs_text(std::size_t count) {
    return std::to_string(count) + (count == 1 ? " run" : " runs");
}

std::string progress_text(const std::vector<Work>& all) {
    std::size_t done = 0;
    for (const auto& work : all) done += work.code >= 0;
    return std::to_string(done) + " of " + runs_text(all.size());
}

void work_here(const Console& console, std::vector<Work>& all, const WorkKind& kind, std::size_t at_once) {
    std::atomic<std::size_t> next = 0;
    std::mutex mutex;
    const auto work_on = [&] {
        for (std::size_t i; (i = next++) < all.size();) {
            Work& work = all[i];
            if (work.before) continue;
            const int code = carry_out(work, kind);
            const std::lock_guard lock(mutex);
            work.code = code;
            if (!note_done(work, kind.folder, ""))
                console.attention("cannot note what is done in " + kind.folder.string());
            console.status(progress_text(all));
        }
    };
    std::vector<std::jthread> threads;
    for (std::size_t k = 0; k < std::min(at_once, all.size()); ++k) threads.emplace_back(work_on);
}

// As job arrays: what a job has not noted when the array is over was lost with it, and is sent again.
void work_on_cluster(const Console& console, std::vector<Work>& all, const WorkKind& kind, std::size_t most,
                     const std::string& options) {
    constexpr int most_times = 3;
    for (int time = 1; time <= most_times; ++time) {
        std::vector<Work> left;
        std::vector<double> costs;
        for (const auto& work : all) {
            if (work.code >= 0) continue;
            left.push_back(work);
            costs.push_back(cost_of(work.run));
        }
        if (left.empty()) return;
        if (time > 1)
            console.attention(left.size() == 1 ? std::string("1 run was lost with its job, and is sent again")
                                               : std::to_string(left.size()) +
                                                     " runs were lost with their jobs, and are sent again");
        const auto shares = shares_of(costs, most);
        for (std::size_t i = 0; i < shares.size(); ++i) {
            std::vector<Work> works;
            for (const auto k : shares[i]) works.push_back(left[k]);
            write_share(kind.folder / "shares" / (std::to_string(i + 1) + ".tsv"), kind, works);
        }
        const std::string job = submit(kind.folder, shares.size(), options);
        console.progress("job " + job + " on the cluster, " + std::to_string(shares.size()) + " shares");
        for (std::size_t there = 1; there > 0;) {
            there = still_there(job);
            take_notes(all, kind.folder);
            console.status(progress_text(all) + ", " + std::to_string(there) + " jobs");
            if (there > 0) std::this_thread::sleep_for(std::chrono::milliseconds(500));
        }
        // A file that another machine has written may take a moment to be seen here.
        for (const Deadline end(5); !end.passed();) {
            take_notes(all, kind.folder);
            if (std::all_of(all.begin(), all.end(), [](const Work& work) { return work.code >= 0; })) return;
            std::this_thread::sleep_for(std::chrono::milliseconds(200));
        }
    }
    constexpr int trouble = 5;
    for (auto& work : all)
        if (work.code < 0) work.code = trouble;
}

// Folders one a line, from a file or "-": what find --folders tells.
std::vector<std::string> listed_folders(const std::string& from) {
    std::string text;
    if (from == "-") {
        text.assign(std::istreambuf_iterator<char>(std::cin), {});
    } else {
        text = read_file(from);
    }
    std::vector<std::string> out;
    for (const auto line : split(std::string_view(text), '\n')) {
        const std::string folder(trim(line));
        if (!folder.empty()) out.push_back(folder);
    }
    if (out.empty())
        fail_input("--from " + from + ": lists no folder; rare-tally find --folders makes such a list");
    return out;
}

ExitCode perform_each(const Call& call) {
    const auto words = call.texts("words");
    if (words.size() == 2 && words.front() == "share") {  // what a job of the cluster calls
        do_share(words[1]);
        return ExitCode::passed;
    }
    const std::set<std::string> known{"judge", "verify", "report", "export", "push"};
    if (words.empty() || (words.size() < 2 && !call.flag("from")) || !known.contains(words.front()))
        fail_input(
            "each needs a command (judge, verify, report, export, push) and folders with runs: rare-tally "
            "each verify tallies/");
    const std::string command = words.front();
    std::vector<std::string> folders(words.begin() + 1, words.end());
    if (call.flag("from")) {
        const auto listed = listed_folders(call.text("from"));
        folders.insert(folders.end(), listed.begin(), listed.end());
    }
    std::vector<fs::path> runs;
    std::set<fs::path> there;
    for (const auto& folder : folders)
        for (auto& run : lab::runs_in(folder))
            if (there.insert(run).second) runs.push_back(std::move(run));
    const WorkKind kind{command, call.text("options"),
                        call.flag("out") ? fs::path(call.text("out")) : fs::path("each-" + command)};
    words_of(kind.options);
    const std::size_t at_once =
        call.flag("jobs") ? whole_option(call, "jobs", 1, 1000)
                          : (call.flag("cluster") ? 16 : std::max(1u, std::thread::hardware_concurrency()));
    make_folder(kind.folder);
    std::vector<Work> all = work_for(runs, kind);
    if (call.flag("cluster"))
        work_on_cluster(call.console, all, kind, at_once, call.text("cluster"));
    else
        work_here(call.console, all, kind, at_once);
    call.console.status("");
    std::map<int, std::size_t> codes;
    std::size_t before = 0;
    for (const auto& work : all) ++codes[work.code], before += work.before;
    for (const auto& work : all) {
        if (work.code == 0 || (command == "judge" && work.code == 1)) continue;
        call.console.out("exit code " + std::to_string(work.code) + "  " + printable(work.run.string()) +
                         "  see " + (kind.folder / (work.name + ".txt")).string() + ".err");
    }
    if (command == "judge") print_changes(call.console, all, kind.folder);
    call.console.out(
        runs_text(all.size()) + (before > 0 ? ", " + std::to_string(before) + " of them done before" : "") +
        ": " + std::to_string(codes[0]) + " passed, " + std::to_string(codes[1]) + " failed, " +
        std::to_string(codes[4]) + " without verdict, " + std::to_string(codes[2] + codes[3] + codes[5]) +
        " in trouble; " + kind.folder.string() + " has what each said");
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
            {{"from", "FILE", "runs one a line, as find --folders lists them; - for standard input"},
             {"options", "TEXT", "options of the command, as on its own command line"},
             {"out", "DIR", "folder for what each says; one that has notes of an earlier call is carried on"},
             {"jobs", "N",
              "how many at once; as many as there are cores without it; on a cluster how many shares, 16 "
              "without it"},
             {"cluster", "OPTIONS",
              "on a cluster, as a job array of Slurm: options of sbatch, or an empty text; the folders must "
              "be seen from "
              "there by the same names"}},
            "words",
            perform_each};
}

}  // namespace rt::cli
