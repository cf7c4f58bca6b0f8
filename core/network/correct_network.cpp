#include "core/network/correct_network.hpp"

#include <fmt/core.h>

#include <cmath>

#include "core/base/error.hpp"
#include "core/network/forms.hpp"
#include "core/quantity/quantity.hpp"

namespace rt {

// den = (1 - ES S11)(1 - EL S22) - ES EL S12 S21 of each direction.
Two raw_of(const Two& s, const TermValues& e) {
    const Complex det = s.determinant();
    const auto side = [&](const Complex* t, Complex own, Complex other, Complex through) {
        const Complex den = 1.0 - times(t[source_match], own) - times(t[load_match], other) +
                            times(times(t[source_match], t[load_match]), det);
        return std::pair{
            t[directivity] + over(times(t[reflection_tracking], own - times(t[load_match], det)), den),
            t[isolation] + over(times(t[transmission_tracking], through), den)};
    };
    const auto [m11, m21] = side(e.data(), s.a, s.d, s.c);
    const auto [m22, m12] = side(e.data() + reverse, s.d, s.a, s.b);
    return {m11, m12, m21, m22};
}

Two actual_of(const Two& m, const TermValues& e) {
    const Complex* f = e.data();
    const Complex* r = f + reverse;
    const Complex a = over(m.a - f[directivity], f[reflection_tracking]);
    const Complex b = over(m.c - f[isolation], f[transmission_tracking]);
    const Complex c = over(m.b - r[isolation], r[transmission_tracking]);
    const Complex d = over(m.d - r[directivity], r[reflection_tracking]);
    const Complex up = 1.0 + times(a, f[source_match]), down = 1.0 + times(d, r[source_match]);
    const Complex bc = times(b, c);
    const Complex k = inverse(times(up, down) - times(bc, times(f[load_match], r[load_match])));
    return {times(times(a, down) - times(f[load_match], bc), k),
            times(times(c, 1.0 + times(a, f[source_match] - r[load_match])), k),
            times(times(b, 1.0 + times(d, r[source_match] - f[load_match])), k),
            times(times(d, up) - times(r[load_match], bc), k)};
}

Complex raw_of(Complex g, const Complex* t) {
    return t[directivity] + over(times(t[reflection_tracking], g), 1.0 - times(t[source_match], g));
}

Complex actual_of(Complex m, const Complex* t) {
    const Complex up = m - t[directivity];
    return over(up, t[reflection_tracking] + times(t[source_match], up));
}

namespace {

double deviation_of(Complex raw, const ErrorTerms& terms) {
    return std::hypot(terms.noise_floor, terms.noise_share * std::abs(raw));
}

// Adds the squares of how far one standard deviation of each thing moves the result. Noise of a reading is
// even in all directions of the plane: its deviation is that of its distance.
template <typename Actual, std::size_t Raw, typename Out>
void spread(const std::array<Complex, Raw>& raw, const ErrorTerms& terms, std::size_t index, Actual&& actual,
            Out* squares) {
    const auto base = actual(raw, terms.values[index]);
    const auto add = [&](const auto& moved, double scale) {
        for (std::size_t k = 0; k < base.size(); ++k) squares[k] += std::norm((moved[k] - base[k]) * scale);
    };
    for (std::size_t k = 0; k < Raw; ++k) {
        const double deviation = deviation_of(raw[k], terms);
        if (deviation == 0) continue;
        const double step = 1e-6 * (std::abs(raw[k]) + 1e-3);
        auto moved = raw;
        moved[k] += step;
        add(actual(moved, terms.values[index]), deviation / step);
    }
    for (const auto& move : terms.moves[index]) {
        double size = 0;
        for (const auto& part : move) size = std::max(size, std::abs(part));
        if (size == 0) continue;
        const double step = 1e-6 / size;
        TermValues values = terms.values[index];
        for (std::size_t t = 0; t < term_count; ++t) values[t] += step * move[t];
        add(actual(raw, values), 1 / step);
    }
}

Network corrected_one(const Network& raw, const ErrorTerms& terms) {
    const std::size_t port = raw.ports == 1 ? 1 : terms.port;
    if (port > raw.ports)
        fail_input(fmt::format("the error terms are of port {}, the data has {}", port, raw.ports));
    Network out = reordered(raw, {port});
    out.uncertainty.clear();
    const std::size_t first = terms.port == 2 ? std::size_t{reverse} : 0;
    for (std::size_t i = 0; i < raw.frequency_hz.size(); ++i) {
        const Complex m = out.s[i];
        out.s[i] = actual_of(m, terms.values[i].data() + first);
        if (terms.moves.empty()) continue;
        double square = 0;
        spread(
            std::array{m}, terms, i,
            [&](const auto& at, const TermValues& values) {
                return std::array{actual_of(at[0], values.data() + first)};
            },
            &square);
        out.uncertainty.push_back(std::sqrt(square));
    }
    return out;
}

}  // namespace

Network corrected(const Network& raw, const ErrorTerms& terms) {
    Network grid;
    grid.frequency_hz = terms.frequency_hz;
    require_same_grid(raw, "the data", grid, "the error terms");
    if (raw.attenuator_db && terms.attenuator_db && *raw.attenuator_db != *terms.attenuator_db)
        fail_signal(
            fmt::format("the source attenuator stood at {} for the calibration and stands at {} now: "
                        "source match and tracking are others",
                        format({*terms.attenuator_db, Unit::db}), format({*raw.attenuator_db, Unit::db})));
    Network out = raw;
    out.uncertainty.clear(), out.noise.clear();
    if (terms.ports == 1) {
        out = corrected_one(raw, terms);
    } else {
        if (raw.ports != 2)
            fail_input(fmt::format("the error terms are of two ports, the data has {}", raw.ports));
        if (!terms.moves.empty()) out.uncertainty.resize(out.s.size());
        for (std::size_t i = 0; i < raw.frequency_hz.size(); ++i) {
            const Two m = two_at(raw, i);
            put(out, i, actual_of(m, terms.values[i]));
            if (terms.moves.empty()) continue;
            double* squares = out.uncertainty.data() + 4 * i;
            spread(
                std::array{m.a, m.b, m.c, m.d}, terms, i,
                [](const auto& at, const TermValues& values) {
                    const Two s = actual_of(Two{at[0], at[1], at[2], at[3]}, values);
                    return std::array{s.a, s.b, s.c, s.d};
                },
                squares);
            for (int k = 0; k < 4; ++k) squares[k] = std::sqrt(squares[k]);
        }
    }
    out.reference_ohm = {terms.reference_ohm};
    out.done.push_back("corrected by " + terms.method);
    return out;
}

}  // namespace rt
