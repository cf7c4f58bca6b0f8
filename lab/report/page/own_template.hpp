// Templates that users write themselves: mustache (spec of 2022: variables, sections, inverted sections,
// comments).
#pragma once

#include <filesystem>
#include <string>

#include "lab/report/page/values.hpp"

namespace rt::lab {

// Whether what the template makes is HTML or XML, by its name: "letter.html", "letter.html.mustache".
bool makes_markup(const std::filesystem::path& name);

// The template filled in. In markup values are escaped; in other texts control characters are left out.
// Throws Error(input) with file:line for a name that there is no value of, with the nearest one (a value
// that may be missing stands in a section of its own name), for sections that are not closed, partials and
// other delimiters.
std::string fill_template(const std::string& text, const std::string& file, const PageData& values,
                          bool markup);

}  // namespace rt::lab
