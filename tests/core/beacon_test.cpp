// Bursts of a beacon, on records written down from the definition.
#include <doctest/doctest.h>

#include "tests/about.hpp"
#include "tests/core/made_beacon.hpp"
#include "tests/core/procedures.hpp"
#include "tests/expect_error.hpp"

using namespace rt;

namespace {

constexpr double centre = 406.037e6;

Outcome measured(const made::BeaconBurst& burst, double noise = 0, const Settings& settings = {}) {
    made::Samples x = burst.make();
    if (noise > 0) made::add_noise(x, noise);
    return run("beacon.burst", made::record(x, burst.rate, centre, 40.0), settings);
}

// The noise of a record whose bandwidth is its rate, for a ratio in 20 kHz.
double noise_for(const made::BeaconBurst& burst, double ratio_db) {
    return burst.amplitude * std::pow(10, -ratio_db / 20) * std::sqrt(burst.rate / 20e3);
}

std::string cell(const Outcome& out, const char* table, const std::string& field) {
    for (const auto& t : out.tables) {
        if (t.name != table) continue;
        for (const auto& row : t.rows)
            if (std::get<std::string>(row[1]) == field) return std::get<std::string>(row[2]);
    }
    return {};
}

}  // namespace

TEST_CASE("a burst without noise: every number, long and short, at several rates") {
    for (const double rate : {20e3, 48e3, 100e3, 1e6}) {
        for (const char* message : {"8E3E0425A52B002E364FF709674EB7", "4E37A0607200190BFA6E50"}) {
            made::BeaconBurst burst;
            burst.rate = rate, burst.message = message;
            if (rate == 20e3) burst.offset_hz = 300;
            CAPTURE(rate);
            const auto out = measured(burst, 1e-4);
            INFO(out.invalid.value_or(""));
            REQUIRE_FALSE(out.invalid);
            CHECK(value(out, "bursts") == 1);
            CHECK(value(out, "frequency") == within(0.02, centre + burst.offset_hz));
            CHECK(value(out, "frequency_second") == within(0.05, centre + burst.offset_hz));
            CHECK(value(out, "burst_power") == within(0.1, 40 + 20 * std::log10(0.5)));
            CHECK(value(out, "carrier_time") == within(0.1e-3, 160e-3));
            CHECK(value(out, "total_time") == within(0.2e-3, burst.total_s()));
            CHECK(value(out, "bit_rate") == within(0.02, 400));
            CHECK(value(out, "phase_positive") == within(0.02, 1.1));
            CHECK(value(out, "phase_negative") == within(0.02, 1.1));
            // At 20 kHz of samples the filter takes a third of that itself.
            CHECK(value(out, "phase_rise_time") == within(rate > 40e3 ? 15e-6 : 40e-6, 150e-6));
            CHECK(value(out, "symmetry") == within(0.5, 0));
            CHECK(value(out, "messages_refused") == 0);
            CHECK(value(out, "errors_first") == 0);
            CHECK(value(out, "country") == 227);
            CHECK(out.lacking.contains("shortest_period"));
            // What each bit was decided by has its sign and the height of the modulation; the spectrum its
            // middle.
            const auto trace = [&](const char* name) -> const Trace& {
                const auto at = std::find_if(out.traces.begin(), out.traces.end(),
                                             [&](const Trace& t) { return t.name == name; });
                REQUIRE_MESSAGE(at != out.traces.end(), name);
                return *at;
            };
            const Trace& decisions = trace("decisions");
            CHECK(decisions.y.size() == std::string(message).size() * 4 + 24);
            for (std::size_t k = 0; k < 15; ++k)
                CHECK(decisions.y[k] == within(0.2, 2.2));  // bit synchronisation
            for (const double y : decisions.y) CHECK(std::abs(y) == within(0.25, 2.2));
            const Trace& spectrum = trace("spectrum");
            const auto highest = std::max_element(spectrum.y.begin(), spectrum.y.end()) - spectrum.y.begin();
            CHECK(spectrum.x[static_cast<std::size_t>(highest)] == within(150, centre + burst.offset_hz));
        }
    }
}

TEST_CASE(
    "down to 12 dB in 20 kHz: the same message, frequency within twice its bound, times within half a "
    "millisecond") {
    // sqrt(6) / (2 pi T sqrt(N S / N0)) over 100 ms, S / N in 20 kHz counted 20,000 times a second.
    for (const double ratio_db : {30.0, 20.0, 12.0}) {
        const double bound =
            std::sqrt(6.0) / (2 * made::pi * 0.1 * std::sqrt(2000 * std::pow(10, ratio_db / 10)));
        double squares = 0;
        constexpr int draws = 6;
        for (int draw = 0; draw < draws; ++draw) {
            made::BeaconBurst burst;
            burst.rate = draw % 2 ? 20e3 : 100e3, burst.offset_hz = draw % 2 ? 210.3 : 3100.7;
            made::Samples x = burst.make();
            made::add_noise(x, noise_for(burst, ratio_db), static_cast<unsigned>(draw + 11));
            const auto out = run("beacon.burst", made::record(x, burst.rate, centre, 40.0));
            CAPTURE(ratio_db);
            CAPTURE(draw);
            INFO(out.invalid.value_or(""));
            REQUIRE_FALSE(out.invalid);
            CHECK(value(out, "messages_refused") == 0);
            CHECK(value(out, "errors_first") == 0);
            CHECK(cell(out, "message", "identity, position at its defaults") == "1C7C084B4AFFBFF");
            const double off = value(out, "frequency") - centre - burst.offset_hz;
            squares += off * off / draws;
            CHECK(value(out, "carrier_time") == within(0.6e-3, 160e-3));
            CHECK(value(out, "total_time") == within(1e-3, 520e-3));
            CHECK(value(out, "bit_rate") == within(0.3, 400));
            CHECK(value(out, "phase_positive") == within(0.06, 1.1));
            CHECK(value(out, "phase_negative") == within(0.06, 1.1));
            CHECK(value(out, "symmetry") == within(1.5, 0));
            CHECK(value(out, "burst_power") == within(0.2, 40 + 20 * std::log10(0.5)));
        }
        CHECK(std::sqrt(squares) < 2 * bound);
    }
}

TEST_CASE("below 10 dB edges are not told, and a refused message is no fault of the beacon") {
    int refused = 0;
    for (int draw = 0; draw < 8; ++draw) {
        made::BeaconBurst burst;
        burst.rate = 50e3;
        made::Samples x = burst.make();
        made::add_noise(x, noise_for(burst, 7), static_cast<unsigned>(draw + 3));
        const auto out = run("beacon.burst", made::record(x, burst.rate, centre, 40.0));
        if (out.invalid) continue;
        for (const char* name : {"carrier_time", "total_time", "phase_rise_time", "symmetry"}) {
            CHECK_FALSE(out.find_result(name));
            CHECK(out.lacking.at(name).find("less than 10 dB") != std::string::npos);
        }
        CHECK(value(out, "frequency") == within(0.3, centre + burst.offset_hz));
        const auto* told = out.find_result("messages_refused");
        refused += told == nullptr;
        CHECK((!told || told->value.value == 0));
    }
    CHECK(refused < 8);
}

TEST_CASE("what a beacon does wrong is measured") {
    made::BeaconBurst burst;
    const auto with = [&](auto change) {
        made::BeaconBurst other = burst;
        change(other);
        return measured(other, noise_for(other, 30));
    };
    CHECK(value(with([](auto& b) { b.carrier_s = 150e-3; }), "carrier_time") == within(0.2e-3, 150e-3));
    CHECK(value(with([](auto& b) { b.carrier_s = 170e-3; }), "carrier_time") == within(0.2e-3, 170e-3));
    for (const double rate : {385.0, 395.0, 404.5, 415.0})
        CHECK(value(with([&](auto& b) { b.bit_rate = rate; }), "bit_rate") == within(0.05, rate));
    const auto lop = with([](auto& b) { b.positive = 1.25, b.negative = 0.95; });
    CHECK(value(lop, "phase_positive") == within(0.02, 1.25));
    CHECK(value(lop, "phase_negative") == within(0.02, 0.95));
    for (const double rise : {60e-6, 250e-6, 400e-6})
        CHECK(value(with([&](auto& b) { b.phase_rise_s = rise; }), "phase_rise_time") == within(20e-6, rise));
    // A step: only the filter is seen.
    const auto step = with([](auto& b) { b.phase_rise_s = 1e-6; });
    CHECK(step.find_result("phase_rise_time")->known == Known::at_most);
    // Changes in the middle of bits 100 us late: T1 is 1.35 ms, T2 1.15 ms.
    CHECK(value(with([](auto& b) { b.lean_s = 100e-6; }), "symmetry") == within(0.7, 100 * 0.2 / 2.5));
    CHECK(value(with([](auto& b) { b.ramp_s = 4e-3; }), "rise_time") ==
          within(0.3e-3, 4e-3 * (std::sqrt(0.9) - std::sqrt(0.1))));
    const auto drifting = with([](auto& b) { b.drift_hz_s = 5; });
    CHECK(value(drifting, "messages_refused") == 0);
    CHECK(value(drifting, "frequency_third") - value(drifting, "frequency") ==
          within(0.15, 5 * (0.16 + 0.055 + 0.115 + 0.05 - 0.062)));
    const auto few = with([](auto& b) { b.wrong_bits = {30, 60, 90, 110, 120}; });
    CHECK(value(few, "errors_first") == 3);
    CHECK(value(few, "errors_second") == 2);
    const auto many = with([](auto& b) { b.wrong_bits = {30, 40, 60, 90}; });
    CHECK(value(many, "messages_refused") == 1);
    CHECK_FALSE(many.find_result("country"));
    CHECK(value(many, "frequency") == within(0.05, centre + 1234.5));
    const auto early = with([](auto& b) { b.ends_early_s = 50e-3; });
    CHECK(value(early, "messages_refused") == 1);
    CHECK(value(early, "total_time") == within(0.5e-3, 470e-3));
    CHECK(value(with([](auto& b) { b.self_test = true; }), "self_test") == 1);
}

TEST_CASE("cut off, overlapping, or no beacon at all") {
    made::BeaconBurst burst;
    const auto cut = [&](double from_s, double to_s) {
        made::Samples x = burst.make();
        x = made::Samples(x.begin() + static_cast<std::ptrdiff_t>(from_s * burst.rate),
                          x.begin() + static_cast<std::ptrdiff_t>(to_s * burst.rate));
        made::add_noise(x, noise_for(burst, 30));
        return run("beacon.burst", made::record(x, burst.rate, centre, 40.0));
    };
    for (const auto& [from, to] : {std::pair{0.55, 1.5}, {0.0, 0.9}, {0.7, 1.5}, {0.0, 0.62}}) {
        CAPTURE(from);
        const auto out = cut(from, to);
        CHECK(out.invalid);
        CHECK(out.results.empty());
    }
    // Cut close to its ends it is whole.
    CHECK_FALSE(cut(0.46, 1.06).invalid);
    made::Samples two = burst.make();
    made::BeaconBurst other = burst;
    other.at = 0.7, other.offset_hz = -2000, other.message = "8E361903E82B8035915C778C81A95D";
    const auto second = other.make();
    for (std::size_t i = 0; i < two.size(); ++i) two[i] += second[i];
    made::add_noise(two, noise_for(burst, 30));
    const auto both = run("beacon.burst", made::record(two, burst.rate, centre, 40.0));
    CHECK((both.invalid || value(both, "messages_refused") > 0));
    // A bare carrier, one that lasts, noise, silence.
    made::Samples bare(150000), lasting = made::tone(0.5, 1000, 100e3, 150000), noise(150000);
    for (std::size_t i = 50000; i < 102000; ++i) bare[i] = std::polar(0.5, 0.06 * static_cast<double>(i));
    for (auto* x : {&bare, &lasting, &noise}) made::add_noise(*x, 0.01);
    for (const auto& x : {bare, lasting, noise, made::Samples(150000)}) {
        const auto out = run("beacon.burst", made::record(x, 100e3, centre, 40.0));
        CHECK(out.invalid);
    }
    CHECK(run("beacon.burst", made::record(burst.make(), 10e3, centre, 40.0)).invalid->find("20 kHz") !=
          std::string::npos);
}

TEST_CASE("several bursts: the farthest of each number, the period between them") {
    made::BeaconBurst burst;
    burst.rate = 20e3, burst.seconds = 12, burst.offset_hz = 100;
    made::Samples x = burst.make();
    made::BeaconBurst later = burst;
    later.at = 6.25, later.amplitude = 0.25, later.carrier_s = 163e-3;
    const auto second = later.make();
    for (std::size_t i = 0; i < x.size(); ++i) x[i] += second[i];
    made::add_noise(x, noise_for(burst, 30));
    const auto out = run("beacon.burst", made::record(x, burst.rate, centre, 43.0));
    CHECK(value(out, "bursts") == 2);
    CHECK(value(out, "shortest_period") == within(1e-3, 5.75));
    CHECK(value(out, "burst_power") == within(0.2, 43 + 20 * std::log10(0.25)));
    CHECK(value(out, "carrier_time") == within(0.5e-3, 163e-3));
}

TEST_CASE("of bursts on different frequencies the farthest from the one that is meant") {
    made::BeaconBurst burst;
    burst.rate = 40e3, burst.seconds = 5, burst.offset_hz = 4400;
    made::BeaconBurst later = burst;
    later.at = 3.2, later.offset_hz = 5600;
    made::Samples x = burst.make();
    const auto second = later.make();
    for (std::size_t i = 0; i < x.size(); ++i) x[i] += second[i];
    made::add_noise(x, noise_for(burst, 30));
    // The record stands 8 kHz above: the one nearer to its middle is the farther one from the channel.
    const auto record = made::record(x, burst.rate, centre, 40.0);
    CHECK(run("beacon.burst", record).lacking.at("frequency").find("state the frequency that is meant") !=
          std::string::npos);
    CHECK(value(run("beacon.burst", record, {{"centre", "406.038 MHz"}}), "frequency") ==
          within(0.1, centre + 5600));
    CHECK(value(run("beacon.burst", record, {{"centre", "406.045 MHz"}}), "frequency") ==
          within(0.1, centre + 4400));
}

TEST_CASE("stability and spread of eighteen bursts") {
    made::BeaconBurst burst;
    burst.rate = 20e3, burst.seconds = 1.2, burst.at = 0.3, burst.offset_hz = 100;
    made::Samples all;
    std::vector<double> hz, starts;
    constexpr double slope_hz_min = 3.0;  // 7.4e-9 of the carrier a minute
    for (int k = 0; k < 18; ++k) {
        made::BeaconBurst one = burst;
        one.seconds = 2.5 + 0.02 * (k % 5);
        starts.push_back(static_cast<double>(all.size()) / burst.rate + one.at);
        one.offset_hz = 100 + slope_hz_min * starts.back() / 60 + (k % 2 ? 0.8 : -0.8);
        hz.push_back(one.offset_hz);
        made::append(all, one.make());
    }
    made::add_noise(all, noise_for(burst, 40));
    const auto record = made::record(all, burst.rate, centre, 40.0);
    const auto out = run("beacon.burst", record);
    CHECK(value(out, "bursts") == 18);
    // Sums as the standard writes them, over the frequencies that were put in.
    double n = 18, t = 0, tt = 0, f = 0, tf = 0;
    for (std::size_t i = 0; i < 18; ++i) {
        const double x = starts[i] / 60;
        t += x, tt += x * x, f += hz[i], tf += x * hz[i];
    }
    const double slope = (n * tf - t * f) / (n * tt - t * t), level = (f - slope * t) / n;
    double left = 0;
    for (std::size_t i = 0; i < 18; ++i) left += std::pow(hz[i] - level - slope * starts[i] / 60, 2) / n;
    CHECK(value(out, "mean_slope") == within(0.1 / centre, slope / centre));
    CHECK(value(out, "residual") == within(0.02 / centre, std::sqrt(left) / centre));
    // No more than what noise makes of S2 and S3.
    CHECK(value(out, "short_term") < 0.1 / centre);
    double mean = 0, spread = 0;
    for (std::size_t i = 1; i < 18; ++i) mean += (starts[i] - starts[i - 1]) / 17;
    for (std::size_t i = 1; i < 18; ++i) spread += std::pow(starts[i] - starts[i - 1] - mean, 2) / 16;
    CHECK(value(out, "mean_period") == within(1e-4, mean));
    CHECK(value(out, "period_deviation") == within(2e-4, std::sqrt(spread)));
    const auto few = run("beacon.burst", record, {{"to", "30 s"}});
    CHECK(few.lacking.at("residual").find("need 18 bursts") != std::string::npos);
}

namespace {

// A carrier switched by a tone that sweeps; the phase of the tone is the sum of its frequency.
struct Homing {
    double rate = 100e3, seconds = 2.5, offset_hz = 812;
    double high_hz = 1400, low_hz = 500, sweeps_s = 3, duty = 0.4, rest = 0.03;  // amplitude while it is off
    bool up = false;
    double silent_from = 9, silent_to = 9;

    Outcome measured(double noise = 1e-3) const {
        made::Samples x(static_cast<std::size_t>(rate * seconds));
        double phase = 0;
        for (std::size_t n = 0; n < x.size(); ++n) {
            const double t = static_cast<double>(n) / rate;
            double part = std::fmod(t * sweeps_s, 1.0);
            if (up) part = 1 - part;
            phase += (high_hz + (low_hz - high_hz) * part) / rate;
            const bool on = phase - std::floor(phase) < duty;
            const bool silent = t >= silent_from && t < silent_to;
            x[n] = std::polar(silent ? 0 : on ? 0.5 : 0.5 * rest, 2 * made::pi * offset_hz * t + 1);
        }
        made::add_noise(x, noise);
        return run("beacon.homing", made::record(x, rate, 121.5e6, 20.0));
    }
};

}  // namespace

TEST_CASE("a homing signal: carrier, depth, duty, sweep, direction") {
    for (const double rate : {48e3, 100e3, 500e3}) {
        Homing homing;
        homing.rate = rate;
        const auto out = homing.measured();
        INFO(out.invalid.value_or(""));
        CAPTURE(rate);
        REQUIRE_FALSE(out.invalid);
        CHECK(value(out, "carrier_frequency") == within(0.5, 121.5e6 + 812));
        CHECK(value(out, "peak_power") == within(0.3, 20 + 20 * std::log10(0.5)));
        CHECK(value(out, "modulation_factor") == within(1.5, 100 * (1 - 0.03) / (1 + 0.03)));
        CHECK(value(out, "duty_cycle") == within(1, 40));
        CHECK(value(out, "sweep_low") == within(15, 500));
        CHECK(value(out, "sweep_high") == within(25, 1400));
        CHECK(value(out, "sweep_range") == within(40, 900));
        CHECK(value(out, "sweep_rate") == within(0.02, 3));
        CHECK(value(out, "sweeps_down") >= 5);
        CHECK(value(out, "sweeps_up") == 0);
    }
    Homing wrong;
    wrong.up = true, wrong.duty = 0.6, wrong.rest = 0.2, wrong.low_hz = 900, wrong.sweeps_s = 4.5;
    auto out = wrong.measured(0.01);
    CHECK(value(out, "sweeps_down") == 0);
    CHECK(value(out, "sweeps_up") >= 8);
    CHECK(value(out, "sweep_rate") == within(0.05, 4.5));
    CHECK(value(out, "duty_cycle") == within(1.5, 60));
    CHECK(value(out, "modulation_factor") == within(4, 100 * 0.8 / 1.2));
    CHECK(value(out, "sweep_range") == within(60, 500));
    Homing silent;
    silent.silent_from = 1, silent.silent_to = 1.6;
    out = silent.measured();
    CHECK(value(out, "longest_silence") == within(5e-3, 0.6));
    CHECK(value(out, "duty_cycle") == within(1.5, 40));
    Homing steady;
    steady.low_hz = steady.high_hz = 1000;
    out = steady.measured();
    CHECK(out.lacking.at("sweep_range").find("no whole sweep") != std::string::npos);
    made::Samples bare = made::tone(0.3, 500, 100e3, 200000), noise(200000);
    made::add_noise(bare, 1e-3), made::add_noise(noise, 0.1);
    CHECK(run("beacon.homing", made::record(bare, 100e3, 121.5e6, 0.0)).invalid);
    CHECK(run("beacon.homing", made::record(noise, 100e3, 121.5e6, 0.0)).invalid);
}
