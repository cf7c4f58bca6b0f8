// The tools of signal processing against direct sums and closed forms.
#include <doctest/doctest.h>

#include <array>
#include <atomic>
#include <stdexcept>

#include "core/base/widen.hpp"
#include "core/dsp/fft.hpp"
#include "core/dsp/fir.hpp"
#include "core/dsp/least_squares.hpp"
#include "core/dsp/parallel.hpp"
#include "core/measure/tone/sine_fit.hpp"
#include "core/signal/interpolate.hpp"
#include "tests/about.hpp"
#include "tests/core/made_signals.hpp"

using namespace rt;
using made::Complex;
using made::pi;

TEST_CASE("a filter is the sum over its taps at every sample, ends and records shorter than it included") {
    for (const std::size_t length : {1, 2, 7, 16, 33}) {
        std::vector<double> taps;
        for (std::size_t k = 0; k < length; ++k) taps.push_back(std::sin(1.0 + static_cast<double>(k * k)));
        for (const std::size_t size : {0, 1, 5, 15, 16, 33, 40, 48, 49, 100}) {
            std::vector<double> real;
            std::vector<std::complex<double>> both;
            for (std::size_t i = 0; i < size; ++i) {
                real.push_back(std::cos(static_cast<double>(3 * i * i)));
                both.emplace_back(real.back(), std::sin(static_cast<double>(i * i)));
            }
            const auto alone = filtered(std::span<const double>(real), taps);
            const auto out = filtered(std::span<const std::complex<double>>(both), taps);
            REQUIRE(alone.size() == size);
            REQUIRE(out.size() == size);
            double worst = 0;
            for (std::size_t i = 0; i < size; ++i) {
                std::complex<double> sum = 0;
                for (std::size_t k = 0; k < length; ++k) {
                    if (i + k >= length / 2 && i + k - length / 2 < size)
                        sum += taps[k] * both[i + k - length / 2];
                }
                worst = std::max({worst, std::abs(out[i] - sum), std::abs(alone[i] - sum.real())});
            }
            CAPTURE(length);
            CAPTURE(size);
            CHECK(worst < 1e-12);
        }
    }
}

TEST_CASE("a transform is the sum that defines it, for sizes with other factors than two") {
    for (const std::size_t size : {1U, 2U, 7U, 12U, 45U, 64U}) {
        CAPTURE(size);
        std::vector<Complex> x(size);
        made::add_noise(x, 1, static_cast<unsigned>(size));
        std::vector<Complex> y = x;
        const Fft<double> forward(size), backward(size, Fft<double>::Direction::backward);
        forward(y.data());
        for (std::size_t k = 0; k < size; ++k) {
            Complex sum = 0;
            for (std::size_t n = 0; n < size; ++n) {
                sum +=
                    x[n] * std::polar(1.0, -2 * pi * static_cast<double>(k * n) / static_cast<double>(size));
            }
            CHECK(std::abs(y[k] - sum) < 1e-12 * static_cast<double>(size));
        }
        backward(y.data());
        for (std::size_t n = 0; n < size; ++n) {
            CHECK(std::abs(y[n] / static_cast<double>(size) - x[n]) < 1e-13 * static_cast<double>(size));
        }
    }
}

TEST_CASE("a transform works from one place to another and at places of any alignment") {
    constexpr std::size_t size = 16;
    std::vector<std::complex<float>> in(size), out(size), odd(size + 1);
    for (std::size_t i = 0; i < size; ++i) in[i] = odd[i + 1] = {static_cast<float>(i), 1};
    const Fft<float> transform(size);
    transform(odd.data() + 1);
    transform(in.data(), out.data());
    for (std::size_t i = 0; i < size; ++i) CHECK(std::abs(out[i] - odd[i + 1]) < 1e-4F);
    CHECK(out[0] == std::complex<float>(120, 16));
}

TEST_CASE("fast sizes and centred frequencies") {
    CHECK(fast_size(1) == 1);
    CHECK(fast_size(7) == 8);
    CHECK(fast_size(97) == 100);
    CHECK(fast_wide_size(1) == 16);
    CHECK(fast_wide_size(334) == 384);
    CHECK(fast_wide_size(384) == 384);
    CHECK(fast_wide_size(385) == 400);
    CHECK(fast_size(1025) == 1080);
    CHECK(centred(std::vector<int>{0, 1, 2, -2, -1}) == std::vector<int>{-2, -1, 0, 1, 2});
    CHECK(centred(std::vector<int>{0, 1, -2, -1}) == std::vector<int>{-2, -1, 0, 1});
    CHECK(centred_frequencies(4, 8, 100) == std::vector<double>{96, 98, 100, 102});
    CHECK(centred_frequencies(5, 5, 0) == std::vector<double>{-2, -1, 0, 1, 2});
}

TEST_CASE("values between samples are those of the band-limited signal") {
    const std::size_t count = 400;
    for (const double frequency : {0.01, 0.1, 0.25, 0.4, -0.37}) {
        CAPTURE(frequency);
        const auto x = made::tone(1, frequency, 1, count, 0.3);
        for (const double at : {100.0, 100.25, 133.37, 250.999, 200.0001}) {
            const Complex expected = std::polar(1.0, 0.3 + 2 * pi * frequency * at);
            CHECK(std::abs(value_between(x, at) - expected) < 2e-3);
        }
    }
    // Exactly a sample, and nothing outside.
    const auto x = made::tone(1, 0.1, 1, 100);
    CHECK(std::abs(value_between(x, 50) - x[50]) < 1e-12);
    CHECK(std::abs(value_between(x, -40)) == 0);
    CHECK(std::abs(value_between(x, 200)) == 0);
}

TEST_CASE("a low-pass passes, halves and stops where it should, without delay") {
    const double rate = 1e6, cutoff = 100e3, transition = 40e3;
    const auto taps = low_pass(cutoff, transition, rate);
    CHECK(taps.size() % 2 == 1);
    const auto response = [&](double frequency) {
        const auto out = filtered(made::tone(1, frequency, rate, 2000), taps);
        return out[1000] / std::polar(1.0, 2 * pi * frequency * 1000 / rate);
    };
    for (const double f : {0.0, 30e3, 79e3}) CHECK(std::abs(response(f) - 1.0) < 3e-4);
    CHECK(std::abs(response(cutoff)) == about(0.5).epsilon(0.01));
    for (const double f : {121e3, 200e3, 450e3}) CHECK(std::abs(response(f)) < 2e-4);
    std::vector<double> step(500, 1.0);
    CHECK(filtered(std::span<const double>(step), taps)[250] == about(1).epsilon(1e-9));
}

TEST_CASE("least squares finds the line through noise-free points, and leaves what nothing determines at 0") {
    LeastSquares system(3);
    for (int i = 0; i < 20; ++i) {
        const double t = 1e6 + i;  // badly scaled on purpose
        const std::array row{1.0, t, 0.0};
        system.add(row, 5 - 2e-3 * t);
    }
    const auto x = system.solve();
    CHECK(x[1] == about(-2e-3).epsilon(1e-3));
    CHECK(x[0] + x[1] * 1e6 == about(5 - 2e3).epsilon(1e-6));
    CHECK(x[2] == 0);
}

TEST_CASE("work is done once each, and trouble comes out of it") {
    std::vector<std::atomic<int>> done(1000);
    in_parallel(done.size(), [&](std::size_t i) { ++done[i]; });
    CHECK(std::all_of(done.begin(), done.end(), [](const auto& n) { return n == 1; }));
    CHECK_THROWS_AS(in_parallel(100,
                                [](std::size_t i) {
                                    if (i == 57) throw std::runtime_error("57");
                                }),
                    std::runtime_error);
    in_parallel(0, [](std::size_t) { FAIL("nothing to do"); });
}

TEST_CASE("integers are fractions of full scale, and the largest is told") {
    const std::vector<std::int16_t> sixteen{0, 16384, -32768, 32767, 1, -1, 100, -100, 5};
    std::vector<float> out(sixteen.size());
    CHECK(widen(sixteen.data(), out.data(), sixteen.size()) == 1.0F);
    CHECK(out[1] == 0.5F);
    CHECK(out[2] == -1.0F);
    CHECK(out[3] == 32767.0F / 32768.0F);
    const std::vector<std::int8_t> eight{64, -128, 127};
    CHECK(widen(eight.data(), out.data(), eight.size()) == 1.0F);
    CHECK(out[0] == 0.5F);
    CHECK(widen(sixteen.data(), out.data(), 2) == 0.5F);
}

TEST_CASE("a sine and its harmonics are found in a record of no whole number of periods") {
    const double rate = 10e3, f = 123.456;
    std::vector<double> x;
    for (int i = 0; i < 3333; ++i) {
        const double w = 2 * pi * f * i / rate;
        x.push_back(0.7 + 2 * std::cos(w + 0.5) + 0.02 * std::sin(2 * w) + 0.005 * std::cos(5 * w));
    }
    CHECK(strongest_tone(x, rate) == about(f).epsilon(1e-3));
    const SineFit fit = fit_sine(x, rate, f * 1.001, 6);
    // The frequency is fitted to the fundamental alone: harmonics pull at it a little.
    CHECK(fit.frequency_hz == about(f).epsilon(1e-6));
    CHECK(fit.offset == about(0.7).epsilon(1e-5));
    CHECK(fit.amplitude[0] == about(2).epsilon(1e-7));
    CHECK(fit.amplitude[1] == about(0.02).epsilon(1e-5));
    CHECK(fit.amplitude[2] < 1e-6);
    CHECK(fit.amplitude[4] == about(0.005).epsilon(1e-4));
    CHECK(fit.residual_square < 1e-8);
    double rest = 0;
    for (const double v : without(x, rate, fit, 1)) rest += v * v / static_cast<double>(x.size());
    CHECK(rest == about((0.02 * 0.02 + 0.005 * 0.005) / 2).epsilon(0.01));
}
