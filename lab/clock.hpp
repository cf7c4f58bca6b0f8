// The clock on the wall, as text.
#pragma once

#include <string>

namespace rt::lab {

// Now, UTC, as 2026-05-04T08:15:30.123Z.
std::string utc_now();
// `seconds` after a time of utc_now(); an empty text or another form is taken as it is.
std::string utc_after(const std::string& time, double seconds);
// Seconds from `a` to `b`, times of utc_now(); 0 when either has another form.
double seconds_between(const std::string& a, const std::string& b);
// Today's local date as 2026-05-04.
std::string today();

}  // namespace rt::lab
