// Headers by what they contain: which of those that an instrument lists of itself may be meant by a command.
#pragma once

#include <string>
#include <string_view>
#include <vector>

namespace rt::lab {

// The header of a command: up to its first value or the next command.
std::string header_of(const std::string& text);
// Without the brackets round what may be left out.
std::string plain_header(std::string_view header);
// Those of `headers` that may be meant by a command of a dialect ("set_bandwidth"); none for commands that
// nothing is known of.
std::vector<std::string> meant_headers(const std::string& command, const std::vector<std::string>& headers);

}  // namespace rt::lab
