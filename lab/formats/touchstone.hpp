// Touchstone files, version 1 (.s1p, .s2p ...) and 2 (.ts): network data as text.
#pragma once

#include <filesystem>
#include <string>
#include <string_view>

#include "core/signal/network.hpp"

namespace rt::lab {

// `ports` is known from the ending of the file's name (".s2p") or, in version 2, from the file itself (0).
// S-parameters as magnitude and angle, dB and angle, or real and imaginary part. Noise data is left out.
// Throws Error(input) with file and line.
Network parse_touchstone(std::string_view text, const std::string& file, std::size_t ports);
Network read_touchstone(const std::filesystem::path& file);

// A remark "! distrust: ..." says why the data cannot be trusted, here as in what is written.
// Version 1, in Hz, real and imaginary parts, shortest text that reads back the same.
std::string touchstone(const Network& network);

}  // namespace rt::lab
