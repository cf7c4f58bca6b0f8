#include "lab/report/plain_text.hpp"

namespace rt::lab {

std::string plain_text(std::string_view text) {
    std::string out;
    for (std::size_t i = 0; i < text.size();) {
        const auto first = static_cast<unsigned char>(text[i]);
        if (first < 0x80) {
            if (first >= 0x20 || first == '\t' || first == '\n') out += text[i];
            ++i;
            continue;
        }
        const std::size_t length = first >= 0xF0 && first < 0xF5 ? 4
                                   : first >= 0xE0               ? 3
                                   : first >= 0xC2               ? 2
                                                                 : 0;
        bool whole = length > 0 && first < 0xF5 && i + length <= text.size();
        unsigned long code = first & (0xFFU >> (length + 1));
        for (std::size_t k = 1; whole && k < length; ++k) {
            const auto next = static_cast<unsigned char>(text[i + k]);
            whole = (next & 0xC0) == 0x80;
            code = code << 6 | (next & 0x3FU);
        }
        // Overlong forms, surrogates and the two places that are no characters.
        constexpr unsigned long least[] = {0, 0, 0x80, 0x800, 0x10000};
        whole = whole && code >= least[length] && code <= 0x10FFFF && (code < 0xD800 || code > 0xDFFF) &&
                code != 0xFFFE && code != 0xFFFF;
        if (whole) {
            out.append(text.substr(i, length));
            i += length;
        } else {
            out += '?';
            ++i;
        }
    }
    return out;
}

std::string markup_text(std::string_view text) {
    std::string out;
    for (const char c : plain_text(text)) {
        switch (c) {
            case '&':
                out += "&amp;";
                break;
            case '<':
                out += "&lt;";
                break;
            case '>':
                out += "&gt;";
                break;
            case '"':
                out += "&quot;";
                break;
            case '\'':
                out += "&#39;";
                break;
            default:
                out += c;
        }
    }
    return out;
}

}  // namespace rt::lab
