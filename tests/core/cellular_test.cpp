// Uplinks made by direct sums, measured: what they were made of comes out again, and nothing else than stated
// does.
#include <cmath>
#include <string>

#include "tests/about.hpp"
#include "tests/core/made_uplink.hpp"
#include "tests/core/procedures.hpp"
#include "tests/expect_error.hpp"

using namespace rt;

namespace {

Outcome measured(const made::Uplink& u, Settings settings, double centre_hz = 0) {
    return run(u.nr ? "cellular.nr-uplink" : "cellular.lte-uplink",
               made::record(made::uplink(u), u.rate, centre_hz, 30.0), settings);
}

Settings lte(const char* cell, const char* modulation, Settings more = {}) {
    more.insert(more.end(), {{"channel_bandwidth", "1.4 MHz"}, {"cell", cell}, {"modulation", modulation}});
    return more;
}

Settings nr(const char* identity, const char* modulation, Settings more = {}) {
    more.insert(more.end(), {{"channel_bandwidth", "5 MHz"},
                             {"subcarrier_spacing", "30 kHz"},
                             {"identity", identity},
                             {"modulation", modulation}});
    return more;
}

made::Uplink lte_signal(unsigned cell, int per_axis) {
    made::Uplink u;
    u.identity = cell, u.per_axis = per_axis, u.slots = 4, u.seconds = 2.1e-3;
    return u;
}

// 11 blocks of 30 kHz: 132 subcarriers.
made::Uplink nr_signal(unsigned identity, int per_axis) {
    made::Uplink u;
    u.nr = true, u.spacing = 30e3, u.channel_blocks = u.blocks = 11, u.identity = identity,
    u.per_axis = per_axis;
    u.precoded = false, u.rate = 7.68e6, u.seconds = 1.05e-3;
    return u;
}

doctest::Approx near(double share, double expected) {
    return within(share * expected, expected);
}

}  // namespace

TEST_CASE("a clean uplink has next to no error; its power, frequency and slot are those it was made with") {
    auto u = lte_signal(137, 2);
    u.first_slot = 6;
    const auto out = measured(u, lte("137", "qpsk"));
    CHECK(value(out, "evm") < 0.25);                 // the filter between 0.54 MHz and 1.38 MHz
    CHECK(value(out, "power") == within(0.01, 10));  // |x|^2 = 0.01 of a reference of 30 dBm
    CHECK(value(out, "frequency_error") == within(0.05, 0));
    CHECK(value(out, "slots_measured") == 4);
    CHECK(out.notes.front().find("number 6 of its frame") != std::string::npos);
    auto n = nr_signal(301, 8);
    n.first_slot = 5;
    const auto nr_out = measured(n, nr("301", "64qam"));
    CHECK(value(nr_out, "evm") < 0.15);
    CHECK(nr_out.notes.front().find("number 5 of its frame") != std::string::npos);
}

// Tolerances: of M points the rms of noise scatters by 1 / sqrt(2 M), here below 2 %; three of these and what
// interpolation adds. A frequency from one slot scatters by noise / sqrt(subcarriers) / slot.
TEST_CASE("noise, offset, clock error, leakage and image come out as they were put in") {
    auto u = lte_signal(37, 8);
    u.evm = 0.04, u.offset_hz = 212, u.fast_ppm = 10, u.leakage_db = -24, u.delay_s = 37e-6, u.rate = 2.5e6;
    auto out = measured(u, lte("37", "64qam"));
    CHECK(value(out, "evm") == near(0.06, 4));
    CHECK(value(out, "frequency_error") == within(8, 212));
    CHECK(value(out, "clock_error") == within(3, 10));
    CHECK(value(out, "carrier_leakage") == within(0.3, -24));
    auto n = nr_signal(12, 16);
    n.evm = 0.015, n.offset_hz = -950, n.fast_ppm = -10, n.leakage_db = -22, n.image_db = -40, n.rate = 9e6;
    out = measured(n, nr("12", "256qam", {{"image", "removed"}}));
    CHECK(value(out, "evm") == near(0.06, 1.5));
    CHECK(value(out, "frequency_error") == within(8, -950));
    CHECK(value(out, "clock_error") == within(1.5, -10));
    // On a subcarrier that carries data.
    CHECK(value(out, "carrier_leakage") == within(0.3, -22));
    CHECK(value(out, "image") == within(0.5, -40));
    // An image that is kept is error: 1 % beside the noise.
    const auto kept = measured(n, nr("12", "256qam"));
    CHECK(value(kept, "evm") == near(0.06, std::hypot(1.5, 1.0)));
}

TEST_CASE("precoded NR: 16QAM on a part of the channel, pi/2-BPSK, several reference symbols, other ports") {
    auto u = nr_signal(77, 4);
    u.precoded = true, u.blocks = 8, u.first_block = 2, u.evm = 0.05, u.offset_hz = 333;
    auto out = measured(u, nr("77", "16qam", {{"precoding", "on"}, {"blocks", "8"}, {"first_block", "2"}}));
    CHECK(value(out, "evm") == near(0.06, 5));
    CHECK(value(out, "frequency_error") == within(12, 333));
    u.per_axis = 1, u.evm = 0.15;
    out = measured(u, nr("77", "pi/2-bpsk", {{"precoding", "on"}, {"blocks", "8"}, {"first_block", "2"}}));
    CHECK(value(out, "evm") == near(0.06, 15));
    auto more = nr_signal(9, 2);
    more.references = {3, 7, 11}, more.port = 3, more.evm = 0.1;
    out = measured(more, nr("9", "qpsk", {{"reference_symbols", "3 7 11"}, {"port", "3"}}));
    CHECK(value(out, "evm") == near(0.06, 10));
    auto beside = nr_signal(9, 2);
    beside.one_group = true, beside.evm = 0.1;
    out = measured(beside, nr("9", "qpsk", {{"groups_without_data", "1"}}));
    CHECK(value(out, "evm") == near(0.06, 10));
}

TEST_CASE("symbols that are turned for their carrier, as a transmitter does it, and such that are not") {
    auto u = nr_signal(5, 4);
    u.turned_for_hz = 3.600105e9, u.evm = 0.03;
    for (const char* up : {"found", "carrier", "3.600105 GHz"}) {
        CAPTURE(up);
        const auto out = measured(u, nr("5", "16qam", {{"up_conversion", up}}), 3.600105e9);
        CHECK(value(out, "evm") == near(0.06, 3));
        CHECK(value(out, "frequency_error") == within(8, 0));
    }
    u.turned_for_hz = 0;
    for (const char* up : {"found", "none"}) {
        CAPTURE(up);
        CHECK(value(measured(u, nr("5", "16qam", {{"up_conversion", up}}), 3.600105e9), "frequency_error") ==
              within(8, 0));
    }
}

TEST_CASE(
    "two ways to the receiver: the equaliser takes the channel, noise on its weak subcarriers counts more") {
    auto u = lte_signal(37, 2);
    u.echo = 0.4, u.echo_s = 0.9e-6, u.evm = 0.05;
    const auto out = measured(u, lte("37", "qpsk"));
    // The mean of 1 / |H|^2 with H = 1 + a exp(j phi) is 1 / (1 - a^2): over all phases, which 1 MHz nearly
    // holds.
    CHECK(value(out, "evm") == near(0.12, 5 / std::sqrt(1 - 0.16)));
    CHECK(value(out, "flatness") == within(1.0, 20 * std::log10(1.4 / 0.6)));
}

TEST_CASE("records that begin and end within slots, and slots with nothing in them") {
    auto u = lte_signal(37, 2);
    u.slots = 6, u.evm = 0.1, u.delay_s = -0.31e-3, u.seconds = 2.4e-3;
    CHECK(value(measured(u, lte("37", "qpsk")), "slots_measured") == 4);
    u.delay_s = 0.1e-3, u.seconds = 3.3e-3, u.silent = {1, 4};
    const auto out = measured(u, lte("37", "qpsk"));
    CHECK(value(out, "slots_measured") == 4);
    CHECK(value(out, "evm") == near(0.08, 10));
    // Of another cell: something else is sent.
    auto other = lte_signal(37, 2), stated = other;
    other.identity = 38, other.first_slot = 4;
    auto x = made::uplink(stated);
    const auto y = made::uplink(other);
    x.resize(static_cast<std::size_t>(2e-3 * 1.92e6));
    x.insert(x.end(), y.begin(), y.end());
    const auto mixed = run("cellular.lte-uplink", made::record(x, 1.92e6, 0, 30.0), lte("37", "qpsk"));
    REQUIRE(mixed.invalid);
    CHECK(mixed.invalid->find("something else is sent than stated") != std::string::npos);
    CHECK(mixed.results.empty());
}

TEST_CASE("two milliseconds of it, late in a record of hundreds of slots of noise") {
    auto u = lte_signal(37, 2);
    u.evm = 0.1;
    const auto late = made::uplink(u);
    made::Samples x(static_cast<std::size_t>(0.3 * 1.92e6));
    made::add_noise(x, 0.004, 5);
    const std::size_t at = x.size() - 2 * late.size() - 1234;
    for (std::size_t i = 0; i < late.size(); ++i) x[at + i] += late[i];
    const auto out = run("cellular.lte-uplink", made::record(x, 1.92e6, 0, 30.0), lte("37", "qpsk"));
    CHECK(value(out, "slots_measured") == 4);
    // 10 % of its own, and noise of 0.004 in 1.92 MHz beside a signal of 0.1.
    const double noise = 0.04 * std::sqrt(72 * 15e3 / 1.92e6);
    CHECK(value(out, "evm") == near(0.08, 100 * std::hypot(0.1, noise)));
}

TEST_CASE("what was stated wrongly is told, and gives no number") {
    struct Wrong {
        made::Uplink signal;
        Settings settings;
        std::string seen;
    };
    auto four = lte_signal(37, 4);
    four.evm = 0.05;
    auto part = four;
    part.blocks = 3, part.first_block = 2;
    auto fast = nr_signal(301, 4);
    fast.evm = 0.05;
    auto precoded = fast;
    precoded.precoded = true, precoded.blocks = 10;
    auto extra = fast;
    extra.references = {2, 11};
    auto odd = fast;
    odd.port = 2;
    const std::vector<Wrong> all{
        {four, lte("38", "16qam"), "number modulo 30 is 7"},
        {four, lte("67", "16qam"), "not the expected signal"},
        {four, lte("37", "qpsk"), "seen: 16qam"},
        {four, lte("37", "64qam"), "seen: 16qam"},
        {part, lte("37", "16qam"), "block"},
        {four, lte("37", "16qam", {{"blocks", "3"}}), "not the expected signal"},
        {fast, nr("300", "16qam"), "other reference signals"},
        {fast, nr("301", "256qam"), "seen: 16qam"},
        {fast, nr("301", "16qam", {{"blocks", "7"}}), "is sent on as well"},
        {fast, nr("301", "16qam", {{"grid_start", "4"}}), "other reference signals"},
        {fast, nr("301", "16qam", {{"reference_symbols", "2 11"}}), "symbol 11 has no reference signal"},
        {fast, nr("301", "16qam", {{"reference_symbols", "3"}}), "reference signals in symbol 2"},
        {fast, nr("301", "16qam", {{"groups_without_data", "1"}}), "what the reference signals promise"},
        {extra, nr("301", "16qam"), "symbol 11 has a reference signal"},
        {odd, nr("301", "16qam"), "not the expected signal"},
        {precoded, nr("301", "16qam", {{"blocks", "10"}}), "reference signals of a precoded signal"},
    };
    for (const auto& wrong : all) {
        const auto out = measured(wrong.signal, wrong.settings);
        INFO(wrong.seen, ": ", out.invalid.value_or("a result"));
        REQUIRE(out.invalid);
        CHECK(out.invalid->find(wrong.seen) != std::string::npos);
        CHECK(out.results.empty());
    }
}

TEST_CASE("errors beyond the limit stay numbers, down to where points cannot be told") {
    for (const double evm : {0.175, 0.3, 0.5}) {
        CAPTURE(evm);
        auto u = lte_signal(37, 2);
        u.evm = evm;
        CHECK(value(measured(u, lte("37", "qpsk")), "evm") == near(0.08, 100 * evm));
    }
    // 64QAM at twice its limit: most decisions are wrong, what is seen is a bound above the limit of 8 %.
    auto u = lte_signal(37, 8);
    u.evm = 0.2;
    const auto out = measured(u, lte("37", "64qam"));
    const auto* evm = out.find_result("evm");
    REQUIRE(evm);
    CHECK(evm->known == Known::at_least);
    CHECK(evm->value.value > 8);
    // Noise alone, and a carrier in it.
    u.evm = 30;
    CHECK(measured(u, lte("37", "64qam")).invalid);
    u.leakage_db = 10;
    CHECK(measured(u, lte("37", "64qam")).invalid);
}

TEST_CASE("offsets of whole subcarriers") {
    for (const double offset : {-41e3, -22e3, 16e3, 30e3}) {
        CAPTURE(offset);
        auto u = lte_signal(37, 2);
        u.offset_hz = offset, u.evm = 0.05, u.rate = 3.84e6;
        CHECK(value(measured(u, lte("37", "qpsk")), "frequency_error") == within(10, offset));
    }
}

TEST_CASE("a record that is too short or too narrow is refused") {
    auto u = lte_signal(37, 2);
    u.seconds = 0.4e-3;
    const auto out = measured(u, lte("37", "qpsk"));
    REQUIRE(out.invalid);
    CHECK(*out.invalid == "the record of 400 µs is shorter than a slot of 500 µs");
    u.seconds = 2e-3, u.rate = 1.1e6;
    CHECK(input_error([&] { measured(u, lte("37", "qpsk")); }).find("1.08 MHz wide") != std::string::npos);
    CHECK(input_error([&] {
              measured(u, lte("37", "qpsk", {{"blocks", "7"}}));
          }).find("blocks 0 to 5") != std::string::npos);
    CHECK(input_error([&] { measured(u, lte("504", "qpsk")); }).find("write 0 to 503") != std::string::npos);
}

TEST_CASE("the points of a constellation are told beside the data, and lie among them") {
    for (const auto& [modulation, per_axis] : {std::pair("qpsk", 2), {"16qam", 4}, {"64qam", 8}}) {
        CAPTURE(modulation);
        const auto count = static_cast<std::size_t>(per_axis * per_axis);
        const auto out = measured(lte_signal(137, per_axis), lte("137", modulation));
        const auto* dots = out.find_trace("constellation");
        REQUIRE(dots);
        REQUIRE(dots->ideal.x.size() == count);
        double power = 0;
        for (std::size_t k = 0; k < count; ++k) {
            power += (dots->ideal.x[k] * dots->ideal.x[k] + dots->ideal.y[k] * dots->ideal.y[k]) /
                     static_cast<double>(count);
            // Some received point is near each.
            double nearest = 1e9;
            for (std::size_t i = 0; i < dots->x.size(); ++i)
                nearest = std::min(nearest,
                                   std::hypot(dots->x[i] - dots->ideal.x[k], dots->y[i] - dots->ideal.y[k]));
            CHECK(nearest < 0.05);
        }
        CHECK(power == about(1).epsilon(1e-9));
    }
}

TEST_CASE("in-band emissions against their limit") {
    auto u = lte_signal(37, 2);
    u.blocks = 3, u.evm = 0.02;
    // White noise of 2 % beside: -34 dB in each block. The limit is -25 - 10 log10(6 / 3) = -28 dB or, next
    // to the allocation, 20 log10(17.5 %) - 3 = -18.1 dB; farther off -5 / 3 dB a block.
    const auto out = measured(u, lte("37", "qpsk", {{"blocks", "3"}}));
    const auto* trace = out.find_trace("emission_blocks");
    REQUIRE(trace);
    REQUIRE(trace->y.size() == 3);
    for (const double y : trace->y) CHECK(y == within(0.8, -34));
    // Without a level at which -57 dBm would count: block 5 at its own limit.
    CHECK(trace->companions.front().y.back() ==
          within(1e-6, std::max(-28.0, 20 * std::log10(0.175) - 3 - 10.0 / 3)));
    u.image_db = -20;  // beyond -25 dB
    const auto bad = measured(u, lte("37", "qpsk", {{"blocks", "3"}}));
    CHECK(value(bad, "emission_excess") > 0.8);
}
