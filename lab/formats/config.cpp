#include "lab/formats/config.hpp"

#include <fmt/core.h>

#include <algorithm>
#include <cctype>
#include <sstream>

#include <toml++/toml.h>

#include "core/base/error.hpp"
#include "core/base/text.hpp"
#include "lab/formats/toml_text.hpp"

namespace rt::lab {
namespace {

std::string at_text(const std::string& file, int line, int column) {
    return fmt::format("{}:{}:{}", file, line, column);
}

ConfigNode to_node(const toml::node& from) {
    ConfigNode node;
    node.line = static_cast<int>(from.source().begin.line);
    node.column = static_cast<int>(from.source().begin.column);
    if (const auto* table = from.as_table()) {
        node.kind = ConfigNode::Kind::table;
        for (const auto& [key, value] : *table) {
            auto& entry = node.entries.emplace_back(std::string(key.str()), to_node(value));
            // The place of a key is where its name stands, not its value.
            if (key.source().begin.line > 0) {
                entry.second.line = static_cast<int>(key.source().begin.line);
                entry.second.column = static_cast<int>(key.source().begin.column);
            }
        }
    } else if (const auto* list = from.as_array()) {
        node.kind = ConfigNode::Kind::list;
        for (const auto& item : *list) node.items.push_back(to_node(item));
    } else if (const auto* text = from.as_string()) {
        node.kind = ConfigNode::Kind::text;
        node.text = text->get();
    } else if (const auto* whole = from.as_integer()) {
        node.kind = ConfigNode::Kind::whole;
        node.whole = whole->get();
        node.text = std::to_string(node.whole);
    } else if (const auto* number = from.as_floating_point()) {
        node.kind = ConfigNode::Kind::number;
        node.text = exact(number->get());
    } else if (const auto* flag = from.as_boolean()) {
        node.kind = ConfigNode::Kind::flag;
        node.flag = flag->get();
        node.text = node.flag ? "true" : "false";
    } else if (const auto* date = from.as_date()) {
        node.kind = ConfigNode::Kind::date;
        std::ostringstream out;
        out << date->get();
        node.text = out.str();
    }
    return node;
}

bool is_scalar(const ConfigNode& node) {
    using enum ConfigNode::Kind;
    return node.kind == text || node.kind == whole || node.kind == number || node.kind == flag ||
           node.kind == date;
}

bool all_items(const ConfigNode& node, bool (*test)(const ConfigNode&)) {
    return node.kind == ConfigNode::Kind::list && std::all_of(node.items.begin(), node.items.end(), test);
}

// A bare date has the form YYYY-MM-DD also when it was written as text.
bool looks_like_date(std::string_view text) {
    constexpr std::string_view form = "dddd-dd-dd";
    if (text.size() != form.size()) return false;
    for (std::size_t i = 0; i < form.size(); ++i) {
        const bool digit = text[i] >= '0' && text[i] <= '9';
        if (form[i] == 'd' ? !digit : text[i] != '-') return false;
    }
    return true;
}

bool fits(const ConfigNode& node, Key kind) {
    using Kind = ConfigNode::Kind;
    switch (kind) {
        case Key::text:
        case Key::quantity:
            return node.kind == Kind::text;
        case Key::texts:
            return all_items(node, [](const auto& n) { return n.kind == Kind::text; });
        case Key::word:
            return is_scalar(node);
        case Key::words:
            return all_items(node, is_scalar);
        case Key::whole:
            return node.kind == Kind::whole;
        case Key::wholes:
            return all_items(node, [](const auto& n) { return n.kind == Kind::whole; });
        case Key::flag:
            return node.kind == Kind::flag;
        case Key::date:
            return node.kind == Kind::date || (node.kind == Kind::text && looks_like_date(node.text));
        case Key::pairs_list:
            return all_items(node, [](const auto& n) { return fits(n, Key::pairs); });
        case Key::pairs:
            return node.kind == Kind::table && std::all_of(node.entries.begin(), node.entries.end(),
                                                           [](const auto& e) { return is_scalar(e.second); });
        case Key::table:
            return node.kind == Kind::table;
        case Key::tables:
            return all_items(node, [](const auto& n) { return n.kind == Kind::table; });
    }
    return false;
}

}  // namespace

std::string describe(const KeyInfo& key) {
    switch (key.kind) {
        case Key::text:
            return "text";
        case Key::texts:
            return "list of texts";
        case Key::word:
            return "text or number";
        case Key::words:
            return "list of texts or numbers";
        case Key::whole:
            return "whole number";
        case Key::wholes:
            return "list of whole numbers";
        case Key::flag:
            return "true or false";
        case Key::quantity:
            return key.unit == Unit::none ? "text with value and unit"
                                          : std::string("text such as \"") + info(key.unit).example + "\"";
        case Key::date:
            return "date such as 2027-05-31";
        case Key::pairs:
            return "table of texts or numbers";
        case Key::pairs_list:
            return "list of tables of texts or numbers";
        case Key::table:
            return "section";
        case Key::tables:
            return "list of sections";
    }
    return "";
}

const ConfigNode* ConfigNode::find(std::string_view key) const {
    for (const auto& [name, node] : entries) {
        if (name == key) return &node;
    }
    return nullptr;
}

ConfigNode parse_config(std::string_view text, const std::string& file) {
    const std::string readable = readable_toml(text, file);
    try {
        try {
            if (const auto plain = in_ascii(readable, 0); !plain.empty())
                static_cast<void>(toml::parse(plain));
        } catch (const toml::parse_error&) {
            static_cast<void>(toml::parse(in_ascii(readable, 1)));
        }
        const toml::table table = toml::parse(readable);
        return to_node(table);
    } catch (const toml::parse_error& error) {
        const auto& begin = error.source().begin;
        std::string message(error.description());
        std::replace(message.begin(), message.end(), '\n', ' ');
        throw Error(ErrorKind::input,
                    at_text(file, static_cast<int>(begin.line), static_cast<int>(begin.column)),
                    "not valid TOML: " + message);
    }
}

ConfigSection::ConfigSection(const ConfigNode& node, std::string file, const SectionInfo& info)
    : node_(&node), file_(std::move(file)), info_(&info) {
    for (const auto& [name, value] : node.entries) {
        const auto key = std::find_if(info.keys.begin(), info.keys.end(),
                                      [&](const KeyInfo& k) { return name == k.name; });
        const std::string where = at_text(file_, value.line, value.column);
        if (key == info.keys.end()) {
            std::vector<std::string> names;
            for (const auto& known : info.keys) names.emplace_back(known.name);
            fail_input(where,
                       "unknown key " + in_quotes(name) + " in " + info.title + suggestion(name, names));
        }
        if (!fits(value, key->kind)) {
            fail_input(where, "key " + in_quotes(name) + " in " + info.title + " is not a " + describe(*key) +
                                  ": write it so (" + key->help + ")");
        }
    }
    for (const auto& key : info.keys) {
        const bool waived = *info.unless && has(info.unless);
        if (!key.required || waived || has(key.name)) continue;
        fail_input(place(), std::string("key \"") + key.name + "\" is missing in " + info.title +
                                ": write a " + describe(key) + " (" + key.help + ")");
    }
}

std::string ConfigSection::place() const {
    return at_text(file_, std::max(1, node_->line), std::max(1, node_->column));
}

std::string ConfigSection::place(std::string_view key) const {
    const auto* node = node_->find(key);
    return node ? at_text(file_, node->line, node->column) : place();
}

void ConfigSection::fail(std::string_view key, const std::string& message) const {
    fail_input(place(key), "key " + in_quotes(key) + " in " + info_->title + ": " + message);
}

double ConfigSection::quantity_or(std::string_view key, double otherwise) const {
    const auto given = quantity(key);
    return given ? given->value : otherwise;
}

void ConfigSection::at(std::string_view key, const std::function<void()>& work) const {
    try {
        work();
    } catch (const Error& error) {
        if (error.kind() != ErrorKind::input || !error.place().empty()) throw;
        fail(key, error.message());
    }
}

const KeyInfo& ConfigSection::key_info(std::string_view key) const {
    for (const auto& entry : info_->keys) {
        if (key == entry.name) return entry;
    }
    throw Error(ErrorKind::internal, "",
                "key " + std::string(key) + " is not in the table of " + info_->title);
}

const ConfigNode* ConfigSection::find(std::string_view key, std::initializer_list<Key> kinds) const {
    const Key kind = key_info(key).kind;
    if (std::find(kinds.begin(), kinds.end(), kind) == kinds.end()) {
        throw Error(ErrorKind::internal, "", "key " + std::string(key) + " is read as another kind");
    }
    return node_->find(key);
}

std::string ConfigSection::text(std::string_view key) const {
    const auto* node = find(key, {Key::text, Key::word, Key::date});
    return node ? node->text : "";
}

std::vector<std::string> ConfigSection::texts(std::string_view key) const {
    std::vector<std::string> out;
    if (const auto* node = find(key, {Key::texts, Key::words})) {
        for (const auto& item : node->items) out.push_back(item.text);
    }
    return out;
}

std::optional<long long> ConfigSection::whole(std::string_view key) const {
    const auto* node = find(key, {Key::whole});
    if (!node) return std::nullopt;
    return node->whole;
}

std::vector<int> ConfigSection::wholes(std::string_view key) const {
    std::vector<int> out;
    if (const auto* node = find(key, {Key::wholes})) {
        for (const auto& item : node->items) out.push_back(static_cast<int>(item.whole));
    }
    return out;
}

bool ConfigSection::flag(std::string_view key) const {
    const auto* node = find(key, {Key::flag});
    return node && node->flag;
}

std::optional<Quantity> ConfigSection::quantity(std::string_view key) const {
    return quantity_in(key, key_info(key).unit);
}

std::optional<Quantity> ConfigSection::quantity_in(std::string_view key, Unit unit) const {
    const auto* node = find(key, {Key::quantity});
    if (!node) return std::nullopt;
    Quantity value;
    at(key,
       [&] { value = unit == Unit::none ? parse_quantity(node->text) : parse_quantity(node->text, unit); });
    return value;
}

std::vector<std::pair<std::string, std::string>> ConfigSection::pairs(std::string_view key) const {
    std::vector<std::pair<std::string, std::string>> out;
    if (const auto* node = find(key, {Key::pairs})) {
        for (const auto& [name, value] : node->entries) out.emplace_back(name, value.text);
    }
    return out;
}

std::vector<std::vector<std::pair<std::string, std::string>>> ConfigSection::pairs_list(
    std::string_view key) const {
    std::vector<std::vector<std::pair<std::string, std::string>>> out;
    if (const auto* node = find(key, {Key::pairs_list})) {
        for (const auto& item : node->items) {
            auto& one = out.emplace_back();
            for (const auto& [name, value] : item.entries) one.emplace_back(name, value.text);
        }
    }
    return out;
}

std::optional<ConfigSection> ConfigSection::table(std::string_view key, const SectionInfo& info) const {
    const auto* node = find(key, {Key::table});
    if (!node) return std::nullopt;
    return ConfigSection(*node, file_, info);
}

std::vector<ConfigSection> ConfigSection::tables(std::string_view key, const SectionInfo& info) const {
    std::vector<ConfigSection> out;
    if (const auto* node = find(key, {Key::tables})) {
        for (const auto& item : node->items) out.emplace_back(item, file_, info);
    }
    return out;
}

std::string toml_text(std::string_view text) {
    std::string out = "\"";
    for (const char c : text) {
        const auto byte = static_cast<unsigned char>(c);
        if (c == '"' || c == '\\') out += '\\';
        if (byte < 0x20 || byte == 0x7f) {
            out += "\\u00" + hex(byte, 2);
        } else {
            out += c;
        }
    }
    return out + "\"";
}

}  // namespace rt::lab
