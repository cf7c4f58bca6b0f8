// Everything that reads bytes from outside, each as one function of those bytes: fed by scripts/fuzz with
// what libFuzzer makes up, and by the tests with what was kept of that.
#pragma once

#include <span>
#include <string>
#include <string_view>

namespace fuzz {

struct Reader {
    const char* name;
    const char* seeds;  // files to begin with: patterns below the project's folder, with spaces between
    void (*read)(std::string_view bytes);
};

std::span<const Reader> readers();
const Reader* find_reader(std::string_view name);

// Reads. What is wrong with the bytes is an Error with a message (control characters in it are made visible
// where it is printed); what else is thrown goes on to the caller. Returns what is wrong with the error, ""
// for nothing.
std::string take(const Reader& reader, std::string_view bytes);

}  // namespace fuzz
