// Values turned in the complex plane by an angle that grows by the same step from one to the next.
#pragma once

#include <array>
#include <complex>
#include <cstddef>
#include <span>

namespace rt {

// values[k] *= start * step^k. Several steps at once, so that none waits for the one before; errors grow with
// the number of values as rounding does: of long ones a piece at a time.
template <typename Real>
void turn_on(std::span<std::complex<Real>> values, std::complex<Real> start, std::complex<Real> step) {
    constexpr std::size_t lanes = 8;
    std::array<Real, lanes> re{}, im{};
    std::complex<Real> at = start, stride(1, 0);
    for (std::size_t i = 0; i < lanes; ++i, at *= step, stride *= step) re[i] = at.real(), im[i] = at.imag();
    const Real by = stride.real(), across = stride.imag();
    std::size_t k = 0;
    auto* value = reinterpret_cast<Real*>(values.data());
    for (; k + lanes <= values.size(); k += lanes, value += 2 * lanes) {
        for (std::size_t i = 0; i < lanes; ++i) {
            const Real x = value[2 * i], y = value[2 * i + 1];
            value[2 * i] = x * re[i] - y * im[i], value[2 * i + 1] = x * im[i] + y * re[i];
            const Real next = re[i] * by - im[i] * across;
            im[i] = re[i] * across + im[i] * by, re[i] = next;
        }
    }
    for (std::size_t i = 0; k < values.size(); ++k, ++i) values[k] *= std::complex<Real>(re[i], im[i]);
}

}  // namespace rt
