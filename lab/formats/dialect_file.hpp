// Dialect files: how one family of instruments is spoken to.
#pragma once

#include <filesystem>
#include <map>
#include <string>

#include "lab/formats/config.hpp"
#include "lab/formats/role_kinds.hpp"

namespace rt {

extern const FileInfo dialect_file;

// Commands by what they are for, with {placeholders} for values.
struct Dialect {
    std::string id;
    std::string title;
    const RoleKind* kind = nullptr;
    std::map<std::string, std::string> commands;
    std::map<std::string, std::string> detectors;  // detector name to its word
    long long overload_mask = 0;                   // bits of the status register that mean overload
    std::filesystem::path file;
    std::string text;

    bool knows(const std::string& command) const { return commands.contains(command); }
};

// Throws Error(input) for an unknown kind, commands that its kind does not have, or missing ones.
Dialect read_dialect(const std::filesystem::path& file);

}  // namespace rt
