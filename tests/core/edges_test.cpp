// Where a signal crosses a level, the numbers of very many edges, and bits packed into words.
#include "core/serial/edges.hpp"

#include <algorithm>
#include <numbers>
#include <random>

#include "core/serial/bit_row.hpp"
#include "core/serial/clock.hpp"
#include "tests/about.hpp"

using namespace rt;

namespace {

constexpr double pi = std::numbers::pi;

}  // namespace

TEST_CASE("crossings of what is band-limited, noise as well, are those of its formula") {
    // 60 tones up to 0.4 of the sample rate, of one strength: curved between samples as noise is.
    std::mt19937_64 random(7);
    std::uniform_real_distribution<double> turn(0, 2 * pi), where(0.01, 0.4);
    std::vector<std::pair<double, double>> tones;
    for (int k = 0; k < 60; ++k) tones.emplace_back(2 * pi * where(random), turn(random));
    const auto at = [&](double sample) {
        double sum = 0;
        for (const auto& [step, phase] : tones) sum += std::sin(step * sample + phase) / 8;
        return sum;
    };
    std::vector<double> volts;
    for (int i = 0; i < 140'000; ++i) volts.push_back(at(i));
    const double level = 0.1;
    const Edges found = find_edges(*waveform_in_memory(volts, 1e-9).channels[0], {level, 0});
    REQUIRE(found.size() > 40'000);
    double worst = 0, sum = 0;
    std::size_t seen = 0;
    for (std::size_t k = 16; k + 16 < found.size(); ++k) {
        double low = std::floor(found.at[k]), high = low + 1;
        // What looks like a step within one sample is taken as a straight line.
        const auto step = [&](double from) { return std::abs(at(from + 1) - at(from)); };
        if (std::max(step(low - 1), step(high)) < 0.31 * step(low)) continue;
        // Three crossings between two samples: any of them is one.
        int ways = 0;
        for (int i = 0; i < 8; ++i) ways += at(low + (i + 1) / 8.0) > at(low + i / 8.0) ? 1 : -1;
        if (std::abs(ways) != 8) continue;
        ++seen;
        // The formula's own crossing between the same two samples.
        const bool rises = at(low) < level;
        for (int round = 0; round < 40; ++round) {
            const double middle = (low + high) / 2;
            ((at(middle) < level) == rises ? low : high) = middle;
        }
        // Where it only touches the level its place is not well defined.
        const double slope = std::abs(at(low + 1e-3) - at(low - 1e-3)) / 2e-3;
        const double off = std::abs(found.at[k] - low) * std::min(1.0, slope);
        worst = std::max(worst, off);
        sum += off * off;
    }
    // The interpolation is true to 0.01 dB of each tone; the search adds 1e-4 of a sample at most.
    CHECK(seen > 30'000);
    CHECK(worst < 1e-3);
    CHECK(std::sqrt(sum / static_cast<double>(seen)) < 1e-4);
}

TEST_CASE("a slow edge across pieces of the record is found once, and hysteresis keeps noise out") {
    // A ramp of 600,000 samples around the end of the first piece that is read at once.
    std::vector<double> volts;
    for (int i = 0; i < 2'000'000; ++i) volts.push_back(std::clamp((i - 800'000) / 600'000.0, 0.0, 1.0));
    const Waveform ramp = waveform_in_memory(volts, 1e-9);
    const Edges found = find_edges(*ramp.channels[0], {0.2, 0.1});
    REQUIRE(found.size() == 1);
    CHECK(found.at[0] == about(920'000).epsilon(1e-6));
    std::mt19937_64 random(3);
    std::normal_distribution<double> normal(0, 0.02);
    for (double& v : volts) v += normal(random);
    CHECK(find_edges(*waveform_in_memory(volts, 1e-9).channels[0], {0.5, 0.15}).size() == 1);
}

TEST_CASE("edges that are counted in parts have the numbers that they were made with") {
    // More than enough for parts, of a rate that wanders by 3000 ppm, with jitter of 5 % and runs of up to
    // seven symbols.
    std::mt19937_64 random(11);
    std::normal_distribution<double> normal(0, 0.05);
    std::uniform_int_distribution<std::uint32_t> run(1, 7);
    for (const bool broken : {false, true}) {
        CAPTURE(broken);
        std::vector<std::uint32_t> numbers{0};
        while (numbers.size() < 450'000) numbers.push_back(numbers.back() + run(random));
        std::vector<double> edges;
        for (const auto number : numbers) {
            const double n = number;
            edges.push_back(1e-9 * (n + 120 * std::sin(2 * pi * n / 250'000) + normal(random)));
        }
        // Where nothing can be told between parts: half a symbol more from there on.
        if (broken)
            for (std::size_t k = edges.size() / 2; k < edges.size(); ++k) edges[k] += 0.5e-9;
        ClockSettings settings;
        settings.rate_hz = 1e9, settings.loose = broken;
        const Clock clock = recover_clock(edges, settings);
        REQUIRE(clock.bit.size() == edges.size());
        std::size_t wrong = 0, steps = 0;
        for (std::size_t k = 0; k < edges.size(); ++k) {
            wrong += clock.bit[k] != numbers[k];
            steps += k > 0 && clock.bit[k] - clock.bit[k - 1] != numbers[k] - numbers[k - 1];
        }
        CHECK(steps <= (broken ? 1 : 0));
        // Behind the break all may have the next number; without one, none.
        const std::size_t behind = broken ? edges.size() - edges.size() / 2 : 0;
        CHECK((wrong == 0 || wrong == behind));
    }
}

TEST_CASE("bits in words: runs, words from anywhere, ones, changes and a beginning are those of the bits") {
    std::mt19937_64 random(5);
    for (const std::size_t size : {1UL, 63UL, 64UL, 65UL, 128UL, 1000UL}) {
        CAPTURE(size);
        std::vector<bool> bits(size);
        for (std::size_t i = 0; i < size; ++i) bits[i] = random() % 3 == 0;
        const BitRow row(bits);
        REQUIRE(row.size() == size);
        std::size_t ones = 0, changes = 0;
        for (std::size_t i = 0; i < size; ++i) {
            REQUIRE(row[i] == bits[i]);
            ones += bits[i], changes += i > 0 && bits[i] != bits[i - 1];
            std::uint64_t word = 0;
            for (std::size_t k = 0; k < 64; ++k) word = word << 1 | (i + k < size && bits[i + k]);
            REQUIRE(row.word(i) == word);
        }
        CHECK(row.ones() == ones);
        CHECK(row.changes() == changes);
        const BitRow part = row.first(size / 2);
        CHECK(part.size() == size / 2);
        CHECK(part.ones() == static_cast<std::size_t>(
                                 std::count(bits.begin(), bits.begin() + static_cast<long>(size / 2), true)));
        CHECK(row.first(2 * size).ones() == ones);
    }
    BitRow runs(300);
    runs.set(0, 1), runs.set(5, 64), runs.set(64, 65), runs.set(70, 300);
    CHECK(runs.ones() == 1 + 59 + 1 + 230);
    CHECK(runs.changes() == 4);
}
