// What kinds of instruments there are: the settings they have, and the commands that a dialect gives for
// them.
#pragma once

#include <span>
#include <string_view>

#include "core/quantity/unit.hpp"

namespace rt::lab {

// Something that can be set: "level" of a generator. Its command in a dialect is "set_level", with {value} in
// the unit given here, or the word as it is where there is none.
struct SettingInfo {
    const char* name;
    Unit unit;            // Unit::none for words
    const char* example;  // "1 GHz"; what bench --try sends
    bool required;        // every dialect of this kind has it
    const char* help;
};

// A command that is no setting. `sample` fills its {placeholders} for bench --try: "hz=1e6 count=101".
struct CommandInfo {
    const char* name;
    bool required;
    const char* sample;
    const char* help;
};

struct RoleKind {
    const char* name;  // "generator"; what a dialect says in "kind"
    const char* title;
    std::span<const SettingInfo> settings;
    std::span<const CommandInfo> commands;  // in the order in which bench --try sends them
    bool open_settings = false;             // any set_NAME, query_NAME, list_NAME may be in a dialect
    const char* records_as = "";  // another kind, whose complex samples it records as well: "analyser"

    const SettingInfo* find_setting(std::string_view setting) const;
    bool knows_command(std::string_view command) const;
};

std::span<const RoleKind> role_kinds();

// Commands that every kind may have: identify, clear, zero ...
std::span<const CommandInfo> common_commands();

// Throws Error(input) with the nearest known name.
const RoleKind& find_role_kind(std::string_view name);

}  // namespace rt::lab
