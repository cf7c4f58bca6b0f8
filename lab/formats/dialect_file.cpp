#include "lab/formats/dialect_file.hpp"

#include <array>
#include <vector>

#include "core/base/error.hpp"
#include "core/base/text.hpp"
#include "lab/formats/files.hpp"

namespace rt {
namespace {

using enum KeyKind;

constexpr std::array dialect_keys{
    KeyInfo{"id", text, true, "name that bench files use"},
    KeyInfo{"title", text, true, "which instruments it is for"},
    KeyInfo{"kind", text, true, "what they are: analyser, generator, supply ... (docs/bench.md lists all)"},
};
constexpr std::array root_keys{
    KeyInfo{"dialect", table, true, "the dialect"},
    KeyInfo{"commands", pairs, true, "commands by what they are for, with {placeholders}"},
    KeyInfo{"detectors", pairs, false, "the instrument's words for the detectors"},
    KeyInfo{"overload_mask", whole, false, "bits of the answer to query_overload that mean overload"},
};
constexpr SectionInfo root_section{"the file", "", root_keys};
constexpr SectionInfo dialect_section{"[dialect]", "The dialect.", dialect_keys};
constexpr std::array<const SectionInfo*, 2> sections{&root_section, &dialect_section};

std::vector<std::string> all_commands(const RoleKind& kind) {
    std::vector<std::string> names;
    for (const auto& command : common_commands()) names.emplace_back(command.name);
    for (const auto& command : kind.commands) names.emplace_back(command.name);
    for (const auto& setting : kind.settings) names.push_back(std::string("set_") + setting.name);
    return names;
}

void require_commands(const ConfigSection& root, const Dialect& dialect) {
    const RoleKind& kind = *dialect.kind;
    for (const auto& [name, command] : dialect.commands) {
        if (kind.knows_command(name)) continue;
        root.fail("commands", std::string("a dialect of kind ") + kind.name + " has no command " +
                                  in_quotes(name) + suggestion(name, all_commands(kind)));
    }
    const auto require = [&](const std::string& name, const char* help) {
        if (dialect.knows(name)) return;
        root.fail("commands", std::string("a dialect of kind ") + kind.name + " needs the command " + name +
                                  " (" + help + ")");
    };
    for (const auto& command : common_commands()) {
        if (command.required) require(command.name, command.help);
    }
    for (const auto& command : kind.commands) {
        if (command.required) require(command.name, command.help);
    }
    for (const auto& setting : kind.settings) {
        if (setting.required) require(std::string("set_") + setting.name, setting.help);
    }
}

}  // namespace

const FileInfo dialect_file{"dialect", "How one family of instruments is spoken to.", sections};

Dialect read_dialect(const std::filesystem::path& file) {
    Dialect dialect;
    dialect.file = file;
    dialect.text = read_file(file);
    const ConfigNode node = parse_config(dialect.text, file.string());
    const ConfigSection root(node, file.string(), root_section);
    const ConfigSection head = *root.table("dialect", dialect_section);
    dialect.id = head.text("id");
    dialect.title = head.text("title");
    head.at("kind", [&] { dialect.kind = &find_role_kind(head.text("kind")); });
    for (auto& [name, command] : root.pairs("commands")) dialect.commands[name] = command;
    for (auto& [name, word] : root.pairs("detectors")) dialect.detectors[name] = word;
    dialect.overload_mask = root.whole("overload_mask").value_or(0);
    require_commands(root, dialect);
    return dialect;
}

}  // namespace rt
