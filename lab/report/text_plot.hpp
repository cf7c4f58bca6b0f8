// A figure as lines of text, for a terminal: a quick look, not the figure of a report.
#pragma once

#include <string>
#include <vector>

#include "lab/report/figure.hpp"

namespace rt::lab {

// So many characters wide and lines high, axes included (at least 40 by 8). Curves are dots of two by four in
// a character (Unicode 2800 to 28ff), limits lines of '─' where no curve stands. What has no curves over an
// axis (maps, pictures of how often places were met) gives its title alone.
std::vector<std::string> text_plot(const Figure& figure, std::size_t width, std::size_t height);

}  // namespace rt::lab
