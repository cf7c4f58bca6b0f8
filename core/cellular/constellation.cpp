#include "core/cellular/constellation.hpp"

#include <algorithm>
#include <array>
#include <cmath>
#include <numbers>
#include <string>

#include "core/base/error.hpp"
#include "core/base/text.hpp"

namespace rt::cellular {
namespace {

struct Kind {
    const char* name;
    std::size_t bits;
    double scale;  // of the odd numbers on each axis
};
const Kind& kind_of(Modulation modulation) {
    static const std::array kinds{
        Kind{"pi/2-bpsk", 1, 1}, Kind{"qpsk", 2, 1 / std::sqrt(2.0)}, Kind{"16qam", 4, 1 / std::sqrt(10.0)},
        Kind{"64qam", 6, 1 / std::sqrt(42.0)}, Kind{"256qam", 8, 1 / std::sqrt(170.0)}};
    return kinds[static_cast<std::size_t>(modulation)];
}

// One axis: signs and magnitudes are folded bit by bit (Gray).
double level_of(std::span<const std::uint8_t> bits, std::size_t first) {
    double magnitude = 1;
    double step = 2;
    for (std::size_t at = bits.size() - 2 + first; at > first; at -= 2, step *= 2)
        magnitude = step - (bits[at] ? -1 : 1) * magnitude;
    return (bits[first] ? -1 : 1) * magnitude;
}

std::complex<double> quarter_turns(std::size_t place) {
    return place % 2 == 0 ? std::complex<double>(1, 0) : std::complex<double>(0, 1);
}

}  // namespace

const char* name(Modulation modulation) {
    return kind_of(modulation).name;
}

Modulation modulation_named(std::string_view text) {
    for (const auto modulation : modulations)
        if (text == name(modulation)) return modulation;
    fail_input("modulation " + in_quotes(std::string(text)) +
               ": write pi/2-bpsk, qpsk, 16qam, 64qam or 256qam");
}

std::size_t bits_of(Modulation modulation) {
    return kind_of(modulation).bits;
}

Grid::Grid(Modulation modulation)
    : step_(kind_of(modulation).scale),
      per_step_(1 / step_),
      most_(static_cast<double>(std::size_t{1} << (kind_of(modulation).bits / 2)) - 1) {}

std::complex<double> nearest(Modulation modulation, std::complex<double> x, std::size_t place) {
    if (modulation == Modulation::bpsk) {
        const auto turn = quarter_turns(place);
        const auto upright = x * std::conj(turn);
        const double s = (upright.real() + upright.imag() >= 0 ? 1 : -1) / std::numbers::sqrt2;
        return std::complex<double>(s, s) * turn;
    }
    return Grid(modulation).nearest(x);
}

std::complex<double> point_of(Modulation modulation, std::span<const std::uint8_t> bits, std::size_t place) {
    if (modulation == Modulation::bpsk) {
        const double s = (bits[0] ? -1 : 1) / std::numbers::sqrt2;
        return std::complex<double>(s, s) * quarter_turns(place);
    }
    const double scale = kind_of(modulation).scale;
    return {level_of(bits, 0) * scale, level_of(bits, 1) * scale};
}

double blind_error(Modulation modulation) {
    // Evenly spread over the cell of a point: a square of two steps of the scale. pi/2-BPSK has half a plane,
    // where a Gaussian signal is what it can be taken for.
    if (modulation == Modulation::bpsk) return std::sqrt(2 - 2 * std::sqrt(1 / std::numbers::pi));
    return kind_of(modulation).scale * std::sqrt(2.0 / 3);
}

}  // namespace rt::cellular
