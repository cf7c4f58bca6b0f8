// Constellations of cellular uplinks, of unit mean power.
#pragma once

#include <algorithm>
#include <cmath>
#include <complex>
#include <cstddef>
#include <cstdint>
#include <span>
#include <string_view>

namespace rt::cellular {

enum class Modulation { bpsk, qpsk, qam16, qam64, qam256 };
inline constexpr Modulation modulations[] = {Modulation::bpsk, Modulation::qpsk, Modulation::qam16,
                                             Modulation::qam64, Modulation::qam256};

const char* name(Modulation modulation);  // "pi/2-bpsk", "qpsk", "16qam"
// Throws Error(input) for another name.
Modulation modulation_named(std::string_view name);
std::size_t bits_of(Modulation modulation);

// Points on a square grid, as all but pi/2-BPSK are: the distance from one to the next is two steps.
class Grid {
  public:
    explicit Grid(Modulation modulation);
    std::complex<double> nearest(std::complex<double> x) const {
        return {on_axis(x.real()), on_axis(x.imag())};
    }

  private:
    double on_axis(double x) const {
        return std::clamp(2 * std::floor(x * per_step_ / 2) + 1, -most_, most_) * step_;
    }
    double step_, per_step_, most_;
};

// The point nearest to `x`. pi/2-BPSK turns by a quarter with each symbol: `place` is its number.
std::complex<double> nearest(Modulation modulation, std::complex<double> x, std::size_t place);

// The point that these bits choose (TS 36.211 clause 7.1, TS 38.211 clause 5.1); one bit a byte.
std::complex<double> point_of(Modulation modulation, std::span<const std::uint8_t> bits, std::size_t place);

// Rms distance to the nearest point of a signal that has nothing to do with the constellation: errors above
// it cannot be told.
double blind_error(Modulation modulation);

}  // namespace rt::cellular
