#include "lab/simulate/scpi_tree.hpp"

#include <algorithm>
#include <cctype>
#include <cmath>
#include <utility>

#include "core/base/text.hpp"
#include "core/quantity/quantity.hpp"

namespace rt::lab {
namespace {

std::string upper(std::string_view text) {
    std::string out(text);
    for (char& c : out) c = static_cast<char>(std::toupper(static_cast<unsigned char>(c)));
    return out;
}

std::string short_form(std::string_view word) {
    std::string out;
    for (const char c : word) {
        if (!std::islower(static_cast<unsigned char>(c))) out += c;
    }
    return out;
}

// Splits at `separator` outside quotes.
std::vector<std::string_view> split_outside_quotes(std::string_view text, char separator) {
    std::vector<std::string_view> parts;
    std::size_t start = 0;
    char quote = 0;
    for (std::size_t i = 0; i < text.size(); ++i) {
        const char c = text[i];
        if (quote) {
            if (c == quote) quote = 0;
        } else if (c == '"' || c == '\'') {
            quote = c;
        } else if (c == separator) {
            parts.push_back(text.substr(start, i - start));
            start = i + 1;
        }
    }
    parts.push_back(text.substr(start));
    return parts;
}

}  // namespace

void ScpiTree::on(const std::string& pattern, Command command, Query query) {
    Entry entry;
    std::string rest = pattern;
    while (!rest.empty()) {
        Node node;
        if (rest[0] == ':') rest.erase(0, 1);
        if (rest[0] == '[') {
            node.optional = true;
            rest.erase(0, 1);
            if (rest[0] == ':') rest.erase(0, 1);
        }
        const auto end = std::min(rest.find_first_of(":[]"), rest.size());
        std::string word = rest.substr(0, end);
        rest.erase(0, end);
        if (word.ends_with('#')) {
            word.pop_back();
            entry.numbered = true;
        }
        if (node.optional && !rest.empty() && rest[0] == ':') rest.erase(0, 1);
        if (node.optional && !rest.empty() && rest[0] == ']') rest.erase(0, 1);
        node.short_form = short_form(word);
        node.long_form = upper(word);
        entry.nodes.push_back(std::move(node));
    }
    entry.command = std::move(command);
    entry.query = std::move(query);
    entries_.push_back(std::move(entry));
}

ScpiTree::Header ScpiTree::parse_header(std::string_view text) {
    Header header;
    if (text.ends_with('?')) {
        header.query = true;
        text.remove_suffix(1);
    }
    for (const auto part : split(text, ':')) {
        const bool common = part.starts_with('*');
        const auto letters_end = common ? std::string_view::npos : part.find_last_not_of("0123456789");
        const auto letters = letters_end == std::string_view::npos ? part : part.substr(0, letters_end + 1);
        const auto digits = part.substr(letters.size());
        for (const char c : letters) {
            if (!std::isalpha(static_cast<unsigned char>(c)) && c != '*' && c != '_')
                throw ScpiError{-102, "Syntax error"};
        }
        if (letters.empty()) throw ScpiError{-102, "Syntax error"};
        header.mnemonics.push_back(upper(letters));
        header.suffixes.push_back(
            digits.empty() ? 1 : static_cast<int>(to_double(digits.substr(0, 6)).value_or(0)));
    }
    return header;
}

bool ScpiTree::matches(const Entry& entry, std::size_t node, const Header& header, std::size_t mnemonic) {
    if (node == entry.nodes.size()) return mnemonic == header.mnemonics.size();
    const Node& want = entry.nodes[node];
    if (mnemonic < header.mnemonics.size()) {
        const std::string& got = header.mnemonics[mnemonic];
        if ((got == want.short_form || got == want.long_form) &&
            matches(entry, node + 1, header, mnemonic + 1)) {
            return true;
        }
    }
    return want.optional && matches(entry, node + 1, header, mnemonic);
}

const ScpiTree::Entry* ScpiTree::find(const Header& header) const {
    const Entry* found = nullptr;
    for (const auto& entry : entries_) {
        if (!matches(entry, 0, header, 0)) continue;
        found = &entry;
        if (header.query ? static_cast<bool>(entry.query) : static_cast<bool>(entry.command)) return found;
    }
    return found;
}

// `path` is the current path (SCPI-1999 volume 1, 6.2.4): nodes that a header without leading colon
// continues.
std::optional<std::string> ScpiTree::execute_unit(std::string_view unit, std::vector<std::string>& path) {
    const auto blank = unit.find_first_of(" \t");
    const std::string_view head = unit.substr(0, blank);
    const std::string_view tail = blank == std::string_view::npos ? "" : trim(unit.substr(blank));
    const bool common = head.starts_with('*');
    const bool rooted = head.starts_with(':');
    std::string full(rooted ? head.substr(1) : head);
    if (!rooted && !common) {
        std::string prefix;
        for (const auto& node : path) prefix += node + ":";
        full = prefix + full;
    }
    const Header header = parse_header(full);
    const Entry* entry = find(header);
    if (!entry) throw ScpiError{-113, "Undefined header"};
    int number = 1;
    for (const int suffix : header.suffixes) {
        if (suffix == 1) continue;
        if (!entry->numbered || number != 1) throw ScpiError{-114, "Header suffix out of range"};
        number = suffix;
    }
    if (!common) {
        path.clear();
        auto parts = split(full, ':');
        parts.pop_back();
        for (const auto part : parts) path.emplace_back(part);
    }
    ScpiArguments arguments;
    if (entry->numbered) arguments.push_back(std::to_string(number));
    if (!tail.empty()) {
        for (const auto part : split_outside_quotes(tail, ',')) arguments.emplace_back(trim(part));
    }
    if (header.query) {
        if (!entry->query) throw ScpiError{-113, "Undefined header"};
        return entry->query(arguments);
    }
    if (!entry->command) throw ScpiError{-113, "Undefined header"};
    entry->command(arguments);
    return std::nullopt;
}

std::optional<std::string> ScpiTree::execute(std::string_view message) {
    std::optional<std::string> answer;
    std::vector<std::string> path;
    try {
        for (const auto part : split_outside_quotes(message, ';')) {
            const auto unit = trim(part);
            if (unit.empty()) continue;
            std::optional<std::string> one;
            try {
                one = execute_unit(unit, path);
            } catch (const ScpiError& error) {
                // What cannot be carried out is left out, the rest of the message is not (IEEE 488.2, 6.1.6).
                if (error.code / 100 != -2) throw;
                push_error(error);
            }
            if (one) answer = answer ? *answer + ";" + *one : *one;
        }
    } catch (const ScpiError& error) {
        push_error(error);
    }
    return answer;
}

void ScpiTree::push_error(ScpiError error) {
    // Event bits by class: command -1xx, execution -2xx, device -3xx, query -4xx.
    const int kind = -error.code / 100;
    if (kind >= 1 && kind <= 4) events_ |= kind == 1 ? 32 : kind == 2 ? 16 : kind == 3 ? 8 : 4;
    constexpr std::size_t longest_queue = 16;
    if (errors_.size() == longest_queue) {
        errors_.back() = {-350, "Queue overflow"};
    } else {
        errors_.push_back(std::move(error));
    }
}

std::string ScpiTree::headers() const {
    std::string out;
    for (const auto& entry : entries_) {
        std::string header;
        for (const auto& node : entry.nodes) {
            std::string form = node.long_form;
            // The short form in capitals, as manuals write it.
            for (std::size_t i = 0; i < form.size(); ++i)
                form[i] = static_cast<char>(i < node.short_form.size()
                                                ? std::toupper(static_cast<unsigned char>(form[i]))
                                                : std::tolower(static_cast<unsigned char>(form[i])));
            header += (header.empty() ? "" : ":") + (node.optional ? "[" + form + "]" : form);
        }
        out += header + (entry.command ? "" : "?") + "\n";
    }
    return out;
}

std::string ScpiTree::pop_error() {
    if (errors_.empty()) return "0,\"No error\"";
    const ScpiError error = errors_.front();
    errors_.pop_front();
    return std::to_string(error.code) + ",\"" + error.text + "\"";
}

int ScpiTree::take_events() {
    return std::exchange(events_, 0);
}

double scpi_number(const std::string& text, ScpiUnit unit, ScpiRange range) {
    const std::string word = upper(text);
    if (word == "MIN" || word == "MINIMUM") return range.min;
    if (word == "MAX" || word == "MAXIMUM") return range.max;
    if (word == "DEF" || word == "DEFAULT") return range.otherwise;
    const auto end = word.find_first_not_of("+-.0123456789E");
    const std::string_view digits = trim(std::string_view(word).substr(0, end));
    const std::string suffix = end == std::string::npos ? "" : std::string(trim(word.substr(end)));
    const auto value = to_double(digits);
    if (!value) throw ScpiError{-104, "Data type error"};
    // Suffixes of SCPI-1999 volume 1, 7.1: MA is mega, except that MHZ is megahertz.
    struct Suffix {
        ScpiUnit unit;
        const char* text;
        double factor;
    };
    static constexpr Suffix suffixes[] = {
        {ScpiUnit::hertz, "HZ", 1},     {ScpiUnit::hertz, "KHZ", 1e3},  {ScpiUnit::hertz, "MHZ", 1e6},
        {ScpiUnit::hertz, "MAHZ", 1e6}, {ScpiUnit::hertz, "GHZ", 1e9},  {ScpiUnit::second, "S", 1},
        {ScpiUnit::second, "MS", 1e-3}, {ScpiUnit::second, "US", 1e-6}, {ScpiUnit::decibel, "DB", 1},
        {ScpiUnit::dbm, "DBM", 1},
    };
    double factor = suffix.empty() ? 1 : 0;
    for (const auto& known : suffixes) {
        if (known.unit == unit && suffix == known.text) factor = known.factor;
    }
    if (factor == 0) throw ScpiError{-131, "Invalid suffix"};
    const double number = *value * factor;
    if (!(number >= range.min && number <= range.max)) throw ScpiError{-222, "Data out of range"};
    return number;
}

std::size_t scpi_word(const std::string& text, const std::vector<std::string>& words) {
    for (std::size_t i = 0; i < words.size(); ++i) {
        if (upper(text) == short_form(words[i]) || upper(text) == upper(words[i])) return i;
    }
    throw ScpiError{-224, "Illegal parameter value"};
}

const std::string& only_argument(const ScpiArguments& arguments) {
    if (arguments.empty()) throw ScpiError{-109, "Missing parameter"};
    if (arguments.size() > 1) throw ScpiError{-108, "Parameter not allowed"};
    return arguments.front();
}

std::string unquoted(std::string text) {
    if (text.size() >= 2 && (text.front() == '"' || text.front() == '\'') && text.back() == text.front())
        return text.substr(1, text.size() - 2);
    return text;
}

}  // namespace rt::lab
