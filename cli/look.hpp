// What comes in, drawn on the terminal again and again until somebody has seen enough.
#pragma once

#include <functional>
#include <string>
#include <vector>

#include "cli/console.hpp"
#include "core/outcome/outcome.hpp"
#include "lab/report/figure.hpp"

namespace rt::cli {

// An outcome in as many columns as the terminal has: the first curve (or figure, where one is given), the
// first few results, why it is not valid.
std::vector<std::string> look_lines(const Console& console, const Outcome& outcome, const std::string& title);
std::vector<std::string> plot_lines(const Console& console, const Figure& figure);

// Takes and shows until Enter is pressed, in place; once where nobody can press it. Trouble with an
// instrument is shown too, and it is tried again.
void look_until_enough(const Console& console, const std::string& title,
                       const std::function<Outcome()>& take);

}  // namespace rt::cli
