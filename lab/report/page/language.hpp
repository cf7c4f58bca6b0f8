// The texts of the report's page in other languages: a file with a translation for each text.
#pragma once

#include <filesystem>
#include <map>
#include <string>
#include <vector>

#include "lab/formats/config.hpp"

namespace rt::lab {

extern const FileInfo language_file;

struct ReportLanguage {
    std::string code = "en";  // of the page: BCP 47
    std::string name = "English";
    std::map<std::string, std::string> texts;  // the English text, what stands in its place

    // Texts of the page that stay English; none of English itself.
    std::vector<std::string> lacking() const;
};

// Throws Error(input) with file and line, for a text that the page does not have, and for one that names
// other values than the English one.
ReportLanguage read_language(const std::filesystem::path& file);

// All texts of the page, in the order in which they first stand.
std::vector<std::string> page_texts();

// A template whose texts, marked [[so]], are in that language; those that it lacks stay English.
std::string in_language(std::string text, const ReportLanguage& language);

}  // namespace rt::lab
