#include "lab/many/cluster.hpp"

#include <fmt/core.h>

#include <algorithm>
#include <numeric>

#include "core/base/error.hpp"
#include "core/base/text.hpp"
#include "lab/formats/files.hpp"
#include "lab/program.hpp"

namespace rt::lab {
namespace {

namespace fs = std::filesystem;

constexpr std::string_view first_line = "share of rare-tally each, 1";

// For a shell: what is between single quotation marks stays as it is.
std::string quoted(const std::string& text) {
    std::string out = "'";
    for (const char c : text) out += c == '\'' ? std::string("'\\''") : std::string(1, c);
    return out + "'";
}

// Tabs and line ends divide a share's file.
void require_plain(const std::string& text) {
    if (text.find_first_of("\t\n") != std::string::npos)
        fail_input(text, "has a tab or a line end in its name: not for a cluster");
}

}  // namespace

std::vector<std::vector<std::size_t>> shares_of(const std::vector<double>& costs, std::size_t most) {
    std::vector<std::size_t> order(costs.size());
    std::iota(order.begin(), order.end(), 0);
    std::stable_sort(order.begin(), order.end(),
                     [&](std::size_t a, std::size_t b) { return costs[a] > costs[b]; });
    std::vector<std::vector<std::size_t>> out(std::min(most, costs.size()));
    std::vector<double> sums(out.size());
    for (const auto i : order) {
        const auto least =
            static_cast<std::size_t>(std::min_element(sums.begin(), sums.end()) - sums.begin());
        out[least].push_back(i);
        // One that costs nothing counts all the same.
        sums[least] += std::max(costs[i], 1.0);
    }
    return out;
}

double cost_of(const fs::path& run) {
    double out = 0;
    std::error_code error;
    for (fs::recursive_directory_iterator at(run, error), end; !error && at != end; at.increment(error)) {
        std::error_code none;
        const auto size = at->is_regular_file(none) ? at->file_size(none) : 0;
        if (!none) out += static_cast<double>(size);
    }
    return out;
}

void write_share(const fs::path& file, const WorkKind& kind, const std::vector<Work>& works) {
    require_plain(kind.options);
    require_plain(kind.folder.string());
    std::string text = std::string(first_line) + "\n" + kind.command + "\n" + kind.options + "\n" +
                       fs::absolute(kind.folder).string() + "\n";
    for (const auto& work : works) {
        require_plain(work.run.string());
        // Notes name the run as it was named to the call that collects them.
        text += work.run.string() + "\t" + work.name + "\t" + work.state + "\n";
    }
    make_folder(file.parent_path());
    write_file(file, text);
}

Share read_share(const fs::path& file) {
    const std::string text = read_file(file);
    const auto lines = split(std::string_view(text), '\n');
    if (lines.size() < 5 || lines[0] != first_line)
        fail_input(file.string(), "is no share of work that rare-tally each has made");
    Share out{{std::string(lines[1]), std::string(lines[2]), std::string(lines[3])}, {}};
    for (std::size_t i = 4; i < lines.size(); ++i) {
        if (lines[i].empty()) continue;
        const auto cells = split(lines[i], '\t');
        if (cells.size() != 3)
            fail_input(file.string() + ":" + std::to_string(i + 1),
                       "a run, its name and its state belong here");
        out.works.push_back({std::string(cells[0]), std::string(cells[1]), std::string(cells[2])});
    }
    return out;
}

void do_share(const fs::path& file) {
    Share share = read_share(file);
    take_notes(share.works, share.kind.folder);
    for (auto& work : share.works) {
        if (work.code >= 0) continue;
        work.code = carry_out(work, share.kind);
        if (!note_done(work, share.kind.folder, file.stem().string()))
            throw Error(ErrorKind::output, share.kind.folder.string(), "cannot note what is done");
    }
}

std::string submit(const fs::path& folder, std::size_t shares, const std::string& options) {
    const fs::path here = fs::absolute(folder), script = here / "shares" / "job.sh";
    const std::string program = fs::read_symlink("/proc/self/exe").string();
    write_file(script, "#!/bin/sh\n# A share of the work: which one, the array says.\nexec " +
                           quoted(program) + " each share " + quoted((here / "shares").string()) +
                           "/\"$SLURM_ARRAY_TASK_ID\".tsv\n");
    ProgramCall call;
    call.timeout_s = 60;
    call.words = {"/usr/bin/env",
                  "sbatch",
                  "--parsable",
                  "--requeue",
                  "--job-name=rare-tally",
                  "--chdir=" + fs::current_path().string(),
                  "--output=" + (here / "shares" / "job-%a.txt").string(),
                  fmt::format("--array=1-{}", shares)};
    for (auto& word : words_of(options)) call.words.push_back(std::move(word));
    call.words.push_back(script.string());
    const ProgramEnd end = run_program(call);
    const std::string number(trim(std::string_view(end.output).substr(0, end.output.find_first_of(";\n"))));
    if (!end.trouble.empty() || !to_double(number))
        fail_bench("the cluster takes no work: sbatch " +
                   (end.trouble.empty() ? "gives no number" : end.trouble) +
                   (end.said.empty() ? "" : ": " + last_line(end.said)));
    return number;
}

std::size_t still_there(const std::string& job) {
    ProgramCall call;
    call.timeout_s = 60;
    call.words = {"/usr/bin/env", "squeue", "--noheader", "--array", "--jobs=" + job, "--format=%T"};
    const ProgramEnd end = run_program(call);
    // A job that is over is no longer known after a while.
    if (!end.trouble.empty() && end.said.find("Invalid job id") != std::string::npos) return 0;
    if (!end.trouble.empty())
        fail_bench("the cluster does not say what it does: squeue " + end.trouble +
                   (end.said.empty() ? "" : ": " + last_line(end.said)));
    std::size_t out = 0;
    for (const auto line : split(std::string_view(end.output), '\n')) out += !trim(line).empty();
    return out;
}

}  // namespace rt::lab
