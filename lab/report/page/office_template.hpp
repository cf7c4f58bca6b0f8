// Users' own templates as documents of office programs: .docx (ECMA-376, WordprocessingML) and .odt
// (OpenDocument 1.2), filled in without such a program.
#pragma once

#include <filesystem>
#include <functional>
#include <map>
#include <string>
#include <vector>

#include "lab/formats/zip_archive.hpp"
#include "lab/report/page/values.hpp"

namespace rt::lab {

bool is_office_document(const std::filesystem::path& name);

// What {{test.NAME.figure}} and {{test.NAME.table}} become in a document, by the name of the test: the file
// of a drawing (.svg), and rows of cells, the first of which heads the others.
struct OfficeParts {
    std::map<std::string, std::filesystem::path> figures;
    std::map<std::string, std::vector<std::vector<std::string>>> tables;
    // The picture of a drawing as PNG, for documents that hold no drawings.
    std::function<std::string(const std::filesystem::path& svg)> as_png;
};

// What stands in a text for a figure or a table until it is put there: marked_place("figure", "monitors").
std::string marked_place(const std::string& kind, const std::string& test);

// The document filled in: text of body, headers and footers as fill_template() fills texts, whatever spans
// the program has cut the tags into. A section that opens in one cell of a table's row and closes in another
// of it repeats the row; one whose tags stand alone in paragraphs, or in rows, repeats what is between these.
// A figure or table takes the place of its tag's paragraph or text. Throws Error(input) as fill_template()
// does, and for what is no such document.
std::vector<ZipEntry> fill_office(const std::string& document, const std::string& file,
                                  const PageData& values, const OfficeParts& parts);

// In the order that the form wants, the type of an OpenDocument uncompressed.
void write_office(const std::vector<ZipEntry>& document, const std::filesystem::path& file);

}  // namespace rt::lab
