#include "lab/formats/text_encoding.hpp"

#include <cstdint>

namespace rt::lab {
namespace {

void append(std::string& out, std::uint32_t code) {
    const auto byte = [&](std::uint32_t value) { out += static_cast<char>(value); };
    if (code < 0x80) {
        byte(code);
    } else if (code < 0x800) {
        byte(0xC0 | (code >> 6)), byte(0x80 | (code & 0x3F));
    } else if (code < 0x10000) {
        byte(0xE0 | (code >> 12)), byte(0x80 | ((code >> 6) & 0x3F)), byte(0x80 | (code & 0x3F));
    } else {
        byte(0xF0 | (code >> 18)), byte(0x80 | ((code >> 12) & 0x3F)), byte(0x80 | ((code >> 6) & 0x3F)),
            byte(0x80 | (code & 0x3F));
    }
}

bool is_utf8(std::string_view text) {
    for (std::size_t i = 0; i < text.size();) {
        const auto lead = static_cast<unsigned char>(text[i]);
        const std::size_t more = lead < 0x80                   ? 0
                                 : lead >= 0xC2 && lead < 0xE0 ? 1
                                 : lead >= 0xE0 && lead < 0xF0 ? 2
                                 : lead >= 0xF0 && lead < 0xF5 ? 3
                                                               : 9;
        if (more == 9 || i + more >= text.size() + (more == 0)) return false;
        for (std::size_t k = 1; k <= more; ++k)
            if ((static_cast<unsigned char>(text[i + k]) & 0xC0) != 0x80) return false;
        i += more + 1;
    }
    return true;
}

std::string from_utf16(std::string_view bytes, bool big) {
    std::string out;
    const auto unit = [&](std::size_t i) {
        const auto a = static_cast<unsigned char>(bytes[i]), b = static_cast<unsigned char>(bytes[i + 1]);
        return static_cast<std::uint32_t>(big ? (a << 8) | b : (b << 8) | a);
    };
    for (std::size_t i = 0; i + 1 < bytes.size(); i += 2) {
        std::uint32_t code = unit(i);
        if (code >= 0xD800 && code < 0xDC00 && i + 3 < bytes.size()) {
            code = 0x10000 + ((code - 0xD800) << 10) + (unit(i + 2) - 0xDC00);
            i += 2;
        }
        append(out, code);
    }
    return out;
}

}  // namespace

std::string as_utf8(std::string_view bytes) {
    if (bytes.starts_with("\xFF\xFE")) return from_utf16(bytes.substr(2), false);
    if (bytes.starts_with("\xFE\xFF")) return from_utf16(bytes.substr(2), true);
    if (bytes.starts_with("\xEF\xBB\xBF")) bytes.remove_prefix(3);
    if (is_utf8(bytes)) return std::string(bytes);
    std::string out;
    for (const char c : bytes) append(out, static_cast<unsigned char>(c));
    return out;
}

}  // namespace rt::lab
