// Parts of good records, cut anywhere: nothing worse than in the whole may appear, and no error.
#include <cmath>
#include <random>
#include <set>
#include <string>

#include "tests/about.hpp"
#include "tests/core/made_bus.hpp"
#include "tests/core/made_storage.hpp"
#include "tests/core/made_waves.hpp"
#include "tests/core/procedures.hpp"

using namespace rt;

namespace {

bool begins(const std::string& name, const char* with) {
    return name.starts_with(with);
}

const std::set<std::string> errors{"code_errors",   "disparity_errors", "check_errors",    "broken_frames",
                                   "stray_words",   "bit_errors",       "slips",           "spikes",
                                   "not_monotonic", "not_acknowledged", "clock_stretches", "realigned"};

// Extremes may only be milder, errors stay away.
// Returns how many results were held against the whole's.
std::size_t compare(const Outcome& whole, const Outcome& part) {
    std::size_t held = 0;
    for (const Result& result : part.results) {
        const Result* all = whole.find_result(result.name);
        CAPTURE(result.name);
        REQUIRE(all);
        const double seen = result.value.value, of_all = all->value.value,
                     tolerance = 1e-2 * std::abs(of_all) + 1e-12;
        const std::string& name = result.name;
        const bool least = name.ends_with("_least") || begins(name, "shortest_");
        const bool greatest =
            (name.ends_with("_greatest") || begins(name, "longest_")) && result.known == Known::exactly;
        const bool error = errors.contains(name), rate = name == "symbol_rate" || name == "frequency";
        held += least || greatest || error || rate;
        CHECK((!least || seen >= of_all - tolerance));
        CHECK((!greatest || seen <= of_all + tolerance));
        CHECK((!error || seen == 0));
        CHECK((!rate || seen == about(of_all).epsilon(1e-4)));
    }
    return held;
}

void cut_anywhere(const char* procedure, const Waveform& wave, const Settings& settings) {
    CAPTURE(std::string(procedure));
    const Outcome whole = run(procedure, wave, settings);
    REQUIRE_FALSE(whole.invalid);
    std::mt19937 random(4);
    const double seconds = wave.seconds();
    std::uniform_real_distribution<double> place(0, 1);
    std::size_t measured = 0, held = 0;
    constexpr int cuts = 16;
    for (int k = 0; k < cuts; ++k) {
        const double a = place(random) * seconds * 0.6, b = a + (0.3 + 0.7 * place(random)) * (seconds - a);
        const std::string from = std::to_string(a * 1e9) + " ns",
                          to = std::to_string(std::min(b, seconds) * 1e9) + " ns";
        CAPTURE(from);
        CAPTURE(to);
        auto part = settings;
        part.emplace_back("from", from.c_str());
        part.emplace_back("to", to.c_str());
        const Outcome seen = run(procedure, wave, part);
        measured += !seen.invalid;
        held += compare(whole, seen);
    }
    CHECK(measured > cuts / 2);
    CHECK(held >= measured);
}

Waveform bus() {
    made::TwoWire bus;
    for (int n = 0; n < 6; ++n) {
        bus.start();
        bus.byte(0x48 << 1, true);
        bus.byte(0xA5 ^ n, true);
        bus.repeated_start();
        bus.byte(0x48 << 1 | 1, true);
        bus.byte(0x3C + n, false);
        bus.stop();
    }
    const double step = 10e-9;
    const auto count = static_cast<std::size_t>((bus.t + 20e-6) / step);
    return waveform_in_memory({bus.clock.volts(step, count), bus.data.volts(step, count)}, step);
}

Waveform four_wires() {
    const double ns = 1e-9, step = 2 * ns, ramp = 10 * ns, half = 250 * ns;
    made::Drawn clock(false), select(true), out(false);
    double t = 1000 * ns;
    for (int n = 0; n < 8; ++n) {
        select.to(false, t, ramp);
        t += 400 * ns;
        bool now = false;
        for (int k = 7; k >= 0; --k) {
            const bool bit = (0x96 + 2 * n) >> k & 1;
            if (bit != now) out.to(bit, t - half + 100 * ns, ramp);
            now = bit;
            clock.to(true, t, ramp);
            clock.to(false, t + half, ramp);
            t += 2 * half;
        }
        if (now) out.to(false, t, ramp);
        select.to(true, t + 50 * ns, ramp);
        t += 1000 * ns;
    }
    const auto count = static_cast<std::size_t>(t / step);
    return waveform_in_memory({clock.volts(step, count), select.volts(step, count), out.volts(step, count)},
                              step);
}

Waveform link() {
    made::StorageLine line;
    line.sync(2);
    line.align();
    for (int n = 0; n < 20; ++n) {
        line.sync(5);
        line.frame({0x46, 1, 2, static_cast<std::uint32_t>(n), 0xFFFFFFFF});
    }
    line.sync(20);
    return line.wave();
}

Waveform pulses() {
    made::Switching s;
    for (int k = 0; k < 60; ++k) {
        s.edges_s.push_back(2e-6 * k + 0.3e-6);
        s.edges_s.push_back(2e-6 * k + 1.1e-6 + 1e-8 * (k % 5));
    }
    s.rise_s = 40e-9;
    return waveform_in_memory(made::volts(s, 500e6, 60000), 2e-9);
}

}  // namespace

TEST_CASE("parts of good records, cut anywhere, show nothing worse than the whole") {
    cut_anywhere("bus.two-wire", bus(), {{"supply", "3.3 V"}});
    cut_anywhere("bus.four-wire", four_wires(), {{"supply", "3.3 V"}, {"out_channel", "3"}, {"mode", "0"}});
    const Settings rate{{"symbol_rate", "1.5 GHz"}};
    cut_anywhere("storage.frames", link(), rate);
    cut_anywhere("serial.characters", link(), rate);
    cut_anywhere("serial.clock", link(), rate);
    cut_anywhere("pulse.edges", pulses(), {});
}
