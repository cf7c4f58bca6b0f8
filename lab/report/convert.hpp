// The report's page in other forms, made by programs of their own.
#pragma once

#include <filesystem>
#include <string>

namespace rt::lab {

// By weasyprint. Throws Error(output) when it cannot be started or makes nothing.
void write_pdf(const std::filesystem::path& html, const std::filesystem::path& pdf);

// An editable document (OpenDocument text) with the same texts, tables and figures, by pandoc. Throws as
// write_pdf() does.
void write_document(const std::filesystem::path& html, const std::filesystem::path& odt);

// The bytes of a PNG picture of a drawing, 1600 pixels wide, by rsvg-convert; `scratch`: a folder for what it
// writes meanwhile. Throws as write_pdf() does.
std::string png_of(const std::filesystem::path& svg, const std::filesystem::path& scratch);

}  // namespace rt::lab
