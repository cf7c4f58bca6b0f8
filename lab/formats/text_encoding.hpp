// Text files of other programs as UTF-8.
#pragma once

#include <string>
#include <string_view>

namespace rt::lab {

// UTF-16 by its byte order mark (code points of the basic plane and pairs of surrogates), UTF-8 without its
// mark; what is no UTF-8 is taken for Latin-1, in which programs write the micro sign.
std::string as_utf8(std::string_view bytes);

}  // namespace rt::lab
