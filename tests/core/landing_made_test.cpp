// Landing-system signals and noise as they are made: sums over their samples against what was asked for, and
// what a receiver's indication is taken for.
#include <complex>
#include <numbers>

#include "core/landing/channels.hpp"
#include "core/landing/morse.hpp"
#include "core/synthesis/signal.hpp"
#include "tests/about.hpp"
#include "tests/core/procedures.hpp"
#include "tests/expect_error.hpp"

using namespace rt;

namespace {

MadeSignal made(const SignalKind& kind, const Settings& pairs) {
    Parameters p(kind.parameters);
    for (const auto& [name, value] : pairs) p.set(name, value);
    p.fill_defaults();
    return kind.make(p, {});
}

// Amplitude and phase of a line over the carrier, by the definition of the sum.
struct Line {
    double depth, phase;  // of its sine, in degrees
};
Line line_at(const MadeSignal& signal, double hz, std::size_t from = 0, std::size_t count = 0) {
    const auto& record = std::get<IqRecord>(signal.turn);
    const auto x = record.read(from, count > 0 ? count : static_cast<std::size_t>(record.size()));
    std::complex<double> sum = 0;
    double mean = 0;
    for (std::size_t i = 0; i < x.size(); ++i) {
        const double t = static_cast<double>(from + i) / record.sample_rate_hz;
        sum += static_cast<double>(x[i].real()) * std::polar(1.0, -2 * std::numbers::pi * hz * t);
        mean += static_cast<double>(x[i].real());
    }
    return {2 * std::abs(sum) / mean, std::arg(sum) * 180 / std::numbers::pi + 90};
}

template <typename Call>
void refuses(const std::string& words, Call call) {
    const std::string said = input_error(call);
    CHECK_MESSAGE(said.find(words) != std::string::npos, said);
}

Outcome indicated(const Indication& seen, const Settings& settings) {
    return run("landing.indication", seen, settings);
}

}  // namespace

TEST_CASE("depths, their difference and the phase of a made localiser and glide path are those asked for") {
    for (const double deviation : {-0.155, 0.0, 0.031, 0.2}) {
        CAPTURE(deviation);
        const std::string text = std::to_string(deviation);
        const auto signal = made(landing_composite(), {{"deviation", text.c_str()}, {"phase", "35 deg"}});
        const Line low = line_at(signal, 90), high = line_at(signal, 150);
        CHECK(low.depth == within(1e-6, (0.4 - deviation) / 2));
        CHECK(high.depth == within(1e-6, (0.4 + deviation) / 2));
        CHECK(low.phase == within(1e-3, 0));
        CHECK(high.phase == within(1e-3, 35));
    }
    const auto glide = made(landing_composite(), {{"part", "glide-path"}, {"deviation", "0.175"}});
    CHECK(line_at(glide, 150).depth - line_at(glide, 90).depth == within(1e-6, 0.175));
    CHECK(line_at(glide, 150).depth + line_at(glide, 90).depth == within(1e-6, 0.8));
    // |x| = 1 stands so far above the carrier: the largest envelope that there can be.
    CHECK(glide.above_level_db == about(20 * std::log10(1.8)));
    // A tone that is removed leaves the other as it is.
    const auto one = made(landing_composite(), {{"deviation", "0.05"}, {"removed", "90"}});
    CHECK(line_at(one, 90).depth == within(1e-6, 0));
    CHECK(line_at(one, 150).depth == within(1e-6, 0.225));
    // Tones off their frequency, for fault finding.
    CHECK(line_at(made(landing_composite(), {{"tone_90", "87 Hz"}}), 87).depth == within(1e-6, 0.2));
}

TEST_CASE("every channel's localiser and glide path are made on their frequencies") {
    for (const auto& channel : landing::channels()) {
        CAPTURE(channel.name());
        const std::string name = channel.name();
        const auto centre = [&](const char* part) {
            const auto signal = made(landing_composite(), {{"part", part}, {"channel", name.c_str()}});
            return std::get<IqRecord>(signal.turn).centre_hz;
        };
        CHECK(centre("localiser") == channel.localiser_hz);
        CHECK(centre("glide-path") == channel.glide_path_hz);
    }
    refuses("no channel of a landing system", [] { made(landing_composite(), {{"channel", "19X"}}); });
    refuses("give one", [] { made(landing_composite(), {{"channel", "18X"}, {"centre", "108.1 MHz"}}); });
}

TEST_CASE("an identification is keyed as Morse code has it") {
    // S: three dots; T: one dash; between letters three dots.
    const auto marks = landing::keyed("St 5", 0.1);
    const std::vector<std::pair<double, double>> wanted{
        {0, .1}, {.2, .3}, {.4, .5}, {.8, 1.1}, {1.8, 1.9}, {2.0, 2.1}, {2.2, 2.3}, {2.4, 2.5}, {2.6, 2.7}};
    REQUIRE(marks.size() == wanted.size());
    for (std::size_t i = 0; i < marks.size(); ++i) {
        CHECK(marks[i].start_s == within(1e-9, wanted[i].first));
        CHECK(marks[i].stop_s == within(1e-9, wanted[i].second));
    }
    const auto signal =
        made(landing_composite(),
             {{"ident", "ET"}, {"ident_every", "2 s"}, {"ident_dot", "100 ms"}, {"ident_depth", "8 %"}});
    REQUIRE(signal.samples() == 100000);
    // Three dots later: within the dot, behind it, within the dash.
    CHECK(line_at(signal, 1020, 15000, 5000).depth == within(1e-3, 0.08));
    CHECK(line_at(signal, 1020, 21000, 10000).depth == within(1e-3, 0));
    CHECK(line_at(signal, 1020, 35000, 15000).depth == within(1e-3, 0.08));
    CHECK(line_at(made(landing_composite(), {{"ident_keying", "steady"}}), 1020).depth == within(1e-6, 0.1));
    refuses("takes", [] { made(landing_composite(), {{"ident", "ABCDEFGHIJ"}, {"ident_every", "3 s"}}); });
    refuses("no Morse code", [] { made(landing_composite(), {{"ident", "A_"}}); });
    refuses("more than the sum", [] { made(landing_composite(), {{"deviation", "0.5"}}); });
    refuses("more than the carrier can carry", [] {
        made(landing_composite(), {{"depth_sum", "99 %"}, {"ident", "I"}});
    });
}

TEST_CASE("dots have their length within a millisecond, from record to record, cut off or not") {
    for (const char* dot : {"95 ms", "101 ms", "159 ms", "165 ms"}) {
        CAPTURE(dot);
        const auto signal =
            made(landing_composite(), {{"ident", "ISK"}, {"ident_dot", dot}, {"ident_every", "5 s"}});
        const auto& whole = std::get<IqRecord>(signal.turn);
        const double wanted = parse_quantity(dot).value;
        for (const double from_s : {0.0, 3.2 * wanted, 3.7 * wanted}) {
            CAPTURE(from_s);
            const auto first = static_cast<std::uint64_t>(from_s * whole.sample_rate_hz);
            const auto out = run("landing.signal", part_of(whole, first, whole.size() - first));
            const Result* found = out.find_result("ident_dot");
            REQUIRE(found);
            CHECK(found->value.value == within(1e-3, wanted));
        }
    }
}

TEST_CASE("noise of a stated bandwidth fills it and nothing else, plain or in carriers") {
    for (const char* shape : {"flat", "carriers"}) {
        CAPTURE(shape);
        const auto signal = made(noise_band(), {{"shape", shape},
                                                {"bandwidth", "5 MHz"},
                                                {"sample_rate", "10 MHz"},
                                                {"spacing", "100 kHz"},
                                                {"duration", "200 us"}});
        const auto& record = std::get<IqRecord>(signal.turn);
        const auto x = record.read(0, 2000);
        double inside = 0, outside = 0, all = 0, highest = 0;
        for (const auto& sample : x) {
            all += static_cast<double>(std::norm(sample));
            highest = std::max(highest, static_cast<double>(std::abs(sample)));
        }
        for (std::size_t k = 0; k < x.size(); k += 7) {
            std::complex<double> sum = 0;
            for (std::size_t i = 0; i < x.size(); ++i)
                sum += std::complex<double>(x[i]) *
                       std::polar(1.0, -2 * std::numbers::pi * static_cast<double>(k * i % 2000) / 2000);
            const double hz = (k < 1000 ? static_cast<double>(k) : static_cast<double>(k) - 2000) * 5e3;
            // Symbols have skirts: a carrier's width beside the edge is left out.
            if (std::abs(hz) < 2.5e6) inside += std::norm(sum);
            if (std::abs(hz) > 3e6) outside += std::norm(sum);
        }
        CHECK(inside > 50 * outside);
        CHECK(highest == about(1).epsilon(1e-5));
        // |x| = 1 over the mean power.
        CHECK(signal.above_level_db == about(-10 * std::log10(all / 2000)).epsilon(1e-4));
    }
    const auto cut = made(
        noise_band(), {{"bandwidth", "1 MHz"}, {"duration", "1 ms"}, {"on", "200 us"}, {"off", "300 us"}});
    const auto& record = std::get<IqRecord>(cut.turn);
    CHECK(std::abs(record.read(300, 1)[0]) == 0);  // 240 us
    CHECK(std::abs(record.read(100, 1)[0]) > 0);
    refuses("go together", [] { made(noise_band(), {{"on", "1 ms"}}); });
    refuses("at least the bandwidth", [] { made(noise_band(), {{"sample_rate", "1 MHz"}}); });
    refuses("16777216 are possible", [] { made(noise_band(), {{"duration", "10 s"}}); });
}

TEST_CASE("an indication against the deviation that is sent, in parts of full deflection") {
    Indication seen;
    for (const double value : {76.0, 74.0, 75.0, 79.0}) seen.readings.push_back({0, value, false, 1.5});
    const auto good = indicated(seen, {{"deviation", "0.0775"}});
    CHECK(value(good, "indication") == about(76));
    CHECK(value(good, "indicated_ddm") == about(76.0 / 150 * 0.155));
    // 76 of 150 against a half.
    CHECK(value(good, "indication_error") == about(100 * (76.0 / 150 - 0.5)));
    CHECK(value(good, "indication_spread") == about(100 * 5.0 / 150));
    CHECK(value(good, "flag_shown") == 0);
    CHECK(value(good, "flag_wrong") == 0);
    CHECK(value(good, "gain_level") == about(1.5));
    // Per cent, glide path.
    CHECK(value(indicated(seen, {{"deviation", "0.133"}, {"full_scale", "100"}, {"full_scale_ddm", "0.175"}}),
                "indication_error") == within(1e-9, 0));

    // What is read with the flag shown is no indication.
    seen.readings[3].flag = true;
    const auto one = indicated(seen, {{"deviation", "0.0775"}});
    CHECK(value(one, "indication") == about(75));
    CHECK(value(one, "flag_wrong") == 1);
    CHECK(value(indicated(seen, {{"flag", "shown"}}), "flag_wrong") == 3);
    for (auto& reading : seen.readings) reading.flag = true;
    const auto all = indicated(seen, {{"deviation", "0.0775"}});
    CHECK_FALSE(all.find_result("indication_error"));
    CHECK(all.lacking.at("indication_error").find("flag is shown") != std::string::npos);
    CHECK(value(all, "flag_wrong") == 4);

    // Nobody told of the flag, or of what was sent.
    for (auto& reading : seen.readings) reading.flag.reset();
    const auto silent = indicated(seen, {});
    CHECK_FALSE(silent.find_result("flag_wrong"));
    CHECK_FALSE(silent.find_result("indication_error"));
    CHECK(value(silent, "indication") == about(76));
    CHECK(indicated({}, {}).invalid.has_value());
}
