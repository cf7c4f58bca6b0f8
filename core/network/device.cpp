#include "core/network/device.hpp"

#include <fmt/core.h>

#include <algorithm>
#include <cmath>
#include <limits>

#include "core/base/error.hpp"
#include "core/network/forms.hpp"
#include "core/quantity/quantity.hpp"
#include "core/stats/median.hpp"

namespace rt {

Two without_pads(const Two& device, const Two& open, double ohm) {
    return scattering_of_admittance(admittance_of(device, ohm) - admittance_of(open, ohm), ohm);
}

Two without_pads(const Two& device, const Two& open, const Two& short_circuit, double ohm) {
    const Two yo = admittance_of(open, ohm);
    const Two z = inverse(admittance_of(device, ohm) - yo) - inverse(admittance_of(short_circuit, ohm) - yo);
    return scattering_of_admittance(inverse(z), ohm);
}

// Pad admittance off everything; then the series part, which the short shows; then what of the open is left
// beside the device.
Two without_pads(const Two& device, const Two& pad, const Two& open, const Two& short_circuit, double ohm) {
    const Two yp = admittance_of(pad, ohm);
    const Two series = inverse(admittance_of(short_circuit, ohm) - yp);
    const Two zd = inverse(admittance_of(device, ohm) - yp) - series;
    const Two zo = inverse(admittance_of(open, ohm) - yp) - series;
    return scattering_of_admittance(inverse(zd) - inverse(zo), ohm);
}

namespace {

double size_of(const Two& y) {
    return std::sqrt(std::norm(y.a) + std::norm(y.b) + std::norm(y.c) + std::norm(y.d));
}

void check_dummies(const Network& device, const Dummies& d) {
    std::vector<double> open_to_short, alike;
    for (std::size_t i = 0; i < device.frequency_hz.size(); ++i) {
        const Two o = two_at(*d.open, i), s = two_at(*d.short_circuit, i);
        // By waves, so that an ideal short has a size too.
        alike.push_back(size_of(o - s));
        const auto conducts = [&](const Two& x) {
            return (std::abs(1.0 - x.a) + std::abs(1.0 - x.d)) /
                   (std::abs(1.0 + x.a) + std::abs(1.0 + x.d) + 1e-300);
        };
        open_to_short.push_back(conducts(o) / (conducts(s) + 1e-300));
    }
    if (median(alike) < 0.02) fail_signal("open and short dummy are the same: one was measured twice");
    if (median(open_to_short) > 1)
        fail_signal("the open dummy conducts more than the short one: they are swapped");
}

}  // namespace

Network de_embedded(const Network& device, const Dummies& d) {
    const std::pair<const Network*, const char*> all[]{
        {d.open, "the open"}, {d.short_circuit, "the short"}, {d.pad, "the pad"}};
    if (device.ports != 2)
        fail_input(fmt::format("a device with two ports is de-embedded, this has {}", device.ports));
    if (!device.one_reference())
        fail_input("the device's ports have different references: renormalise first");
    for (const auto& [network, name] : all) {
        if (!network) continue;
        if (network->ports != 2)
            fail_input(fmt::format("{} has {} ports, the device 2", name, network->ports));
        require_same_grid(device, "the device", *network, name);
        if (!network->one_reference() || network->reference(1) != device.reference(1))
            fail_input(
                fmt::format("{} counts from another reference than the device: renormalise it first", name));
    }
    const double ohm = device.reference(1);
    if (d.short_circuit) check_dummies(device, d);
    Network out = device;
    out.noise.clear(), out.uncertainty.clear();
    const bool known = !device.uncertainty.empty();
    if (known) out.uncertainty.resize(out.s.size());
    for (std::size_t i = 0; i < device.frequency_hz.size(); ++i) {
        const auto at = [&](const Network* n) { return n ? two_at(*n, i) : Two{}; };
        const auto inner = [&](const Two& x, const Two& o, const Two& s, const Two& p) {
            if (d.pad) return without_pads(x, p, o, s, ohm);
            if (d.short_circuit) return without_pads(x, o, s, ohm);
            return without_pads(x, o, ohm);
        };
        const Two x = two_at(device, i), o = at(d.open), s = at(d.short_circuit), p = at(d.pad);
        const Two base = inner(x, o, s, p);
        for (const auto& v : {base.a, base.b, base.c, base.d}) {
            if (!std::isfinite(std::abs(v)))
                fail_signal(fmt::format(
                    "nothing is left of the device at {}: a dummy is the device itself, or has no "
                    "admittance",
                    format({device.frequency_hz[i], Unit::hertz})));
        }
        put(out, i, base);
        if (!known) continue;
        // To first order, each reading moved by its own uncertainty.
        double* squares = out.uncertainty.data() + 4 * i;
        const Network* sources[]{&device, d.open, d.short_circuit, d.pad};
        for (int which = 0; which < 4; ++which) {
            if (!sources[which] || sources[which]->uncertainty.empty()) continue;
            for (std::size_t k = 0; k < 4; ++k) {
                const double u = sources[which]->uncertainty[4 * i + k];
                if (u == 0) continue;
                Two moved[]{x, o, s, p};
                constexpr double step = 1e-7;
                Complex* values[]{&moved[which].a, &moved[which].b, &moved[which].c, &moved[which].d};
                *values[k] += step;
                const Two there = inner(moved[0], moved[1], moved[2], moved[3]);
                const Complex far[]{there.a - base.a, there.b - base.b, there.c - base.c, there.d - base.d};
                for (int m = 0; m < 4; ++m) squares[m] += std::norm(far[m] * (u / step));
            }
        }
        for (int m = 0; m < 4; ++m) squares[m] = std::sqrt(squares[m]);
    }
    out.done.push_back(d.pad             ? "pad, open and short dummies taken away"
                       : d.short_circuit ? "open and short dummies taken away"
                                         : "open dummy taken away");
    return out;
}

DeviceFigures figures_of(const Two& s) {
    DeviceFigures out;
    const double inf = std::numeric_limits<double>::infinity();
    const Complex det = s.determinant();
    const double through = std::abs(s.b * s.c);
    out.determinant = std::abs(det);
    const double up = 1 - std::norm(s.a) - std::norm(s.d) + std::norm(det);
    out.k = through > 0 ? up / (2 * through) : inf;
    const double mu_down = std::abs(s.d - det * std::conj(s.a)) + through;
    out.mu = mu_down > 0 ? (1 - std::norm(s.a)) / mu_down : inf;
    out.h21 = std::abs(-2.0 * s.c / ((1.0 - s.a) * (1.0 + s.d) + s.b * s.c));
    out.stable_gain = std::abs(s.b) > 0 ? std::abs(s.c / s.b) : inf;
    out.available = out.stable_gain;
    if (out.k > 1) {
        // K - sqrt(K^2 - 1) as 1 / (K + sqrt(...)), which keeps its digits; without feedback the product.
        const double root = std::sqrt(out.k * out.k - 1);
        out.available = std::isfinite(out.k) && std::abs(s.b) > 0
                            ? out.stable_gain / (out.k + root)
                            : std::norm(s.c) / ((1 - std::norm(s.a)) * (1 - std::norm(s.d)));
    }
    const Complex ratio = std::abs(s.b) > 0 ? s.c / s.b : Complex(0);
    const double down = std::abs(s.b) > 0 ? 2 * (out.k * std::abs(ratio) - ratio.real()) : 0;
    if (std::abs(s.b) > 0)
        out.unilateral = down != 0 ? std::norm(ratio - 1.0) / down : inf;
    else
        out.unilateral = std::norm(s.c) / ((1 - std::norm(s.a)) * (1 - std::norm(s.d)));
    return out;
}

std::optional<UnityGain> unity_gain(const std::vector<double>& hz, const std::vector<double>& ratio,
                                    double from_hz, double to_hz) {
    std::vector<double> x, y;
    for (std::size_t i = 0; i < hz.size(); ++i) {
        if (hz[i] < from_hz * (1 - 1e-9) || hz[i] > to_hz * (1 + 1e-9) || !(hz[i] > 0)) continue;
        if (!(ratio[i] > 0) || !std::isfinite(ratio[i])) return std::nullopt;
        x.push_back(std::log10(hz[i])), y.push_back(20 * std::log10(ratio[i]));
    }
    if (x.size() < 3) return std::nullopt;
    const auto n = static_cast<double>(x.size());
    double mx = 0, my = 0, xx = 0, xy = 0;
    for (std::size_t i = 0; i < x.size(); ++i) mx += x[i] / n, my += y[i] / n;
    for (std::size_t i = 0; i < x.size(); ++i)
        xx += (x[i] - mx) * (x[i] - mx), xy += (x[i] - mx) * (y[i] - my);
    UnityGain out;
    out.slope_db = xx > 0 ? xy / xx : 0;
    out.frequency_hz = std::pow(10, mx + my / 20);
    for (std::size_t i = 0; i < x.size(); ++i)
        out.deviation_db = std::max(out.deviation_db, std::abs(y[i] - my + 20 * (x[i] - mx)));
    return out;
}

std::optional<double> crossing_at(const std::vector<double>& hz, const std::vector<double>& v, double level,
                                  bool rising) {
    for (std::size_t i = 0; i + 1 < hz.size(); ++i) {
        const bool through = rising ? v[i] < level && v[i + 1] >= level : v[i] > level && v[i + 1] <= level;
        if (!through || !std::isfinite(v[i]) || !std::isfinite(v[i + 1])) continue;
        return hz[i] + (hz[i + 1] - hz[i]) * (level - v[i]) / (v[i + 1] - v[i]);
    }
    return std::nullopt;
}

}  // namespace rt
