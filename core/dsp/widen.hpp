// Integer samples as fractions of full scale.
#pragma once

#include <cstddef>
#include <cstdint>

namespace rt {

// out = in / 32768, or in / 128. Both return the largest magnitude written.
float widen(const std::int16_t* in, float* out, std::size_t count);
float widen(const std::int8_t* in, float* out, std::size_t count);

// Multiplies each value; false when any of them is not a finite number.
bool scale_finite(float* values, std::size_t count, float factor);

}  // namespace rt
