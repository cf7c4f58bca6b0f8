#include "core/base/text.hpp"

#include <fmt/core.h>

#include <algorithm>
#include <cctype>
#include <charconv>
#include <cmath>
#include <cstdio>
#include <numeric>
#include <utility>

namespace rt {

std::string_view trim(std::string_view text) {
    constexpr std::string_view blanks = " \t\r\n\v\f";
    const auto first = text.find_first_not_of(blanks);
    if (first == std::string_view::npos) return {};
    return text.substr(first, text.find_last_not_of(blanks) - first + 1);
}

std::string lower(std::string_view text) {
    std::string out(text);
    std::transform(out.begin(), out.end(), out.begin(),
                   [](unsigned char c) { return static_cast<char>(std::tolower(c)); });
    return out;
}

std::vector<std::string_view> split(std::string_view text, char separator) {
    std::vector<std::string_view> parts;
    std::size_t start = 0;
    for (std::size_t at; (at = text.find(separator, start)) != std::string_view::npos; start = at + 1) {
        parts.push_back(text.substr(start, at - start));
    }
    parts.push_back(text.substr(start));
    return parts;
}

std::optional<double> to_double(std::string_view text) {
    if (!text.empty() && text.front() == '+') text.remove_prefix(1);
    if (text.empty() || text.front() == '+') return std::nullopt;
    double value = 0;
    const auto [end, error] = std::from_chars(text.data(), text.data() + text.size(), value);
    if (error != std::errc{} || end != text.data() + text.size() || !std::isfinite(value))
        return std::nullopt;
    return value;
}

std::optional<double> to_reading(std::string_view text) {
    const auto value = to_double(text);
    return value && is_number(*value) ? value : std::nullopt;
}

bool is_number(double value) {
    return std::abs(value) < 9.899e37;
}

std::string exact(double value) {
    char buffer[64];
    const double size = std::abs(value);
    const bool readable = value == 0 || (size >= 1e-6 && size < 1e16);
    const auto [end, error] =
        readable ? std::to_chars(buffer, buffer + sizeof buffer, value, std::chars_format::fixed)
                 : std::to_chars(buffer, buffer + sizeof buffer, value);
    return error == std::errc{} ? std::string(buffer, end) : "?";
}

std::string decimal(double value, int decimals) {
    char buffer[400];
    const auto [end, error] =
        std::to_chars(buffer, buffer + sizeof buffer, value, std::chars_format::fixed, decimals);
    if (error != std::errc{}) return "?";
    std::string text(buffer, end);
    if (text.find('.') != std::string::npos) {
        text.erase(text.find_last_not_of('0') + 1);
        if (text.back() == '.') text.pop_back();
    }
    return text == "-0" ? "0" : text;
}

static std::size_t edit_distance(std::string_view a, std::string_view b) {
    std::vector<std::size_t> row(b.size() + 1);
    std::iota(row.begin(), row.end(), 0u);
    for (std::size_t i = 1; i <= a.size(); ++i) {
        std::size_t diagonal = std::exchange(row[0], i);
        for (std::size_t j = 1; j <= b.size(); ++j) {
            const std::size_t change = diagonal + (a[i - 1] != b[j - 1]);
            diagonal = row[j];
            row[j] = std::min({row[j] + 1, row[j - 1] + 1, change});
        }
    }
    return row.back();
}

std::optional<std::string> nearest(std::string_view word, const std::vector<std::string>& candidates) {
    const std::string* best = nullptr;
    std::size_t best_distance = std::max<std::size_t>(2, word.size() / 3) + 1;
    for (const auto& candidate : candidates) {
        const std::size_t distance = edit_distance(lower(word), lower(candidate));
        if (distance < best_distance) {
            best_distance = distance;
            best = &candidate;
        }
    }
    if (!best) return std::nullopt;
    return *best;
}

std::string suggestion(std::string_view word, const std::vector<std::string>& candidates) {
    if (const auto near = nearest(word, candidates)) return ": did you mean \"" + *near + "\"?";
    std::string list;
    for (const auto& candidate : candidates) list += (list.empty() ? "" : ", ") + candidate;
    return list.empty() ? "" : ": known are " + list;
}

// Length of the UTF-8 sequence that `text` begins with (RFC 3629), 0 if it is none.
static std::size_t utf8_length(std::string_view text) {
    const auto byte = [&](std::size_t i) { return static_cast<unsigned char>(text[i]); };
    const unsigned char first = byte(0);
    const std::size_t length = first < 0x80                    ? 1
                               : first >= 0xC2 && first < 0xE0 ? 2
                               : first >= 0xE0 && first < 0xF0 ? 3
                               : first >= 0xF0 && first < 0xF5 ? 4
                                                               : 0;
    if (length == 0 || length > text.size()) return 0;
    for (std::size_t i = 1; i < length; ++i) {
        if ((byte(i) & 0xC0) != 0x80) return 0;
    }
    return length;
}

std::string in_quotes(std::string_view text) {
    constexpr std::size_t longest = 60;
    std::string out = "\"";
    std::size_t at = 0;
    while (at < text.size() && at < longest) {
        const std::size_t length = utf8_length(text.substr(at));
        const auto byte = static_cast<unsigned char>(text[at]);
        if (length == 0 || byte < 0x20 || byte == 0x7f) {
            out += "\\x" + hex(byte, 2);
            ++at;
        } else {
            out += text.substr(at, length);
            at += length;
        }
    }
    return out + (at < text.size() ? "...\"" : "\"");
}

std::uint64_t fnv1a(std::string_view text, std::uint64_t seed) {
    for (const char c : text) seed = (seed ^ static_cast<unsigned char>(c)) * 0x100000001b3u;
    return seed;
}

std::string hex(std::uint64_t value, int digits) {
    std::string out(static_cast<std::size_t>(digits), '0');
    for (auto at = out.rbegin(); at != out.rend(); ++at, value >>= 4) *at = "0123456789abcdef"[value & 15];
    return out;
}

static std::string with_safe_letters(std::string_view text) {
    std::string out;
    for (const char c : text) {
        const bool keep = std::isalnum(static_cast<unsigned char>(c)) || c == '.' || c == '-' || c == '_';
        if (keep) {
            out += c;
        } else if (!out.empty() && out.back() != '-') {
            out += '-';
        }
    }
    while (!out.empty() && out.back() == '-') out.pop_back();
    return out;
}

std::vector<std::string> wrapped(std::string_view text, std::size_t width) {
    std::vector<std::string> out{""};
    for (std::string_view word : split(text, ' ')) {
        if (width == 0 || out.back().empty() || letters(out.back()) + 1 + letters(word) <= width) {
            if (!out.back().empty()) out.back() += ' ';
        } else {
            out.emplace_back();
        }
        // A word that no line can hold, cut between characters.
        while (width > 0 && letters(word) > width - letters(out.back())) {
            std::size_t bytes = 0;
            for (std::size_t room = width - letters(out.back()); room > 0; --room) {
                do ++bytes;
                while (bytes < word.size() && (static_cast<unsigned char>(word[bytes]) & 0xc0) == 0x80);
            }
            out.back() += word.substr(0, bytes);
            word.remove_prefix(bytes);
            out.emplace_back();
        }
        out.back() += word;
    }
    if (out.size() > 1 && out.back().empty()) out.pop_back();
    return out;
}

std::string file_part(std::string_view text) {
    constexpr std::size_t most = 80, kept = 68;
    std::string out = with_safe_letters(text);
    if (out.size() > most) out = out.substr(0, kept) + "-" + hex(fnv1a(text), 11);
    return out.empty() ? "unnamed" : out;
}

std::string slug(std::string_view text) {
    std::string out = with_safe_letters(text);
    const auto first = out.find_first_not_of("-.");  // no hidden file, no "..", no option
    out.erase(0, first == std::string::npos ? out.size() : first);
    return out.empty() ? "unnamed" : out.substr(0, 80);
}

static std::string tenths(double value) {
    char text[40];
    std::snprintf(text, sizeof text, "%.1f", value);
    return text;
}

std::string duration_text(double seconds) {
    if (seconds < 0.9995) return std::to_string(std::lround(seconds * 1000)) + " ms";
    if (seconds < 59.95) return tenths(seconds) + " s";
    const auto whole = static_cast<long long>(std::llround(seconds));
    if (whole < 3600) return fmt::format("{} min {} s", whole / 60, whole % 60);
    return fmt::format("{} h {} min", whole / 3600, whole % 3600 / 60);
}

bool is_date(std::string_view text) {
    if (text.size() != 10 || text[4] != '-' || text[7] != '-') return false;
    for (const std::size_t i : {0, 1, 2, 3, 5, 6, 8, 9}) {
        if (text[i] < '0' || text[i] > '9') return false;
    }
    const int month = 10 * (text[5] - '0') + text[6] - '0', day = 10 * (text[8] - '0') + text[9] - '0';
    return month >= 1 && month <= 12 && day >= 1 && day <= 31;
}

std::size_t letters(std::string_view text) {
    return static_cast<std::size_t>(std::count_if(
        text.begin(), text.end(), [](char c) { return (static_cast<unsigned char>(c) & 0xC0) != 0x80; }));
}

// U+0080 to U+009F steer terminals as control characters do; marks of writing direction (Unicode TR 9) and
// line and paragraph separators move what stands around them.
static bool steers(std::uint32_t code) {
    return (code >= 0x80 && code <= 0x9F) || code == 0x061C || (code >= 0x200B && code <= 0x200F) ||
           (code >= 0x2028 && code <= 0x202E) || (code >= 0x2060 && code <= 0x2069) || code == 0xFEFF;
}

std::string printable(std::string text) {
    std::string out;
    for (std::size_t at = 0; at < text.size();) {
        const std::size_t length = utf8_length(std::string_view(text).substr(at));
        const auto first = static_cast<unsigned char>(text[at]);
        if (length < 2) {
            out += length == 0 || first < 0x20 || first == 0x7f ? '?' : text[at];
            ++at;
            continue;
        }
        std::uint32_t code = first & (0xFFU >> (length + 1));
        for (std::size_t i = 1; i < length; ++i)
            code = code << 6 | (static_cast<unsigned char>(text[at + i]) & 0x3FU);
        if (steers(code)) {
            out += '?';
        } else {
            out.append(text, at, length);
        }
        at += length;
    }
    return out;
}

std::vector<std::string> aligned(const std::vector<std::vector<std::string>>& rows,
                                 const std::string& indent) {
    std::vector<std::size_t> widths;
    for (const auto& row : rows) {
        widths.resize(std::max(widths.size(), row.size()));
        for (std::size_t i = 0; i < row.size(); ++i) widths[i] = std::max(widths[i], letters(row[i]));
    }
    std::vector<std::string> lines;
    for (const auto& row : rows) {
        std::string line = indent;
        for (std::size_t i = 0; i < row.size(); ++i) {
            line += printable(row[i]);
            if (i + 1 < row.size()) line += std::string(widths[i] - letters(row[i]) + 2, ' ');
        }
        while (!line.empty() && line.back() == ' ') line.pop_back();
        lines.push_back(std::move(line));
    }
    return lines;
}

}  // namespace rt
