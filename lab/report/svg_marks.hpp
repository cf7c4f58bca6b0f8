// Marks of points in drawings: shapes that are used once for each point cost readers and printers more than
// all lines.
#pragma once

#include <string>

namespace rt::lab {

// The same drawing with all marks of one kind that stand together as one path. Marks that it does not know
// stay as they are. Of many marks circles become octagons, which are drawn in a fifth of the time.
std::string with_joined_marks(const std::string& svg);

}  // namespace rt::lab
