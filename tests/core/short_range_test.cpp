// Packets of short-range radio as they are made, read back by a receiver of its own; devices that were found.
#include <cmath>
#include <numbers>

#include "core/short_range/packet.hpp"
#include "core/synthesis/signal.hpp"
#include "tests/about.hpp"
#include "tests/core/made_signals.hpp"
#include "tests/core/procedures.hpp"
#include "tests/expect_error.hpp"

using namespace rt;

namespace {

MadeSignal made_packets(const Settings& pairs) {
    const SignalKind& kind = find_signal("short-range.packets");
    Parameters p(kind.parameters);
    for (const auto& [name, value] : pairs) p.set(name, value);
    p.fill_defaults();
    return kind.make(p, {});
}

std::vector<std::complex<float>> samples_of(const MadeSignal& signal) {
    const auto& record = std::get<IqRecord>(signal.turn);
    return record.read(0, static_cast<std::size_t>(record.size()));
}

// Turns of it one after the other, in noise, moved by an offset.
IqRecord played(const MadeSignal& signal, int turns, double offset_hz = 0, double noise = 1e-3) {
    const auto one = samples_of(signal);
    const double rate = signal.sample_rate_hz();
    made::Samples out;
    for (int turn = 0; turn < turns; ++turn) {
        for (const auto& x : one) {
            const double t = static_cast<double>(out.size()) / rate;
            out.push_back(std::complex<double>(x) * std::polar(0.1, 2 * std::numbers::pi * offset_hz * t));
        }
    }
    made::add_noise(out, noise);
    return made::record(out, rate, 2402e6, 0.0);
}

Devices three() {
    Devices out;
    out.found = {{"c0:00:00:00:00:01", "random", "Skerry-2", true, true, -52.0},
                 {"c0:00:00:00:00:02", "random", "Buoy", true, false, -40.0},
                 {"00:00:00:00:00:03", "public", "", false, false, -71.0}};
    return out;
}

std::string words(const Outcome& out) {
    std::string all = out.invalid.value_or("");
    for (const auto& note : out.notes) all += "\n" + note;
    return all;
}

bool contains(const std::string& text, const std::string& part) {
    return text.find(part) != std::string::npos;
}

}  // namespace

TEST_CASE("a made test packet is, sample by sample, the sum over its bits by the definition") {
    // The other maker goes bit by bit and adds up frequencies; this one has the phase in closed form.
    for (const unsigned type : {1U, 2U}) {
        made::Gfsk other;
        other.type = type, other.rate = 8e6, other.amplitude = 1, other.room = 0;
        const auto wanted = other.make();
        const auto signal = made_packets({{"content", type == 1 ? "11110000" : "10101010"}});
        const auto got = samples_of(signal);
        const auto begin = static_cast<std::size_t>(12e-6 * 8e6);  // behind room and ramp
        // A constant phase apart.
        const auto turn = std::complex<double>(got[begin + 400]) / wanted[400];
        double worst = 0;
        for (std::size_t i = 8; i + 8 < wanted.size(); ++i)
            worst = std::max(worst, std::abs(std::complex<double>(got[begin + i]) - turn * wanted[i]));
        CHECK(worst < 0.02);  // the other one adds up in steps of a sixteenth of a sample
        CHECK(std::abs(got[4]) == 0);
        CHECK(std::abs(got.back()) == 0);
    }
}

TEST_CASE("deviation, drift and ramp of made packets are measured back") {
    const auto ones = run(
        "radio.gfsk",
        played(made_packets({{"content", "11110000"}, {"octets", "255"}, {"interval", "2.5 ms"}}), 4, 12e3));
    CHECK(value(ones, "delta_f1_avg") == within(1.5e3, 250e3));
    CHECK(value(ones, "preamble_offset") == within(2e3, 12e3));
    CHECK(value(ones, "packets_bad_crc") == 0);
    const auto shallow =
        run("radio.gfsk", played(made_packets({{"content", "11110000"}, {"deviation", "200 kHz"}}), 4));
    CHECK(value(shallow, "delta_f1_avg") == within(1.5e3, 200e3));
    const auto drifting =
        run("radio.gfsk",
            played(made_packets({{"drift", "40 kHz"}, {"octets", "255"}, {"interval", "2.5 ms"}}), 4));
    CHECK(value(drifting, "drift") == within(3e3, 39e3));  // to the middle of the last group
}

TEST_CASE("made advertising packets say who sends them, on each channel, and are found in one wide record") {
    for (const char* channel : {"37", "38", "39"}) {
        const double centre = channel[1] == '7' ? 2402e6 : channel[1] == '8' ? 2426e6 : 2480e6;
        const auto signal = made_packets(
            {{"content", "advertising"}, {"channel", channel}, {"name", "Skerry-2"}, {"allows", "scan"}});
        auto record = played(signal, 3);
        record.centre_hz = centre;
        const auto out = run("radio.advertising", std::move(record));
        CHECK_MESSAGE(!out.invalid, words(out));
        CHECK(value(out, (std::string("power_") + channel).c_str()) == within(0.2, -20));
        CHECK(value(out, "scannable") == 1);
        CHECK(value(out, "connectable") == 0);
        CHECK(contains(words(out), "c0:5e:77:20:00:02 (Skerry-2), ADV_SCAN_IND"));
    }
}

TEST_CASE("packets that cannot be made are refused in one line") {
    const auto said = [](const Settings& pairs) { return input_error([&] { made_packets(pairs); }); };
    CHECK(contains(said({{"interval", "100 us"}}), "a packet takes 376"));
    CHECK(contains(said({{"octets", "256"}}), "1 to 255"));
    CHECK(contains(said({{"content", "advertising"}, {"address", "c0:5e"}}),
                   "is none; write c0:5e:77:20:00:02"));
    CHECK(
        contains(said({{"content", "advertising"}, {"name", "a name that is much too long"}}), "at most 20"));
    CHECK(contains(said({{"sample_rate", "2 MHz"}}), "4 MHz to 1 GHz"));
    CHECK(contains(said({{"deviation", "0 Hz"}}), "above 0 Hz"));
}

TEST_CASE("of devices found one is meant: by name, by address, or the strongest of known levels") {
    const auto of = [](Devices all, const Settings& settings) {
        return run("radio.devices", std::move(all), settings);
    };
    const auto several = of(three(), {});
    CHECK(value(several, "devices") == 3);
    CHECK(several.find_result("power") == nullptr);
    CHECK(contains(words(several), "name one (device)"));
    const auto strongest = of(three(), {{"device", "strongest"}});
    CHECK(value(strongest, "power") == -40);
    CHECK(contains(words(strongest), "over a connection only"));
    const auto named = of(three(), {{"device", "Skerry-2"}});
    CHECK(value(named, "scannable") == 1);
    CHECK(contains(words(named), "by scan requests"));
    CHECK(contains(words(of(three(), {{"device", "00:00:00:00:00:03"}})), "no packet errors can be counted"));
    // By level: the third is left out, and who was named may be.
    CHECK(value(of(three(), {{"least_level", "-60 dBm"}}), "devices") == 2);
    CHECK(
        contains(words(of(three(), {{"least_level", "-45 dBm"}, {"device", "Skerry-2"}})), "was not heard"));
    CHECK(*of({}, {}).invalid == "no device was heard");
    Devices dark = three();
    dark.found[2].level_dbm.reset();
    CHECK(contains(words(of(dark, {{"device", "strongest"}})), "listed without a level"));
    CHECK(value(of(dark, {{"least_level", "-90 dBm"}, {"device", "strongest"}}), "devices") == 2);
    Devices twins = three();
    twins.found[1].name = "Skerry-2";
    CHECK(contains(words(of(twins, {{"device", "Skerry-2"}})), "two devices are called"));
    Devices doubled = three();
    doubled.found[1].address = doubled.found[0].address;
    CHECK(contains(input_error([&] { of(doubled, {}); }), "stands there twice"));
    // Strongest first, each with how it can be counted.
    const auto& table = strongest.tables.at(0);
    CHECK(std::get<std::string>(table.rows.at(0).at(0)) == "c0:00:00:00:00:02");
    CHECK(std::get<std::string>(table.rows.at(0).at(4)) == "connection");
    CHECK(std::get<std::string>(table.rows.at(1).at(4)) == "scan requests");
    CHECK(std::get<std::string>(table.rows.at(2).at(4)) == "none");
}
