// Bytes as hexadecimal digits.
#pragma once

#include <cstdint>
#include <span>
#include <string>

namespace rt {

// Two lower-case digits a byte.
inline std::string hexadecimal(std::span<const std::uint8_t> bytes) {
    std::string out;
    for (const auto byte : bytes) {
        out += "0123456789abcdef"[byte >> 4];
        out += "0123456789abcdef"[byte & 15];
    }
    return out;
}

}  // namespace rt
