#include "core/base/widen.hpp"

#include <algorithm>
#include <bit>

#include "core/base/simd.hpp"

namespace rt {
namespace {

// Two plain loops: the compiler makes wide ones of each.
RT_SIMD void scale(const std::int16_t* in, float* out, std::size_t count) {
    for (std::size_t i = 0; i < count; ++i) out[i] = static_cast<float>(in[i]) * (1.0F / 32768.0F);
}
RT_SIMD void scale(const std::int8_t* in, float* out, std::size_t count) {
    for (std::size_t i = 0; i < count; ++i) out[i] = static_cast<float>(in[i]) * (1.0F / 128.0F);
}
RT_SIMD int largest(const std::int16_t* in, std::size_t count) {
    std::int16_t high = 0, low = 0;
    for (std::size_t i = 0; i < count; ++i) {
        high = std::max(high, in[i]);
        low = std::min(low, in[i]);
    }
    return std::max<int>(high, -low);
}
RT_SIMD int largest(const std::int8_t* in, std::size_t count) {
    std::int8_t high = 0, low = 0;
    for (std::size_t i = 0; i < count; ++i) {
        high = std::max(high, in[i]);
        low = std::min(low, in[i]);
    }
    return std::max<int>(high, -low);
}

// Magnitudes from here on are no numbers: infinities, NaN, and what instruments send for them
// (9.9E37, 9.91E37).
constexpr std::uint32_t no_number = std::bit_cast<std::uint32_t>(9.899e37F);

RT_SIMD std::uint32_t any_no_number(const float* values, std::size_t count) {
    std::uint32_t bad = 0;
    for (std::size_t i = 0; i < count; ++i)
        bad |=
            static_cast<std::uint32_t>((std::bit_cast<std::uint32_t>(values[i]) & 0x7fffffffU) >= no_number);
    return bad;
}

// 1 when a value was no number before, or is none with the factor.
RT_SIMD std::uint32_t scale_and_look(float* values, std::size_t count, float factor) {
    std::uint32_t bad = 0;
    for (std::size_t i = 0; i < count; ++i) {
        bad |=
            static_cast<std::uint32_t>((std::bit_cast<std::uint32_t>(values[i]) & 0x7fffffffU) >= no_number);
        values[i] *= factor;
        const auto bits = std::bit_cast<std::uint32_t>(values[i]);
        bad |= static_cast<std::uint32_t>((bits & 0x7f800000U) == 0x7f800000U);
    }
    return bad;
}

}  // namespace

std::optional<std::size_t> first_no_number(const float* values, std::size_t count) {
    if (any_no_number(values, count) == 0) return std::nullopt;
    std::size_t i = 0;
    while ((std::bit_cast<std::uint32_t>(values[i]) & 0x7fffffffU) < no_number) ++i;
    return i;
}

bool scale_finite(float* values, std::size_t count, float factor) {
    return scale_and_look(values, count, factor) == 0;
}

float widen(const std::int16_t* in, float* out, std::size_t count) {
    scale(in, out, count);
    return static_cast<float>(largest(in, count)) / 32768.0F;
}

float widen(const std::int8_t* in, float* out, std::size_t count) {
    scale(in, out, count);
    return static_cast<float>(largest(in, count)) / 128.0F;
}

}  // namespace rt
