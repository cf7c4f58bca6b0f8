// Signals far from the friendly case, a line each: a value within a stated tolerance, or no number at all.
#include <doctest/doctest.h>

#include "tests/about.hpp"
#include "tests/core/made_signals.hpp"
#include "tests/core/procedures.hpp"

using namespace rt;

namespace {

// The same signal seen by a clock that is `ppm` slow: a transmitter `ppm` fast. By windowed sinc over 64
// samples at the nearest of 4,096 places between two, good to -75 dB for signals in the middle 70 % of the
// band.
made::Samples faster(const made::Samples& x, double ppm) {
    constexpr int reach = 32, places = 4096;
    static const auto weights = [] {
        std::vector<double> out(static_cast<std::size_t>(places) * 2 * reach);
        for (int p = 0; p < places; ++p) {
            for (int k = 0; k < 2 * reach; ++k) {
                const double d = static_cast<double>(p) / places + reach - 1 - k, w = d / (reach + 1);
                const double sinc = std::abs(d) < 1e-12 ? 1 : std::sin(made::pi * d) / (made::pi * d);
                out[static_cast<std::size_t>(p * 2 * reach + k)] =
                    sinc * (0.42 + 0.5 * std::cos(made::pi * w) + 0.08 * std::cos(2 * made::pi * w));
            }
        }
        return out;
    }();
    made::Samples out(static_cast<std::size_t>(static_cast<double>(x.size()) / (1 + ppm * 1e-6)) - 1);
    for (std::size_t n = 0; n < out.size(); ++n) {
        const double at = static_cast<double>(n) * (1 + ppm * 1e-6);
        const auto whole = static_cast<std::ptrdiff_t>(at);
        const double* w =
            &weights[static_cast<std::size_t>((at - static_cast<double>(whole)) * places) * 2 * reach];
        for (std::ptrdiff_t k = 0, i = whole - reach + 1; k < 2 * reach; ++k, ++i) {
            if (i >= 0 && i < static_cast<std::ptrdiff_t>(x.size()))
                out[n] += w[k] * x[static_cast<std::size_t>(i)];
        }
    }
    return out;
}

IqRecord heard(made::Samples x, double rate, double sigma, double centre = 2.405e9) {
    made::add_noise(x, sigma);
    return made::record(x, rate, centre, 10.0);
}

made::Samples silence(double rate, double seconds) {
    return made::Samples(static_cast<std::size_t>(rate * seconds));
}

}  // namespace

TEST_CASE("O-QPSK far off: length, clock error and noise") {
    struct Case {
        std::size_t octets;
        double ppm, snr_db, rate, tolerance_ppm;
    };
    // The clock's tolerance is four standard deviations of the fit, at least 0.5 ppm.
    const Case cases[] = {
        {18, 120, 43, 16e6, 2},    {60, -80, 43, 16e6, 0.5},  {120, 40, 43, 16e6, 0.5},
        {125, 50, 43, 16e6, 0.5},  {125, -50, 43, 16e6, 0.5}, {125, 80, 43, 16e6, 0.5},
        {125, -80, 43, 16e6, 0.5}, {125, 120, 43, 16e6, 0.5}, {125, -120, 43, 16e6, 0.5},
        {125, 45, 20, 16e6, 2},    {125, -45, 14, 16e6, 4},   {125, 50, 43, 6e6, 1},
        {125, 50, 43, 40e6, 0.5},
    };
    for (const auto& far : cases) {
        CAPTURE(far.octets);
        CAPTURE(far.ppm);
        CAPTURE(far.snr_db);
        CAPTURE(far.rate);
        made::Oqpsk frame;
        frame.rate = far.rate;
        frame.payload.assign(far.octets, 0xC3);
        frame.clock_ppm = far.ppm;
        frame.carrier = 60e3;
        const auto out =
            run("radio.oqpsk", heard(frame.make(), far.rate, 0.5 * std::pow(10, -far.snr_db / 20)));
        CHECK(value(out, "symbol_rate_error") == within(far.tolerance_ppm, far.ppm));
        // Noise within a component, over a vector of sqrt(2); 0.3 % for what the fit and interpolation leave.
        const double noise = 100 * std::pow(10, -far.snr_db / 20) / std::sqrt(2.0);
        CHECK(value(out, "evm_rms") == about(noise).epsilon(0.06 + 0.3 / noise));
        CHECK(value(out, "frames_bad_check") == 0);
    }
}

TEST_CASE("O-QPSK: carrier and clock of all frames, with what noise leaves unsure") {
    const auto frames = [](std::vector<double> clocks) {
        made::Samples x;
        for (std::size_t i = 0; i < clocks.size(); ++i) {
            made::Oqpsk frame;
            frame.payload.assign(20 + 7 * (i % 3), static_cast<std::uint8_t>(i));
            frame.clock_ppm = clocks[i];
            frame.carrier = 12345;
            frame.phase = static_cast<double>(i);
            made::append(x, frame.make());
        }
        return heard(x, 16e6, 0.05);
    };
    const auto out = run("radio.oqpsk", frames(std::vector<double>(12, 30)));
    CHECK(value(out, "frames") == 12);
    const double unsure = value(out, "symbol_rate_error_uncertainty");
    // One frame of 27 octets leaves 2.2 ppm unsure at 20 dB, twelve of 20 to 34 octets 0.6 ppm.
    CHECK(unsure == about(0.6).epsilon(0.3));
    CHECK(std::abs(value(out, "symbol_rate_error") - 30) < 4 * unsure);
    CHECK(std::abs(value(out, "frequency_offset") - 12345) < 4 * value(out, "frequency_offset_uncertainty"));
    CHECK(value(out, "frequency_offset_uncertainty") < 5);
    // One frame of another clock does not hide in a mean.
    std::vector<double> one_off(12, 10);
    one_off[5] = 60;
    const auto other = run("radio.oqpsk", frames(one_off));
    CHECK(value(other, "symbol_rate_error") == about(60).epsilon(0.15));
}

TEST_CASE("O-QPSK: the worst frame is judged, not the mean of all") {
    made::Samples x;
    for (int i = 0; i < 5; ++i) {
        made::Oqpsk frame;
        frame.payload.assign(20, 0x35);
        auto made = frame.make();
        made::add_noise(made, 0.5 * (i == 3 ? 0.45 : 0.01) * std::sqrt(2.0), 7);
        made::append(x, made);
    }
    const auto out = run("radio.oqpsk", made::record(x, 16e6, 2.405e9, 10.0));
    CHECK(value(out, "frames") == 5);
    CHECK(value(out, "evm_rms_worst") == about(45).epsilon(0.06));
    CHECK(value(out, "evm_rms") == about(45 / std::sqrt(5.0)).epsilon(0.08));
}

TEST_CASE("O-QPSK: imbalance and quadrature error are exact, and EVM is told without them") {
    // I is scaled by g and Q stands d degrees off: x = gI + j Q e^(jd).
    for (const auto& [gain_db, degrees] : {std::pair{3.0, 10.0}, {-2.0, -8.0}, {0.5, 2.0}}) {
        CAPTURE(gain_db);
        CAPTURE(degrees);
        made::Oqpsk frame;
        frame.payload.assign(60, 0x96);
        frame.phase = 0;
        auto x = frame.make();
        const double g = std::pow(10, gain_db / 20);
        for (auto& v : x)
            v = g * v.real() + made::Complex(0, v.imag()) * std::polar(1.0, degrees * made::pi / 180);
        const auto out = run("radio.oqpsk", heard(x, 16e6, 1e-4));
        CHECK(value(out, "gain_imbalance") == about(gain_db).epsilon(0.02));
        CHECK(std::abs(value(out, "quadrature_error")) == about(std::abs(degrees)).epsilon(0.02));
        CHECK(value(out, "evm_rms_corrected") < 0.5);
        CHECK(value(out, "evm_rms") > 2);
    }
}

TEST_CASE("OFDM far off: long frames with clock errors") {
    struct Case {
        int mbit;
        unsigned octets;
        double ppm;
    };
    // 6 Mbit/s: 24 bits a symbol. The pilots of 4,000 octets at 40 ppm have drifted 4.3 samples of 20 MHz.
    const Case cases[] = {{6, 1500, 40}, {6, 1500, -30}, {6, 4000, -20}, {54, 4000, 40}, {6, 100, -40}};
    for (const auto& far : cases) {
        CAPTURE(far.mbit);
        CAPTURE(far.octets);
        CAPTURE(far.ppm);
        made::Ofdm frame;
        frame.mbit = far.mbit;
        frame.octets = far.octets;
        frame.times = 2;
        // Noise of 40 MHz, half of which falls on 64 bins of which 52 carry the signal.
        const double snr_db = 40, sigma = 0.2 * std::pow(10, -snr_db / 20) * std::sqrt(2 * 64.0 / 52);
        const auto out = run("radio.ofdm", heard(faster(frame.make(), far.ppm), 40e6, sigma, 2.437e9));
        CHECK(value(out, "symbol_rate_error") == within(far.octets > 500 ? 0.5 : 3, far.ppm));
        CHECK(value(out, "evm_db_whole_frame") == about(-snr_db).epsilon(0.02));
        // The noise of two training symbols and of four pilots comes on top.
        CHECK(value(out, "evm_db_training") == about(-snr_db + 10 * std::log10(1.625)).epsilon(0.02));
    }
}

TEST_CASE("noise, a line at 0 Hz and an empty record give no radio number") {
    const struct {
        const char* procedure;
        double rate, seconds;
        Settings settings;
    } all[] = {
        {"radio.bursts", 2e6, 0.05, {}},
        {"radio.bursts", 2e6, 0.05, {{"trigger_level", "-6 dB"}}},
        {"radio.bursts", 20e6, 0.01, {{"trigger_level", "-3 dB"}}},
        {"radio.occupancy", 2e6, 0.05, {}},
        {"radio.occupancy", 2e6, 0.05, {{"trigger_level", "-6 dB"}}},
        {"radio.oqpsk", 16e6, 2e-3, {}},
        {"radio.oqpsk", 16e6, 2e-3, {{"trigger_level", "-6 dB"}}},
        {"radio.ofdm", 20e6, 2e-3, {}},
        {"radio.gfsk", 16e6, 2e-3, {}},
        {"radio.carrier", 2e6, 2e-3, {}},
    };
    for (const auto& one : all) {
        CAPTURE(one.procedure);
        CAPTURE(one.rate);
        CAPTURE(one.settings.size());
        const auto nothing = [&](const IqRecord& record) {
            const auto out = run(one.procedure, record, one.settings);
            INFO(std::string(one.procedure));
            CHECK(out.invalid);
            CHECK(out.results.empty());
        };
        nothing(heard(silence(one.rate, one.seconds), one.rate, 0.05));
        nothing(made::record(silence(one.rate, one.seconds), one.rate, 2.405e9, 10.0));
    }
}

TEST_CASE("a burst that an end cuts off is at least so long") {
    constexpr double rate = 1e6;
    made::Samples x(static_cast<std::size_t>(0.1 * rate));
    const auto on = [&](double from, double to) {
        for (auto i = static_cast<std::size_t>(from * rate); i < static_cast<std::size_t>(to * rate); ++i)
            x[i] = std::polar(0.3, 0.3 * static_cast<double>(i));
    };
    on(5e-3, 7e-3);
    on(20e-3, 0.1);
    const auto out = run("radio.bursts", heard(x, rate, 1e-3));
    const Result* longest = out.find_result("longest_burst");
    REQUIRE(longest);
    CHECK(longest->value.value == about(80e-3).epsilon(0.001));
    CHECK(longest->known == Known::at_least);
    const Result* shortest = out.find_result("shortest_burst");
    REQUIRE(shortest);
    CHECK(shortest->value.value == about(2e-3).epsilon(0.001));
}

TEST_CASE("a mask on samples needs a carrier on the channel, as on spectra") {
    constexpr double rate = 20e6;
    const auto mask = [&](const IqRecord& record) {
        return run("radio.mask", record, {{"centre", "2.405 GHz"}, {"span", "16 MHz"}});
    };
    // White noise lies below an absolute limit; a neighbour 15 dB above the channel's carrier is not the
    // unit.
    CHECK(mask(heard(silence(rate, 0.02), rate, 1e-4)).invalid);
    made::Oqpsk frame;
    frame.rate = rate;
    made::Samples x;
    for (int i = 0; i < 20; ++i) made::append(x, frame.make());
    CHECK_FALSE(mask(heard(x, rate, 1e-4)).invalid);
    auto beside = made::tone(0.5 * std::pow(10, 15.0 / 20) * 0.2, 7e6, rate, x.size());
    for (std::size_t i = 0; i < x.size(); ++i) beside[i] += 0.02 * x[i];
    CHECK(mask(heard(beside, rate, 1e-4)).invalid);
}

TEST_CASE("spurious emission on the end of the range is read whole") {
    constexpr double rate = 2e6, centre = 30e6;
    for (const double end : {30.5e6, 30.5013e6, 30.5077e6, 30.4951e6}) {
        CAPTURE(end);
        const auto x = made::tone(0.1, end - centre, rate, 120000);
        const auto out = run("radio.spurious", heard(x, rate, 1e-5, centre),
                             {{"start", "29.7 MHz"},
                              {"stop", (std::to_string(end / 1e6) + " MHz").c_str()},
                              {"bandwidth", "10 kHz"},
                              {"gain", "0 dB"}});
        // Within half a spacing of points, as anywhere else: 0.3 dB.
        CHECK(value(out, "highest_level") == about(10 - 20).epsilon(0.03));
    }
}

TEST_CASE("a carrier: what is not it, and the receiver's own line") {
    constexpr double rate = 1e6;
    for (const double db : {10.0, 45.0, 50.0, 70.0, 80.0, 100.0}) {
        CAPTURE(db);
        auto x = made::tone(0.3, 123456.7, rate, 100000);
        made::add_noise(x, 0.3 * std::pow(10, -db / 20));
        const auto out = run("radio.carrier", heard(x, rate, 0));
        CHECK(value(out, "carrier_to_rest") == within(0.1, db));
    }
    // A second tone is rest as well, wherever it stands.
    auto two = made::tone(0.3, 200000, rate, 100000);
    const auto other = made::tone(0.3 * std::pow(10, -45.0 / 20), 50000, rate, 100000);
    for (std::size_t i = 0; i < two.size(); ++i) two[i] += other[i];
    CHECK(value(run("radio.carrier", heard(two, rate, 0)), "carrier_to_rest") == about(45).epsilon(0.002));
    // Exactly 0 Hz is the receiver's line, 5 Hz beside it is a carrier.
    const auto zero = run("radio.carrier", heard(made::tone(0.3, 0, rate, 100000), rate, 1e-3));
    REQUIRE(zero.invalid);
    CHECK(zero.invalid->find("exactly 0 Hz") != std::string::npos);
    CHECK(value(run("radio.carrier", heard(made::tone(0.3, 5, rate, 100000), rate, 1e-3)),
                "frequency_offset") == about(5).epsilon(0.01));
    auto hidden = made::tone(0.3, 0, rate, 100000);
    const auto carrier = made::tone(0.1, 70e3, rate, 100000);
    for (std::size_t i = 0; i < hidden.size(); ++i) hidden[i] += carrier[i];
    CHECK(run("radio.carrier", heard(hidden, rate, 1e-3)).invalid);
}

TEST_CASE("frames in noise and beside a neighbour: none goes missing") {
    const auto frames = [](std::size_t count) {
        made::Samples x;
        for (std::size_t i = 0; i < count; ++i) {
            made::Oqpsk frame;
            frame.payload.assign(20, static_cast<std::uint8_t>(i));
            frame.room = 100e-6;
            made::append(x, frame.make());
        }
        return x;
    };
    // Signal to noise in all 16 MHz.
    for (const double snr : {20.0, 10.0, 4.0}) {
        CAPTURE(snr);
        const auto out = run("radio.oqpsk", heard(frames(3), 16e6, 0.5 * std::pow(10, -snr / 20)));
        CHECK(value(out, "frames") == 3);
        CHECK(value(out, "frames_bad_check") == 0);
    }
    for (const double relative : {-20.0, 0.0, 20.0}) {
        CAPTURE(relative);
        auto x = frames(3);
        made::Oqpsk other;
        other.payload.assign(100, 0x77);
        other.carrier = 5e6;
        other.amplitude = 0.5 * std::pow(10, relative / 20);
        other.room = 0;
        made::Samples beside;
        while (beside.size() < x.size()) made::append(beside, other.make());
        for (std::size_t i = 0; i < x.size(); ++i) x[i] = 0.1 * (x[i] + beside[i]);
        const auto out = run("radio.oqpsk", heard(x, 16e6, 1e-4));
        CHECK(value(out, "frames") == 3);
        // What of the neighbour lies within 2.25 MHz stays: 40 dB below it. The filter itself costs 1 %.
        CHECK(value(out, "evm_rms") < (relative < 0 ? 2 : relative < 10 ? 4 : 20));
    }
    // Two frames with 20 us between them, joined by a hold-off, and one that the next overlaps.
    made::Oqpsk near;
    near.payload.assign(30, 0x11);
    near.room = 10e-6;
    made::Samples close = silence(16e6, 100e-6);
    made::append(close, near.make());
    made::append(close, near.make());
    made::append(close, silence(16e6, 100e-6));
    CHECK(value(run("radio.oqpsk", heard(close, 16e6, 1e-3), {{"hold_off", "50 us"}}), "frames") == 2);
    made::Samples x, pair;
    for (const unsigned type : {1U, 2U}) {
        made::Gfsk packet;
        packet.type = type;
        packet.room = 100e-6;
        made::append(pair, packet.make());
    }
    for (int i = 0; i < 4; ++i) made::append(x, pair);
    for (const double snr : {14.0, 10.0}) {
        CAPTURE(snr);
        const auto out = run("radio.gfsk", heard(x, 16e6, 0.5 * std::pow(10, -snr / 20), 2.44e9));
        CHECK(value(out, "packets") == 8);
    }
}

TEST_CASE("AM and FM: means over whole periods, noise and carriers that are not on") {
    constexpr double rate = 1e6;
    const auto fm = [&](double hz, double deviation, double offset, double seconds) {
        made::Samples x(static_cast<std::size_t>(seconds * rate));
        for (std::size_t i = 0; i < x.size(); ++i) {
            const double t = static_cast<double>(i) / rate;
            x[i] = std::polar(
                0.4, 2 * made::pi * offset * t + deviation / hz * std::sin(2 * made::pi * hz * t + 0.9));
        }
        return x;
    };
    for (const double hz : {67.0, 133.0, 1000.0, 3333.0}) {
        CAPTURE(hz);
        const auto out = run("radio.am-fm", heard(fm(hz, 3e3, 100, 0.05), rate, 1e-6));
        CHECK(value(out, "carrier_offset") == about(100).epsilon(0.005));
        CHECK(value(out, "fm_deviation_rms") == about(3e3 / std::sqrt(2.0)).epsilon(0.002));
        CHECK(value(out, "fm_deviation_plus") == about(3e3).epsilon(0.005));
    }
    // AM of 90 % at 67 Hz stays on; its mean is the carrier.
    made::Samples am(50000);
    for (std::size_t i = 0; i < am.size(); ++i)
        am[i] = 0.3 * (1 + 0.9 * std::sin(2 * made::pi * 67 * static_cast<double>(i) / rate));
    const auto deep = run("radio.am-fm", heard(am, rate, 1e-4));
    CHECK(value(deep, "carrier_power") == about(10 + 20 * std::log10(0.3)).epsilon(0.005));
    CHECK(value(deep, "am_depth_rms") == about(90).epsilon(0.003));
    CHECK(value(deep, "am_depth") == about(90).epsilon(0.01));
    // On for 20 of 50 ms; noise; a deviation beyond what the sample rate shows.
    auto part = fm(1000, 3e3, 0, 0.02);
    part.resize(50000);
    const auto off = run("radio.am-fm", heard(part, rate, 1e-3));
    REQUIRE(off.invalid);
    CHECK(off.invalid->find("the carrier is off at 20 ms") == 0);
    CHECK(run("radio.am-fm", heard(silence(rate, 0.05), rate, 0.1)).invalid);
    CHECK(run("radio.am-fm", made::record(silence(rate, 0.05), rate)).invalid);
    const auto folded = run("radio.am-fm", heard(fm(1000, 490e3, 0, 0.05), rate, 1e-4));
    REQUIRE(folded.invalid);
    CHECK(folded.invalid->find("the frequency folds") == 0);
}
