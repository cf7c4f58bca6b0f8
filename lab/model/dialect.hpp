// How one family of instruments is spoken to.
#pragma once

#include <filesystem>
#include <map>
#include <string>

#include "lab/model/role_kinds.hpp"

namespace rt::lab {

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

}  // namespace rt::lab
