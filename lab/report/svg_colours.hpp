// SVG that every renderer draws.
#pragma once

#include <string>

namespace rt::lab {

// gnuplot gives point signs the colour of where they are used (currentColor), which some renderers cannot
// follow through <use>. Here every use and every group says its colour itself.
std::string with_plain_colours(const std::string& svg);

}  // namespace rt::lab
