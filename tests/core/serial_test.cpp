// Edges, clock, jitter, eye and patterns on signals made of known edges.
#include "core/serial/clock.hpp"

#include <numbers>

#include "core/base/error.hpp"
#include "core/serial/code_8b10b.hpp"
#include "core/serial/edges.hpp"
#include "core/serial/jitter.hpp"
#include "core/serial/mask.hpp"
#include "core/serial/pattern.hpp"
#include "tests/about.hpp"
#include "tests/core/made_waves.hpp"
#include "tests/core/procedures.hpp"
#include "tests/expect_error.hpp"

using namespace rt;

namespace {

constexpr double rate = 2.5e9, sampling = 40e9, interval = 1 / rate;
constexpr double pi = std::numbers::pi;

Waveform wave_of(const std::vector<double>& edges, double noise = 0, double rise = 0.3 * interval) {
    const auto count = static_cast<std::size_t>((edges.back() + 10 * interval) * sampling);
    return waveform_in_memory(made::volts({edges, -0.4, 0.4, rise, noise}, sampling, count), 1 / sampling);
}

std::vector<bool> repeated(std::string_view name, std::size_t period, std::size_t count) {
    const auto one = sequence_bits(name, period);
    std::vector<bool> out;
    for (std::size_t i = 0; i < count; ++i) out.push_back(one[i % period]);
    return out;
}

double rms(const std::vector<double>& values) {
    double sum = 0, squares = 0;
    for (const double v : values) sum += v, squares += v * v;
    const auto n = static_cast<double>(values.size());
    return std::sqrt(squares / n - sum / n * (sum / n));
}

}  // namespace

TEST_CASE("edges stand where they were made, to a hundredth of a sample") {
    std::mt19937_64 random(3);
    std::uniform_real_distribution<double> even(-0.3, 0.3);
    const auto bits = repeated("prbs7", 127, 2000);
    const auto edges =
        made::edges_of(bits, interval, [&](std::size_t) { return even(random) / sampling * 4; });
    for (const double rise : {0.1 * interval, 0.3 * interval, 0.6 * interval}) {
        CAPTURE(rise);
        const Waveform wave = wave_of(edges, 0, rise);
        const Edges found = find_edges(*wave.channels[0], {0, 0.05});
        REQUIRE(found.size() == edges.size());
        CHECK(found.first_rises);
        double worst = 0;
        for (std::size_t k = 0; k < edges.size(); ++k)
            worst = std::max(worst, std::abs(found.at[k] - edges[k] * sampling));
        // The shortest rise takes 1.6 samples: no longer band-limited.
        CHECK(worst < (rise < 0.2 * interval ? 0.05 : 0.01));
    }
}

TEST_CASE("rate and TIE of known jitter: within 1 % + 0.1 ps") {
    std::mt19937_64 random(5);
    std::normal_distribution<double> normal(0, 3e-12);
    const auto bits = repeated("prbs7", 127, 40000);
    std::vector<double> added;
    const auto edges = made::edges_of(bits, interval / (1 + 80e-6), [&](std::size_t i) {
        added.push_back(normal(random) + 5e-12 * std::sin(2 * pi * 7e6 * static_cast<double>(i) * interval));
        return added.back();
    });
    const auto out = run("serial.clock", wave_of(edges, 0.001), {{"symbol_rate", "2.5 GHz"}});
    CHECK(value(out, "rate_error") == about(80).epsilon(0.01));
    CHECK(std::abs(value(out, "tie_rms") - rms(added)) < 0.01 * rms(added) + 0.1e-12);
    CHECK_FALSE(out.find_result("period_jitter_rms"));  // data have no period
    const auto split = run("serial.jitter", wave_of(edges, 0.001));
    CHECK(value(split, "periodic_frequency") == about(7e6).epsilon(0.002));
    CHECK(value(split, "periodic_jitter") == about(10e-12).epsilon(0.03));
    CHECK(value(split, "pattern_symbols") == 127);
    CHECK(value(split, "data_dependent_jitter") < 2e-12);
}

TEST_CASE("loops leave of slow jitter what their definition says") {
    const auto bits = repeated("prbs7", 127, 60000);
    for (const double f : {0.3e6, 1.5e6, 6e6}) {
        const auto edges = made::edges_of(bits, interval, [&](std::size_t i) {
            return 20e-12 * std::sin(2 * pi * f * static_cast<double>(i) * interval);
        });
        for (const auto recovery : {Recovery::first_order, Recovery::second_order}) {
            CAPTURE(f);
            ClockSettings settings{recovery, rate, 1.5e6, 0.707};
            const Clock clock = recover_clock(edges, settings);
            const auto jitter = clock.settled_jitter_s();
            const std::vector<double> left(jitter.begin(), jitter.end());
            CHECK(rms(left) == about(20e-12 / std::sqrt(2.0) * observed_share(settings, f)).epsilon(0.03));
        }
    }
    // First order, at the corner: 1 / sqrt 2.
    CHECK(observed_share({Recovery::first_order, rate, 1e6, 0.7}, 1e6) == about(std::sqrt(0.5)));
}

TEST_CASE("dual Dirac: sigma within 5 %, distance within 10 % of the made ones") {
    std::mt19937_64 random(9);
    std::normal_distribution<double> normal(0, 2e-12);
    std::vector<double> values;
    for (int i = 0; i < 200000; ++i) values.push_back(normal(random) + (i % 2 ? 8e-12 : -8e-12));
    const auto model = fit_tails(values);
    REQUIRE(model);
    CHECK(model->random_s == about(2e-12).epsilon(0.05));
    CHECK(model->deterministic_s == about(16e-12).epsilon(0.1));
    CHECK(model->total_s(1e-12) == about(16e-12 + 14.069 * 2e-12).epsilon(0.04));
    for (double& v : values) v = normal(random);
    const auto plain = fit_tails(values);
    CHECK(plain->random_s == about(2e-12).epsilon(0.05));
    CHECK(plain->deterministic_s < 0.8e-12);
    values.resize(9999);
    CHECK_FALSE(fit_tails(values));
    CHECK(q_of(1e-12) == about(7.0345).epsilon(1e-4));
    CHECK(q_of(1e-3) == about(3.0902).epsilon(1e-4));
    // Opening of a pure Gaussian at 1e-12, transition density 0.5: 1 - 13.874 sigma.
    const DualDirac pure{{0, 2e-12}, {0, 2e-12}, 2e-12, 0};
    CHECK(bathtub(pure, 100e-12, 1e-12).open_ui == about(1 - 13.874 * 0.02).epsilon(0.001));
}

TEST_CASE("duty-cycle distortion and data-dependent jitter come back as made") {
    auto bits = repeated("prbs7", 127, 20000);
    bool level = false;
    const auto edges = made::edges_of(bits, interval, [&](std::size_t i) {
        level = !level;
        // Rising edges 6 ps late; an edge behind a bit of one symbol 4 ps early.
        const bool after_short = i >= 2 && bits[i - 1] != bits[i - 2];
        return (level ? 6e-12 : 0) - (after_short ? 4e-12 : 0);
    });
    const auto out = run("serial.jitter", wave_of(edges));
    CHECK(value(out, "duty_cycle_distortion") == about(6e-12).epsilon(0.02));
    CHECK(value(out, "data_dependent_jitter") == about(10e-12).epsilon(0.02));
    CHECK(value(out, "jitter_peak_to_peak") == about(10e-12).epsilon(0.03));
}

TEST_CASE("an eye: hits where they were put, counted exactly") {
    const auto bits = repeated("prbs9", 511, 5000);
    const auto edges = made::edges_of(bits, interval, [](std::size_t) { return 0.0; });
    auto volts = wave_of(edges).volts();
    std::vector<double> times;
    for (const int symbol : {700, 1900, 4000}) {
        const auto at = static_cast<std::size_t>(std::lround((symbol + 1.5) * interval * sampling));
        volts[at] = 0.05;
        times.push_back(static_cast<double>(at) / sampling);
    }
    const Settings mask{{"mask", "0.25 0, 0.4 0.2, 0.6 0.2, 0.75 0, 0.6 -0.2, 0.4 -0.2, 0.25 0"},
                        {"upper", "0.45 V"},
                        {"lower", "-0.45 V"}};
    const auto out = run("serial.eye", waveform_in_memory(volts, 1 / sampling), mask);
    CHECK(value(out, "mask_hits") == 3);
    CHECK(value(out, "hit_symbols") == 3);
    CHECK(value(out, "symbols") == about(5000).epsilon(0.01));
    const auto table = std::find_if(out.tables.begin(), out.tables.end(),
                                    [](const Table& t) { return t.name == "mask_hits"; });
    REQUIRE(table != out.tables.end());
    for (std::size_t i = 0; i < 3; ++i) CHECK(std::get<double>(table->rows[i][0]) == about(times[i]));
    // The hits stand in the middle, at a quarter of the mask's height.
    CHECK(value(out, "mask_margin") == about(-75).epsilon(0.01));
    const auto clean = run("serial.eye", wave_of(edges), mask);
    CHECK(value(clean, "mask_hits") == 0);
    CHECK(value(clean, "eye_width") > 0.99);
    CHECK(value(clean, "eye_height") == about(0.8).epsilon(0.002));
    CHECK(value(clean, "crossing") == about(50).epsilon(0.01));
    // Corners at 0.4 UI: with 0.3 UI of rise from 10 to 90 % an edge is at 0.2 V 0.079 UI after its middle.
    // The side from (0.25, 0) to (0.4, 0.2) grown k times meets the level 0.4 V at k = 2 first.
    CHECK(value(clean, "mask_margin") == about(100).epsilon(0.05));
    const auto beyond = run("serial.eye", wave_of(edges), {{"upper", "0.39 V"}});
    CHECK(value(beyond, "limit_margin") == about(-0.01).epsilon(0.02));
}

TEST_CASE("four levels: heights of three eyes and the mismatch of the levels") {
    std::mt19937_64 random(2);
    const std::vector<double> level{-0.3, -0.11, 0.1, 0.3};
    std::vector<double> volts;
    double now = 0;
    for (int i = 0; i < 20000; ++i) {
        const double wanted = level[random() % 4];
        for (int k = 0; k < 16; ++k) {
            now = k < 3 ? now + (wanted - now) * (k + 1) / 3.0 : wanted;
            volts.push_back(now);
        }
    }
    const auto out =
        run("serial.eye", waveform_in_memory(volts, 1 / 16e9), {{"levels", "4"}, {"symbol_rate", "1 GHz"}});
    // Middle 0: ES1 = 0.11 / 0.3, ES2 = 0.1 / 0.3: the least of 1.1, 1.0, 0.9 and 1.0.
    CHECK(value(out, "level_mismatch_ratio") == about(0.9).epsilon(0.002));
    CHECK(value(out, "eye_height") == about(0.19).epsilon(0.01));
    CHECK(value(out, "lower_middle_level") == about(level[1]).epsilon(0.01));
    CHECK(value(out, "upper_middle_level") == about(level[2]).epsilon(0.01));
    CHECK(value(out, "lower_eye_height") == about(level[1] - level[0]).epsilon(0.01));
    CHECK(value(out, "middle_eye_height") == about(level[2] - level[1]).epsilon(0.01));
    CHECK(value(out, "upper_eye_height") == about(level[3] - level[2]).epsilon(0.01));
    // Edges take 3 of 16 samples and none is between levels then, whatever the threshold.
    for (const char* width : {"lower_eye_width", "middle_eye_width", "upper_eye_width"})
        CHECK(value(out, width) > 0.8);
    CHECK(value(out, "symbol_rate") == about(1e9).epsilon(1e-4));
}

TEST_CASE("sequences lock, wrong bits count once, slips are told") {
    for (const auto& sequence : shift_sequences()) {
        CAPTURE(sequence.name);
        auto bits = sequence_bits(sequence.name, 5000);
        for (const std::size_t wrong : {1000U, 1003U, 4000U}) bits[wrong] = !bits[wrong];
        const auto lock = lock_pattern(bits, sequence.name);
        REQUIRE(lock);
        CHECK(lock->errors == 3);
        CHECK(lock->error_bits == std::vector<std::uint64_t>{1000, 1003, 4000});
        CHECK(lock->slips == 0);
        bits.flip();
        CHECK(lock_pattern(bits, sequence.name)->inverted);
    }
    // Known beginnings: PRBS7 from all ones has 64 ones in its period of 127.
    const auto seven = sequence_bits("prbs7", 254);
    CHECK(std::count(seven.begin(), seven.begin() + 127, true) == 64);
    CHECK(std::equal(seven.begin(), seven.begin() + 127, seven.begin() + 127));
    CHECK(*repetition(repeated("prbs9", 511, 4000), 2000) == 511);
    CHECK_FALSE(repetition(sequence_bits("prbs15", 8000), 2000));
    auto slipped = sequence_bits("prbs11", 8000);
    slipped.erase(slipped.begin() + 3000);
    const auto lock = lock_pattern(slipped, "");
    CHECK(lock->name == "prbs11");
    CHECK(lock->slips == 1);
    CHECK(lock->errors == 0);
    // A bit more or less is seen within the 64 bits of the loss; the next lock wants 64 and its register.
    CHECK(lock->skipped > 0);
    CHECK(lock->skipped < 200);
    CHECK_FALSE(lock_pattern(std::vector<bool>(5000, true), ""));
}

TEST_CASE(
    "bits beside a sequence that is lost, found late or turned over are told, and no error ratio passes") {
    std::mt19937_64 random(11);
    const auto noise = [&](std::size_t count) {
        std::vector<bool> out(count);
        for (auto&& bit : out) bit = random() & 1;
        return out;
    };
    const auto joined = [](std::vector<bool> a, const std::vector<bool>& b) {
        a.insert(a.end(), b.begin(), b.end());
        return a;
    };
    const auto right = sequence_bits("prbs15", 20000);
    for (const char* name : {"prbs15", ""}) {
        CAPTURE(name);
        const auto lost = lock_pattern(joined(right, noise(30000)), name);
        REQUIRE(lost);
        CHECK(lost->compared == about(20000).epsilon(0.005));
        CHECK(lost->skipped == about(30000).epsilon(0.005));
        const auto late = lock_pattern(joined(noise(30000), right), name);
        REQUIRE(late);
        CHECK(late->locked_at == about(30000).epsilon(0.005));
        CHECK(late->compared == about(20000).epsilon(0.005));
        CHECK(late->skipped == late->locked_at);
        auto turned = right;
        turned.flip();
        const auto both = lock_pattern(joined(right, turned), name);
        REQUIRE(both);
        CHECK(both->slips == 1);
        CHECK(both->errors == 0);
        CHECK(both->compared == about(40000).epsilon(0.01));
    }
    // Errors before the first place that is right for long enough count too: here only behind bit 15,000.
    for (const auto& sequence : shift_sequences()) {
        CAPTURE(sequence.name);
        auto bits = sequence_bits(sequence.name, 20000);
        for (std::size_t i = 20; i < 15000; i += 50) bits[i] = !bits[i];
        const auto lock = lock_pattern(bits, sequence.name);
        REQUIRE(lock);
        CHECK(lock->errors == 300);
        CHECK(lock->error_bits.front() == 20);
        CHECK(lock->error_bits.back() == 14970);
        CHECK(lock->skipped == 0);
    }
    // As a procedure: the ratio is a lower bound.
    auto edges = made::edges_of(joined(right, noise(20000)), interval, [](std::size_t) { return 0.0; });
    const auto out = run("serial.pattern", wave_of(edges), {{"symbol_rate", "2.5 GHz"}});
    REQUIRE(out.find_result("bit_error_ratio"));
    CHECK(out.find_result("bit_error_ratio")->known == Known::at_least);
    CHECK(value(out, "bits_not_compared") > 19000);
    CHECK(value(out, "sequence_stages") == 15);
    CHECK(value(out, "sequence_inverted") == 0);
}

TEST_CASE("8b/10b: known characters, errors where they were made") {
    bool positive = false;
    CHECK(*encode_8b10b({0xBC, true}, positive) == 0b0011111010);  // K28.5
    CHECK(positive);
    CHECK(*encode_8b10b({0xBC, true}, positive) == 0b1100000101);
    CHECK(*encode_8b10b({0xB5, false}, positive) == 0b1010101010);  // D21.5 has no disparity
    CHECK_FALSE(positive);
    CHECK(*encode_8b10b({0x00, false}, positive) == 0b1001110100);  // D0.0
    CHECK(*encode_8b10b({0xF1, false}, positive) == 0b1000110111);  // D17.7 in its alternate form
    CHECK(*encode_8b10b({0xF7, true}, positive) == 0b0001010111);   // K23.7, positive before
    CHECK_FALSE(encode_8b10b({0x00, true}, positive));
    // Every character comes back, for both disparities, and never more than five equal bits follow each
    // other.
    std::vector<bool> bits;
    std::vector<Symbol> sent;
    positive = false;
    std::mt19937 random(3);
    for (int i = 0; i < 20000; ++i) {
        const Symbol s =
            i % 50 == 0 ? Symbol{0xBC, true} : Symbol{static_cast<std::uint8_t>(random()), false};
        sent.push_back(s);
        const auto ten = *encode_8b10b(s, positive);
        for (int k = 9; k >= 0; --k) bits.push_back(ten >> k & 1);
    }
    std::size_t run = 0, longest = 0;
    for (std::size_t i = 1; i < bits.size(); ++i)
        longest = std::max(longest, run = bits[i] == bits[i - 1] ? run + 1 : 1);
    CHECK(longest <= 5);
    auto stream = read_characters(bits);
    REQUIRE(stream);
    CHECK(stream->characters == 20000);
    CHECK(stream->code_errors + stream->disparity_errors == 0);
    CHECK(std::equal(stream->first.begin(), stream->first.end(), sent.begin()));
    // One wrong bit is seen within a few characters; a character left out moves nothing but the disparity, at
    // most.
    bits[120007] = !bits[120007];
    stream = read_characters(bits);
    CHECK(stream->code_errors + stream->disparity_errors >= 1);
    CHECK(stream->code_errors + stream->disparity_errors <= 2);
    CHECK(stream->errors[0].bit >= 120000);
    CHECK(stream->errors[0].bit < 120100);
    // The list says what came and which kind each is.
    for (const auto& error : stream->errors) {
        CHECK(error.decoded.wrong_disparity == error.decoded.symbol.has_value());
        std::uint16_t ten = 0;
        for (std::size_t k = 0; k < 10; ++k) ten = static_cast<std::uint16_t>(ten << 1 | bits[error.bit + k]);
        CHECK(error.bits == ten);
    }
    CHECK(name(Symbol{0xBC, true}) == "K28.5");
    CHECK(name(Symbol{0x95, false}) == "D21.4");
    // Three bits lost: aligned anew at the second comma.
    bits.erase(bits.begin() + 60000, bits.begin() + 60003);
    CHECK(read_characters(bits)->realigned == 1);
    CHECK_FALSE(read_characters(std::vector<bool>(1000, true)));
}

TEST_CASE("what is no serial signal has no verdict and says why") {
    const auto why = [](const Outcome& o) { return o.invalid.value_or("valid"); };
    CHECK(
        why(run("serial.eye", waveform_in_memory(std::vector<double>(1000, 0.2), 1e-9))).find("no signal") !=
        std::string::npos);
    const auto edges =
        made::edges_of(repeated("prbs7", 127, 3000), interval, [](std::size_t) { return 0.0; });
    CHECK(why(run("serial.clock", wave_of(edges), {{"symbol_rate", "1.25 GHz"}})).find("they fit 2.5 GHz") !=
          std::string::npos);
    CHECK(why(run("serial.clock", wave_of(edges), {{"symbol_rate", "2 GHz"}})).find("do not fit") !=
          std::string::npos);
    std::mt19937_64 random(2);
    std::uniform_real_distribution<double> even(0.6, 30);
    std::vector<double> anywhere{1e-9};
    while (anywhere.size() < 3000) anywhere.push_back(anywhere.back() + even(random) * interval);
    CHECK(why(run("serial.clock", wave_of(anywhere))).find("fit no symbol rate") != std::string::npos);
    CHECK(input_error([&] {
              run("serial.eye", wave_of(edges), {{"mask", "0.2 0, 0.5 0.1, 0.8 0"}});
          }).find("region 1 is not closed") != std::string::npos);
    CHECK(input_error([&] {
              run("serial.eye", wave_of(edges), {{"channel", "3"}});
          }).find("no channel 3") != std::string::npos);
}

TEST_CASE("a link measured at once says what its parts say") {
    std::mt19937_64 random(3);
    std::normal_distribution<double> normal(0, 12e-12);
    const auto edges =
        made::edges_of(repeated("prbs7", 127, 30000), interval, [&](std::size_t) { return normal(random); });
    const Waveform wave = wave_of(edges, 3e-3);
    const Settings settings{{"symbol_rate", "2.5 GHz"}, {"mask", "0.3 0, 0.5 0.1, 0.7 0, 0.5 -0.1, 0.3 0"}};
    const Settings plain{{"symbol_rate", "2.5 GHz"}};
    const auto link = run("serial.link", wave, settings);
    const auto eye = run("serial.eye", wave, settings), jitter = run("serial.jitter", wave, plain),
               clock = run("serial.clock", wave, plain);
    for (const Outcome* part : {&eye, &jitter, &clock}) {
        for (const Result& result : part->results) {
            CAPTURE(result.name);
            CHECK(value(link, result.name.c_str()) == result.value.value);
        }
    }
    CHECK(link.rasters.size() == 1);
    CHECK(link.find_trace("bathtub"));
    CHECK(link.find_trace("tie"));
    // The model's own bottom: half the transition density, two tails half a symbol away.
    const double q = (interval - value(link, "deterministic_jitter")) / 2 / value(link, "random_jitter");
    CHECK(std::log10(value(link, "extrapolated_error_ratio")) ==
          about(std::log10(0.5 * std::erfc(q / std::sqrt(2.0)))).epsilon(0.02));
}

TEST_CASE("one packet of a line that rests between them is measured alone") {
    // Two packets of 480 Mb/s, the second 200 ppm fast and smaller, with rests of 100 ns.
    const double fs = 20e9;
    const auto packet = [&](double bit_rate, double volts) {
        const auto edges =
            made::edges_of(repeated("prbs7", 127, 600), 1 / bit_rate, [](std::size_t) { return 0.0; });
        const auto count = static_cast<std::size_t>(601 / bit_rate * fs);
        return made::volts({edges, -volts, volts, 500e-12, 0}, fs, count);
    };
    std::vector<double> all(2000, 0.0);
    for (const auto& one : {packet(480e6, 0.4), packet(480e6 * (1 + 200e-6), 0.3)}) {
        all.insert(all.end(), one.begin(), one.end());
        all.insert(all.end(), 2000, 0.0);
    }
    const Waveform wave = waveform_in_memory(all, 1 / fs);
    const auto error = [&](const char* packet_number) {
        return value(run("serial.clock", wave, {{"symbol_rate", "480 MHz"}, {"packet", packet_number}}),
                     "rate_error");
    };
    CHECK(std::abs(error("1")) < 10);
    CHECK(std::abs(error("2") - 200) < 10);
    CHECK(value(run("serial.eye", wave, {{"symbol_rate", "480 MHz"}, {"packet", "2"}}), "eye_amplitude") ==
          about(0.6).epsilon(0.01));
    const auto third = run("serial.clock", wave, {{"symbol_rate", "480 MHz"}, {"packet", "3"}});
    REQUIRE(third.invalid);
    CHECK(third.invalid->find("packet 3 is not there: 2") == 0);
}

TEST_CASE("the eye of symbols after a transition, and of the others") {
    // De-emphasis: symbols that repeat the one before stand at half the level.
    const auto bits = repeated("prbs7", 127, 4000);
    std::vector<double> volts;
    std::size_t changes = 0;
    for (std::size_t i = 0; i < bits.size(); ++i) {
        const bool change = i == 0 || bits[i] != bits[i - 1];
        changes += i > 0 && change;
        for (int k = 0; k < 16; ++k) volts.push_back((bits[i] ? 0.4 : -0.4) * (change ? 1 : 0.5));
    }
    const Waveform wave = waveform_in_memory(volts, 1 / sampling);
    const auto eye = [&](const char* symbols) {
        return run("serial.eye", wave,
                   {{"symbol_rate", "2.5 GHz"}, {"symbols", symbols}, {"threshold", "0 V"}});
    };
    const auto all = eye("all"), changed = eye("transition"), same = eye("steady");
    CHECK(value(changed, "eye_amplitude") == about(0.8).epsilon(1e-3));
    CHECK(value(same, "eye_amplitude") == about(0.4).epsilon(1e-3));
    CHECK(value(all, "symbols") - value(changed, "symbols") - value(same, "symbols") <=
          16);  // the first of each share
    CHECK(std::abs(value(changed, "symbols") - static_cast<double>(changes)) <= 17);
}
