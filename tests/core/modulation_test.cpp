// Modulation analysis on signals with known impairments.
#include <doctest/doctest.h>

#include <random>

#include "core/base/hex.hpp"
#include "core/measure/radio/ofdm/payload.hpp"
#include "core/measure/radio/oqpsk/frame.hpp"
#include "tests/about.hpp"
#include "tests/core/made_signals.hpp"
#include "tests/core/procedures.hpp"
#include "tests/expect_error.hpp"

using namespace rt;

namespace {

IqRecord noisy(made::Samples x, double rate, double sigma, double centre = 2.405e9) {
    made::add_noise(x, sigma);
    return made::record(x, rate, centre, 10.0);
}

}  // namespace

TEST_CASE("the chips of every symbol are those of the standard's table") {
    for (unsigned s = 0; s < 16; ++s) {
        std::string chips;
        for (const auto chip : oqpsk::chips_of(s)) chips += chip > 0 ? '1' : '0';
        CHECK(chips == made::chip_table[s]);
    }
    // CRC of "123456789", least significant bit first, initial value 0 (CRC-16/KERMIT): 0x2189.
    const std::vector<std::uint8_t> digits{'1', '2', '3', '4', '5', '6', '7', '8', '9'};
    CHECK(oqpsk::frame_check(digits) == 0x2189);
}

TEST_CASE("O-QPSK: errors of carrier, clock, offset and imbalance are found, at several sample rates") {
    for (const double rate : {8e6, 12.5e6, 16e6, 20e6}) {
        CAPTURE(rate);
        made::Oqpsk frame;
        frame.rate = rate;
        frame.payload.assign(60, 0x5A);
        frame.carrier = -71e3;
        frame.clock_ppm = 33;
        frame.offset = made::Complex(0.06, -0.08);
        frame.imbalance = 0.03;
        const auto out = run("radio.oqpsk", noisy(frame.make(), rate, 1e-4));
        CHECK(value(out, "frequency_offset") == about(-71e3).epsilon(1e-4));
        CHECK(value(out, "frequency_error") == about(-71e3 / 2405).epsilon(1e-4));
        CHECK(value(out, "symbol_rate_error") == about(33).epsilon(0.03));
        CHECK(value(out, "iq_offset") == about(-20).epsilon(0.01));
        CHECK(value(out, "gain_imbalance") == about(20 * std::log10(1.03 / 0.97)).epsilon(0.03));
        // Offset 0.1 over both components gives 0.1 / sqrt(2); imbalance 3 %.
        CHECK(value(out, "evm_rms_offset_removed") == about(3).epsilon(0.03));
        CHECK(value(out, "evm_rms") == about(100 * std::sqrt(0.005 + 0.0009)).epsilon(0.02));
        CHECK(value(out, "frames_bad_check") == 0);
    }
}

TEST_CASE("O-QPSK: error vector magnitude of noise is the one that its power gives") {
    // Each component at its instant carries half of the noise power; the vector to the ideal point is
    // sqrt(2).
    made::Oqpsk frame;
    frame.payload.assign(100, 0x21);
    for (const double snr : {30.0, 20.0, 14.0}) {
        CAPTURE(snr);
        const auto out = run("radio.oqpsk", noisy(frame.make(), 16e6, 0.5 * std::pow(10, -snr / 20)));
        CHECK(value(out, "evm_rms") == about(100 * std::pow(10, -snr / 20) / std::sqrt(2.0)).epsilon(0.04));
        CHECK(value(out, "evm_peak") > 2 * value(out, "evm_rms"));
    }
}

TEST_CASE("O-QPSK: frames are decoded, each of several, and a wrong check is counted") {
    made::Samples x;
    for (int i = 0; i < 4; ++i) {
        made::Oqpsk frame;
        frame.payload = {static_cast<std::uint8_t>(i), 0xA7, 0x00};
        frame.carrier = 10e3 * i;
        frame.phase = i;
        frame.wrong_check = i == 2;
        made::append(x, frame.make());
    }
    const auto out = run("radio.oqpsk", noisy(x, 16e6, 1e-3));
    CHECK(value(out, "frames") == 4);
    CHECK(value(out, "frames_bad_check") == 1);
    const auto& table = out.tables.front();
    REQUIRE(table.rows.size() == 4);
    CHECK(std::get<std::string>(table.rows[3].back()).starts_with("03a700"));
    CHECK(std::get<double>(table.rows[3][4]) == about(30e3).epsilon(0.001));
    CHECK(out.find_trace("constellation")->x.size() > 100);
    CHECK(out.find_trace("constellation")->y.front() != about(0).epsilon(0.3));
    CHECK(std::abs(out.find_trace("constellation_at_once")->y.front()) < 0.1);
}

TEST_CASE("what is no O-QPSK frame gets no numbers and says why") {
    const auto refused = [](const made::Samples& x, double rate = 16e6) {
        const auto out = run("radio.oqpsk", noisy(x, rate, 1e-3));
        REQUIRE(out.invalid);
        CHECK(out.results.empty());
        return *out.invalid;
    };
    CHECK(refused(made::tone(0.3, 1e5, 16e6, 50000)).find("no IEEE 802.15.4 O-QPSK preamble") !=
          std::string::npos);
    CHECK(refused(made::Gfsk{}.make()).find("no IEEE 802.15.4 O-QPSK preamble") != std::string::npos);
    made::Oqpsk frame;
    auto cut = frame.make();
    cut.resize(cut.size() - 1500);
    made::append(cut, made::Samples(3000));
    CHECK(refused(cut).find("the burst ends before the 12 octets") != std::string::npos);
    CHECK(input_error([&] {
              run("radio.oqpsk", made::record(made::Samples(1000, 0.1), 2e6));
          }).find("at least 4 million samples a second") != std::string::npos);
    auto clipped = frame.make();
    for (auto& v : clipped)
        v = made::Complex(std::clamp(3 * v.real(), -1.0, 1.0), std::clamp(3 * v.imag(), -1.0, 1.0));
    CHECK(run("radio.oqpsk", made::record(clipped, 16e6)).invalid->starts_with("overload"));
}

TEST_CASE("Bluetooth LE: two records, one of each payload, give what one record of both gives") {
    const auto packets = [](unsigned type, double index) {
        made::Samples x;
        for (int i = 0; i < 3; ++i) {
            made::Gfsk packet;
            packet.type = type, packet.index = index, packet.carrier = 20e3;
            made::append(x, packet.make());
        }
        return x;
    };
    const auto record = [](const made::Samples& x) { return noisy(x, 16e6, 1e-4, 2.44e9); };
    const made::Samples ones = packets(1, 0.5), twos = packets(2, 0.5);
    const auto both = run_inputs("radio.gfsk", {{"delta_f1", record(ones)}, {"delta_f2", record(twos)}});
    CHECK(value(both, "packets") == 6);
    CHECK(value(both, "delta_f1_avg") == about(250e3).epsilon(0.004));
    CHECK(value(both, "deviation_ratio") == about(0.8817).epsilon(0.006));
    made::Samples joined = ones;
    made::append(joined, twos);
    const auto one = run("radio.gfsk", record(joined));
    for (const char* name : {"delta_f1_avg", "delta_f2_avg", "deviation_ratio", "frequency_offset"}) {
        CAPTURE(name);
        CHECK(value(both, name) == about(value(one, name)).epsilon(0.002));
    }
    // Which is which shows in the packets: exchanged they give the same.
    const auto exchanged = run_inputs("radio.gfsk", {{"delta_f1", record(twos)}, {"delta_f2", record(ones)}});
    CHECK(value(exchanged, "deviation_ratio") == about(value(both, "deviation_ratio")).epsilon(1e-6));
    // A ratio out of one payload alone is none.
    const auto half = run_inputs("radio.gfsk", {{"delta_f1", record(ones)}, {"delta_f2", record(ones)}});
    CHECK_FALSE(half.find_result("deviation_ratio"));
    CHECK_FALSE(half.find_result("delta_f2_avg"));
    const auto nothing =
        run_inputs("radio.gfsk", {{"delta_f1", record(ones)}, {"delta_f2", record(made::Samples(40000))}});
    CHECK_FALSE(nothing.find_result("deviation_ratio"));
    // What one of them is not to be trusted for, both are not.
    auto doubtful = record(twos);
    doubtful.distrust = "overload";
    const auto doubted = run_inputs("radio.gfsk", {{"delta_f1", record(ones)}, {"delta_f2", doubtful}});
    REQUIRE(doubted.invalid);
    CHECK(doubted.results.empty());
    CHECK(input_error([&] {
              auto slower = made::record(twos, 8e6, 2.44e9, 10.0);
              run_inputs("radio.gfsk", {{"delta_f1", record(ones)}, {"delta_f2", slower}});
          }).find("sample") != std::string::npos);
}

TEST_CASE("Bluetooth LE: deviation, offset and drift") {
    made::Samples x;
    for (const unsigned type : {1U, 2U, 1U, 2U}) {
        made::Gfsk packet;
        packet.type = type;
        packet.index = 0.48;
        packet.carrier = 40e3;
        packet.drift_hz_per_s = -20e3 / 400e-6;
        made::append(x, packet.make());
    }
    const auto out = run("radio.gfsk", noisy(x, 16e6, 1e-4, 2.44e9));
    CHECK(value(out, "packets") == 4);
    CHECK(value(out, "packets_bad_crc") == 0);
    CHECK(value(out, "delta_f1_avg") == about(240e3).epsilon(0.004));
    // Alternating bits behind the Gaussian filter of BT = 0.5 reach 88.2 % of the deviation.
    CHECK(value(out, "delta_f2_avg") == about(0.8817 * 240e3).epsilon(0.006));
    CHECK(value(out, "deviation_ratio") == about(0.8817).epsilon(0.006));
    CHECK(value(out, "delta_f2_share") == 100);
    made::Gfsk shallow;
    shallow.type = 2;
    shallow.index = 0.40;  // 0.8817 x 200 kHz lies below 185 kHz
    CHECK(value(run("radio.gfsk", noisy(shallow.make(), 16e6, 1e-4, 2.44e9)), "delta_f2_share") == 0);
    // At the middle of the preamble 4.5 us have drifted by -0.2 kHz.
    CHECK(value(out, "preamble_offset") == about(39.8e3).epsilon(0.01));
    // From there to the middle of the last group, at 347 us: 17.1 kHz.
    CHECK(value(out, "drift") == about(-17.1e3).epsilon(0.02));
    // The packet's edge reaches through the filter into the preamble: 0.1 kHz.
    CHECK(value(out, "initial_drift") == about(-(62 - 4.5) * 50).epsilon(0.05));
    CHECK(value(out, "drift_rate") == about(-2500).epsilon(0.03));
    CHECK(value(out, "average_power") == about(10 + 20 * std::log10(0.5)).epsilon(0.005));
    made::Gfsk bad;
    bad.wrong_crc = true;
    // A packet that does not check is counted, and nothing of it enters: here another's, 2 MHz beside and
    // stronger.
    const auto alone = run("radio.gfsk", noisy(bad.make(), 16e6, 1e-4));
    REQUIRE(alone.invalid);
    CHECK(alone.invalid->find("all 1 packets have a wrong CRC") == 0);
    bad.carrier = 150e3;
    bad.index = 0.6;
    bad.amplitude = 0.9;
    auto mixed = x;
    made::append(mixed, bad.make());
    const auto beside = run("radio.gfsk", noisy(mixed, 16e6, 1e-4, 2.44e9));
    CHECK(value(beside, "packets") == 5);
    CHECK(value(beside, "packets_bad_crc") == 1);
    for (const char* name : {"delta_f1_avg", "delta_f2_avg", "frequency_offset", "drift", "average_power"}) {
        CAPTURE(name);
        CHECK(value(beside, name) == about(value(out, name)).epsilon(0.002));
    }
    const auto other = run("radio.gfsk", noisy(made::Oqpsk{}.make(), 16e6, 1e-4));
    REQUIRE(other.invalid);
    CHECK(other.invalid->find("no preamble and access address") != std::string::npos);
}

TEST_CASE("OFDM: constellation error of noise, carrier, leakage and flatness, for every rate") {
    for (const int mbit : {6, 9, 12, 18, 24, 36, 48, 54}) {
        CAPTURE(mbit);
        made::Ofdm frame;
        frame.mbit = mbit;
        frame.octets = static_cast<unsigned>(mbit) * 20;
        frame.carrier = 33e3;
        made::Samples x;
        for (unsigned i = 0; i < 3; ++i) made::append(x, frame.make(i));
        // Noise power per carrier relative to the carriers: 64/52 of that per sample.
        const double snr = mbit < 20 ? 20 : 32;
        const auto out =
            run("radio.ofdm", noisy(x, 20e6, 0.2 * std::pow(10, -snr / 20) * std::sqrt(64.0 / 52), 2.437e9));
        CHECK(value(out, "rate") == mbit * 1e6);
        CHECK(value(out, "frames") == 3);
        CHECK(value(out, "frequency_offset") == about(33e3).epsilon(snr > 30 ? 0.01 : 0.03));
        // The channel from two training symbols adds half of their noise, the phase of four pilots an eighth.
        CHECK(value(out, "evm_db_training") == about(-snr + 10 * std::log10(1.625)).epsilon(0.02));
        CHECK(value(out, "evm_db_whole_frame") == about(-snr).epsilon(0.025));
        const auto& row = out.tables.front().rows.front();
        CHECK(std::get<double>(row[3]) == static_cast<double>(frame.symbols()));
    }
    made::Ofdm frame;
    frame.times = 2;
    frame.leakage = std::pow(10, -18.0 / 20);
    frame.tilt_db = 3;
    const auto out = run("radio.ofdm", noisy(frame.make(), 40e6, 1e-5));
    CHECK(value(out, "centre_leakage") == about(-18.1).epsilon(0.01));
    CHECK(value(out, "flatness_outer_high") == about(1.5).epsilon(0.05));
    CHECK(value(out, "flatness_outer_low") == about(-1.5).epsilon(0.05));
    CHECK(value(out, "flatness_inner_high") == about(3 * 16.0 / 52).epsilon(0.05));
    CHECK(value(out, "evm_db") < -55);
    const auto other = run("radio.ofdm", noisy(made::tone(0.2, 1e6, 20e6, 20000), 20e6, 1e-3));
    REQUIRE(other.invalid);
    CHECK(other.invalid->find("long training") != std::string::npos);
}

TEST_CASE("AM depth and FM deviation") {
    const double rate = 1e6;
    made::Samples am(100000), fm(100000);
    for (std::size_t i = 0; i < am.size(); ++i) {
        const double t = static_cast<double>(i) / rate;
        am[i] = std::polar(0.4 * (1 + 0.6 * std::sin(2 * made::pi * 1e3 * t)), 2 * made::pi * 7e3 * t);
        fm[i] = std::polar(0.4, 2 * made::pi * 7e3 * t + 5e3 / 500 * std::sin(2 * made::pi * 500 * t));
    }
    const auto a = run("radio.am-fm", made::record(am, rate, 1e8, 0.0));
    CHECK(value(a, "am_depth") == about(60).epsilon(0.001));
    CHECK(value(a, "am_depth_rms") == about(60).epsilon(0.001));
    CHECK(value(a, "am_frequency") == about(1000).epsilon(0.001));
    CHECK(value(a, "carrier_offset") == about(7e3).epsilon(1e-4));
    CHECK(value(a, "carrier_power") == about(20 * std::log10(0.4)).epsilon(0.001));
    const auto f = run("radio.am-fm", made::record(fm, rate, 1e8, 0.0), {{"audio_filter", "20 kHz"}});
    CHECK(value(f, "fm_deviation") == about(5e3).epsilon(0.002));
    CHECK(value(f, "fm_deviation_rms") == about(5e3 / std::sqrt(2.0)).epsilon(0.005));
    CHECK(value(f, "fm_frequency") == about(500).epsilon(0.002));
    CHECK(value(f, "am_depth") < 0.1);
}

TEST_CASE("OFDM frames are decoded at every rate, and held against their check") {
    // The published check value of CRC-32.
    const std::vector<std::uint8_t> digits{'1', '2', '3', '4', '5', '6', '7', '8', '9'};
    CHECK(ofdm::frame_check(digits) == 0xCBF43926U);
    std::mt19937 random(21);
    for (const int mbit : {6, 9, 12, 18, 24, 36, 48, 54}) {
        CAPTURE(mbit);
        made::Ofdm frame;
        frame.mbit = mbit;
        for (int i = 0; i < 150; ++i) frame.psdu.push_back(static_cast<std::uint8_t>(random()));
        frame.octets = 154;
        frame.carrier = 30e3;
        const auto x = frame.make();
        const auto right = run("radio.ofdm", noisy(x, 20e6, 1e-3, 2.437e9));
        CHECK(value(right, "frames_bad_check") == 0);
        const Table& table = right.tables.front();
        REQUIRE(table.rows.size() == 1);
        CHECK(std::get<std::string>(table.rows[0][8]) == "good");
        const std::string octets = std::get<std::string>(table.rows[0][9]);
        REQUIRE(octets.size() == 2 * 154);
        CHECK(octets.substr(0, 2 * 150) == hexadecimal(frame.psdu));
        // The code mends what noise of the allowed error makes of the constellation; far below nothing
        // decodes.
        const auto at = [&](double snr_db) {
            return run("radio.ofdm", noisy(x, 20e6, 0.2 * std::pow(10, -snr_db / 20), 2.437e9));
        };
        const double allowed[] = {5, 8, 10, 13, 16, 19, 22, 25};
        const std::size_t place = mbit == 6    ? 0
                                  : mbit == 9  ? 1
                                  : mbit == 12 ? 2
                                  : mbit == 18 ? 3
                                  : mbit == 24 ? 4
                                  : mbit == 36 ? 5
                                  : mbit == 48 ? 6
                                               : 7;
        CHECK(value(at(allowed[place] + 4), "frames_bad_check") == 0);
        frame.wrong_check = true;
        CHECK(value(run("radio.ofdm", noisy(frame.make(), 20e6, 1e-3, 2.437e9)), "frames_bad_check") == 1);
    }
    // 64-QAM at 15 dB: measured, and told that its data are wrong.
    made::Ofdm frame;
    frame.psdu.assign(496, 0x5A);
    const auto poor = run("radio.ofdm", noisy(frame.make(), 20e6, 0.2 * std::pow(10, -12.0 / 20), 2.437e9));
    CHECK(value(poor, "frames_bad_check") == 1);
    CHECK(value(poor, "evm_margin_db") < 0);
    // Random points are no frame with a check.
    made::Ofdm plain;
    CHECK(value(run("radio.ofdm", noisy(plain.make(), 20e6, 1e-3, 2.437e9)), "frames_bad_check") == 1);
}

TEST_CASE("delta f2 in noise: the mean stays, the spread is told, and noise alone fails nothing") {
    constexpr double rate = 16e6, deviation = 250e3, left = 0.8817;  // behind a Gaussian filter of BT 0.5
    struct Case {
        double snr_db, index;
        bool certain;  // noise is not what decides about 185 kHz
    };
    const Case cases[] = {{60, 0.5, true},  {40, 0.5, true}, {25, 0.5, true}, {17, 0.5, false},
                          {12, 0.5, false}, {40, 0.4, true}, {25, 0.35, true}};
    for (const auto& c : cases) {
        CAPTURE(c.snr_db);
        CAPTURE(c.index);
        made::Gfsk packet;
        packet.type = 2;
        packet.index = c.index;
        made::Samples x;
        for (int i = 0; i < 10; ++i) made::append(x, packet.make());
        made::add_noise(x, packet.amplitude * std::pow(10, -c.snr_db / 20), 5);
        const auto out = run("radio.gfsk", made::record(x, rate, 2.44e9, 10.0));
        const double expected = left * deviation * c.index / 0.5;
        const double noise = value(out, "delta_f2_noise");
        CHECK(noise < 0.06 * left * deviation * std::pow(10, (20 - c.snr_db) / 20));
        // The mean over 2,800 bits, and of its shape, whose third harmonic is noisier than the half wave.
        CHECK(value(out, "delta_f2_avg") ==
              within(0.003 * expected + 10 * noise / std::sqrt(2800), expected));
        // One of a thousand lies 3.1 standard deviations low; 2,800 bits tell it within a quarter of one.
        CHECK(value(out, "delta_f2_most") == within(0.7 * noise + 100, expected - 3.1 * noise));
        for (const char* name : {"delta_f2_most", "delta_f2_share"}) {
            CAPTURE(name);
            CHECK((out.find_result(name)->known == Known::exactly) == c.certain);
        }
        CHECK((value(out, "delta_f2_share") >= 99.9) == (c.certain && c.index == 0.5));
    }
}
