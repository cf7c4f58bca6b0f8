// Sign-offs: who checked which rules against the lab's copy of the standard. They lie over any rulebooks.
#pragma once

#include <filesystem>
#include <string>
#include <string_view>
#include <vector>

#include "core/rules/rule.hpp"
#include "lab/formats/config.hpp"

namespace rt::lab {

extern const FileInfo sign_off_file;

struct RuleSignOff {
    std::string rule;    // "cispr-32/mains-b-qp"
    std::string digest;  // of what the rule said then
    SignOff sign_off;
    std::string where;  // file:line
};

// Whether the text is a file of sign-offs, not a rulebook.
bool holds_sign_offs(std::string_view text, const std::string& file);
std::vector<RuleSignOff> read_sign_offs(std::string_view text, const std::string& file);

// The first 16 digits of the SHA-256 over what the rule says.
std::string rule_digest(RuleRef rule);

// Appends an entry to the file (made when it is not there). Throws Error(input) for a file of another kind.
void append_sign_off(const std::filesystem::path& file, RuleRef rule, const SignOff& sign_off);

}  // namespace rt::lab
