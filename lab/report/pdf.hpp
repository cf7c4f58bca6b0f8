// The HTML report as PDF.
#pragma once

#include <filesystem>

namespace rt {

// By the program weasyprint, which must be installed. Written whole or not at all. Throws Error(output) with
// what it said.
void write_pdf(const std::filesystem::path& html, const std::filesystem::path& pdf);

}  // namespace rt
