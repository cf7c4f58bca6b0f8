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
        const bool ascii = static_cast<unsigned char>(text[i]) < 0x80;
        const std::size_t length = ascii ? 1 : letter_at(text, i).length;
        if (length == 0) return false;
        i += length;
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

Letter letter_at(std::string_view text, std::size_t at) {
    const auto lead = at < text.size() ? static_cast<unsigned char>(text[at]) : 0u;
    const std::size_t length = lead < 0xC2 ? 0 : lead < 0xE0 ? 2 : lead < 0xF0 ? 3 : lead < 0xF5 ? 4 : 0;
    if (length == 0 || at + length > text.size()) return {0, 0};
    std::uint32_t code = lead & (0xFFu >> (length + 1));
    for (std::size_t i = 1; i < length; ++i) {
        const auto byte = static_cast<unsigned char>(text[at + i]);
        if ((byte & 0xC0) != 0x80) return {0, 0};
        code = code << 6 | (byte & 0x3Fu);
    }
    return {code, length};
}

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
