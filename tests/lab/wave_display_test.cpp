// What the simulated oscilloscope shows, against what it was told.
#include "lab/simulate/wave_display.hpp"

#include <cmath>

#include "tests/about.hpp"
#include "tests/core/procedures.hpp"

using namespace rt;
using namespace rt::lab;

namespace {

Waveform shown(const DigitalWaveform& w, double span, double rate) {
    const auto points = static_cast<std::size_t>(span * rate) + 1;
    return waveform_in_memory(show_waveform(w, {span, points}, 5), span / static_cast<double>(points - 1));
}

DigitalWaveform link() {
    DigitalWaveform w;
    w.rate_bit_s = 1e9;
    w.amplitude_v = 0.3;
    w.rise_s = 150e-12;
    return w;
}

}  // namespace

TEST_CASE("a simulated serial signal has the jitter, rate and levels that it was given") {
    DigitalWaveform w = link();
    w.rate_error_ppm = -40;
    w.random_jitter_s = 5e-12;
    w.periodic_jitter_s = 30e-12;
    w.periodic_hz = 3e6;
    w.duty_cycle_s = 8e-12;
    const Waveform wave = shown(w, 40e-6, 20e9);
    const auto out = run("serial.jitter", wave);
    CHECK(value(out, "random_jitter") == about(5e-12).epsilon(0.12));
    CHECK(value(out, "periodic_jitter") == about(30e-12).epsilon(0.03));
    CHECK(value(out, "periodic_frequency") == about(3e6).epsilon(0.01));
    CHECK(value(out, "duty_cycle_distortion") == about(8e-12).epsilon(0.1));
    CHECK(value(run("serial.clock", wave, {{"symbol_rate", "1 GHz"}}), "rate_error") ==
          about(-40).epsilon(0.03));
    const auto edges = run("pulse.edges", wave, {{"edge_span", "20-80"}});
    CHECK(value(edges, "amplitude") == about(0.6).epsilon(0.01));
    CHECK(value(edges, "rise_time") == about(150e-12).epsilon(0.02));
    CHECK(value(run("serial.pattern", wave), "bit_errors") == 0);
}

TEST_CASE("a cable behind it makes edges slow and the eye small") {
    DigitalWaveform w = link();
    w.cable_hz = 400e6;
    const auto near = run("serial.eye", shown(link(), 5e-6, 20e9)),
               far = run("serial.eye", shown(w, 5e-6, 20e9));
    CHECK(value(near, "eye_height") == about(0.6).epsilon(0.02));
    CHECK(value(far, "eye_height") < 0.5);
    CHECK(value(run("serial.jitter", shown(w, 5e-6, 20e9)), "data_dependent_jitter") > 10e-12);
}

TEST_CASE("simulated bus traffic is read back: bytes, rise time, the late bit") {
    BusTraffic bus;
    bus.rate_hz = 100e3;
    bus.supply_v = 3.3;
    bus.rise_s = 500e-9;
    bus.fall_s = 60e-9;
    bus.data_delay_s = 800e-9;
    bus.address = 0x29;
    bus.bytes = {0x12, 0x34};
    bus.late_bit = 12;
    bus.late_by_s = 2e-6;
    const double span = 1.2e-3;
    const WaveDisplay display{span, 60001};
    const Waveform wave =
        waveform_in_memory({show_bus(bus, true, display, 1), show_bus(bus, false, display, 2)}, span / 60000);
    const auto out = run("bus.two-wire", wave, {{"supply", "3.3 V"}});
    CHECK(value(out, "clock_rise_greatest") == about(500e-9).epsilon(0.02));
    CHECK(value(out, "clock_fall_greatest") == about(60e-9).epsilon(0.05));
    CHECK(value(out, "bytes") >= 6);
    for (const auto& table : out.tables) {
        if (table.name != "bytes") continue;
        CHECK(std::get<std::string>(table.rows[1][2]) == "0x29 write");
        CHECK(std::get<std::string>(table.rows[2][2]) == "0x12");
        CHECK(std::get<std::string>(table.rows[3][2]) == "0x34");
    }
    CHECK(value(out, "data_valid_greatest") > 2.7e-6);
}

TEST_CASE("a simulated transmitter sends its test sequence with the distortion it was given") {
    DigitalWaveform w;
    w.pattern = "pam3-test";
    w.rate_bit_s = 200e6 / 3;
    w.amplitude_v = 1;
    w.rise_s = 5e-9;
    w.rate_error_ppm = 55;
    w.disturber_v = 2.7, w.disturber_hz = w.rate_bit_s / 6;
    const Settings settings{{"symbol_rate", "66.666667 MHz"}, {"disturber", "11.111111 MHz"}};
    const auto clean = run("ethernet.distortion", shown(w, 40e-6, 2e9), settings);
    CHECK(value(clean, "rate_error") == about(55).epsilon(0.01));
    CHECK(value(clean, "peak_distortion") < 0.5e-3);
    w.compression = 0.05;
    CHECK(value(run("ethernet.distortion", shown(w, 40e-6, 2e9), settings), "peak_distortion") > 10e-3);
}

TEST_CASE("simulated runs droop by their time constant, levels and bursts come as asked for") {
    DigitalWaveform w;
    w.pattern = "clock";
    w.run = 40;
    w.rate_bit_s = 200e6 / 3;
    w.amplitude_v = 1;
    w.rise_s = 3e-9;
    w.droop_s = 2e-6;
    const auto droop =
        run("ethernet.droop", shown(w, 40e-6, 1e9), {{"first", "50 ns"}, {"second", "450 ns"}});
    CHECK(value(droop, "droop_positive") == about(100 * (1 - std::exp(-0.4 / 2))).epsilon(0.01));
    DigitalWaveform four = link();
    four.pattern = "pam4-random";
    four.rise_s = 300e-12;
    const auto eye = run("serial.eye", shown(four, 20e-6, 20e9), {{"levels", "4"}, {"symbol_rate", "1 GHz"}});
    CHECK(value(eye, "level_mismatch_ratio") == about(1).epsilon(0.01));
    DigitalWaveform burst = link();
    burst.rate_bit_s = 1.5e9, burst.burst_s = 106.7e-9, burst.gap_s = 320e-9;
    const auto oob = run("storage.out-of-band", shown(burst, 10e-6, 20e9));
    CHECK(value(oob, "burst_least") == about(106.7e-9).epsilon(0.01));
    CHECK(value(oob, "init_gap_greatest") == about(320e-9).epsilon(0.01));
    CHECK(value(oob, "fewest_bursts") == 6);
}

TEST_CASE("a simulated pair goes through a handshake") {
    LinePair pair;
    pair.steps = {{0.4, 0, 5e6, 1e-3}, {0, 0, 0, 3.05e-3}, {3.3, 0, 0, 1e-3}};
    pair.rise_s = 10e-9;
    const WaveDisplay display{5e-3, 100001};
    const Waveform wave = waveform_in_memory(
        {show_pair(pair, false, display, 1), show_pair(pair, true, display, 1)}, 5e-3 / 100000);
    const auto out = run("usb.handshake", wave, {{"sequence", "suspend"}});
    CHECK(value(out, "suspend_time") == about(3.05e-3).epsilon(1e-3));
    CHECK(value(out, "j_plus_level") == about(3.3).epsilon(1e-3));
}

TEST_CASE("scrambled idle of 100BASE-TX is measured as it was made") {
    rt::lab::DigitalWaveform w;
    w.pattern = "mlt3-idle";
    w.rate_bit_s = 125e6, w.amplitude_v = 1.0, w.rise_s = 2.6e-9, w.duty_cycle_s = 0.2e-9;
    const auto volts = rt::lab::show_waveform(w, {40e-6, 160001}, 5);
    const auto out = run("ethernet.mlt3", rt::waveform_in_memory(volts, 0.25e-9));
    CHECK(value(out, "amplitude_positive") == within(2e-3, 1));
    CHECK(value(out, "amplitude_symmetry") == within(3e-3, 1));
    // 20 % to 80 % of an error function becomes 10 % to 90 %.
    CHECK(value(out, "edge_longest") == within(0.08e-9, 2.6e-9 * 1.522719));
    CHECK(value(out, "duty_cycle_distortion") == within(0.02e-9, 0.2e-9));
}
