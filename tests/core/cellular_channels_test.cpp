// Channel numbers, sequences and grids of cellular standards, against published examples and their own
// properties; power and leakage of signals with known ones; samples at other times.
#include <bit>
#include <complex>
#include <numbers>

#include "core/cellular/bands.hpp"
#include "core/cellular/gold.hpp"
#include "core/dsp/resample.hpp"
#include "core/synthesis/signal.hpp"
#include "tests/about.hpp"
#include "tests/core/made_uplink.hpp"
#include "tests/core/procedures.hpp"
#include "tests/expect_error.hpp"

using namespace rt;
using namespace rt::cellular;

TEST_CASE("LTE: numbers and frequencies of test channels, partners") {
    // TS 36.508, band 1 with 10 MHz: 18050, 18300, 18550 up, 50, 300, 550 down.
    const Band& one = band_called("1");
    const auto up = test_channels(one, Direction::up, 10e6, 15e3);
    CHECK(up.low.number == 18050);
    CHECK(up.middle.number == 18300);
    CHECK(up.high.number == 18550);
    CHECK(up.middle.hz == about(1950e6));
    const auto down = test_channels(one, Direction::down, 10e6, 15e3);
    CHECK(down.low.number == 50);
    CHECK(down.high.number == 550);
    CHECK(partner_of(one, Direction::up, up.low).number == 50);
    CHECK(partner_of(one, Direction::up, up.low).hz == about(2115e6));
    CHECK(channel_numbered(one, Direction::up, 18123, 5e6, 15e3).hz == about(1932.3e6));
    CHECK(partner_of(band_called("41"), Direction::up, {40620, 2593e6}).hz == about(2593e6));
    CHECK(input_error([&] {
              channel_numbered(one, Direction::up, 18001, 10e6, 15e3);
          }).find("18050 to 18550") != std::string::npos);
    CHECK(input_error([&] { channel_at(one, Direction::up, 1950.05e6, 15e3); }).find("not on the raster") !=
          std::string::npos);
    CHECK(input_error([&] {
              test_channels(band_called("32"), Direction::up, 10e6, 15e3);
          }).find("no uplink") != std::string::npos);
    CHECK(input_error([&] { band_called("n6"); }).find("not known") != std::string::npos);
}

TEST_CASE("NR: the global raster and bands on it") {
    CHECK(*nr_frequency(600000) == about(3000e6));
    CHECK(*nr_frequency(620000) == about(3300e6));
    CHECK(*nr_frequency(384000) == about(1920e6));
    CHECK(*nr_frequency(2016667) == about(24250.08e6));
    CHECK(!nr_frequency(3279166));
    // Edges of bands by the published table.
    const auto edge = [](const char* band) {
        return test_channels(band_called(band), Direction::up, 5e6, 15e3);
    };
    CHECK(edge("n1").low.number == 384500);
    CHECK(edge("n41").low.number % 3 == 499200 % 3);
    const auto wide = test_channels(band_called("n78"), Direction::up, 100e6, 30e3);
    CHECK(wide.low.number == 623334);  // 3350.01 MHz: the first of every other number not below 3350 MHz
    CHECK(wide.low.hz == about(3350.01e6));
    CHECK(wide.high.hz == about(3750e6));
    CHECK(input_error([&] {
              channel_numbered(band_called("n78"), Direction::up, 623335, 100e6, 30e3);
          }).find("not on the raster") != std::string::npos);
    // Every number of every band comes back from its frequency.
    std::size_t looked_at = 0;
    for (const auto& band : bands()) {
        if (band.uplink.empty()) continue;
        const double width = band.uplink.high_hz - band.uplink.low_hz;
        const double channel = band.technology == Technology::lte ? std::min(3e6, width) : 5e6;
        const auto ends = test_channels(band, Direction::up, channel, 15e3);
        for (const auto& end : {ends.low, ends.middle, ends.high}) {
            CAPTURE(band.name());
            CHECK(channel_at(band, Direction::up, end.hz, 15e3).number == end.number);
            CHECK(end.hz - channel / 2 >= band.uplink.low_hz - 1);
            CHECK(end.hz + channel / 2 <= band.uplink.high_hz + 1);
            ++looked_at;
        }
    }
    CHECK(looked_at > 200);
}

TEST_CASE(
    "sequences: balance and period of Gold's, constant amplitude and no autocorrelation of the base ones") {
    const auto bits = gold_sequence(12345, 100, 20000);
    const auto other = made::gold(12345, 100, 20000);
    int ones = 0;
    bool same = true;
    for (std::size_t i = 0; i < bits.size(); ++i) ones += bits[i], same = same && bits[i] == other[i];
    CHECK(same);
    CHECK(std::abs(ones - 10000) < 300);
    for (const std::size_t length : {36, 72, 180, 600, 1200}) {
        CAPTURE(length);
        const auto sequence = base_sequence(17, 0, length);
        // Cut to its prime it correlates with none of its own shifts.
        std::size_t prime = length - 1;
        for (bool found = false; !found; prime -= found ? 0 : 1) {
            found = true;
            for (std::size_t d = 2; d * d <= prime; ++d) found = found && prime % d != 0;
        }
        for (const std::size_t shift : {std::size_t{1}, std::size_t{7}, prime / 2}) {
            std::complex<double> sum;
            for (std::size_t n = 0; n < prime; ++n)
                sum += sequence[n] * std::conj(sequence[(n + shift) % prime]);
            CHECK(std::abs(sum) < 1e-8 * static_cast<double>(prime));
        }
        for (const auto& x : sequence) CHECK(std::abs(x) == about(1.0));
    }
    CHECK(input_error([] { base_sequence(0, 0, 24); }).find("24 elements") != std::string::npos);
}

TEST_CASE("symbols fill their subframes") {
    for (const double spacing : {15e3, 30e3, 60e3}) {
        UplinkFormat f;
        f.technology = Technology::nr, f.spacing_hz = spacing, f.carrier_blocks = f.blocks = 24;
        double end = 0;
        for (std::size_t slot = 0; slot < f.slots_per_subframe(); ++slot) {
            for (std::size_t l = 0; l < 14; ++l) {
                const auto at = f.symbol(slot, l);
                CHECK(f.slot_start_s(slot) + at.start_s == within(1e-12, end));
                end = f.slot_start_s(slot) + at.start_s + at.prefix_s + f.useful_s();
            }
        }
        CHECK(end == about(1e-3));
    }
}

TEST_CASE("constellations: unit power, each point its own nearest, another bit for each neighbour") {
    for (const auto modulation : modulations) {
        CAPTURE(name(modulation));
        const std::size_t bits = bits_of(modulation);
        std::vector<std::complex<double>> points;
        double power = 0;
        for (unsigned word = 0; word < 1u << bits; ++word) {
            std::vector<std::uint8_t> of;
            for (std::size_t b = 0; b < bits; ++b) of.push_back(static_cast<std::uint8_t>(word >> b & 1u));
            points.push_back(point_of(modulation, of, 0));
            power += std::norm(points.back()) / static_cast<double>(1u << bits);
            CHECK(std::abs(nearest(modulation, points.back() * 1.01, 0) - points.back()) < 1e-12);
        }
        CHECK(power == about(1.0));
        double least = 1e9;
        for (std::size_t a = 0; a < points.size(); ++a)
            for (std::size_t b = 0; b < a; ++b) least = std::min(least, std::abs(points[a] - points[b]));
        for (std::size_t a = 0; a < points.size(); ++a) {
            for (std::size_t b = 0; b < a; ++b) {
                const bool neighbours = std::abs(points[a] - points[b]) < least * 1.01;
                CHECK((!neighbours || std::popcount(a ^ b) == 1));
            }
        }
    }
}

TEST_CASE("samples at other times: tones of the pass band come out as they are, others do not") {
    const Resampler resampler(1.0, 0.3, 0.4);
    for (const double f : {0.0, 0.1, -0.29, 0.41, -0.48}) {
        std::vector<std::complex<float>> in(600), out(300);
        for (std::size_t n = 0; n < in.size(); ++n)
            in[n] = std::complex<float>(std::polar(1.0, 2 * std::numbers::pi * f * static_cast<double>(n)));
        resampler(in, 40.37, 1.7, out);
        double error = 0;
        for (std::size_t i = 0; i < out.size(); ++i) {
            const double at = 40.37 + 1.7 * static_cast<double>(i);
            const auto expected =
                std::abs(f) < 0.35 ? std::polar(1.0, 2 * std::numbers::pi * f * at) : std::complex<double>();
            error = std::max(error, std::abs(std::complex<double>(out[i]) - expected));
        }
        CAPTURE(f);
        CHECK(error < 2e-4);  // 90 dB of the filter, and single precision
    }
    // Steps that are nearly whole, where weights do for several samples, are as true: 84 dB and more.
    for (const double step :
         {1.0, 2.0, 3.0, 4.0, 5.0, 1 + 1e-7, 1 - 9e-7, 1 + 3e-6, 2 + 1e-6, 1 + 1e-4, 3 - 1e-4, 4 + 1e-3}) {
        CAPTURE(step);
        for (const double first : {200.0, 200.37, 200.9999, 201.5}) {
            std::vector<std::complex<float>> in(20500), out(4003);
            const double hz = 0.29;
            for (std::size_t i = 0; i < in.size(); ++i)
                in[i] =
                    std::complex<float>(std::polar(1.0, 2 * std::numbers::pi * hz * static_cast<double>(i)));
            resampler(in, first, step, out);
            double worst = 0;
            for (std::size_t i = 0; i < out.size(); ++i) {
                const double at = first + static_cast<double>(i) * step;
                worst = std::max(worst, std::abs(std::complex<double>(out[i]) -
                                                 std::polar(1.0, 2 * std::numbers::pi * hz * at)));
            }
            CHECK(worst < 6e-5);
        }
    }
    // Beyond both ends of what is there stands nothing: the same as with as many zeros.
    for (const double step : {1.0, 2.0, 3.0 + 1e-7, 1.7}) {
        CAPTURE(step);
        std::vector<std::complex<float>> in(101, {1, -1}), longer(701), out(250), same(250);
        std::copy(in.begin(), in.end(), longer.begin() + 300);
        resampler(in, -40.25, step, out);
        resampler(longer, 259.75, step, same);
        double worst = 0;
        for (std::size_t i = 0; i < out.size(); ++i)
            worst = std::max(worst, static_cast<double>(std::abs(out[i] - same[i])));
        CHECK(worst < 1e-5);  // single precision
    }
    CHECK_THROWS(Resampler(1.0, 0.5, 0.4));
}

TEST_CASE("power: on, off, steps from slot to slot; nothing in noise") {
    const auto& kind = find_signal("cellular.lte-uplink");
    Parameters p(kind.parameters);
    for (const auto& [name, text] :
         Settings{{"channel_bandwidth", "5 MHz"}, {"levels", "off, off, -60, -60, 0, 0, -2, -2, -4, -4"}})
        p.set(name, text);
    p.fill_defaults();
    const MadeSignal made = kind.make(p, {});
    IqRecord record = std::get<IqRecord>(made.turn);
    record.reference_level_dbm = 20.0 + made.above_level_db;
    const auto out = run("cellular.power", record, {{"channel_bandwidth", "5 MHz"}, {"step", "-2 dB"}});
    CHECK(value(out, "highest_power") == within(0.2, 20));
    CHECK(value(out, "lowest_power") == within(0.2, 16));
    CHECK(value(out, "step_error") == within(0.2, 0));
    // 60 dB below is off to the mask: the limit of -50 dBm is not met.
    CHECK(value(out, "off_power") == within(0.3, -40));
    CHECK(value(out, "on_time") == within(5e-6, 3e-3));
    made::Samples white(60000);
    made::add_noise(white, 0.1);
    const auto noise =
        run("cellular.power", made::record(white, 10e6, 0, 0.0), {{"channel_bandwidth", "1.4 MHz"}});
    CHECK(noise.invalid);
}

TEST_CASE("leakage: a neighbour of known power, seen as far as the record goes") {
    // Flat noise over 4.5 MHz, and the same 33 dB weaker in the channel above.
    const double rate = 40e6;
    std::vector<std::complex<float>> x(200000);
    const auto& kind = find_signal("noise.band");
    const auto band = [&](const char* seed) {
        Parameters p(kind.parameters);
        for (const auto& [name, text] : Settings{
                 {"bandwidth", "4.5 MHz"}, {"sample_rate", "40 MHz"}, {"duration", "5 ms"}, {"seed", seed}})
            p.set(name, text);
        p.fill_defaults();
        const MadeSignal made = kind.make(p, {});
        auto samples = std::get<IqRecord>(made.turn).read(0, 200000);
        for (auto& sample : samples) sample *= static_cast<float>(std::pow(10, made.above_level_db / 20));
        return samples;
    };
    const auto own = band("1"), other = band("2");
    for (std::size_t n = 0; n < x.size(); ++n)
        x[n] = 0.1F * (own[n] + static_cast<float>(std::pow(10, -33.0 / 20)) * other[n] *
                                    std::complex<float>(std::polar(1.0, 2 * std::numbers::pi * 5e6 / rate *
                                                                            static_cast<double>(n % 8))));
    const auto out =
        run("cellular.leakage", iq_in_memory(x, rate, 2e9, 30.0), {{"channel_bandwidth", "5 MHz"}});
    CHECK(value(out, "power") == within(0.15, 10));
    CHECK(value(out, "leakage_high") == within(0.3, 33));
    CHECK(value(out, "leakage_low") > 60);
    CHECK(value(out, "leakage_ratio") == value(out, "leakage_high"));
    CHECK(value(out, "adjacent_power") == within(0.3, -23));
    CHECK(value(out, "occupied_bandwidth") == within(30e3, 0.99 * 4.5e6));
    // A channel of 3.84 MHz beside it, through its filter: within the neighbour's 4.5 MHz.
    CHECK(value(out, "leakage_utra_first") == within(0.4, 33 + 10 * std::log10(4.5 / 3.84)));
    const auto narrow = run("cellular.leakage", part_of(iq_in_memory(own, rate, 2e9, 30.0), 0, 100000),
                            {{"channel_bandwidth", "20 MHz"}, {"technology", "lte"}});
    CHECK(narrow.lacking.contains("leakage_ratio"));
    CHECK(!narrow.find_result("leakage_ratio"));
}

TEST_CASE("a gain table out of levels: by hand, between frequencies, and refused") {
    ResultTable table;
    table.axes = {{"index", Unit::none}, {"frequency", Unit::hertz}};
    table.results = {{"power", Unit::dbm}};
    for (int index = 0; index < 4; ++index) {
        for (const double mhz : {2400.0, 2440.0}) {
            ResultTable::Row row;
            row.point = "index=" + std::to_string(index);
            row.axes = {{std::to_string(index), {}}, {std::to_string(mhz) + " MHz", mhz * 1e6}};
            // 0, 3, 6, 9 dBm at 2400 MHz, 1 dB less at 2440 MHz.
            row.cells = {{3.0 * index - (mhz > 2420 ? 1 : 0), false, false}};
            table.rows.push_back(row);
        }
    }
    const Settings plain{{"targets", "4 dBm, 8 dBm"},
                         {"frequencies", "2400 MHz, 2410 MHz, 2440 MHz"},
                         {"row", "{kHz}/{level}/{index}/{correction}"}};
    const auto out = run("results.gain-table", table, plain);
    REQUIRE(out.tables.size() == 1);
    std::vector<std::string> rows;
    for (const auto& row : out.tables[0].rows) rows.push_back(std::get<std::string>(row.back()));
    // At 2410 MHz levels are -0.25, 2.75, 5.75, 8.75 dBm.
    CHECK(rows == std::vector<std::string>{"2400000/4/1/1.00", "2400000/8/2/2.00", "2410000/4/1/1.25",
                                           "2410000/8/2/2.25", "2440000/4/1/2.00", "2440000/8/3/0.00"});
    CHECK(value(out, "shortfall") == about(2.25));
    CHECK(value(out, "smallest_step") == about(3.0));
    const auto corrections =
        run("results.gain-table", table,
            {{"form", "correction"}, {"nominal_first", "1 dBm"}, {"nominal_step", "3 dB"}});
    CHECK(value(corrections, "greatest_correction") == about(2.0));
    CHECK(value(corrections, "rows") == 8);
    const auto refused = [&](const ResultTable& t, const Settings& s, const char* why) {
        const auto bad = run("results.gain-table", t, s);
        REQUIRE(bad.invalid);
        CHECK_MESSAGE(bad.invalid->find(why) != std::string::npos, *bad.invalid);
        CHECK(bad.tables.empty());
    };
    refused(table, {{"targets", "-2 dBm"}}, "below the lowest index");
    refused(table, {{"targets", "4 dBm"}, {"most", "8.5 dBm"}}, "beyond what is possible");
    refused(table, {{"targets", "4 dBm"}, {"most_step", "2 dB"}}, "more than is possible");
    auto falling = table;
    falling.rows[4].cells[0].value = 2.5;
    refused(falling, {{"targets", "4 dBm"}}, "not above the index before it");
    auto missing = table;
    missing.rows.pop_back();
    refused(missing, {{"targets", "4 dBm"}}, "not every index was measured");
    CHECK(input_error([&] {
              run("results.gain-table", table, {{"targets", "4 dBm"}, {"frequencies", "2450 MHz"}});
          }).find("outside of what was measured") != std::string::npos);
    CHECK(input_error([&] {
              run("results.gain-table", table, {{"targets", "4 dBm"}, {"row", "{watt}"}});
          }).find("parameter row") != std::string::npos);
}
