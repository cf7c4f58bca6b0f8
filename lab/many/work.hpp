// One command for each of many kept runs: what is to be done, what was done, and notes of it that outlive a
// call.
#pragma once

#include <filesystem>
#include <string>
#include <string_view>
#include <vector>

namespace rt::lab {

struct Work {
    std::filesystem::path run;
    std::string name;     // of what comes of it, told apart from others
    std::string state;    // of the run and of what is asked for: work is done again when it is another
    int code = -1;        // exit code; -1 while it is not done
    bool before = false;  // done by an earlier call
};

// What is done with each: a command of this program, its options, and where it leaves what it says.
struct WorkKind {
    std::string command;  // judge, verify, report, export or push
    std::string options;  // as a shell takes words apart
    std::filesystem::path folder;
};

// Options as words; those with spaces in quotation marks. Throws Error(input) for one that is not closed.
std::vector<std::string> words_of(const std::string& text);

// All runs, named, with what `kind.folder` notes of them.
std::vector<Work> work_for(const std::vector<std::filesystem::path>& runs, const WorkKind& kind);
// Takes over what has been noted since.
void take_notes(std::vector<Work>& all, const std::filesystem::path& folder);

// Carries one out; what it says goes into the folder. Gives its exit code.
int carry_out(const Work& work, const WorkKind& kind);

// Notes that it is done, in a file of this writer's own. False when that cannot be written.
bool note_done(const Work& work, const std::filesystem::path& folder, const std::string& writer);

}  // namespace rt::lab
