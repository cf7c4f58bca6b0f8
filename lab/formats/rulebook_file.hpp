// Rulebook files: published limits as TOML.
#pragma once

#include <string>
#include <string_view>

#include "core/rules/rule.hpp"
#include "lab/formats/config.hpp"

namespace rt::lab {

extern const FileInfo rulebook_file;

// A book that is layered on another needs that other as text and as read: its rules hold, and rules of the
// same id state only what they change.
struct LayerBelow {
    const Rulebook* book = nullptr;
    std::string_view text;
    std::string file;
};
// What a book says it is layered on; "" for most.
std::string layered_on(std::string_view text, const std::string& file);

Rulebook read_rulebook(std::string_view text, const std::string& file, const LayerBelow& below = {});

}  // namespace rt::lab
