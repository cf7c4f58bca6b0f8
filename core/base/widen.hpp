// Samples as they are read: integers as fractions of full scale, and what is no number.
#pragma once

#include <cstddef>
#include <cstdint>
#include <optional>

namespace rt {

// out = in / 32768, or in / 128. Both return the largest magnitude written.
float widen(const std::int16_t* in, float* out, std::size_t count);
float widen(const std::int8_t* in, float* out, std::size_t count);

// The first value that is no number: NaN, infinite, or what instruments send for these (9.9E37 and 9.91E37,
// SCPI-1999 7.2.1).
std::optional<std::size_t> first_no_number(const float* values, std::size_t count);

// Multiplies each value; false when any of them is no number.
bool scale_finite(float* values, std::size_t count, float factor);

}  // namespace rt
