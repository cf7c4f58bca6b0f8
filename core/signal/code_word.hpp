// A digital message as its bits, the first sent first.
#pragma once

#include <cstdint>
#include <optional>
#include <string>
#include <vector>

namespace rt {

struct CodeWordSetup {};

struct CodeWord {
    using Setup = CodeWordSetup;
    static constexpr const char* kind = "code-word";
    static constexpr const char* needed = "a message in hexadecimal digits or bits, in a text file";

    std::vector<std::uint8_t> bits;  // 0 or 1
    std::optional<std::string> distrust{};
};

// The same as one text of 0 and 1.
std::string bit_text(const CodeWord& word);
// Four bits a digit, the first the highest; bits beyond the last four are left out.
std::string hex_text(const CodeWord& word);
// Digits 0-9 A-F (four bits each), or, where there are only 0 and 1 and more than `bits_from` of them, bits.
// Spaces between them do not count. Throws Error(input) naming the character that is none.
CodeWord parse_code_word(const std::string& text, std::size_t bits_from = 40);

inline std::string implausible(const CodeWord&) {
    return {};
}

}  // namespace rt
