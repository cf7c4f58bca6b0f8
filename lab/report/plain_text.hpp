// Text for documents whose formats do not take every byte.
#pragma once

#include <string>
#include <string_view>

namespace rt::lab {

// Valid UTF-8 without control characters but tab and newline; a question mark for bytes that are none
// (XML 1.0 2.2).
std::string plain_text(std::string_view text);

// The same for the inside of an element or an attribute of XML or HTML.
std::string markup_text(std::string_view text);

}  // namespace rt::lab
