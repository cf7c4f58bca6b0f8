// De-embedding and figures of merit, against a transistor whose admittances are written down.
#include "core/network/device.hpp"

#include <doctest/doctest.h>

#include "core/base/error.hpp"
#include "core/network/forms.hpp"
#include "core/network/quality.hpp"
#include "tests/core/made_network.hpp"

using namespace rt;
using namespace made;

namespace {

const std::vector<double> hz = grid(0.5e9, 40e9, 80);

// A hybrid-pi without resistances but that of the output: Y in closed form.
struct Transistor {
    double gm = 0.06, input_f = 90e-15, feedback_f = 12e-15, output_s = 1e-3, output_f = 30e-15, gate_ohm = 0;

    Two y(double f) const {
        const Complex s(0, 2 * std::numbers::pi * f);
        const Two inner{s * (input_f + feedback_f), -s * feedback_f, gm - s * feedback_f,
                        output_s + s * (output_f + feedback_f)};
        if (gate_ohm == 0) return inner;
        Two z = inverse(inner);
        z.a += gate_ohm;
        return inverse(z);
    }
    double transition_hz() const { return gm / (2 * std::numbers::pi * (input_f + feedback_f)); }
};

Two scattering(const Two& y) {
    return scattering_of_admittance(y, 50);
}

// Pads to ground at both ports and between them, then leads in series.
Two pads(double f) {
    const Complex s(0, 2 * std::numbers::pi * f);
    return {s * 45e-15 + 2e-4, -s * 4e-15, -s * 4e-15, s * 50e-15 + 3e-4};
}
Two leads(double f) {
    const Complex s(0, 2 * std::numbers::pi * f);
    return {s * 30e-12 + 1.5 + 0.4 + s * 5e-12, 0.4 + s * 5e-12, 0.4 + s * 5e-12,
            s * 28e-12 + 1.2 + 0.4 + s * 5e-12};
}

Network of(Two (*at)(double)) {
    return network(hz, 2, [&](double f) {
        const Two s = at(f);
        return std::vector<Complex>{s.a, s.b, s.c, s.d};
    });
}

const Transistor transistor{};
Two embedded(double f) {
    return scattering(pads(f) + inverse(leads(f) + inverse(transistor.y(f))));
}
Two open_pads(double f) {
    return scattering(pads(f));
}
Two shorted(double f) {
    return scattering(pads(f) + inverse(leads(f)));
}

double apart(const Network& n, const Transistor& t) {
    double worst = 0;
    for (std::size_t i = 0; i < hz.size(); ++i) {
        const Two far = two_at(n, i) - scattering(t.y(hz[i]));
        for (const Complex& v : {far.a, far.b, far.c, far.d}) worst = std::max(worst, std::abs(v));
    }
    return worst;
}

}  // namespace

TEST_CASE("open and short give the transistor back, and the same through another order of steps") {
    const Network device = of(embedded), open = of(open_pads), closed = of(shorted);
    const Network inner = de_embedded(device, {&open, &closed, nullptr});
    CHECK(apart(inner, transistor) < 1e-9);
    // By matrices of admittances for all, one step after the other.
    const auto yd = matrices(device, Form::admittance), yo = matrices(open, Form::admittance),
               ys = matrices(closed, Form::admittance);
    for (std::size_t i = 0; i < hz.size(); ++i) {
        const auto at = [&](const std::vector<Complex>& y) {
            return Two{y[4 * i], y[4 * i + 1], y[4 * i + 2], y[4 * i + 3]};
        };
        const Two y = inverse(inverse(at(yd) - at(yo)) - inverse(at(ys) - at(yo)));
        CHECK(std::abs(scattering(y).c - inner.at(i, 2, 1)) < 1e-10);
    }
    CHECK(inner.done.size() == 1);
    // On another reference it is the same device.
    const Network device_20 = renormalised(device, {20}), open_20 = renormalised(open, {20}),
                  closed_20 = renormalised(closed, {20});
    CHECK(apart(renormalised(de_embedded(device_20, {&open_20, &closed_20, nullptr}), {50}), transistor) <
          1e-9);
}

TEST_CASE("open alone takes the pads off, pads, open and short what the open's leads add") {
    const Network only_pads = of(+[](double f) { return scattering(pads(f) + transistor.y(f)); });
    const Network open = of(open_pads);
    CHECK(apart(de_embedded(only_pads, {&open, nullptr, nullptr}), transistor) < 1e-11);
    // The open of three: leads and what lies between them without the device.
    const Network device = of(+[](double f) {
        const Two gap{Complex(0, f * 1e-13), 0, 0, Complex(0, f * 2e-13)};
        return scattering(pads(f) + inverse(leads(f) + inverse(transistor.y(f) + gap)));
    });
    const Network between = of(+[](double f) {
        const Two gap{Complex(0, f * 1e-13), 0, 0, Complex(0, f * 2e-13)};
        return scattering(pads(f) + inverse(leads(f) + inverse(gap)));
    });
    const Network closed = of(shorted), pad = of(open_pads);
    CHECK(apart(de_embedded(device, {&between, &closed, &pad}), transistor) < 1e-8);
}

TEST_CASE("dummies that are swapped, twice the same, or of another grid or reference are refused") {
    const Network device = of(embedded), open = of(open_pads), closed = of(shorted);
    CHECK_THROWS_WITH_AS(de_embedded(device, {&closed, &open, nullptr}), doctest::Contains("swapped"), Error);
    CHECK_THROWS_WITH_AS(de_embedded(device, {&open, &open, nullptr}), doctest::Contains("measured twice"),
                         Error);
    Network fewer = open;
    fewer.frequency_hz.pop_back(), fewer.s.resize(fewer.s.size() - 4);
    CHECK_THROWS_WITH_AS(de_embedded(device, {&fewer, &closed, nullptr}),
                         doctest::Contains("different frequencies"), Error);
    Network other = open;
    other.reference_ohm = {75};
    CHECK_THROWS_WITH_AS(de_embedded(device, {&other, &closed, nullptr}),
                         doctest::Contains("another reference"), Error);
    CHECK_THROWS_WITH_AS(de_embedded(device, {&device, &closed, nullptr}),
                         doctest::Contains("nothing is left"), Error);
}

TEST_CASE("uncertainty passes through de-embedding as noise does") {
    Network device = of(embedded);
    const Network open = of(open_pads), closed = of(shorted);
    constexpr double deviation = 1e-3;
    device.uncertainty.assign(device.s.size(), deviation);
    const Network inner = de_embedded(device, {&open, &closed, nullptr});
    // Spread of many noisy devices at one frequency.
    Wild wild(3);
    constexpr std::size_t at = 30;
    double square[4] = {};
    constexpr int times_read = 2000;
    for (int k = 0; k < times_read; ++k) {
        const Two read = two_at(device, at) + Two{wild.normal(deviation), wild.normal(deviation),
                                                  wild.normal(deviation), wild.normal(deviation)};
        const Two far = without_pads(read, two_at(open, at), two_at(closed, at), 50) - two_at(inner, at);
        const Complex parts[]{far.a, far.b, far.c, far.d};
        for (int m = 0; m < 4; ++m) square[m] += std::norm(parts[m]) / times_read;
    }
    // Of 2,000 the root mean square is known to 1.1 %.
    for (std::size_t m = 0; m < 4; ++m)
        CHECK(std::abs(std::sqrt(square[m]) / inner.uncertainty[4 * at + m] - 1) < 0.06);
}

TEST_CASE("figures of merit against their closed forms in admittances") {
    for (const double f : {1e9, 10e9, 39e9}) {
        Transistor t;
        t.gate_ohm = 4;
        const Two y = t.y(f);
        const DeviceFigures figures = figures_of(scattering(y));
        CHECK(std::abs(figures.h21 / std::abs(y.c / y.a) - 1) < 1e-10);
        const double k = (2 * y.a.real() * y.d.real() - (y.b * y.c).real()) / std::abs(y.b * y.c);
        CHECK(std::abs(figures.k - k) < 1e-9 * std::abs(k));
        const double u = std::norm(y.c - y.b) / (4 * (y.a.real() * y.d.real() - y.b.real() * y.c.real()));
        CHECK(std::abs(figures.unilateral / u - 1) < 1e-8);
        const double msg = std::abs(y.c / y.b);
        CHECK(std::abs(figures.stable_gain / msg - 1) < 1e-10);
        const double mag = k > 1 ? msg * (k - std::sqrt(k * k - 1)) : msg;
        CHECK(std::abs(figures.available / mag - 1) < 1e-8);
    }
    // A passive attenuator of 6 dB: MAG is its loss, K is above 1 and mu too.
    const DeviceFigures pad = figures_of({0, 0.5, 0.5, 0});
    CHECK(std::abs(pad.available - 0.25) < 1e-12);
    CHECK(pad.k == 2.125);  // (1 + 1/16) / (2 / 4)
    CHECK(pad.mu > 1);
    // Without feedback.
    const DeviceFigures one_way = figures_of({0.5, 0, 2, 0.5});
    CHECK(std::isinf(one_way.k));
    CHECK(std::abs(one_way.available - 4 / (0.75 * 0.75)) < 1e-12);
}

TEST_CASE("unity frequencies by 20 dB a decade") {
    std::vector<double> h21, wrong;
    for (const double f : hz) {
        h21.push_back(figures_of(scattering(transistor.y(f))).h21);
        wrong.push_back(1e20 / f / f);
    }
    const auto unity = unity_gain(hz, h21, 1e9, 20e9);
    REQUIRE(unity);
    // |h21| = |gm - s Cgd| / (w (Cgs + Cgd)): above gm / w C by the feedback's share, 0.2 % at 20 GHz.
    CHECK(std::abs(unity->frequency_hz / transistor.transition_hz() - 1) < 2e-3);
    CHECK(std::abs(unity->slope_db + 20) < 0.1);
    CHECK(std::abs(unity_gain(hz, wrong, 1e9, 40e9)->slope_db + 40) < 1e-9);
    CHECK(!unity_gain(hz, h21, 1e9, 1.2e9));
    CHECK(*crossing_at({1, 2, 3}, {0.5, 0.8, 1.2}, 1, true) == 2.5);
    CHECK(!crossing_at({1, 2, 3}, {0.5, 0.8, 0.9}, 1, true));
}

TEST_CASE("passivity and reciprocity") {
    const Network passive = network(hz, 3, [](double) {
        // An ideal splitter, which loses nothing that comes into port 1.
        const double t = std::sqrt(0.5);
        return std::vector<Complex>{0, t, t, t, -0.5, 0.5, t, 0.5, -0.5};
    });
    CHECK(std::abs(largest_singular_values(passive).front() - 1) < 1e-12);
    CHECK(reciprocity_errors(passive).front() == 0);
    // Of two ports by the closed form: an isolator with gain.
    const Network amplifier = network(hz, 2, [](double) { return std::vector<Complex>{0, 0.01, 3, 0}; });
    CHECK(std::abs(largest_singular_values(amplifier).back() - 3) < 1e-12);
    CHECK(std::abs(reciprocity_errors(amplifier).back() - 2.99) < 1e-12);
}

TEST_CASE("what comes before t = 0") {
    const auto evenly = grid(0.1e9, 40e9, 400);
    const auto delayed = [&](double ns) {
        std::vector<Complex> out;
        for (const double f : evenly) out.push_back(std::polar(0.5, -2 * std::numbers::pi * f * 1e-9 * ns));
        return out;
    };
    double longest = 0;
    CHECK(*energy_before_zero(evenly, delayed(1), &longest) < 1e-6);
    CHECK(std::abs(longest - 5e-9) < 1e-11);
    CHECK(*energy_before_zero(evenly, delayed(0), nullptr) < 5e-4);
    CHECK(*energy_before_zero(evenly, delayed(-1), nullptr) > 0.999);
    // An eighth of the energy 0.8 ns too early.
    auto both = delayed(1);
    const auto early = delayed(-0.8);
    for (std::size_t i = 0; i < both.size(); ++i) both[i] += std::sqrt(1.0 / 7) * early[i];
    CHECK(std::abs(*energy_before_zero(evenly, both, nullptr) - 0.125) < 1e-3);
    auto uneven = evenly;
    uneven[5] += 2e6;
    CHECK(!energy_before_zero(uneven, delayed(1), nullptr));
}

TEST_CASE("steps and dropouts are found, noise and resonances are none") {
    Wild wild(4);
    const auto fine = grid(1e9, 20e9, 401);
    const auto smooth = [&](double noise) {
        std::vector<Complex> out;
        for (const double f : fine) {
            const Complex q(1, 40 * (f / 9e9 - 9e9 / f));
            out.push_back(0.8 / q + std::polar(0.1, -f / 1e9) + wild.normal(noise));
        }
        return out;
    };
    for (const double noise : {0.0, 1e-4, 3e-3}) {
        CHECK(breaks_of(smooth(noise)).steps.empty());
        CHECK(breaks_of(smooth(noise)).dropouts.empty());
        auto step = smooth(noise);
        for (std::size_t i = 300; i < step.size(); ++i) step[i] += 0.2;
        CHECK(breaks_of(step).steps == std::vector<std::size_t>{300});
        CHECK(breaks_of(step).dropouts.empty());
        auto drop = smooth(noise);
        drop[50] = drop[51] = {0.9, -0.5};
        CHECK(breaks_of(drop).dropouts == std::vector<std::size_t>{50});
        CHECK(breaks_of(drop).steps.empty());
    }
    auto still = smooth(1e-4);
    for (std::size_t i = 100; i < 110; ++i) still[i] = still[100];
    CHECK(!breaks_of(still).dropouts.empty());
    // An end that is not there.
    auto cut = smooth(1e-4);
    cut.back() = 0;
    cut.back() += 3;
    CHECK(breaks_of(cut).dropouts == std::vector<std::size_t>{400});
}

TEST_CASE("group delay of a line, and of a phase that turns often") {
    std::vector<Complex> line;
    for (const double f : hz) line.push_back(std::polar(0.3, -2 * std::numbers::pi * f * 0.7e-9));
    for (const std::size_t aperture : {1, 2, 5}) {
        for (const double delay : group_delay(hz, line, aperture)) CHECK(std::abs(delay - 0.7e-9) < 1e-15);
    }
    CHECK(std::abs(unwrapped(line).back() - unwrapped(line).front() +
                   2 * std::numbers::pi * 39.5e9 * 0.7e-9) < 1e-6);
}
