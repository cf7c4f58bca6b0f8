// Text files of other programs as UTF-8.
#pragma once

#include <cstddef>
#include <cstdint>
#include <string>
#include <string_view>

namespace rt::lab {

// UTF-16 by its byte order mark (code points of the basic plane and pairs of surrogates), UTF-8 without its
// mark; what is no UTF-8 is taken for Latin-1, in which programs write the micro sign.
std::string as_utf8(std::string_view bytes);

struct Letter {
    std::uint32_t code;
    std::size_t length;  // in bytes; 0: ASCII, the end, or no UTF-8
};
// The letter beyond ASCII that begins at a byte of UTF-8.
Letter letter_at(std::string_view text, std::size_t at);

}  // namespace rt::lab
