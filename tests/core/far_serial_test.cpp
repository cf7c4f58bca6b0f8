// Serial signals far from the friendly case, a line each.
#include <algorithm>
#include <random>

#include "core/signal/waveform.hpp"
#include "tests/about.hpp"
#include "tests/core/procedures.hpp"

using namespace rt;

namespace {

// Random bits at `rate` with straight edges of a part of the interval, high symbols longer by `distortion` of
// it.
std::vector<double> bits(double rate, double sample_rate, double edge, std::size_t count,
                         double distortion = 0, double noise = 0.01) {
    std::mt19937 random(5);
    std::vector<int> symbols(count);
    for (auto& s : symbols) s = random() % 2;
    std::mt19937_64 random_noise(6);
    std::normal_distribution<double> normal(0, noise);
    std::vector<double> out(static_cast<std::size_t>(static_cast<double>(count) * sample_rate / rate) - 2);
    for (std::size_t i = 0; i < out.size(); ++i) {
        const double t = static_cast<double>(i) / sample_rate * rate;
        const auto k = static_cast<std::size_t>(t);
        // The edge around the beginning and the one around the end of the symbol, each where it stands.
        double v = symbols[k] ? 1 : -1;
        for (const std::size_t at : {k, k + 1}) {
            if (at == 0 || at >= count || symbols[at] == symbols[at - 1]) continue;
            const double place = static_cast<double>(at) + (symbols[at] ? -0.5 : 0.5) * distortion;
            const double to = symbols[at] ? 1 : -1;
            const double done = std::clamp((t - place) / std::max(edge, 1e-9) + 0.5, 0.0, 1.0);
            const bool mine = at == k;
            if (mine ? done < 1 : done > 0) v = -to + 2 * to * done;
        }
        out[i] = 0.4 * v + normal(random_noise);
    }
    return out;
}

Outcome clocked(const std::vector<double>& volts, double sample_rate, const Settings& settings) {
    return run("serial.clock", waveform_in_memory(volts, 1 / sample_rate), settings);
}

}  // namespace

TEST_CASE("a rate is that of the signal, or there is none") {
    struct Case {
        double rate, edge;
        bool fits;
    };
    const double nominal = 2.5e9, sampling = 25.1e9;
    const Case cases[] = {
        {2.5e9, 0.3, true},          {2.5e9, 0.01, true},        {2.5e9, 0.6, true},
        {2.5e9 * 1.001, 0.3, true},  {2.5e9 * 0.995, 0.3, true}, {2.5e9 * 1.015, 0.3, false},
        {2.5e9 * 0.985, 0.3, false}, {1.25e9, 0.3, false},       {2.5e9 / 3, 0.3, false},
        {2.5e9 / 4, 0.3, false},     {2.5e9 / 5, 0.3, false},    {3.75e9, 0.3, false},
        {5e9, 0.3, false},           {7.5e9, 0.3, false},
    };
    int rates_read = 0;
    for (const auto& far : cases) {
        CAPTURE(far.rate);
        CAPTURE(far.edge);
        const auto out =
            clocked(bits(far.rate, sampling, far.edge, 4000), sampling, {{"symbol_rate", "2.5 GHz"}});
        CHECK(out.invalid.has_value() == !far.fits);
        CHECK(out.results.empty() == !far.fits);
        if (!far.fits) continue;
        CHECK(value(out, "rate_error") == within(20, 1e6 * (far.rate / nominal - 1)));
        ++rates_read;
    }
    CHECK(rates_read == 5);
    // White noise has edges everywhere.
    std::mt19937_64 random(3);
    std::normal_distribution<double> normal(0, 0.2);
    for (const double rate : {5e9, 10e9, 25e9}) {
        CAPTURE(rate);
        std::vector<double> noise(50000);
        for (auto& v : noise) v = normal(random);
        CHECK(clocked(noise, rate, {{"symbol_rate", "2.5 GHz"}}).invalid);
        CHECK(run("serial.eye", waveform_in_memory(noise, 1 / rate), {{"symbol_rate", "2.5 GHz"}}).invalid);
        CHECK(
            run("serial.jitter", waveform_in_memory(noise, 1 / rate), {{"symbol_rate", "2.5 GHz"}}).invalid);
    }
    // A clock pattern may have any whole number of symbols in each run.
    std::vector<double> clock(40000);
    for (std::size_t i = 0; i < clock.size(); ++i) clock[i] = (i / 40) % 2 ? 0.4 : -0.4;
    CHECK_FALSE(clocked(clock, 25e9, {{"symbol_rate", "2.5 GHz"}}).invalid);
}

TEST_CASE("an eye of few samples a symbol keeps to its window") {
    // Edges of 0.6 of the interval: within 10 % of the middle all is settled, 0.22 away from it is not.
    for (const double per_symbol : {2.3, 3.1, 10.04}) {
        CAPTURE(per_symbol);
        const auto out =
            run("serial.eye",
                waveform_in_memory(bits(1e9, per_symbol * 1e9, 0.6, 20000, 0, 1e-4), 1 / (per_symbol * 1e9)),
                {{"symbol_rate", "1 GHz"}, {"window", "10 %"}});
        CHECK(value(out, "eye_height") == about(0.8).epsilon(0.005));
        CHECK(value(out, "eye_amplitude") == about(0.8).epsilon(0.002));
        const bool said = std::any_of(out.notes.begin(), out.notes.end(), [](const std::string& note) {
            return note.find("which have a sample within the window") != std::string::npos;
        });
        CHECK(said == (per_symbol < 10));
    }
}

TEST_CASE("edges that stand early and late by turns have the rate of the signal") {
    for (const double distortion : {0.05, 0.15, 0.25, 0.35}) {
        CAPTURE(distortion);
        const auto volts = bits(2.5e9, 50e9, 0.2, 4000, distortion);
        const auto out = clocked(volts, 50e9, {{"symbol_rate", "2.5 GHz"}});
        INFO(out.invalid.value_or(""));
        REQUIRE_FALSE(out.invalid);
        CHECK(value(out, "rate_error") == within(20, 0));
        // Rising edges early, falling late by half of it each.
        CHECK(value(out, "tie_rms") == about(distortion / 2 * 0.4e-9).epsilon(0.05));
    }
}
