// Small text helpers shared by every reader.
#pragma once

#include <cstdint>
#include <optional>
#include <string>
#include <string_view>
#include <vector>

namespace rt {

std::string_view trim(std::string_view text);
std::string lower(std::string_view text);
// The parts are views into the text, so it must live on: a temporary does not compile.
std::vector<std::string_view> split(std::string_view text, char separator);
std::vector<std::string_view> split(std::string&& text, char separator) = delete;

// The whole text as a decimal number; nothing else around it. NaN and infinities are not numbers here.
std::optional<double> to_double(std::string_view text);

// False for NaN, infinities, and the numbers by which instruments say these: 9.91E37 is not a number, 9.9E37
// and -9.9E37 are infinities (SCPI-1999 7.2.1.4, 7.2.1.5; IEEE 488.2 knows neither).
bool is_number(double value);
// As to_double(), for what was measured: nothing for what is_number() does not take.
std::optional<double> to_reading(std::string_view text);

// The shortest decimal text that reads back as the same double; with an exponent only for very large and
// small ones.
std::string exact(double value);

// At most `decimals` decimals, trailing zeros removed, never "-0".
std::string decimal(double value, int decimals);

// "80 ms", "1.2 s", "3 min 20 s", "2 h 5 min".
std::string duration_text(double seconds);

// The candidate closest to `word` by edit distance, if it is close enough to be a slip of the keyboard.
std::optional<std::string> nearest(std::string_view word, const std::vector<std::string>& candidates);

// ": did you mean \"x\"?" or, without a near candidate, ": known are a, b, c".
std::string suggestion(std::string_view word, const std::vector<std::string>& candidates);

// Text in double quotes for messages: control characters and bytes that are no UTF-8 as escapes, cut at 60.
std::string in_quotes(std::string_view text);

// 64-bit FNV-1a (Fowler, Noll, Vo; draft-eastlake-fnv): stable ids, not for security.
// `seed` carries on from an earlier part of the text.
inline constexpr std::uint64_t fnv1a_start = 0xcbf29ce484222325u;
std::uint64_t fnv1a(std::string_view text, std::uint64_t seed = fnv1a_start);

std::string hex(std::uint64_t value, int digits);

// "2026-05-31": four digits, a month and a day that can be.
bool is_date(std::string_view text);

// Characters of a text, not its bytes (UTF-8).
std::size_t letters(std::string_view text);

// Text from files and instruments with control characters replaced: a terminal must not obey it.
std::string printable(std::string text);

// Columns padded to the widest cell; the last one is not padded. Widths count characters, not bytes.
std::vector<std::string> aligned(const std::vector<std::vector<std::string>>& rows,
                                 const std::string& indent);

// Wrapped at words into lines of at most so many characters; a longer word is cut. Width 0: one line.
std::vector<std::string> wrapped(std::string_view text, std::size_t width);

// A text as a part within a file name: letters, digits, '.', '-' and '_' stay, the rest becomes '-', also at
// its beginning ("-8 dBm" and "8 dBm" differ). A long one ends in a digest of all of it, so that two texts
// never share a name for being cut.
std::string file_part(std::string_view text);

// A text made safe for a file name: letters, digits, '.', '-' and '_' stay, the rest becomes '-'.
std::string slug(std::string_view text);

}  // namespace rt
