#include <algorithm>
#include <set>

#include "cli/command.hpp"
#include "cli/parameter_options.hpp"
#include "core/base/error.hpp"
#include "core/base/text.hpp"
#include "core/catalogue/catalogue.hpp"
#include "lab/catalogue/config_files.hpp"
#include "lab/model/role_kinds.hpp"

namespace rt::cli {
namespace {

void add_row(std::vector<std::vector<std::string>>& rows, const KeyInfo& key) {
    rows.push_back({key.name, describe(key) + (key.required ? ", needed" : ""), key.help});
}

// A whole section of a file, or one key of it.
void print_section(const Console& console, const FileInfo& file, const SectionInfo& section,
                   const std::string& key) {
    std::vector<std::vector<std::string>> rows;
    for (const auto& info : section.keys) {
        if (key.empty() || key == info.name) add_row(rows, info);
    }
    if (rows.empty()) return;
    console.out(console.tinted(std::string(section.title), Tone::strong) + "  of a " + file.name + " file" +
                (*section.help ? std::string(": ") + section.help : ""));
    const std::size_t width = console.width();
    for (const auto& row : rows) {
        console.out("  " + row[0] + "  (" + row[1] + ")");
        for (const auto& line : wrapped(row[2], width > 20 ? width - 7 : 0)) console.out("      " + line);
    }
}

// "[[test.sweep]]" answers to "test.sweep".
std::string plain(std::string title) {
    std::erase_if(title, [](char c) { return c == '[' || c == ']'; });
    return title;
}

// What files say about the word: a section by its name, a key wherever it stands, "SECTION.KEY" there alone.
bool explain_files(const Console& console, const std::string& word, std::vector<std::string>& known) {
    bool found = false;
    for (const FileInfo* file : config_files()) {
        if (word == file->name) {
            console.out(console.tinted(std::string(file->name) + " file", Tone::strong) + "  " + file->help);
            for (const auto* section : file->sections) console.out("  " + std::string(section->title));
            console.progress("rare-tally explain SECTION explains one of them, such as " +
                             plain(file->sections.back()->title));
            found = true;
            continue;
        }
        for (const auto* section : file->sections) {
            const std::string name = plain(section->title);
            known.push_back(name);
            if (word == name) {
                print_section(console, *file, *section, "");
                found = true;
                continue;
            }
            for (const auto& key : section->keys) {
                known.emplace_back(key.name);
                if (word != key.name && word != name + "." + key.name) continue;
                print_section(console, *file, *section, key.name);
                found = true;
            }
        }
    }
    return found;
}

bool explain_kinds(const Console& console, const std::string& word, std::vector<std::string>& known) {
    bool found = false;
    for (const auto& kind : role_kinds()) {
        for (const auto& setting : kind.settings) {
            known.emplace_back(setting.name);
            if (word != setting.name) continue;
            console.out(console.tinted(std::string(kind.name) + "." + setting.name, Tone::strong) +
                        "  setting of a " + kind.title + ", such as " + setting.example + ": " +
                        setting.help);
            found = true;
        }
    }
    return found;
}

bool explain_parameters(const Console& console, const std::string& word, std::vector<std::string>& known) {
    // One line for each meaning, and how many procedures it has.
    std::vector<std::pair<std::string, std::vector<std::string>>> meanings;
    for (const auto& procedure : procedures()) {
        for (const auto& parameter : procedure.parameters) {
            known.emplace_back(parameter.name);
            if (word != parameter.name) continue;
            const std::string text = parameter.help;
            const auto same = [&](const auto& m) { return m.first == text; };
            auto at = std::find_if(meanings.begin(), meanings.end(), same);
            if (at == meanings.end()) at = meanings.insert(meanings.end(), {text, {}});
            at->second.emplace_back(procedure.name);
        }
    }
    for (const auto& [text, names] : meanings) {
        constexpr std::size_t most = 4;
        std::string of;
        for (std::size_t i = 0; i < std::min(most, names.size()); ++i) of += (i ? ", " : "") + names[i];
        if (names.size() > most) of += " and " + std::to_string(names.size() - most) + " more";
        console.out(console.tinted(word, Tone::strong) + "  parameter of " + of + ": " + text);
    }
    return !meanings.empty();
}

ExitCode perform_explain(const Call& call) {
    const auto words = call.texts("words");
    if (words.size() != 1)
        fail_input(
            "explain needs one word: a key of a file, a section, a file type, a parameter or a setting; "
            "rare-tally explain test.sweep");
    std::vector<std::string> known;
    const Console& console = call.console;
    bool found = explain_files(console, words[0], known);
    found = explain_parameters(console, words[0], known) || found;
    found = explain_kinds(console, words[0], known) || found;
    for (const FileInfo* file : config_files()) known.emplace_back(file->name);
    if (found) return ExitCode::passed;
    const std::set<std::string> once(known.begin(), known.end());
    if (const auto near = nearest(words[0], {once.begin(), once.end()}))
        fail_input("nothing is called " + in_quotes(words[0]) + ": did you mean " + in_quotes(*near) + "?");
    fail_input(
        "nothing is called " + in_quotes(words[0]) +
        ": procedures are explained by rare-tally measure --list NAME, rules by rare-tally rules show ID");
}

}  // namespace

Command explain_command() {
    return {"explain",
            "WORD",
            "what a key, a section, a file type, a parameter or a setting means",
            "rare-tally explain test.sweep",
            {},
            "words",
            perform_explain};
}

}  // namespace rt::cli
