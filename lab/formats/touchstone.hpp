// Touchstone files, version 1 (.s1p, .s2p ...) and 2 (.ts): network data as text.
#pragma once

#include <filesystem>
#include <string>
#include <string_view>

#include "core/signal/network.hpp"

namespace rt::lab {

// `ports` is known from the ending of the file's name (".s2p") or, in version 2, from the file itself (0).
// S-, Y-, Z-, H- and G-parameters as magnitude and angle, dB and angle, or real and imaginary part, all
// become S-parameters; mixed-mode data becomes single-ended. Throws Error(input) with file and line.
Network parse_touchstone(std::string_view text, const std::string& file, std::size_t ports);
// Whether a name is that of a Touchstone file, and how many ports its ending says; 0 for ".ts".
bool names_touchstone(const std::filesystem::path& file);
std::size_t ports_named(const std::filesystem::path& file);
Network read_touchstone(const std::filesystem::path& file);

// In Hz, real and imaginary parts, shortest text that reads back the same. Remarks say why the data cannot be
// trusted, at which level it was measured, what was done to it ("! done: ...") and how sure each value is;
// they are read again. Version 1 where it can hold the data, and nothing was done to it.
std::string touchstone(const Network& network);
bool needs_version_two(const Network& network);

}  // namespace rt::lab
