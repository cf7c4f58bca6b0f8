// Registers of modules, written down byte by byte from the tables of the standards.
#include <doctest/doctest.h>

#include <cstring>

#include "core/signal/registers.hpp"
#include "tests/about.hpp"
#include "tests/core/procedures.hpp"

using namespace rt;

namespace {

struct Image {
    Registers registers;

    void put(int device, int page, int place, std::initializer_list<int> bytes) {
        for (const int value : bytes) registers.set(device, page, place++, static_cast<std::uint8_t>(value));
    }
    void zeros(int device, int page, int from, int to) {
        for (int place = from; place <= to; ++place) registers.set(device, page, place, 0);
    }
    void text(int device, int page, int place, std::size_t length, std::string words) {
        words.resize(length, ' ');
        for (const char c : words) registers.set(device, page, place++, static_cast<std::uint8_t>(c));
    }
    void word(int device, int page, int place, int value) {
        put(device, page, place, {value >> 8 & 255, value & 255});
    }
    void four(int device, int page, int place, int high_alarm, int low_alarm, int high_warning,
              int low_warning) {
        for (const int value : {high_alarm, low_alarm, high_warning, low_warning})
            word(device, page, place, value), place += 2;
    }
    void single(int device, int place, float value) {
        std::uint32_t bits = 0;
        std::memcpy(&bits, &value, 4);
        for (int k = 3; k >= 0; --k) put(device, 0, place++, {static_cast<int>(bits >> (8 * k) & 255)});
    }
    void sum(int device, int page, int from, int to, int place) {
        int total = 0;
        for (int at = from; at <= to; ++at) total += *registers.at(device, page, at);
        put(device, page, place, {total & 255});
    }
};

// An SFP: 30.5 degC, 3.2975 V, 6.2 mA, -2.676 dBm sent, -5.229 dBm received.
Image sfp() {
    Image out;
    out.zeros(0, 0, 0, 255);
    out.zeros(1, 0, 0, 255);
    out.put(0, 0, 0, {0x03, 0x04, 0x07});
    out.put(0, 0, 12, {103});
    out.text(0, 0, 20, 16, "NORTHHAVEN");
    out.text(0, 0, 40, 16, "NT-SFP-850");
    out.word(0, 0, 60, 850);
    out.text(0, 0, 68, 16, "NT0001");
    out.text(0, 0, 84, 8, "260301A1");
    out.put(0, 0, 92, {0x68});  // monitors, internal, average power
    out.sum(0, 0, 0, 62, 63);
    out.sum(0, 0, 64, 94, 95);
    out.four(1, 0, 0, 75 * 256, -10 * 256, 70 * 256, -5 * 256);
    out.four(1, 0, 8, 36000, 30000, 35000, 31000);
    out.four(1, 0, 16, 6000, 1000, 5500, 1500);   // 12, 2, 11, 3 mA
    out.four(1, 0, 24, 10000, 1000, 7943, 1259);  // 0, -10, -1, -9 dBm
    out.four(1, 0, 32, 10000, 316, 7943, 501);    // 0, -15, -1, -13 dBm
    out.sum(1, 0, 0, 94, 95);
    out.word(1, 0, 96, 30 * 256 + 128);
    out.word(1, 0, 98, 32975);
    out.word(1, 0, 100, 3100);
    out.word(1, 0, 102, 5400);
    out.word(1, 0, 104, 3000);
    return out;
}

Image qsfp() {
    Image out;
    out.zeros(0, 0, 0, 255);
    out.zeros(0, 3, 128, 255);
    out.put(0, 0, 0, {0x11, 0x08});
    out.word(0, 0, 22, -3 * 256 & 0xFFFF);
    out.word(0, 0, 26, 33000);
    for (int lane = 0; lane < 4; ++lane) {
        out.word(0, 0, 34 + 2 * lane, 4000 + 1000 * lane);
        out.word(0, 0, 42 + 2 * lane, 3000 + 100 * lane);
        out.word(0, 0, 50 + 2 * lane, 9000 - 1000 * lane);
    }
    out.text(0, 0, 148, 16, "NORTHHAVEN");
    out.text(0, 0, 168, 16, "NT-QSFP");
    out.text(0, 0, 196, 16, "NQ0007");
    out.put(0, 0, 220, {0x0C});
    out.sum(0, 0, 128, 190, 191);
    out.sum(0, 0, 192, 222, 223);
    out.four(0, 3, 128, 75 * 256, -5 * 256, 70 * 256, 0);
    out.four(0, 3, 144, 36300, 29700, 34650, 31350);
    out.four(0, 3, 176, 15849, 1000, 10000, 2000);
    out.four(0, 3, 184, 5000, 1000, 4500, 1500);
    out.four(0, 3, 192, 15849, 1585, 12589, 2512);
    return out;
}

Image cmis() {
    Image out;
    for (const int page : {0, 1, 2, 0x11}) out.zeros(0, page, page == 0 ? 0 : 128, 255);
    out.put(0, 0, 0, {0x18, 0x50, 0x00, 0x07});   // ready
    out.put(0, 0, 86, {0x0B, 0x02, 0x44, 0x01});  // four lanes on either side
    out.word(0, 0, 14, 45 * 256);
    out.word(0, 0, 16, 33100);
    out.text(0, 0, 129, 16, "NORTHHAVEN");
    out.text(0, 0, 166, 16, "NC0042");
    out.sum(0, 0, 128, 221, 222);
    out.put(0, 1, 160, {0x08});  // bias in steps of 4 uA
    out.sum(0, 1, 130, 254, 255);
    out.four(0, 2, 128, 75 * 256, -5 * 256, 70 * 256, 0);
    out.four(0, 2, 136, 36300, 29700, 34650, 31350);
    out.four(0, 2, 176, 20000, 2000, 15000, 3000);
    out.four(0, 2, 184, 25000, 2500, 20000, 3000);
    out.four(0, 2, 192, 20000, 1000, 15000, 2000);
    out.sum(0, 2, 128, 254, 255);
    for (int lane = 0; lane < 8; ++lane) {
        // Lanes 5 to 8 are not there and would be alarms.
        out.word(0, 0x11, 154 + 2 * lane, lane < 4 ? 10000 : 0);
        out.word(0, 0x11, 170 + 2 * lane, lane < 4 ? 10000 : 0);
        out.word(0, 0x11, 186 + 2 * lane, lane < 4 ? 8000 : 0);
    }
    return out;
}

Outcome of(const Image& image, const Settings& settings = {}) {
    return run("module.registers", image.registers, settings);
}

double dbm_of(double tenths_uw) {
    return 10 * std::log10(tenths_uw * 1e-4);
}

}  // namespace

TEST_CASE("SFP with internal calibration: monitors, limits of its own, checksums") {
    const auto out = of(sfp());
    CHECK(value(out, "checksum_errors") == 0);
    CHECK(value(out, "temperature") == about(30.5));
    CHECK(value(out, "supply") == about(3.2975));
    CHECK(value(out, "bias_highest") == about(6.2e-3));
    CHECK(value(out, "tx_power_lowest") == about(dbm_of(5400)));
    CHECK(value(out, "rx_power_highest") == about(dbm_of(3000)));
    CHECK(value(out, "temperature_to_alarm") == about(40.5));
    CHECK(value(out, "temperature_to_warning") == about(35.5));
    CHECK(value(out, "supply_to_alarm") == about(3.2975 - 3.0));
    CHECK(value(out, "tx_power_to_warning") == about(dbm_of(7943) - dbm_of(5400)));
    CHECK(value(out, "alarms") == 0);
    CHECK(value(out, "warnings") == 0);
}

TEST_CASE("beyond a limit is strictly beyond, and an alarm outranks a warning") {
    const auto at = [](int raw) {
        Image image = sfp();
        image.word(1, 0, 98, raw);
        return of(image);
    };
    for (const auto& [raw, alarms, warnings] : {std::tuple{35000, 0, 0},
                                                {35001, 0, 1},
                                                {36000, 0, 1},
                                                {36001, 1, 0},
                                                {31000, 0, 0},
                                                {30999, 0, 1},
                                                {30000, 0, 1},
                                                {29999, 1, 0}}) {
        CAPTURE(raw);
        CHECK(value(at(raw), "alarms") == alarms);
        CHECK(value(at(raw), "warnings") == warnings);
    }
    CHECK(value(at(36000), "supply_to_alarm") == within(1e-9, 0));
    CHECK(value(at(36001), "supply_to_alarm") == within(1e-9, -100e-6));
}

TEST_CASE("external calibration: slopes, offsets and the polynomial of received power") {
    Image image = sfp();
    image.put(0, 0, 92, {0x58});
    image.sum(0, 0, 64, 94, 95);
    image.single(1, 56, 0), image.single(1, 60, 0), image.single(1, 64, 1e-4F), image.single(1, 68, 0.5F),
        image.single(1, 72, 20);
    image.word(1, 0, 76, 512), image.word(1, 0, 78, 10);             // bias: 2 raw + 10
    image.word(1, 0, 80, 128), image.word(1, 0, 82, -100 & 0xFFFF);  // sent: raw / 2 - 100
    image.word(1, 0, 84, 256), image.word(1, 0, 86, 256);            // temperature: + 1 degC
    image.word(1, 0, 88, 256), image.word(1, 0, 90, 25);             // supply: + 2.5 mV
    image.sum(1, 0, 0, 94, 95);
    const auto out = of(image);
    CHECK(value(out, "temperature") == about(31.5));
    CHECK(value(out, "supply") == about(3.3));
    CHECK(value(out, "bias_lowest") == about((2 * 3100 + 10) * 2e-6));
    CHECK(value(out, "tx_power_lowest") == about(dbm_of(5400 / 2.0 - 100)));
    CHECK(value(out, "rx_power_lowest") == about(dbm_of(1e-4 * 3000 * 3000 + 0.5 * 3000 + 20)).epsilon(1e-4));
    // Limits go through the same.
    CHECK(value(out, "temperature_to_alarm") == about(40.5));
    // Without a right checksum nobody knows how to scale.
    image.put(1, 0, 95, {*image.registers.at(1, 0, 95) ^ 1});
    const auto wrong = of(image);
    CHECK(value(wrong, "checksum_errors") == 1);
    CHECK_FALSE(wrong.find_result("temperature"));
    CHECK(wrong.lacking.at("temperature").find("checksum of its calibration") != std::string::npos);
}

TEST_CASE("what is not there gives no value and no limit") {
    Image cut = sfp();
    cut.registers.pages.erase({1, 0});
    auto out = of(cut);
    CHECK_FALSE(out.find_result("temperature"));
    CHECK_FALSE(out.find_result("temperature_to_alarm"));
    CHECK_FALSE(out.find_result("checksum_errors"));
    CHECK(out.find_result("alarms")->known == Known::at_least);
    Image wrong = sfp();
    wrong.word(1, 0, 8, 50000);  // a limit that the checksum no longer covers
    out = of(wrong);
    CHECK(value(out, "checksum_errors") == 1);
    CHECK(value(out, "supply") == about(3.2975));
    CHECK_FALSE(out.find_result("supply_to_alarm"));
    Image none = sfp();
    none.put(0, 0, 92, {0x00});
    none.sum(0, 0, 64, 94, 95);
    CHECK(of(none).lacking.at("rx_power_lowest").find("has no monitors") != std::string::npos);
    Image early = sfp();
    early.put(1, 0, 110, {0x01});
    CHECK(of(early).lacking.at("temperature").find("not ready") != std::string::npos);
    Image unlimited = sfp();
    unlimited.zeros(1, 0, 0, 39);
    unlimited.sum(1, 0, 0, 94, 95);
    CHECK(of(unlimited).lacking.at("bias_to_alarm").find("states no limits") != std::string::npos);
    Image strange = sfp();
    strange.put(0, 0, 0, {0x55});
    CHECK(of(strange).invalid);
    Image dark = sfp();
    dark.word(1, 0, 104, 0);
    out = of(dark);
    CHECK(value(out, "rx_power_lowest") == within(0.01, -43.01));
    CHECK(out.find_result("rx_power_lowest")->known == Known::at_most);
    CHECK(value(out, "alarms") == 1);
    CHECK(value(out, "rx_power_to_alarm") < -25);
    CHECK(of(sfp(), {{"serial", "NT0001"}}).find_result("supply"));
    CHECK(of(sfp(), {{"serial", "NT0002"}}).invalid);
}

TEST_CASE("flags: faults, lost signals, latched alarms and warnings") {
    Image image = sfp();
    image.put(1, 0, 110, {0x06});
    image.put(1, 0, 112, {0x81});
    image.put(1, 0, 113, {0x40});
    image.put(1, 0, 116, {0x20});
    const auto out = of(image);
    CHECK(value(out, "faults") == 2);
    CHECK(value(out, "latched_alarms") == 3);
    CHECK(value(out, "latched_warnings") == 1);
}

TEST_CASE("QSFP: four lanes, limits on page 03h, flags of lanes") {
    Image image = qsfp();
    auto out = of(image);
    CHECK(value(out, "lanes") == 4);
    CHECK(value(out, "temperature") == about(-3.0));
    CHECK(value(out, "temperature_to_alarm") == about(2.0));
    CHECK(value(out, "temperature_to_warning") == about(-3.0));
    CHECK(value(out, "warnings") == 1);
    CHECK(value(out, "rx_power_lowest") == about(dbm_of(4000)));
    CHECK(value(out, "rx_power_highest") == about(dbm_of(7000)));
    CHECK(value(out, "tx_power_lowest") == about(dbm_of(6000)));
    CHECK(value(out, "bias_highest") == about(6.6e-3));
    image.put(0, 0, 3, {0x81});   // lane 4 to transmit, lane 1 received
    image.put(0, 0, 10, {0x84});  // lane 3 high alarm, lane 4 low alarm, of received power
    out = of(image);
    CHECK(value(out, "faults") == 2);
    CHECK(value(out, "latched_alarms") == 2);
    out = of(image, {{"lanes", "2 3"}});
    CHECK(value(out, "faults") == 0);
    CHECK(value(out, "latched_alarms") == 1);
    CHECK(value(out, "rx_power_lowest") == about(dbm_of(5000)));
    Image mute = qsfp();
    mute.put(0, 0, 220, {0x08});
    mute.sum(0, 0, 192, 222, 223);
    CHECK(of(mute).lacking.at("tx_power_lowest").find("does not monitor") != std::string::npos);
    Image flat = qsfp();
    flat.registers.pages.erase({0, 3});
    flat.put(0, 0, 2, {0x04});
    CHECK(of(flat).lacking.at("rx_power_to_alarm").find("one page only") != std::string::npos);
}

TEST_CASE("CMIS: lanes of its first application, multiplier of bias, state") {
    Image image = cmis();
    auto out = of(image);
    CHECK(value(out, "lanes") == 4);
    CHECK(value(out, "checksum_errors") == 0);
    CHECK(value(out, "alarms") == 0);
    CHECK(value(out, "bias_lowest") == about(10000 * 4e-6));
    CHECK(value(out, "bias_to_warning") == about(7000 * 4e-6));
    CHECK(value(out, "tx_power_to_alarm") == about(dbm_of(20000) - dbm_of(10000)));
    image.put(0, 0x11, 147, {0x04});
    image.put(0, 0x11, 150, {0x02});  // low alarm of received power, lane 2
    image.put(0, 0, 9, {0x11});
    out = of(image);
    CHECK(value(out, "faults") == 1);
    CHECK(value(out, "latched_alarms") == 3);
    Image low = cmis();
    low.put(0, 0, 3, {0x02});
    out = of(low);
    CHECK(value(out, "temperature") == about(45.0));
    CHECK(out.lacking.at("tx_power_lowest").find("low power") != std::string::npos);
    CHECK(out.find_result("faults")->known == Known::at_least);
    Image wrong = cmis();
    wrong.put(0, 2, 255, {0});
    out = of(wrong);
    CHECK(value(out, "checksum_errors") == 1);
    CHECK_FALSE(out.find_result("temperature_to_alarm"));
}

TEST_CASE("a bus that nobody drives is no module") {
    Registers all;
    for (int place = 0; place < 256; ++place) all.set(0, 0, place, 0xFF);
    const auto out = run("module.registers", all);
    REQUIRE(out.invalid);
    CHECK(out.invalid->find("nobody drives the bus") != std::string::npos);
}
