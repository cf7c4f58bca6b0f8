// Handshakes of a USB port drawn from known times.
#include <cmath>
#include <random>

#include "core/base/error.hpp"
#include "core/signal/waveform.hpp"
#include "tests/about.hpp"
#include "tests/core/procedures.hpp"

using namespace rt;

namespace {

constexpr double us = 1e-6, ms = 1e-3, rate = 20e6;

// Both lines as levels one behind the other.
class Port {
  public:
    Port& level(double plus, double minus, double seconds) {
        for (double t = 0; t + 0.5 / rate < seconds; t += 1 / rate)
            plus_.push_back(plus), minus_.push_back(minus);
        return *this;
    }
    Port& idle(double seconds) { return level(0, 0, seconds); }
    // Packets of 5 us every 125 us, about 400 mV on one line or the other.
    Port& traffic(double seconds) {
        for (double t = 0; t < seconds; t += 125 * us) {
            for (int i = 0; i < 100; ++i) {
                const bool high = random_() % 2;
                plus_.push_back(high ? 0.4 : 0), minus_.push_back(high ? 0 : 0.4);
            }
            if (t + 125 * us < seconds) idle(120 * us);
        }
        return *this;
    }
    // An edge of full speed: both lines on their way for 100 ns.
    Port& way(double plus_from, double minus_from, double plus_to, double minus_to) {
        for (int i = 0; i < 2; ++i) {
            plus_.push_back(plus_from + (plus_to - plus_from) * (i + 1) / 3);
            minus_.push_back(minus_from + (minus_to - minus_from) * (i + 1) / 3);
        }
        return *this;
    }
    Waveform wave() const { return waveform_in_memory({plus_, minus_}, 1 / rate); }

  private:
    std::vector<double> plus_, minus_;
    std::mt19937 random_{4};
};

void check(const Outcome& out, const char* name, double expected) {
    CAPTURE(name);
    CHECK(std::abs(value(out, name) - expected) < 4 / rate);
}

}  // namespace

TEST_CASE("suspend: full-speed J after the last packet, with its levels") {
    const auto wave =
        Port().traffic(5 * ms).idle(3.06 * ms).way(0, 0, 3.1, 0.1).level(3.1, 0.1, 5 * ms).wave();
    const auto out = run("usb.handshake", wave, {{"sequence", "suspend"}});
    check(out, "suspend_time", 3.06 * ms);
    CHECK(value(out, "j_plus_level") == about(3.1).epsilon(1e-4));
    CHECK(value(out, "j_minus_level") == about(0.1).epsilon(0.001));
    const auto wrong = run("usb.handshake", wave, {{"sequence", "resume"}});
    REQUIRE(wrong.invalid);
    CHECK(wrong.invalid->starts_with("expected: J, K, high-speed idle; seen: high-speed traffic"));
}

TEST_CASE("resume: K, back to high speed, first packet") {
    const auto wave = Port()
                          .level(3.2, 0, 3 * ms)
                          .way(3.2, 0, 0, 3.2)
                          .level(0, 3.2, 22 * ms)
                          .way(0, 3.2, 0, 0)
                          .idle(1.7 * ms)
                          .traffic(1 * ms)
                          .wave();
    const auto out = run("usb.handshake", wave, {{"sequence", "resume"}});
    check(out, "resume_length", 22 * ms);
    check(out, "return_time", 0.1 * us);
    check(out, "traffic_delay", 1.7 * ms);
}

TEST_CASE("resets: chirps of device and host, terminations") {
    for (const bool suspended : {false, true}) {
        CAPTURE(suspended);
        Port port;
        if (suspended) {
            port.level(3.2, 0, 2 * ms).way(3.2, 0, 0, 0).idle(1.2 * ms);
        } else {
            port.traffic(2 * ms).idle(3.7 * ms);
        }
        port.level(0, 0.8, 2.1 * ms).idle(60 * us);
        for (int k = 0; k < 10; ++k) {
            // After three pairs and 120 us the device's terminations halve the level.
            const double level = k < 6 ? 0.8 : 0.4;
            k % 2 == 0 ? port.level(0, k == 6 || k == 7 ? 0.8 : level, 50 * us)
                       : port.level(k == 6 || k == 7 ? 0.8 : level, 0, (k == 3 ? 55 : 50) * us);
        }
        port.idle(300 * us).traffic(1 * ms);
        const auto out = run("usb.handshake", port.wave(),
                             {{"sequence", suspended ? "reset-from-suspend" : "reset-from-high-speed"}});
        check(out, "chirp_start", suspended ? 1.2 * ms : 3.7 * ms);
        check(out, "chirp_length", 2.1 * ms);
        CHECK(value(out, "chirp_level") == about(0.8).epsilon(0.001));
        check(out, "host_delay", 60 * us);
        check(out, "host_chirp_least", 50 * us);
        check(out, "host_chirp_greatest", 55 * us);
        CHECK(value(out, "host_chirps") == 10);
        check(out, "termination_time", 100 * us);
        check(out, "end_time", 300 * us);
    }
}

TEST_CASE("terminations within a chirp, a device that is late, and chirps that the record cuts off") {
    // The level halves this long after the third pair, in the middle of a chirp.
    for (const double late : {495 * us, 500 * us, 510 * us, 522 * us, 600 * us}) {
        CAPTURE(late);
        Port port;
        port.traffic(2 * ms).idle(3.7 * ms).level(0, 0.8, 2.1 * ms).idle(60 * us);
        for (int k = 0; k < 24; ++k) {
            const double begin = (k - 6) * 50 * us, full = std::clamp(late - begin, 0.0, 50 * us);
            k % 2 == 0 ? port.level(0, 0.8, full).level(0, 0.4, 50 * us - full)
                       : port.level(0.8, 0, full).level(0.4, 0, 50 * us - full);
        }
        port.idle(300 * us).traffic(1 * ms);
        const auto out = run("usb.handshake", port.wave(), {{"sequence", "reset-from-high-speed"}});
        CHECK(std::abs(value(out, "termination_time") - late) < 0.3 * us);
    }
    // Both lines are low 0.1 us after K, but the pull-up holds D+ at 96 mV.
    for (const double late : {1 * us, 5 * us, 200 * us}) {
        CAPTURE(late);
        const auto resume = [&](double goes) {
            Port port;
            port.level(3.2, 0, 3 * ms).way(3.2, 0, 0, 3.2).level(0, 3.2, 22 * ms).way(0, 3.2, 0.096, 0);
            port.level(0.096, 0.002, goes).idle(1.7 * ms - goes).traffic(1 * ms);
            return run("usb.handshake", port.wave(), {{"sequence", "resume"}});
        };
        CHECK(std::abs(value(resume(late), "return_time") - late) < 0.3 * us);
        const auto never = resume(1.7 * ms);
        const Result* open = never.find_result("return_time");
        REQUIRE(open);
        CHECK(open->known == Known::at_least);
        CHECK(open->value.value > 1.6 * ms);
    }
    const auto cut = [](double seconds) {
        const auto out =
            run("usb.handshake", Port().traffic(2 * ms).idle(3.7 * ms).level(0, 0.8, seconds).wave(),
                {{"sequence", "reset-from-high-speed"}});
        const Result* length = out.find_result("chirp_length");
        REQUIRE(length);
        CHECK(length->known == Known::at_least);
        CHECK(length->value.value == about(seconds).epsilon(0.01));
    };
    cut(5 * ms);
    cut(0.4 * ms);
}

TEST_CASE("what is no handshake has no verdict") {
    const auto still =
        run("usb.handshake", Port().level(3.2, 0, 5 * ms).wave(), {{"sequence", "reset-from-suspend"}});
    REQUIRE(still.invalid);
    CHECK(still.invalid->find("seen: J 5 ms") != std::string::npos);
    CHECK_THROWS_AS(run("usb.handshake", Port().idle(1 * ms).wave()), Error);
}

TEST_CASE("levels of a held state, and a line that holds none") {
    const auto levels = [](double plus, double minus, const char* state) {
        return run("usb.levels", Port().level(plus, minus, ms).wave(), {{"state", state}});
    };
    const auto j = levels(0.412, 0.004, "j");
    CHECK(value(j, "driven_level") == about(0.412).epsilon(1e-4));
    CHECK(value(j, "resting_level") == about(0.004).epsilon(1e-4));
    const auto k = levels(-0.003, 0.377, "k");
    CHECK(value(k, "driven_level") == about(0.377).epsilon(1e-4));
    CHECK(value(levels(0.002, -0.011, "se0"), "resting_level") == about(-0.011).epsilon(1e-4));
    const auto wrong = levels(0.4, 0, "k");
    REQUIRE(wrong.invalid);
    CHECK(wrong.invalid->find("expected: a steady k; seen: j") == 0);
    const auto moving = run("usb.levels", Port().traffic(ms).wave(), {{"state", "se0"}});
    REQUIRE(moving.invalid);
    CHECK(moving.invalid->find("no state is held") != std::string::npos);
}
