// The clock on the wall, as text.
#pragma once

#include <string>

namespace rt {

// Now, UTC, as 2026-05-04T08:15:30.123Z.
std::string utc_now();
// Today's local date as 2026-05-04.
std::string today();

}  // namespace rt
