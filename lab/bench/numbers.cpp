#include "lab/bench/numbers.hpp"

#include <algorithm>
#include <bit>
#include <cctype>
#include <charconv>
#include <cmath>
#include <cstdint>
#include <cstring>
#include <utility>

#include "core/base/text.hpp"

namespace rt::lab {
namespace {

std::string upper(std::string_view text) {
    std::string out(text);
    std::transform(out.begin(), out.end(), out.begin(),
                   [](unsigned char c) { return static_cast<char>(std::toupper(c)); });
    return out;
}

// #H1F, #Q17, #B101.
std::optional<double> non_decimal(std::string_view text) {
    if (text.size() < 3) return std::nullopt;
    const char kind = static_cast<char>(std::toupper(static_cast<unsigned char>(text[1])));
    const int base = kind == 'H' ? 16 : kind == 'Q' ? 8 : kind == 'B' ? 2 : 0;
    if (base == 0) return std::nullopt;
    std::uint64_t value = 0;
    const auto [end, error] = std::from_chars(text.data() + 2, text.data() + text.size(), value, base);
    if (error != std::errc{} || end != text.data() + text.size()) return std::nullopt;
    return static_cast<double>(value);
}

// What a suffix multiplies by; nothing for one that is none.
std::optional<double> factor_of(std::string_view suffix) {
    if (suffix.empty()) return 1;
    const std::string word = upper(suffix);
    // Levels and ratios take no multiplier.
    for (const char* plain : {"DBM", "DBUV", "DBV", "DB", "PCT", "DEG", "CEL", "K", "RAD", "UI"}) {
        if (word == plain) return 1;
    }
    static constexpr std::pair<const char*, double> multipliers[] = {
        {"", 1},    {"EX", 1e18}, {"PE", 1e15}, {"T", 1e12}, {"G", 1e9},   {"MA", 1e6},
        {"K", 1e3}, {"M", 1e-3},  {"U", 1e-6},  {"N", 1e-9}, {"P", 1e-12}, {"F", 1e-15},
    };
    for (const char* unit : {"HZ", "S", "V", "A", "W", "OHM", "F", "H", "M", "BIT/S"}) {
        if (!word.ends_with(unit)) continue;
        const std::string prefix = word.substr(0, word.size() - std::strlen(unit));
        const std::string_view named = unit;
        if (prefix == "M" && (named == "HZ" || named == "OHM")) return 1e6;
        for (const auto& [name, factor] : multipliers) {
            if (prefix == name) return factor;
        }
    }
    return std::nullopt;
}

template <typename Number>
std::vector<double> as_numbers(std::string_view bytes, bool big_endian) {
    std::vector<double> out(bytes.size() / sizeof(Number));
    const bool turn = big_endian != (std::endian::native == std::endian::big);
    for (std::size_t i = 0; i < out.size(); ++i) {
        char raw[sizeof(Number)];
        std::memcpy(raw, bytes.data() + i * sizeof(Number), sizeof(Number));
        if (turn) std::reverse(raw, raw + sizeof(Number));
        Number number;
        std::memcpy(&number, raw, sizeof(Number));
        out[i] = static_cast<double>(number);
    }
    return out;
}

std::optional<std::vector<double>> from_list(std::string_view text) {
    std::vector<double> out;
    text = trim(text);
    for (;;) {
        const auto comma = text.find(',');
        const auto value = parse_scpi_number(trim(text.substr(0, comma)));
        if (!value) return std::nullopt;
        out.push_back(*value);
        if (comma == std::string_view::npos) return out;
        text.remove_prefix(comma + 1);
    }
}

}  // namespace

std::optional<double> parse_scpi_number(std::string_view text) {
    text = trim(text);
    if (text.starts_with('#')) return non_decimal(text);
    if (text.starts_with('+')) {
        text.remove_prefix(1);
        if (text.starts_with('-')) return std::nullopt;
    }
    double value = 0;
    const auto [end, error] = std::from_chars(text.data(), text.data() + text.size(), value);
    if (error != std::errc{} || !std::isfinite(value) || !is_number(value)) return std::nullopt;
    const auto rest = trim(text.substr(static_cast<std::size_t>(end - text.data())));
    if (rest.starts_with('+')) return std::nullopt;
    const auto factor = factor_of(rest);
    return factor ? std::optional(value * *factor) : std::nullopt;
}

std::string brief_form(std::string_view word) {
    std::string out;
    for (const char c : word) out += std::islower(static_cast<unsigned char>(c)) ? "" : std::string(1, c);
    return out;
}

std::string block_of(std::string_view bytes) {
    const std::string length = std::to_string(bytes.size());
    return ("#" + std::to_string(length.size()) + length).append(bytes);
}

std::string encode_numbers(const std::vector<double>& values, const DataForm& form) {
    const std::size_t bytes = bytes_of(form.form);
    std::string body;
    if (bytes == 0) {
        for (const double value : values)
            body += (body.empty() ? "" : ",") + exact(std::clamp(value, -1.0, 1.0));
        return body;
    }
    const bool real = form.form == NumberForm::real32 || form.form == NumberForm::real64;
    const double most = std::exp2(8 * static_cast<double>(bytes) - 1) - 1;
    for (const double given : values) {
        const double value = std::clamp(given, -1.0, 1.0);
        const std::uint64_t bits = !real        ? static_cast<std::uint64_t>(std::llround(value * most))
                                   : bytes == 8 ? std::bit_cast<std::uint64_t>(value)
                                                : std::bit_cast<std::uint32_t>(static_cast<float>(value));
        for (std::size_t i = 0; i < bytes; ++i)
            body += static_cast<char>(bits >> 8 * (form.big_endian ? bytes - 1 - i : i) & 0xff);
    }
    return block_of(body);
}

std::size_t bytes_of(NumberForm form) {
    switch (form) {
        case NumberForm::ascii:
            return 0;
        case NumberForm::int8:
            return 1;
        case NumberForm::int16:
            return 2;
        case NumberForm::int32:
        case NumberForm::real32:
            return 4;
        case NumberForm::real64:
            return 8;
    }
    return 0;
}

std::optional<std::vector<double>> decode_numbers(std::string_view data, const DataForm& form) {
    if (form.form == NumberForm::ascii) return from_list(data);
    if (data.size() % bytes_of(form.form) != 0) return std::nullopt;
    switch (form.form) {
        case NumberForm::int8:
            return as_numbers<std::int8_t>(data, form.big_endian);
        case NumberForm::int16:
            return as_numbers<std::int16_t>(data, form.big_endian);
        case NumberForm::int32:
            return as_numbers<std::int32_t>(data, form.big_endian);
        case NumberForm::real32:
            return as_numbers<float>(data, form.big_endian);
        default:
            return as_numbers<double>(data, form.big_endian);
    }
}

}  // namespace rt::lab
