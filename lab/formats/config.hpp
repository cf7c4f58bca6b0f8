// Configuration files (TOML): one table of keys per section, used for reading, for finding slips and for the
// reference pages alike.
#pragma once

#include <filesystem>
#include <functional>
#include <optional>
#include <span>
#include <string>
#include <utility>
#include <vector>

#include "core/quantity/quantity.hpp"

namespace rt::lab {

// What may stand behind a key.
enum class Key {
    text,
    texts,       // list of texts
    word,        // text, number or flag, kept as text
    words,       // list of those
    whole,       // whole number
    wholes,      // list of whole numbers
    flag,        // true or false
    quantity,    // text with a unit
    date,        // 2027-05-31
    pairs,       // table of words under free names
    pairs_list,  // list of those
    table,       // section of its own
    tables,      // list of sections
};

struct KeyInfo {
    const char* name;
    Key kind;
    bool required;
    const char* help;
    Unit unit = Unit::none;  // of a quantity
};

struct SectionInfo {
    const char* title;  // as written in the file: "[[test]]"
    const char* help;
    std::span<const KeyInfo> keys;
    const char* unless = "";  // a key whose presence frees from all that are required
};

struct FileInfo {
    const char* name;  // "campaign"
    const char* help;
    std::span<const SectionInfo* const> sections;  // the first is the root
};

// One parsed value with its place.
struct ConfigNode {
    enum class Kind { text, whole, number, flag, date, list, table, other };
    Kind kind = Kind::other;
    std::string text;  // scalars as text
    long long whole = 0;
    bool flag = false;
    std::vector<ConfigNode> items;
    std::vector<std::pair<std::string, ConfigNode>> entries;
    int line = 0;
    int column = 0;

    const ConfigNode* find(std::string_view key) const;
};

// Throws Error(input) with file:line:column for broken TOML.
ConfigNode parse_config(std::string_view text, const std::string& file);

// A table read through its SectionInfo. Making one checks that all keys are known, of the right kind, and
// that none is missing. Every error carries file:line:column.
class ConfigSection {
  public:
    ConfigSection(const ConfigNode& node, std::string file, const SectionInfo& info);

    bool has(std::string_view key) const { return node_->find(key) != nullptr; }
    std::string text(std::string_view key) const;  // "" when absent; words too
    std::vector<std::string> texts(std::string_view key) const;
    std::optional<long long> whole(std::string_view key) const;
    std::vector<int> wholes(std::string_view key) const;
    bool flag(std::string_view key) const;
    std::optional<Quantity> quantity(std::string_view key) const;                // in the key's own unit
    double quantity_or(std::string_view key, double otherwise) const;            // its value, or the other
    std::optional<Quantity> quantity_in(std::string_view key, Unit unit) const;  // in a unit known only now
    std::vector<std::pair<std::string, std::string>> pairs(std::string_view key) const;
    std::vector<std::vector<std::pair<std::string, std::string>>> pairs_list(std::string_view key) const;
    std::optional<ConfigSection> table(std::string_view key, const SectionInfo& info) const;
    std::vector<ConfigSection> tables(std::string_view key, const SectionInfo& info) const;

    const std::string& file() const { return file_; }
    std::string place() const;
    std::string place(std::string_view key) const;
    [[noreturn]] void fail(std::string_view key, const std::string& message) const;
    // Runs `work`; an Error(input) without a place gets the place and name of the key.
    void at(std::string_view key, const std::function<void()>& work) const;

  private:
    const KeyInfo& key_info(std::string_view key) const;
    const ConfigNode* find(std::string_view key, std::initializer_list<Key> kinds) const;

    const ConfigNode* node_;
    std::string file_;
    const SectionInfo* info_;
};

// A TOML basic string, in quotes, for files that are written.
std::string toml_text(std::string_view text);

// "text", "quantity (Hz)", ... for messages and reference pages.
std::string describe(const KeyInfo& key);

}  // namespace rt::lab
