// The curves of a figure as text, for a page on which they can be zoomed and read by cursor.
#pragma once

#include <string>

#include "lab/report/figure.hpp"

namespace rt::lab {

// JSON without any '<': {"title", "x", "y", "log", "together" (where it has one), "curves": [{"name", "role",
// "colour", "x": [...] or the number of an earlier curve with the same places, "y": [...]}]}. "" for polar
// figures, pictures of how often places were met and figures without curves: these are looked at, not read.
std::string figure_values(const Figure& figure);

}  // namespace rt::lab
