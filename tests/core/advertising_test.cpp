// radio.advertising on packets made from the definitions: who is heard, on which channel, and what it allows.
#include <algorithm>
#include <cmath>

#include "core/short_range/advertising.hpp"
#include "core/short_range/packet.hpp"
#include "tests/about.hpp"
#include "tests/core/made_signals.hpp"
#include "tests/core/procedures.hpp"

using namespace rt;

namespace {

const std::vector<unsigned> skerry{0x55, 0x44, 0x33, 0x22, 0x11, 0xC0};  // c0:11:22:33:44:55
const std::vector<unsigned> buoy{0x01, 0x00, 0x00, 0xEE, 0xFF, 0xC0};

std::vector<unsigned> joined_octets(std::initializer_list<std::vector<unsigned>> parts) {
    std::vector<unsigned> out;
    for (const auto& part : parts) out.insert(out.end(), part.begin(), part.end());
    return out;
}

// Header and payload of a PDU of this type; the address of who sends it is random.
std::vector<unsigned> pdu(unsigned type, const std::vector<unsigned>& payload) {
    return joined_octets({{type | 0x40U, static_cast<unsigned>(payload.size())}, payload});
}

std::vector<unsigned> name_field(const std::string& name) {
    std::vector<unsigned> out{static_cast<unsigned>(name.size() + 1), 0x09};
    for (const char c : name) out.push_back(static_cast<unsigned char>(c));
    return out;
}

struct Sent {
    std::vector<unsigned> octets;
    double at_s = 0, amplitude = 0.1;
    bool wrong_crc = false;
    int channel = 37;
    double offset_hz = 0;
};

// A record of 12 MHz around a channel, or wide; each packet at its place, in noise.
IqRecord on_air(const std::vector<Sent>& all, double seconds, double rate = 12e6, double centre = 2402e6,
                double noise = 1e-3) {
    made::Samples x(static_cast<std::size_t>(seconds * rate));
    for (const Sent& sent : all) {
        made::Gfsk packet;
        packet.rate = rate, packet.address = 0x8E89BED6, packet.pdu = sent.octets, packet.room = 0;
        packet.whitened_for = sent.channel, packet.amplitude = sent.amplitude,
        packet.wrong_crc = sent.wrong_crc;
        const double channel = sent.channel == 37 ? 2402e6 : sent.channel == 38 ? 2426e6 : 2480e6;
        packet.carrier = channel - centre + sent.offset_hz;
        const auto samples = packet.make();
        const auto at = static_cast<std::size_t>(sent.at_s * rate);
        for (std::size_t i = 0; i < samples.size(); ++i) x.at(at + i) += samples[i];
    }
    made::add_noise(x, noise);
    return made::record(x, rate, centre, 0.0);
}

double packet_s(const std::vector<unsigned>& octets) {
    return 1e-6 * static_cast<double>(8 * (1 + 4 + octets.size() + 3));
}

std::string cell(const Outcome& out, std::size_t row, const std::string& column) {
    const auto& table = out.tables.at(0);
    for (std::size_t i = 0; i < table.columns.size(); ++i) {
        if (table.columns[i].name == column) return std::get<std::string>(table.rows.at(row).at(i));
    }
    return "?";
}

}  // namespace

TEST_CASE("whitening is that of the published sequences") {
    // Channel 37, as it stands in link layers: 8D D2 57 A1 3D A7 66 B0 75 31 11 48 96 77 F8 E3.
    const std::vector<std::uint8_t> known{0x8D, 0xD2, 0x57, 0xA1, 0x3D, 0xA7, 0x66, 0xB0,
                                          0x75, 0x31, 0x11, 0x48, 0x96, 0x77, 0xF8, 0xE3};
    CHECK(gfsk::octets_of(gfsk::whitening(37, 128)) == known);
    for (unsigned channel = 0; channel < 40; ++channel) {
        const auto bits = gfsk::whitening(channel, 254);
        CHECK(std::equal(bits.begin(), bits.begin() + 127, bits.begin() + 127));  // a period of 127
        CHECK(std::count(bits.begin(), bits.begin() + 127, 1) == 64);
    }
}

TEST_CASE("fields of advertising packets") {
    const auto read = [](const std::vector<unsigned>& octets) {
        std::vector<std::uint8_t> payload(octets.begin() + 2, octets.end());
        return gfsk::read_advertising(static_cast<std::uint8_t>(octets[0]), payload);
    };
    const auto both =
        read(pdu(0, joined_octets({skerry, {2, 0x01, 6}, name_field("Skerry-2"), {2, 0x0A, 0xF8}})));
    CHECK(both.address == "c0:11:22:33:44:55");
    CHECK(both.random_address);
    CHECK(both.local_name == "Skerry-2");
    CHECK(both.stated_power_dbm == std::optional(-8));
    CHECK((both.can_connect && both.can_be_scanned));
    const auto directed = read(pdu(1, joined_octets({skerry, buoy})));
    CHECK((directed.can_connect && !directed.can_be_scanned));
    const auto neither = read(pdu(2, skerry));
    CHECK((!neither.can_connect && !neither.can_be_scanned));
    const auto scanned = read(pdu(6, skerry));
    CHECK((!scanned.can_connect && scanned.can_be_scanned));
    const auto request = read(pdu(3, joined_octets({buoy, skerry})));
    CHECK(request.asks == "c0:ff:ee:00:00:01");
    CHECK(request.address == "c0:11:22:33:44:55");
    // Extended: seven octets of header with an address, connectable.
    const auto extended = read(pdu(7, joined_octets({{0x47, 0x01}, skerry})));
    CHECK((extended.can_connect && extended.address == "c0:11:22:33:44:55"));
    // Cut off in the middle of anything: nothing invented.
    CHECK(read(pdu(0, {1, 2, 3})).address.empty());
    CHECK(read(pdu(0, joined_octets({skerry, {9, 0x09, 'S'}}))).local_name.empty());
    CHECK(read(pdu(9, skerry)).kind == gfsk::AdvertisingKind::reserved);
}

TEST_CASE("devices of one channel: level, offset, capability, and which is meant") {
    const auto a = pdu(0, joined_octets({skerry, name_field("Skerry-2")})), b = pdu(2, buoy);
    const std::vector<Sent> both{
        {a, 50e-6, 0.1, false, 37, 20e3}, {b, 600e-6, 0.01}, {a, 1e-3, 0.1, false, 37, 20e3}};
    const IqRecord record = on_air(both, 1.6e-3);
    const Outcome several = run("radio.advertising", record);
    CHECK(!several.find_result("power"));
    CHECK(value(several, "devices") == 2);
    REQUIRE(!several.notes.empty());
    CHECK(several.notes[0].find("2 devices were heard, c0:11:22:33:44:55 (Skerry-2) at -20") !=
          std::string::npos);
    REQUIRE(several.tables.size() == 1);
    REQUIRE(several.tables[0].rows.size() == 2);  // strongest first
    CHECK(cell(several, 0, "name") == "Skerry-2");
    CHECK(cell(several, 0, "allows") == "connect, scan");
    CHECK(cell(several, 1, "allows") == "neither");
    for (const char* meant : {"strongest", "Skerry-2", "C0:11:22:33:44:55"}) {
        const Outcome out = run("radio.advertising", record, {{"device", meant}});
        CAPTURE(meant);
        // |x| = 0.1 under a reference of 0 dBm: -20 dBm; the filter of the channel takes less than 0.15 dB.
        CHECK(value(out, "power_37") == within(0.15, -20));
        CHECK(value(out, "packets") == 2);
        CHECK(value(out, "frequency_offset") == within(1500, 20e3));
        CHECK(value(out, "connectable") == 1);
        CHECK(value(out, "scannable") == 1);
        CHECK(!out.find_result("power_38"));
    }
    const Outcome weak = run("radio.advertising", record, {{"device", "c0:ff:ee:00:00:01"}});
    CHECK(value(weak, "power") == within(0.3, -40));
    CHECK(value(weak, "scannable") == 0);
    CHECK(value(weak, "devices") == 2);
    // A filter by level leaves one, which needs no name then.
    CHECK(value(run("radio.advertising", record, {{"least_level", "-30 dBm"}}), "devices") == 1);
    CHECK(run("radio.advertising", record, {{"device", "Skerry-3"}}).invalid->find("was not heard") !=
          std::string::npos);
    CHECK(run("radio.advertising", record, {{"least_level", "-10 dBm"}}).invalid == "no device was heard");
}

TEST_CASE("requests without an answer in time, or with a damaged one, count as lost") {
    const auto request = pdu(3, joined_octets({buoy, skerry})), answer = pdu(4, skerry),
               hello = pdu(6, skerry);
    std::vector<Sent> sent{{hello, 50e-6}};
    double at = 500e-6;
    const auto ask = [&](double answer_after, bool damaged) {
        sent.push_back({request, at, 0.05});
        const double over = at + packet_s(request);
        if (answer_after > 0) sent.push_back({answer, over + answer_after, 0.1, damaged});
        at += 700e-6;
    };
    ask(150e-6, false);
    ask(151e-6, false);
    ask(0, false);       // none
    ask(150e-6, true);   // damaged
    ask(180e-6, false);  // too late
    const Outcome out = run("radio.advertising", on_air(sent, at + 200e-6));
    REQUIRE_MESSAGE(!out.invalid, *out.invalid);
    CHECK(value(out, "scan_requests") == 5);
    CHECK(value(out, "packet_error_ratio") == about(60));
    CHECK(value(out, "packets_damaged") == 1);
    CHECK(value(out, "scannable") == 1);
    CHECK(value(out, "connectable") == 0);
}

TEST_CASE("all three channels out of one wide record, or out of one each") {
    const auto a = pdu(0, skerry);
    const double levels[]{0.1, 0.08, 0.05};
    std::vector<Sent> all;
    for (int i = 0; i < 3; ++i) all.push_back({a, 40e-6 + 250e-6 * i, levels[i], false, 37 + i});
    const Outcome wide = run("radio.advertising", on_air(all, 850e-6, 90e6, 2441e6));
    std::vector<Input> each;
    const double centres[]{2402e6, 2426e6, 2480e6};
    for (std::size_t i = 0; i < 3; ++i) {
        Sent one = all[i];
        one.at_s = 50e-6;
        each.push_back(
            {i == 0 ? "record" : "record-" + std::to_string(i + 1), on_air({one}, 400e-6, 12e6, centres[i])});
    }
    const Outcome apart = run_inputs("radio.advertising", each);
    for (const Outcome* out : {&wide, &apart}) {
        REQUIRE_MESSAGE(!out->invalid, *out->invalid);
        for (int i = 0; i < 3; ++i) {
            const std::string name = "power_" + std::to_string(37 + i);
            CHECK(value(*out, name.c_str()) == within(0.2, 20 * std::log10(levels[i])));
        }
        CHECK(value(*out, "channels") == 3);
        CHECK(value(*out, "power_spread") == within(0.2, 20 * std::log10(2)));
    }
}

TEST_CASE("noise, another's packets and a record beside the channels give no device") {
    made::Samples noise(24000);
    made::add_noise(noise, 0.1);
    CHECK(run("radio.advertising", made::record(noise, 12e6, 2402e6, 0.0)).invalid);
    made::Gfsk test;
    test.rate = 12e6;
    CHECK(run("radio.advertising", made::record(test.make(), 12e6, 2402e6, 0.0)).invalid ==
          "no device was heard");
    // Whitened for another channel it is no packet of this one.
    const auto a = pdu(0, skerry);
    std::vector<Sent> wrong{{a, 50e-6}};
    wrong[0].channel = 38;
    CHECK(run("radio.advertising", on_air(wrong, 500e-6, 12e6, 2426e6)).find_result("power_38"));
    const IqRecord moved = made::record(
        [&] {
            made::Gfsk packet;
            packet.rate = 12e6, packet.address = 0x8E89BED6, packet.pdu = a, packet.whitened_for = 38;
            return packet.make();
        }(),
        12e6, 2402e6, 0.0);
    CHECK(run("radio.advertising", moved).invalid);
    const Outcome beside = run("radio.advertising", on_air({{a, 50e-6}}, 400e-6, 12e6, 2440e6));
    REQUIRE(beside.invalid);
    CHECK(beside.invalid->find("no advertising channel") != std::string::npos);
    // Cut off in the middle.
    IqRecord cut = on_air({{a, 280e-6}}, 600e-6);
    CHECK(run("radio.advertising", cut, {{"to", "400 us"}}).invalid);
}

TEST_CASE("packets are read down to where noise breaks their check, and no further") {
    const auto a = pdu(0, skerry);
    // Over 12 MHz; within the 2.4 MHz of the receiver the ratio is 7 dB better.
    for (const double db : {20.0, 12.0, 8.0, 4.0, 0.0, -6.0}) {
        std::vector<Sent> sent;
        for (int i = 0; i < 6; ++i) sent.push_back({a, 50e-6 + 300e-6 * i, 0.1});
        const Outcome out =
            run("radio.advertising", on_air(sent, 1.9e-3, 12e6, 2402e6, 0.1 * std::pow(10, -db / 20)));
        CAPTURE(db);
        if (db >= 8) {
            CHECK(value(out, "packets") == 6);
            CHECK(value(out, "power_37") == within(0.6, -20));
        }
        // Whatever is heard is the device, never another.
        for (const auto& row :
             out.tables.empty() ? std::vector<std::vector<Table::Cell>>{} : out.tables[0].rows)
            CHECK(std::get<std::string>(row[0]) == "c0:11:22:33:44:55");
    }
}
