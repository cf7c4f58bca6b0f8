// Networks by closed forms, and analysers with errors of every kind: truth for tests.
#pragma once

#include <cmath>
#include <complex>
#include <numbers>
#include <random>
#include <vector>

#include "core/network/two.hpp"
#include "core/signal/error_terms.hpp"

namespace made {

using rt::Complex;
using rt::Network;
using rt::Two;

inline std::vector<double> grid(double from_hz, double to_hz, std::size_t points) {
    std::vector<double> out;
    for (std::size_t i = 0; i < points; ++i)
        out.push_back(from_hz + (to_hz - from_hz) * static_cast<double>(i) / static_cast<double>(points - 1));
    return out;
}

// `at(hz)` gives the parameters row by row.
template <typename At>
Network network(const std::vector<double>& hz, std::size_t ports, At&& at) {
    Network out;
    out.ports = ports;
    out.frequency_hz = hz;
    for (const double f : hz) {
        for (const auto& value : at(f)) out.s.push_back(value);
    }
    return out;
}

// A series impedance, a shunt admittance, a line: by their text book formulas on 50 ohm.
inline std::vector<Complex> series(Complex z) {
    const Complex g = z / (z + 100.0), t = 100.0 / (z + 100.0);
    return {g, t, t, g};
}
inline std::vector<Complex> shunt(Complex y) {
    const Complex g = -25.0 * y / (1.0 + 25.0 * y), t = 1.0 / (1.0 + 25.0 * y);
    return {g, t, t, g};
}

// Random complex numbers within a size.
class Wild {
  public:
    explicit Wild(unsigned seed) : random_(seed) {}
    Complex within(double size) {
        return std::polar(size * std::sqrt(uniform_(random_)), 2 * std::numbers::pi * uniform_(random_));
    }
    Complex normal(double deviation) {
        std::normal_distribution<double> one(0, deviation / std::sqrt(2.0));
        const double re = one(random_), im = one(random_);
        return {re, im};
    }

  private:
    std::mt19937 random_;
    std::uniform_real_distribution<double> uniform_{0, 1};
};

// An analyser as waves run through it: boxes before both ports, what ends the resting one, crosstalk. Its raw
// readings are computed by solving for the waves, without any error model.
struct Analyser {
    Complex e00, e11, e10, e01;  // box 1: directivity, match, in, out
    Complex e33, e22, e23, e32;  // box 2: seen from its receiver, match, in, out
    Complex forward, backward;   // what port 2 and 1 end in while they rest
    Complex cross_21, cross_12;

    // Port 1 drives: b1/a1 and b2/a1. The outer network is box 1, S, box 2.
    Two read(const Two& s) const {
        const auto solve = [&](const Complex(&a)[2][2], const Complex(&b)[2][2], const Two& d, Complex end) {
            // Unknown waves at the device: into port 1 (x), into port 2 (y), and into the far receiver (w).
            // x = in + match1 * (S11 x + S12 y); y = match2 (S21 x + S22 y) + into2 * w; w = end * out
            // out = far_reflect w + out2 (S21 x + S22 y)
            const Complex far = b[1][1], into = b[0][1], out = b[1][0], match = b[0][0];
            // out (1 - far end) = out2 * t with t = S21 x + S22 y
            const Complex share = out / (1.0 - far * end), load = match + into * end * share;
            const Complex x0 = a[1][0];  // a1 = 1
            // y = load t, t = S21 x + S22 y
            const Complex t_of_x = d.c / (1.0 - d.d * load), y_of_x = load * t_of_x;
            const Complex r_of_x = d.a + d.b * y_of_x;
            const Complex x = x0 / (1.0 - a[1][1] * r_of_x);
            return std::pair{a[0][0] + a[0][1] * r_of_x * x, share * t_of_x * x};
        };
        const Complex a1[2][2]{{e00, e01}, {e10, e11}}, b1[2][2]{{e22, e23}, {e32, e33}};
        const Complex a2[2][2]{{e33, e32}, {e23, e22}}, b2[2][2]{{e11, e10}, {e01, e00}};
        const auto [m11, m21] = solve(a1, b1, s, forward);
        const auto [m22, m12] = solve(a2, b2, {s.d, s.c, s.b, s.a}, backward);
        return {m11, m12 + cross_12, m21 + cross_21, m22};
    }
};

// Cables of some turns before either box, all errors smooth over frequency.
inline Analyser analyser(double hz) {
    const double ghz = hz / 1e9;
    const auto cable = [&](double ns, double loss) {
        return std::polar(std::exp(-loss * std::sqrt(ghz)), -2 * std::numbers::pi * ghz * ns);
    };
    Analyser out;
    out.e00 = 0.05 * cable(0.3, 0) + 0.02;
    out.e11 = 0.12 * cable(0.11, 0);
    out.e10 = cable(0.55, 0.03) * 0.9, out.e01 = cable(0.55, 0.03);
    out.e33 = 0.04 * cable(0.25, 0) - 0.03;
    out.e22 = 0.10 * cable(0.17, 0) * std::polar(1.0, 0.7);
    out.e23 = cable(0.61, 0.04) * 0.8, out.e32 = cable(0.61, 0.04) * 1.05;
    out.forward = 0.08 * cable(0.2, 0), out.backward = -0.06 * cable(0.22, 0);
    return out;
}

// Raw readings of a device with that analyser, noise and all.
template <typename At>
Network raw(const std::vector<double>& hz, At&& device, Wild* wild = nullptr, double noise = 0,
            Complex cross = 0) {
    return network(hz, 2, [&](double f) {
        Analyser a = analyser(f);
        a.cross_21 = cross, a.cross_12 = -cross;
        Two m = a.read(device(f));
        if (wild)
            m = m + Two{wild->normal(noise), wild->normal(noise), wild->normal(noise), wild->normal(noise)};
        return std::vector<Complex>{m.a, m.b, m.c, m.d};
    });
}

inline Two ends(Complex one, Complex two) {
    return {one, 0, 0, two};
}

}  // namespace made
