#include "lab/formats/dialect_file.hpp"

#include <algorithm>
#include <array>
#include <vector>

#include "core/base/error.hpp"
#include "core/base/text.hpp"
#include "lab/formats/files.hpp"

namespace rt::lab {
namespace {

constexpr std::array dialect_keys{
    KeyInfo{"id", Key::text, true, "name that bench files use"},
    KeyInfo{"title", Key::text, true, "which instruments it is for"},
    KeyInfo{"kind", Key::text, true,
            "what they are: analyser, generator, supply ... (docs/bench.md lists all)"},
};
constexpr std::array dialect_root_keys{
    KeyInfo{"dialect", Key::table, true, "the dialect"},
    KeyInfo{"commands", Key::pairs, true, "commands by what they are for, with {placeholders}"},
    KeyInfo{"detectors", Key::pairs, false, "the instrument's words for the detectors"},
    KeyInfo{"overload_mask", Key::whole, false, "bits of the answer to query_overload that mean overload"},
};
constexpr SectionInfo dialect_root_section{"the file", "", dialect_root_keys};
constexpr SectionInfo dialect_section{"[dialect]", "The dialect.", dialect_keys};
constexpr std::array<const SectionInfo*, 2> dialect_sections{&dialect_root_section, &dialect_section};

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

// The {placeholders} of a command.
std::vector<std::string> holes_of(const std::string& command) {
    std::vector<std::string> out;
    for (std::size_t at = 0; (at = command.find('{', at)) != std::string::npos; ++at) {
        const auto close = command.find('}', at);
        if (close == std::string::npos) break;
        out.push_back(command.substr(at + 1, close - at - 1));
    }
    return out;
}

// "hz=1000000 count=11" for a command, "value" for a setting: what it is filled with.
std::vector<std::string> values_for(const RoleKind& kind, const std::string& name) {
    std::vector<std::string> out;
    const auto take = [&](const CommandInfo& info) {
        if (name != info.name) return;
        for (const auto part : split(std::string_view(info.sample), ' ')) {
            if (!part.empty()) out.emplace_back(part.substr(0, part.find('=')));
        }
    };
    for (const auto& info : common_commands()) take(info);
    for (const auto& info : kind.commands) take(info);
    const bool setting =
        name.starts_with("set_") && (kind.open_settings || kind.find_setting(name.substr(4)));
    if (out.empty() && setting) out.emplace_back("value");
    return out;
}

// A command without its value would be sent as it stands, whatever was asked for.
void require_placeholders(const ConfigSection& root, const Dialect& dialect) {
    for (const auto& [name, command] : dialect.commands) {
        const auto wanted = values_for(*dialect.kind, name);
        const auto there = holes_of(command);
        for (const auto& hole : there) {
            if (std::find(wanted.begin(), wanted.end(), hole) == wanted.end())
                root.fail("commands",
                          "the command " + name + " has no value {" + hole + "}" + suggestion(hole, wanted));
        }
        // Sensors, channels and triggers may be the only one that an instrument has.
        for (const auto& value : wanted) {
            const bool may_lack = value == "sensor" || value == "channel";
            if (!may_lack && std::find(there.begin(), there.end(), value) == there.end())
                root.fail("commands",
                          "the command " + name + " lacks its value: write {" + value + "} where it goes");
        }
    }
}

}  // namespace

const FileInfo dialect_file{"dialect", "How one family of instruments is spoken to.", dialect_sections};

Dialect read_dialect(const std::filesystem::path& file) {
    Dialect dialect;
    dialect.file = file;
    dialect.text = read_file(file);
    const ConfigNode node = parse_config(dialect.text, file.string());
    const ConfigSection root(node, file.string(), dialect_root_section);
    const ConfigSection head = *root.table("dialect", dialect_section);
    dialect.id = head.text("id");
    dialect.title = head.text("title");
    head.at("kind", [&] { dialect.kind = &find_role_kind(head.text("kind")); });
    for (auto& [name, command] : root.pairs("commands")) dialect.commands[name] = command;
    for (auto& [name, word] : root.pairs("detectors")) dialect.detectors[name] = word;
    dialect.overload_mask = root.whole("overload_mask").value_or(0);
    require_commands(root, dialect);
    require_placeholders(root, dialect);
    return dialect;
}

}  // namespace rt::lab
