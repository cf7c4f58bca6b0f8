#include "core/network/standard.hpp"

#include <fmt/core.h>

#include <algorithm>
#include <cmath>
#include <numbers>

#include "core/base/error.hpp"
#include "core/network/forms.hpp"
#include "core/quantity/quantity.hpp"

namespace rt {
namespace {

constexpr double two_pi = 2 * std::numbers::pi;

double polynomial(const std::array<double, 4>& c, double hz) {
    return c[0] + hz * (c[1] + hz * (c[2] + hz * c[3]));
}

void require_range(const Standard& standard, double hz) {
    const bool above = standard.to_hz > 0 && hz > standard.to_hz * (1 + 1e-9);
    if (!above && hz >= standard.from_hz * (1 - 1e-9)) return;
    fail_input(fmt::format("the kit's {} holds from {} to {}, not at {}", standard.name,
                           format({standard.from_hz, Unit::hertz}),
                           standard.to_hz > 0 ? format({standard.to_hz, Unit::hertz}) : "any frequency",
                           format({hz, Unit::hertz})));
}

Network on_reference(const Network& data, double ohm) {
    return data.one_reference() && data.reference(1) == ohm ? data : renormalised(data, {ohm});
}

}  // namespace

OffsetLine offset_line(const Standard& s, double hz) {
    const double root = std::sqrt(hz / 1e9);
    const double a = s.loss_ohm_s * s.delay_s / (2 * s.impedance_ohm) * root;
    OffsetLine out;
    out.gamma_l = {a, two_pi * hz * s.delay_s + a};
    const double extra = hz > 0 ? s.loss_ohm_s / (2 * two_pi * hz) * root : 0;
    out.impedance_ohm = {s.impedance_ohm + extra, -extra};
    return out;
}

// G = [G1 (1 - e - G1 Gt) + e Gt] / [1 - G1 (e G1 + Gt (1 - e))], G1 of the line's impedance, Gt of its end,
// e = exp(-2 gamma l): the same as by chain matrices.
std::complex<double> reflection_of(const Standard& s, double hz, double reference_ohm) {
    require_range(s, hz);
    std::complex<double> out;
    if (s.data) {
        out = interpolated(on_reference(*s.data, reference_ohm), hz, s.name).front();
    } else {
        const double w = two_pi * hz;
        std::complex<double> end;
        if (s.kind == StandardKind::open) {
            // By the admittance, so that no capacitance is an open.
            const std::complex<double> y(0, w * polynomial(s.capacitance, hz) * reference_ohm);
            end = (1.0 - y) / (1.0 + y);
        } else {
            const double r = s.kind == StandardKind::load ? s.resistance_ohm : 0;
            const std::complex<double> z(r / reference_ohm, w * polynomial(s.inductance, hz) / reference_ohm);
            end = (z - 1.0) / (z + 1.0);
        }
        const OffsetLine line = offset_line(s, hz);
        const auto g1 = (line.impedance_ohm - reference_ohm) / (line.impedance_ohm + reference_ohm);
        const auto e = std::exp(-2.0 * line.gamma_l);
        out = (g1 * (1.0 - e - g1 * end) + e * end) / (1.0 - g1 * (e * g1 + end * (1.0 - e)));
    }
    // Measured data of a short may lie above 1 by its noise.
    constexpr double most = 1.05;
    if (!(std::abs(out) <= most))
        fail_input(
            fmt::format("the kit's {} reflects {:.4g} times what comes in at {}: no passive standard does",
                        s.name, std::abs(out), format({hz, Unit::hertz})));
    return out;
}

Two transmission_of(const Standard& s, double hz, double reference_ohm) {
    require_range(s, hz);
    if (s.data) {
        if (s.data->ports != 2)
            fail_input("the kit's " + s.name + " must be a two-port, its data has another number of ports");
        const auto v = interpolated(on_reference(*s.data, reference_ohm), hz, s.name);
        return {v[0], v[1], v[2], v[3]};
    }
    const OffsetLine line = offset_line(s, hz);
    const auto g = (line.impedance_ohm - reference_ohm) / (line.impedance_ohm + reference_ohm);
    const auto p = std::exp(-line.gamma_l), down = 1.0 - g * g * p * p;
    const auto same = g * (1.0 - p * p) / down, through = p * (1.0 - g * g) / down;
    return {same, through, through, same};
}

double expected_phase(const Standard& s, double hz) {
    if (!s.data) return -offset_line(s, hz).gamma_l.imag();
    const auto v = interpolated(*s.data, hz, s.name);
    return std::arg(v.size() == 4 ? v[2] : v[0]);
}

std::vector<std::complex<double>> interpolated(const Network& n, double hz, const std::string& name) {
    const std::size_t all = n.ports * n.ports;
    const auto& f = n.frequency_hz;
    const double near = 1e-9 * hz;
    if (f.empty() || hz < f.front() - near || hz > f.back() + near)
        fail_input(fmt::format("the data of {} goes from {} to {}, not to {}", name,
                               format({f.empty() ? 0 : f.front(), Unit::hertz}),
                               format({f.empty() ? 0 : f.back(), Unit::hertz}), format({hz, Unit::hertz})));
    const auto above = std::lower_bound(f.begin(), f.end(), hz - near);
    const auto i = static_cast<std::size_t>(above - f.begin());
    const auto values = [&](std::size_t at) {
        return std::vector<Complex>(n.s.begin() + static_cast<std::ptrdiff_t>(at * all),
                                    n.s.begin() + static_cast<std::ptrdiff_t>((at + 1) * all));
    };
    if (i == 0 || std::abs(f[i] - hz) <= near) return values(i);
    // Along an arc: magnitude and phase each by a straight line.
    const double share = (hz - f[i - 1]) / (f[i] - f[i - 1]);
    auto low = values(i - 1);
    const auto high = values(i);
    for (std::size_t k = 0; k < all; ++k) {
        const double size = std::abs(low[k]) + share * (std::abs(high[k]) - std::abs(low[k]));
        const double turn = low[k] == 0.0 ? 0 : std::arg(high[k] / low[k]);
        low[k] = std::polar(size, std::arg(low[k]) + share * turn);
    }
    return low;
}

}  // namespace rt
