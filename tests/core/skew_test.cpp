// Delay of one lane against another, on edges that stand where they were put.
#include <cmath>
#include <random>

#include "core/signal/waveform.hpp"
#include "tests/about.hpp"
#include "tests/core/procedures.hpp"

using namespace rt;

namespace {

std::vector<int> bits(std::size_t count, unsigned seed) {
    std::mt19937 random(seed);
    std::vector<int> out(count);
    for (int& b : out) b = static_cast<int>(random() & 1U);
    return out;
}

// 1 Gbit/s, edges of 300 ps (an error function), so much later.
std::vector<double> lane(const std::vector<int>& sequence, double later_s, double rate, std::size_t points,
                         double noise, unsigned seed) {
    constexpr double bit = 1e-9, sigma = 120e-12;
    std::mt19937_64 random(seed);
    std::normal_distribution<double> normal(0, 1);
    std::vector<double> out(points);
    for (std::size_t i = 0; i < points; ++i) {
        const double t = static_cast<double>(i) / rate - later_s - 20e-9;
        const auto here = static_cast<std::ptrdiff_t>(std::floor(t / bit));
        double v = 0;
        const auto value = [&](std::ptrdiff_t k) {
            return k < 0 || k >= static_cast<std::ptrdiff_t>(sequence.size())
                       ? 0
                       : sequence[static_cast<std::size_t>(k)];
        };
        v = value(here - 2);
        for (std::ptrdiff_t k = here - 1; k <= here + 2; ++k)
            v += (value(k) - value(k - 1)) * 0.5 *
                 std::erfc((static_cast<double>(k) * bit - t) / (sigma * std::sqrt(2.0)));
        out[i] = 0.4 * v + noise * normal(random);
    }
    return out;
}

Outcome skew(const std::vector<int>& a, const std::vector<int>& b, double later_s,
             const Settings& settings = {}, double noise = 0, double rate = 20e9) {
    const auto points = static_cast<std::size_t>(rate * 2.2e-6);
    return run("serial.skew",
               waveform_in_memory(
                   {lane(a, 0, rate, points, noise, 1), lane(b, later_s, rate, points, noise, 2)}, 1 / rate),
               settings);
}

bool says(const Outcome& out, const std::string& part) {
    return out.invalid.value_or("").find(part) != std::string::npos;
}

}  // namespace

TEST_CASE("skew is what it was made with, either way, over many intervals, in noise and at other rates") {
    const auto sequence = bits(2000, 5);
    for (const double later : {0.0, 137e-12, -2.35e-9, 41.2e-9}) {
        const auto out = skew(sequence, sequence, later);
        REQUIRE_MESSAGE(!out.invalid, out.invalid.value_or(""));
        CHECK(value(out, "skew") == within(1e-12, later));
        CHECK(value(out, "skew_size") == within(1e-12, std::abs(later)));
        CHECK(value(out, "matched") > 99);
        CHECK(value(out, "rising_skew") == within(10e-12, value(out, "falling_skew")));
    }
    // 10 mV on slopes of 0.4 V / (sqrt(2 pi) 120 ps): 7.5 ps an edge and lane, 1000 edges.
    const auto noisy = skew(sequence, sequence, 137e-12, {}, 10e-3);
    CHECK(value(noisy, "skew") == within(2e-12, 137e-12));
    CHECK(value(noisy, "skew_span") > 30e-12);
    CHECK(value(skew(sequence, sequence, -0.6e-9, {}, 0, 6.3e9), "skew") == within(5e-12, -0.6e-9));
    // Exchanged channels turn the sign.
    CHECK(value(skew(sequence, sequence, 137e-12, {{"channel", "2"}, {"other_channel", "1"}}), "skew") ==
          within(1e-12, -137e-12));
}

TEST_CASE("skew is refused where it cannot be known") {
    const auto sequence = bits(2000, 5);
    CHECK(says(skew(sequence, bits(2000, 6), 0), "do not carry the same signal"));
    std::vector<int> clock(2000);
    for (std::size_t i = 0; i < clock.size(); ++i) clock[i] = static_cast<int>(i % 2);
    CHECK(says(skew(clock, clock, 137e-12), "repeats"));
    // A clock has one delay within half a period.
    CHECK(value(skew(clock, clock, 137e-12, {{"most", "0.9 ns"}}), "skew") == within(2e-12, 137e-12));
    // Later than what is looked for: nothing matches.
    CHECK(skew(sequence, sequence, 41.2e-9, {{"most", "10 ns"}}).invalid);
    // Nothing there, and the other way up.
    CHECK(skew(sequence, std::vector<int>(2000, 0), 0).invalid);
    std::vector<int> turned = sequence;
    for (int& b : turned) b = 1 - b;
    CHECK(skew(sequence, turned, 0).invalid);
}
