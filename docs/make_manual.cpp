// Prints the manual page and the completions of shells from the table of commands: make-manual
// man|bash|zsh|fish.
#include <fmt/core.h>

#include <algorithm>
#include <cstdio>
#include <string>
#include <vector>

#include "cli/command.hpp"
#include "core/base/text.hpp"
#include "core/catalogue/catalogue.hpp"
#include "core/synthesis/signal.hpp"
#include "lab/catalogue/config_files.hpp"
#include "lab/version.hpp"

namespace {

using rt::cli::Command;
using rt::cli::OptionInfo;

// "q,quiet" as its names with dashes.
struct Names {
    std::string brief, full;
};
Names names_of(const OptionInfo& option) {
    const std::string name = option.name;
    const auto comma = name.find(',');
    if (comma == std::string::npos) return {"", name};
    return {name.substr(0, comma), name.substr(comma + 1)};
}

std::vector<OptionInfo> options_of(const Command& command) {
    std::vector<OptionInfo> out = command.options;
    for (const auto& option : rt::cli::common_options()) out.push_back(option);
    return out;
}

// What stands at the beginning of a line of roff, and what it takes for its own.
std::string roff(std::string text) {
    std::string out;
    for (const char c : text) {
        if (c == '\\') {
            out += "\\e";
        } else if (c == '-') {
            out += "\\-";
        } else {
            out += c;
        }
    }
    if (!out.empty() && (out.front() == '.' || out.front() == '\'')) out.insert(0, "\\&");
    return out;
}

void print_man() {
    fmt::print(".TH RARE-TALLY 1 \"\" \"Rare Tally {}\" \"Compliance measurement\"\n", rt::lab::version());
    fmt::print(
        ".SH NAME\nrare-tally \\- sweep a device, judge the results by published limits, keep a record and "
        "report\n");
    fmt::print(".SH SYNOPSIS\n.B rare-tally\n.I COMMAND\n.RI [ ... ]\n");
    fmt::print(
        ".SH DESCRIPTION\nA campaign says what to test: the unit, its tests, their sweeps and rules. A bench "
        "says which instruments "
        "there are. A run measures every point, judges it and keeps captures, findings and copies of all "
        "inputs in a folder, from "
        "which reports are made and every verdict can be made again.\n.SH COMMANDS\n");
    for (const auto& command : rt::cli::commands()) {
        fmt::print(".SS {} {}\n{}.\n", command.name, roff(command.usage), roff(command.summary));
        for (const auto& option : options_of(command)) {
            const Names names = names_of(option);
            const bool common =
                std::any_of(rt::cli::common_options().begin(), rt::cli::common_options().end(),
                            [&](const OptionInfo& o) { return std::string(o.name) == option.name; });
            if (common) continue;
            fmt::print(".TP\n.B {}\\-\\-{}{}\n{}\n", names.brief.empty() ? "" : "\\-" + names.brief + ", ",
                       roff(names.full), *option.value ? " " + std::string(option.value) : "",
                       roff(option.help));
        }
        fmt::print(".PP\nExample:\n.PP\n.nf\n.RS\n{}\n.RE\n.fi\n", roff(command.example));
    }
    fmt::print(".SH OPTIONS OF ALL COMMANDS\n");
    for (const auto& option : rt::cli::common_options()) {
        const Names names = names_of(option);
        fmt::print(".TP\n.B {}\\-\\-{}\n{}\n", names.brief.empty() ? "" : "\\-" + names.brief + ", ",
                   roff(names.full), roff(option.help));
    }
    fmt::print(
        ".SH EXIT STATUS\n.TP\n.B 0\nall passed\n.TP\n.B 1\na finding failed\n.TP\n.B 2\nwrong "
        "input\n.TP\n.B 3\nbench, instrument "
        "or output trouble\n.TP\n.B 4\nincomplete or without verdict\n.TP\n.B 5\na fault of this program\n");
    fmt::print(
        ".SH ENVIRONMENT\n.TP\n.B NO_COLOR\nno colours on a terminal\n.TP\n.B RARE_TALLY_SHARE\nfolder with "
        "rulebooks, dialects and "
        "the demo\n.SH FILES\n.TP\n.I /usr/share/rare\\-tally\nrulebooks, dialects, demo\n.TP\n.I "
        "/usr/share/doc/rare\\-tally\nall "
        "pages of the documentation\n");
    fmt::print(
        ".SH NOTES\nLimits were entered from general knowledge of the published standards, without the "
        "documents at hand. A lab "
        "signs each of them off against its own copy; reports show which are.\n");
}

std::string words(const std::vector<std::string>& list) {
    std::string out;
    for (const auto& word : list) out += (out.empty() ? "" : " ") + word;
    return out;
}

// What may stand behind a command besides files.
std::vector<std::string> first_words(const Command& command) {
    const std::string name = command.name;
    std::vector<std::string> out;
    if (name == "measure") {
        for (const auto& procedure : rt::procedures()) out.emplace_back(procedure.name);
    } else if (name == "make") {
        for (const auto& signal : rt::signal_kinds()) out.emplace_back(signal.name);
    } else if (name == "rules") {
        out = {"list", "search", "show", "draw", "diff", "sign", "lint"};
    } else if (name == "dialects") {
        out = {"list", "show", "new"};
    }
    return out;
}

std::vector<std::string> options_words(const Command& command) {
    std::vector<std::string> out;
    for (const auto& option : options_of(command)) {
        const Names names = names_of(option);
        out.push_back("--" + names.full);
        if (!names.brief.empty()) out.push_back("-" + names.brief);
    }
    return out;
}

void print_bash() {
    fmt::print(
        "# Completion of rare-tally for bash, made from its table of commands.\n_rare_tally() {{\n"
        "    local word=${{COMP_WORDS[COMP_CWORD]}} command=${{COMP_WORDS[1]}}\n    if [ \"$COMP_CWORD\" -eq "
        "1 ]; then\n"
        "        mapfile -t COMPREPLY < <(compgen -W \"");
    std::vector<std::string> names{"help", "--version", "--help"};
    for (const auto& command : rt::cli::commands()) names.emplace_back(command.name);
    fmt::print(
        "{}\" -- \"$word\")\n        return\n    fi\n    local options=\"\" first=\"\"\n    case $command "
        "in\n",
        words(names));
    for (const auto& command : rt::cli::commands())
        fmt::print("    {})\n        options=\"{}\"\n        first=\"{}\"\n        ;;\n", command.name,
                   words(options_words(command)), words(first_words(command)));
    fmt::print(
        "    help) options=\"\" first=\"{}\" ;;\n    esac\n    case $word in\n"
        "    -*) mapfile -t COMPREPLY < <(compgen -W \"$options\" -- \"$word\") ;;\n"
        "    *)\n        [ \"$COMP_CWORD\" -eq 2 ] && [ -n \"$first\" ] && mapfile -t COMPREPLY < <(compgen "
        "-W \"$first\" -- \"$word\")\n"
        "        [ ${{#COMPREPLY[@]}} -eq 0 ] && mapfile -t COMPREPLY < <(compgen -f -- \"$word\")\n        "
        ";;\n    esac\n}}\n"
        "complete -o filenames -F _rare_tally rare-tally\n",
        words(names));
}

std::string zsh_text(std::string text) {
    std::string out;
    for (const char c : text) {
        if (c == '\'') {
            out += "'\\''";
        } else {
            if (c == '[' || c == ']' || c == ':') out += '\\';
            out += c;
        }
    }
    return out;
}

void print_zsh() {
    fmt::print(
        "#compdef rare-tally\n# Completion of rare-tally for zsh, made from its table of "
        "commands.\n_rare_tally() {{\n"
        "    local -a commands\n    commands=(\n");
    for (const auto& command : rt::cli::commands())
        fmt::print("        '{}:{}'\n", command.name, zsh_text(command.summary));
    fmt::print(
        "    )\n    if (( CURRENT == 2 )); then\n        _describe command commands\n        return\n    "
        "fi\n    case $words[2] in\n");
    for (const auto& command : rt::cli::commands()) {
        fmt::print("    {})\n        _arguments", command.name);
        for (const auto& option : options_of(command)) {
            const Names names = names_of(option);
            fmt::print(" \\\n            '*--{}[{}]{}'", names.full, zsh_text(option.help),
                       *option.value ? ":" + zsh_text(option.value) + ":_files" : "");
        }
        const auto first = first_words(command);
        if (!first.empty()) fmt::print(" \\\n            '2:what:({})'", words(first));
        fmt::print(" \\\n            '*:file:_files'\n        ;;\n");
    }
    fmt::print("    esac\n}}\n_rare_tally \"$@\"\n");
}

std::string fish_text(std::string text) {
    std::string out;
    for (const char c : text) {
        if (c == '\'' || c == '\\') out += '\\';
        out += c;
    }
    return out;
}

void print_fish() {
    fmt::print("# Completion of rare-tally for fish, made from its table of commands.\n");
    for (const auto& command : rt::cli::commands()) {
        fmt::print("complete -c rare-tally -n __fish_use_subcommand -f -a {} -d '{}'\n", command.name,
                   fish_text(command.summary));
        for (const auto& option : options_of(command)) {
            const Names names = names_of(option);
            fmt::print("complete -c rare-tally -n '__fish_seen_subcommand_from {}' -l {}{}{} -d '{}'\n",
                       command.name, names.full, names.brief.empty() ? "" : " -s " + names.brief,
                       *option.value ? " -r" : "", fish_text(option.help));
        }
        const auto first = first_words(command);
        if (!first.empty())
            fmt::print("complete -c rare-tally -n '__fish_seen_subcommand_from {}' -a '{}'\n", command.name,
                       words(first));
    }
}

}  // namespace

int main(int argc, char** argv) {
    const std::string_view what = argc == 2 ? argv[1] : "";
    if (what == "man") return print_man(), 0;
    if (what == "bash") return print_bash(), 0;
    if (what == "zsh") return print_zsh(), 0;
    if (what == "fish") return print_fish(), 0;
    std::fputs("make-manual man|bash|zsh|fish\n", stderr);
    return 2;
}
