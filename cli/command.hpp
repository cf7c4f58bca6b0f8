// The table of commands: the listing, the help and "did you mean" come from it.
#pragma once

#include <cxxopts.hpp>
#include <filesystem>
#include <span>
#include <string>
#include <string_view>
#include <vector>

#include "cli/console.hpp"
#include "cli/exit_code.hpp"
#include "lab/formats/rulebook_file.hpp"

namespace rt {

// The parsed options of one call.
struct Call {
    const cxxopts::ParseResult& options;
    const Console& console;

    std::string text(const char* option) const;  // "" when absent
    std::vector<std::string> texts(const char* option) const;
    bool flag(const char* option) const { return options.count(option) > 0; }
};

struct Command {
    const char* name;
    const char* usage;    // after the name: "CAMPAIGN [--bench FILE]"
    const char* summary;  // one line
    const char* example;
    void (*add_options)(cxxopts::Options&);
    std::vector<std::string> positional;  // names of positional options; the last one takes all that is left
    ExitCode (*run)(const Call&);
};

std::span<const Command> commands();

// The whole program. Catches everything; trouble is one line on stderr.
int run_program(int argc, const char* const* argv);

// Where rulebooks, dialects and the demo are: share/rare-tally beside the program's folder, or
// RARE_TALLY_SHARE.
std::filesystem::path share_folder();

// Shipped rulebooks and those named with --rulebook.
RuleLibrary load_rules(const Call& call);

Command demo_command();
Command draft_command();
Command check_command();
Command run_command();
Command measure_command();
Command report_command();
Command rules_command();

}  // namespace rt
