#include "core/signal/code_word.hpp"

#include <algorithm>
#include <cctype>

#include "core/base/error.hpp"
#include "core/base/text.hpp"

namespace rt {

std::string bit_text(const CodeWord& word) {
    std::string out;
    for (const auto bit : word.bits) out += bit ? '1' : '0';
    return out;
}

std::string hex_text(const CodeWord& word) {
    std::string out;
    for (std::size_t i = 0; i + 4 <= word.bits.size(); i += 4) {
        const int digit = word.bits[i] * 8 + word.bits[i + 1] * 4 + word.bits[i + 2] * 2 + word.bits[i + 3];
        out += "0123456789ABCDEF"[digit];
    }
    return out;
}

CodeWord parse_code_word(const std::string& text, std::size_t bits_from) {
    std::string digits;
    for (std::size_t i = 0; i < text.size(); ++i) {
        const auto c = static_cast<unsigned char>(text[i]);
        if (std::isspace(c)) continue;
        if (!std::isxdigit(c))
            fail_input(in_quotes(std::string(1, text[i])) + " is no hexadecimal digit (character " +
                       std::to_string(i + 1) + "): write 0 to 9 and A to F, or bits 0 and 1");
        digits += static_cast<char>(std::toupper(c));
    }
    if (digits.empty()) fail_input("there is no message: write its hexadecimal digits or bits");
    CodeWord out;
    const bool bits = digits.size() > bits_from &&
                      std::all_of(digits.begin(), digits.end(), [](char c) { return c == '0' || c == '1'; });
    for (const char c : digits) {
        const int value = c <= '9' ? c - '0' : c - 'A' + 10;
        for (int k = bits ? 0 : 3; k >= 0; --k) out.bits.push_back(static_cast<std::uint8_t>(value >> k & 1));
    }
    return out;
}

}  // namespace rt
