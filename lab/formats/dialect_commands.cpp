// The commands of a dialect against what its kind needs.
#include <algorithm>
#include <string_view>

#include "core/base/error.hpp"
#include "core/base/text.hpp"
#include "lab/formats/dialect_parts.hpp"
#include "lab/model/placeholder.hpp"

namespace rt::lab {
namespace {

std::vector<std::string> all_commands(const RoleKind& kind) {
    std::vector<std::string> names;
    for (const auto& command : common_commands()) names.emplace_back(command.name);
    for (const auto& command : kind.commands) names.emplace_back(command.name);
    for (const auto& setting : kind.settings) names.push_back(std::string("set_") + setting.name);
    return names;
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

}  // namespace

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
        // The unit of levels that it cannot be told is stated instead.
        const bool stated = command.name == std::string_view("set_unit") && dialect.levels != Unit::none;
        if (command.required && !stated) require(command.name, command.help);
    }
    for (const auto& setting : kind.settings) {
        if (setting.required && !dialect.sent_together(setting.name))
            require(std::string("set_") + setting.name, setting.help);
    }
}

// A command without its value would be sent as it stands, whatever was asked for.
void require_placeholders(const ConfigSection& root, const Dialect& dialect) {
    for (const auto& [name, command] : dialect.commands) {
        const auto wanted = values_for(*dialect.kind, name);
        const SettingInfo* setting =
            name.starts_with("set_") ? dialect.kind->find_setting(name.substr(4)) : nullptr;
        CommandText taken;
        try {
            taken = parse_command(command, setting ? setting->unit : Unit::none);
        } catch (const Error& error) {
            root.fail("commands", "the command " + name + ": " + error.what());
        }
        const auto there = [&](const std::string& value) {
            return std::any_of(taken.holes.begin(), taken.holes.end(),
                               [&](const Placeholder& hole) { return hole.name == value; });
        };
        for (const auto& hole : taken.holes) {
            // Every command may name the channel that the bench gives.
            if (hole.name == "channel") continue;
            if (std::find(wanted.begin(), wanted.end(), hole.name) == wanted.end())
                root.fail("commands", "the command " + name + " has no value {" + hole.name + "}" +
                                          suggestion(hole.name, wanted));
        }
        // Sensors, channels and triggers may be the only one that an instrument has.
        for (const auto& value : wanted) {
            const bool may_lack = value == "sensor" || value == "channel";
            if (!may_lack && !there(value))
                root.fail("commands",
                          "the command " + name + " lacks its value: write {" + value + "} where it goes");
        }
    }
}

}  // namespace rt::lab
