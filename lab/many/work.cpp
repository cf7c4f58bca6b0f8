#include "lab/many/work.hpp"

#include <fcntl.h>
#include <spawn.h>
#include <sys/wait.h>
#include <unistd.h>

#include <algorithm>
#include <chrono>
#include <map>
#include <utility>

#include "core/base/error.hpp"
#include "core/base/text.hpp"
#include "lab/formats/files.hpp"

extern char** environ;

namespace rt::lab {
namespace {

namespace fs = std::filesystem;

constexpr std::string_view notes_begin = "done", notes_end = ".tsv";

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

std::string state_of(const fs::path& run, const WorkKind& kind) {
    std::error_code error;
    const fs::path seals = run / "tally.seals";
    return sha256((fs::exists(seals, error) ? read_file(seals) : std::string()) + "\n" + kind.command + "\n" +
                  kind.options);
}

std::vector<fs::path> note_files(const fs::path& folder) {
    std::vector<fs::path> out;
    std::error_code error;
    for (fs::directory_iterator at(folder, error), end; !error && at != end; at.increment(error)) {
        const std::string name = at->path().filename().string();
        if (name.starts_with(notes_begin) && name.ends_with(notes_end)) out.push_back(at->path());
    }
    std::sort(out.begin(), out.end());
    return out;
}

}  // namespace

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

std::vector<Work> work_for(const std::vector<fs::path>& runs, const WorkKind& kind) {
    std::vector<Work> all;
    const auto names = names_of(runs);
    for (std::size_t i = 0; i < runs.size(); ++i) all.push_back({runs[i], names[i], state_of(runs[i], kind)});
    take_notes(all, kind.folder);
    for (auto& work : all) work.before = work.code >= 0;
    return all;
}

void take_notes(std::vector<Work>& all, const fs::path& folder) {
    struct Note {
        double time = -1;
        std::string state;
        int code = 0;
    };
    std::map<std::string, Note> latest;  // what came of a run before was written over
    for (const auto& file : note_files(folder)) {
        const std::string text = read_file(file);
        for (const auto line : split(std::string_view(text), '\n')) {
            const auto cells = split(line, '\t');
            if (cells.size() != 4) continue;
            const auto code = to_double(cells[2]), time = to_double(cells[3]);
            if (!code || !time) continue;
            Note& note = latest[std::string(cells[0])];
            if (*time >= note.time) note = {*time, std::string(cells[1]), static_cast<int>(*code)};
        }
    }
    for (auto& work : all) {
        if (work.code >= 0) continue;
        const auto at = latest.find(work.run.string());
        if (at != latest.end() && at->second.state == work.state) work.code = at->second.code;
    }
}

int carry_out(const Work& work, const WorkKind& kind) {
    const std::string program = fs::read_symlink("/proc/self/exe").string();
    std::vector<std::string> all{program, kind.command, work.run.string()};
    if (kind.command == "judge")
        all.insert(all.end(), {"--out", (kind.folder / (work.name + ".json")).string()});
    const auto options = words_of(kind.options);
    all.insert(all.end(), options.begin(), options.end());
    std::vector<char*> pointers;
    for (auto& argument : all) pointers.push_back(argument.data());
    pointers.push_back(nullptr);
    const std::string out = (kind.folder / (work.name + ".txt")).string(), said = out + ".err";
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
    constexpr int trouble = 5;
    if (code != 0) return trouble;
    int status = 0;
    while (waitpid(child, &status, 0) < 0 && errno == EINTR) {
    }
    return WIFEXITED(status) ? WEXITSTATUS(status) : trouble;
}

bool note_done(const Work& work, const fs::path& folder, const std::string& writer) {
    const fs::path file =
        folder / (std::string(notes_begin) + (writer.empty() ? "" : "-" + writer) + std::string(notes_end));
    const int notes = ::open(file.c_str(), O_WRONLY | O_CREAT | O_APPEND | O_CLOEXEC, 0644);
    if (notes < 0) return false;
    const auto now = std::chrono::system_clock::now().time_since_epoch();
    const std::string line =
        work.run.string() + "\t" + work.state + "\t" + std::to_string(work.code) + "\t" +
        std::to_string(std::chrono::duration_cast<std::chrono::microseconds>(now).count()) + "\n";
    const bool written = ::write(notes, line.data(), line.size()) == static_cast<ssize_t>(line.size());
    ::close(notes);
    return written;
}

}  // namespace rt::lab
