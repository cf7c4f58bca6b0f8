#include "core/rules/stated_limit.hpp"

#include <optional>

#include "core/base/error.hpp"
#include "core/base/text.hpp"

namespace rt {
namespace {

// What stands between the signs, and the signs: "<=" or ">=".
struct Parts {
    std::vector<std::string> words, signs;
};

Parts parts_of(const std::string& text) {
    Parts out{{""}, {}};
    for (std::size_t i = 0; i < text.size(); ++i) {
        const char c = text[i];
        if (c != '<' && c != '>') {
            out.words.back() += c;
            continue;
        }
        if (i + 1 == text.size() || text[i + 1] != '=') {
            fail_input("limit \"" + text + "\": write " + c + "= in place of " + c +
                       ": a value on the limit passes");
        }
        out.signs.push_back(std::string(1, c) + "=");
        out.words.emplace_back();
        ++i;
    }
    for (auto& word : out.words) word = trim(word);
    return out;
}

bool is_name(const std::string& word) {
    return !word.empty() &&
           word.find_first_not_of("abcdefghijklmnopqrstuvwxyz0123456789_") == std::string::npos &&
           word.find_first_of("abcdefghijklmnopqrstuvwxyz") == 0;
}

Quantity value_of(const std::string& text, const std::string& word) {
    try {
        return parse_quantity(word);
    } catch (const Error& error) {
        fail_input("limit \"" + text + "\": " + error.message());
    }
}

Rule rule_of(const std::string& text, std::size_t number) {
    const Parts p = parts_of(text);
    const bool single = p.signs.size() == 1 && is_name(p.words[0]);
    const bool between = p.signs.size() == 2 && p.signs[0] == p.signs[1] && is_name(p.words[1]);
    if (!single && !between) {
        fail_input(
            "limit \"" + text +
            "\": write a result, <= or >=, and a value: \"level <= -30 dBm\"; or both ends: \"0.9 V <= "
            "high_level <= 1.1 V\"");
    }
    const std::string result = p.words[single ? 0 : 1];
    Bound bound;
    const Quantity right = value_of(text, p.words.back());
    (p.signs.back() == "<=" ? bound.max : bound.min) = right.value;
    if (between) {
        const Quantity left = value_of(text, p.words.front());
        if (left.unit != right.unit) fail_input("limit \"" + text + "\": both ends must be in the same unit");
        (p.signs.front() == "<=" ? bound.min : bound.max) = left.value;
        if (*bound.min > *bound.max) fail_input("limit \"" + text + "\": no value lies between");
    }
    return {.id = result + (number > 1 ? "-" + std::to_string(number) : ""),
            .title = text,
            .clause = "none",
            .quantity = result,
            .applies_to = result,
            .unit = right.unit,
            .limit = bound,
            .detector = {},
            .bandwidth = {},
            .conditions = {},
            .presets = {},
            .marginal = {},
            .cover_to = {},
            .basis = "stated by the user",
            .confidence = Confidence::sure,
            .note = "",
            .sign_off = {}};
}

}  // namespace

Rulebook stated_limits(const std::vector<std::string>& texts) {
    Rulebook book;
    book.id = "stated";
    book.title = "Limits stated by the user";
    book.standard = "none";
    book.edition = "none";
    book.basis = "stated by the user";
    for (const auto& text : texts) {
        std::size_t number = 1;
        Rule rule = rule_of(text, number);
        const auto taken = [&] {
            for (const auto& other : book.rules) {
                if (other.id == rule.id) return true;
            }
            return false;
        };
        while (taken()) rule = rule_of(text, ++number);
        book.rules.push_back(std::move(rule));
    }
    return book;
}

}  // namespace rt
