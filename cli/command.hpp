// The table of commands: the listing, the help and "did you mean" come from it.
#pragma once

#include <filesystem>
#include <map>
#include <span>
#include <string>
#include <string_view>
#include <vector>

#include "cli/console.hpp"
#include "cli/exit_code.hpp"
#include "lab/formats/defaults_file.hpp"
#include "lab/formats/rule_library.hpp"
#include "lab/report/page/language.hpp"
#include "lab/tally/run_data.hpp"

namespace rt::cli {

// One option. With a `value` name it takes a text and may be given more than once; without, it is a flag.
struct OptionInfo {
    const char* name;  // "rulebook", or with a short form "q,quiet"
    const char* value;
    const char* help;
};

// The parsed options of one call; positional ones under the command's name for them.
struct Call {
    std::map<std::string, std::vector<std::string>> options;
    const Console& console;

    std::string text(const std::string& option) const;  // the last one given, "" when absent
    std::vector<std::string> texts(const std::string& option) const;
    bool flag(const std::string& option) const { return options.contains(option); }
};

struct Command {
    const char* name;
    const char* usage;    // after the name: "CAMPAIGN [--bench FILE]"
    const char* summary;  // one line
    const char* example;
    std::vector<OptionInfo> options;
    const char* positional;  // name under which everything else is found
    ExitCode (*run)(const Call&);
};

// Options that several commands share.
inline constexpr OptionInfo bench_option{"bench", "FILE", "bench file, instead of the campaign's"};
inline constexpr OptionInfo only_option{
    "only", "TEST", "only this test, or those judged by this clause or rule; may be given more than once"};
inline constexpr OptionInfo rulebook_option{"rulebook", "FILE",
                                            "further rulebook; may be given more than once"};

std::span<const Command> commands();
// Those of every command.
std::span<const OptionInfo> common_options();

// The whole program. Catches everything; trouble is one line on stderr.
int run_program(int argc, const char* const* argv);

// Where rulebooks, dialects and the demo are: share/rare-tally beside the program's folder, or
// RARE_TALLY_SHARE.
std::filesystem::path share_folder();

// Shipped rulebooks and those named with --rulebook.
RuleLibrary load_rules(const Call& call);

// Defaults of the lab and of who runs the program, or those that RARE_TALLY_DEFAULTS names.
lab::Defaults defaults_of_today();

// The whole number that an option was given. Throws Error(input) naming the option for anything else, or less
// than `least` or more than `greatest`.
std::size_t whole_option(const Call& call, const std::string& option, std::size_t least,
                         std::size_t greatest);

// The language of a report: "", "en", one that is shipped, a file, or the one that a run keeps. Throws
// Error(input).
lab::ReportLanguage language_named(const std::string& name, const lab::RunData& run);

inline constexpr OptionInfo trust_option{
    "trust", "FILE",
    "public key or certificate that signatures are trusted by, besides `trusted` of the defaults"};
// What signatures and time stamps of runs are trusted by: the defaults, and --trust.
std::vector<std::filesystem::path> trusted_keys(const Call& call);
// Says on stderr what the signature of a run is worth, and returns it. Throws Error(input) for one that is
// broken, unless a run that was altered is to be taken.
std::string tell_signature(const Call& call, const std::filesystem::path& run);

// A name for a figure: ends in .svg or .png, in a folder that exists. Throws Error(input) naming the option.
void require_figure_name(const std::string& option, const std::filesystem::path& file);

}  // namespace rt::cli
