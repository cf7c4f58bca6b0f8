#pragma once

#include <string>
#include <utility>
#include <vector>

namespace rt::lab {
const char* version();  // "0.1.0"
// The libraries that it runs with, and their versions.
std::vector<std::pair<std::string, std::string>> libraries();
}  // namespace rt::lab
