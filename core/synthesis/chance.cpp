#include "core/synthesis/chance.hpp"

#include <cmath>
#include <numbers>
#include <vector>

namespace rt {
namespace {

constexpr int table_places_log2 = 14;
constexpr std::uint64_t table_places = std::uint64_t{1} << table_places_log2;
constexpr std::uint64_t table_tail = 64;  // places at either end that are worked out one by one

const std::vector<float>& table() {
    static const std::vector<float> values = [] {
        std::vector<float> out(table_places + 1);
        for (std::uint64_t i = 1; i < table_places; ++i)
            out[i] =
                static_cast<float>(normal_place(static_cast<double>(i) / static_cast<double>(table_places)));
        out[0] = out[1], out[table_places] = out[table_places - 1];  // never used: tails
        return out;
    }();
    return values;
}

float drawn(std::uint64_t bits, const float* values) {
    const std::uint64_t place = bits >> (64 - table_places_log2);
    if (place - table_tail >= table_places - 2 * table_tail)
        return static_cast<float>(normal_place((static_cast<double>(bits >> 11) + 0.5) * 0x1p-53));
    const auto part = static_cast<float>(static_cast<std::int32_t>(bits >> 19 & 0x7fffffff)) * 0x1p-31F;
    return values[place] + part * (values[place + 1] - values[place]);
}

}  // namespace

Chance::Chance(std::uint64_t seed, std::uint64_t stream)
    : base_(seed * 0xd1342543de82ef95u + stream * 0x2545f4914f6cdd1du + 0x632be59bd9b4e019u) {}

double Chance::normal(std::uint64_t number) const {
    return drawn(bits(number), table().data());
}

void Chance::add_normal(std::uint64_t first, double rms, std::span<float> to) const {
    const float* values = table().data();
    const auto scale = static_cast<float>(rms);
    for (std::size_t i = 0; i < to.size(); ++i) to[i] += scale * drawn(bits(first + i), values);
}

// Newton's steps on erfc from the rational start of Abramowitz and Stegun 26.2.23.
double normal_place(double share) {
    if (share > 0.5) return -normal_place(1 - share);
    const double t = std::sqrt(-2 * std::log(share));
    double x = -(t - (2.515517 + t * (0.802853 + t * 0.010328)) /
                         (1 + t * (1.432788 + t * (0.189269 + t * 0.001308))));
    for (int i = 0; i < 3; ++i) {
        const double over = 0.5 * std::erfc(-x / std::numbers::sqrt2) - share;
        const double slope = std::exp(-x * x / 2) / std::sqrt(2 * std::numbers::pi);
        x -= over / slope;
    }
    return x;
}

}  // namespace rt
