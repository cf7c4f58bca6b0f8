// Levels of 10BASE-T and of the first test mode of 1000BASE-T, on signals that are sums of their edges.
#include <cmath>
#include <random>

#include "tests/about.hpp"
#include "tests/core/made_waves.hpp"
#include "tests/core/procedures.hpp"
#include "tests/expect_error.hpp"

using namespace rt;

namespace {

// Volts at times of changes: each a step with an error function of this 10-90 % time.
struct Step {
    double at_s, volts;
};

std::vector<double> sum_of(const std::vector<Step>& steps, double seconds, double rate, double rise_s) {
    const double sigma = rise_s / 2.5631 / std::sqrt(2.0) * std::sqrt(2.0);
    std::vector<double> out(static_cast<std::size_t>(seconds * rate));
    double settled = 0;
    std::size_t done = 0;
    for (std::size_t i = 0; i < out.size(); ++i) {
        const double t = static_cast<double>(i) / rate;
        while (done < steps.size() && steps[done].at_s < t - 6 * sigma) settled += steps[done++].volts;
        double x = settled;
        for (std::size_t k = done; k < steps.size() && steps[k].at_s < t + 6 * sigma; ++k)
            x += steps[k].volts * 0.5 * std::erfc((steps[k].at_s - t) / (sigma * std::sqrt(2.0)));
        out[i] = x;
    }
    return out;
}

// A high-pass of first order in front of the line.
void droop(std::vector<double>& x, double rate, double time_s) {
    const double keep = std::exp(-1 / (rate * time_s));
    double before = 0, out = 0;
    for (double& v : x) {
        out = keep * (out + v - before);
        before = v, v = out;
    }
}

void add_noise(std::vector<double>& x, double rms) {
    std::mt19937_64 random(7);
    std::normal_distribution<double> normal(0, rms);
    for (double& v : x) v += normal(random);
}

Waveform wave_of(const std::vector<double>& x, double rate) {
    return waveform_in_memory(x, 1 / rate);
}

struct TestMode {
    double volts = 0.75, down = 1, half = 0.5, rise_s = 3e-9, droop_s = 0, ppm = 0, noise = 0, begin_s = 3e-6,
           rate = 2e9;
    double seconds = 60e-6, sign = 1;

    Waveform make() const {
        const double symbol = 8e-9 / (1 + 1e-6 * ppm);
        std::vector<Step> steps;
        const auto level = [&](std::size_t i) -> double {
            if (i == 0) return volts;
            if (i == 128) return -volts * down;
            if (i == 256) return volts * half;
            if (i == 384) return -volts * half;
            if (i >= 512 && i < 1024) return i / 128 % 2 == 0 ? volts : -volts;
            return 0;
        };
        double now = 0;
        const double first = begin_s - 2 * 2048 * symbol;
        for (std::size_t k = 0; first + static_cast<double>(k) * symbol < seconds + 1e-6; ++k) {
            const double v = sign * level(k % 2048);
            if (v != now) steps.push_back({first + static_cast<double>(k) * symbol + 4e-6 * 0, v - now});
            now = v;
        }
        auto x = sum_of(steps, seconds, rate, rise_s);
        if (droop_s > 0) droop(x, rate, droop_s);
        if (noise > 0) add_noise(x, noise);
        return wave_of(x, rate);
    }
};

Outcome test_mode(const TestMode& made, const Settings& settings = {}) {
    return run("ethernet.test-mode-1", made.make(), settings);
}

// Manchester code: a one goes up in the middle of its bit.
struct Manchester {
    std::vector<int> bits;
    double volts = 2.5, rise_s = 10e-9, jitter_s = 0, ppm = 0, end_s = 300e-9, rate = 1e9, noise = 0,
           third = 0;

    Waveform make(int packets = 1) const {
        const double bit = 100e-9 / (1 + 1e-6 * ppm);
        std::vector<Step> steps;
        double t = 1e-6, now = 0;
        const auto to = [&](double at, double v) {
            if (v != now) steps.push_back({at, v - now});
            now = v;
        };
        for (int k = 0; k < packets; ++k) {
            for (std::size_t i = 0; i < bits.size(); ++i) {
                const double begin = t + static_cast<double>(i) * bit;
                const double wander =
                    jitter_s * std::sin(2 * 3.14159265358979 * 0.06 * static_cast<double>(i));
                to(begin + wander, bits[i] ? -volts : volts);
                to(begin + bit / 2 + wander, bits[i] ? volts : -volts);
            }
            const double end = t + static_cast<double>(bits.size()) * bit;
            to(end, volts);
            to(end + end_s, 0);
            t = end + 2e-6;
        }
        auto x = sum_of(steps, t + 1e-6, rate, rise_s);
        if (third > 0) {
            for (std::size_t i = 0; i < x.size(); ++i)
                x[i] += third * std::sin(2 * 3.14159265358979 * 30e6 * static_cast<double>(i) / rate);
        }
        if (noise > 0) add_noise(x, noise);
        return wave_of(x, rate);
    }
};

std::vector<int> random_bits(std::size_t count) {
    std::mt19937 random(3);
    std::vector<int> out(count);
    for (int& b : out) b = static_cast<int>(random() & 1U);
    return out;
}

std::string why(const Outcome& out) {
    return out.invalid.value_or("");
}

bool contains(const std::string& text, const std::string& part) {
    return text.find(part) != std::string::npos;
}

}  // namespace

TEST_CASE("test mode 1: peaks, their symmetry and droop are those that it was made with") {
    TestMode made;
    made.down = 0.97, made.half = 0.49;
    const Outcome out = test_mode(made);
    CHECK_MESSAGE(!out.invalid, why(out));
    CHECK(value(out, "peak_a") == within(2e-3, 0.75));  // 8 ns hold what edges of 3 ns reach
    CHECK(value(out, "peak_b") == within(2e-3, 0.75 * 0.97));
    CHECK(value(out, "peak_c") == within(2e-3, 0.75 * 0.49));
    CHECK(value(out, "symmetry_error") == within(0.05, 100 * 0.015 / 0.985));
    CHECK(value(out, "half_error") == within(0.2, std::abs(100 * (0.49 / (0.5 * 0.985) - 1))));
    CHECK(value(out, "left_of_f") == within(0.3, 100));
    CHECK(std::abs(value(out, "rate_error")) < 2);
    CHECK(value(out, "periods") == 3);
    // What a high-pass leaves of a step after 500 ns. Runs begin where the line has not settled: by the
    // closed form of the whole pattern.
    made = {};
    made.droop_s = 2e-6;
    const Outcome drooping = test_mode(made);
    const auto symbols_s = 128 * 8e-9;
    const double q = std::exp(-symbols_s / made.droop_s);
    // Output just behind the second and third edge of the runs, of which the first begins at nothing.
    const double second = -2 * 0.75 + 0.75 * q, third = 2 * 0.75 + second * q;
    (void)third;
    CHECK(value(drooping, "left_of_f") == within(1.0, 100 * std::exp(-500e-9 / made.droop_s)));
    CHECK(value(drooping, "left_of_h") == within(1.0, 100 * std::exp(-500e-9 / made.droop_s)));
    CHECK(second < 0);
}

TEST_CASE("test mode 1 under noise, clock error, another sample rate, and in the other sign") {
    TestMode made;
    made.ppm = 80, made.noise = 5e-3, made.seconds = 200e-6;
    const Outcome out = test_mode(made);
    CHECK_MESSAGE(!out.invalid, why(out));
    CHECK(value(out, "peak_a") == within(8e-3, 0.75));  // a peak in the noise that twelve periods leave
    CHECK(value(out, "rate_error") == within(3, 80));
    TestMode coarse;
    coarse.rate = 1.3e9;
    CHECK(value(test_mode(coarse), "peak_a") == within(6e-3, 0.75));
    TestMode turned;
    turned.sign = -1;
    CHECK(contains(why(test_mode(turned)), "conductors of the pair are exchanged"));
    TestMode slow;
    slow.rate = 500e6;
    CHECK(contains(why(test_mode(slow)), "samples a symbol"));
    TestMode brief;
    brief.seconds = 30e-6;
    CHECK(contains(why(test_mode(brief)), "shorter than two periods"));
    // Far off its clock: another signal.
    TestMode off;
    off.ppm = 3000;
    CHECK_FALSE(why(test_mode(off)).empty());
    // Only noise, a clock of +2 and -2 (test mode 2), nothing.
    std::vector<double> x(100000);
    add_noise(x, 0.2);
    CHECK(contains(why(run("ethernet.test-mode-1", wave_of(x, 2e9))), "not test mode 1"));
    for (std::size_t i = 0; i < x.size(); ++i) x[i] = i / 16 % 2 ? 0.75 : -0.75;
    CHECK(contains(why(run("ethernet.test-mode-1", wave_of(x, 2e9))), "not test mode 1"));
    std::fill(x.begin(), x.end(), 0.0);
    CHECK_FALSE(why(run("ethernet.test-mode-1", wave_of(x, 2e9))).empty());
}

TEST_CASE("10BASE-T: peaks, rate, jitter, harmonics and the end of packets are those that it was made with") {
    Manchester made;
    made.bits = random_bits(600), made.jitter_s = 2e-9, made.ppm = -60, made.volts = 2.4;
    const Outcome out = run("ethernet.manchester", made.make(3));
    CHECK_MESSAGE(!out.invalid, why(out));
    CHECK(value(out, "packets") == 3);
    CHECK(value(out, "peak_positive") == within(1e-2, 2.4));
    CHECK(value(out, "least_peak") == within(1e-2, 2.4));
    CHECK(value(out, "rate_error") == within(3, -60));
    // Sines of 2 ns, 8 and 8.5 bits apart at 0.06 cycles a bit: 2 sin(pi f n) of it, and 8.5 bits at 60 ppm.
    const double most = 2 * 2e-9 * std::abs(std::sin(3.14159265 * 0.06 * 8.5));
    CHECK(value(out, "edge_jitter") == within(0.2e-9, most + 8.5 * 100e-9 * 60e-6));
    CHECK(value(out, "end_length") == within(5e-9, 300e-9));
    CHECK(out.lacking.contains("harmonics"));
    // All ones is a square wave: its third harmonic is 9.5 dB down, with long edges more.
    Manchester ones;
    ones.bits.assign(300, 1);
    ones.rise_s = 30e-9;
    const double sigma = 30e-9 / 2.5631;
    const auto edge = [&](double hz) { return std::exp(-2 * std::pow(3.14159265 * hz * sigma, 2)); };
    const double square = 20 * std::log10(edge(30e6) / edge(10e6) / 3);
    CHECK(value(run("ethernet.manchester", ones.make()), "harmonics") == within(0.1, square));
}

TEST_CASE("10BASE-T in noise and cut short; what is none is refused") {
    Manchester made;
    made.bits = random_bits(400), made.noise = 0.05;
    CHECK(value(run("ethernet.manchester", made.make()), "end_length") == within(10e-9, 300e-9));
    Manchester endless = made;
    endless.end_s = 2.5e-6;  // never falls before the next packet or the end of the record
    CHECK(run("ethernet.manchester", endless.make()).find_result("end_length") != nullptr);
    Manchester fast = made;
    fast.ppm = 40000;
    CHECK_FALSE(why(run("ethernet.manchester", fast.make())).empty());
    std::vector<double> x(50000);
    add_noise(x, 1);
    CHECK_FALSE(why(run("ethernet.manchester", wave_of(x, 1e9))).empty());
    for (std::size_t i = 0; i < x.size(); ++i)
        x[i] = std::sin(2 * 3.14159265 * 3.3e6 * static_cast<double>(i) / 1e9);
    CHECK_FALSE(why(run("ethernet.manchester", wave_of(x, 1e9))).empty());
    std::fill(x.begin(), x.end(), 1.0);
    CHECK(contains(why(run("ethernet.manchester", wave_of(x, 1e9))), "one side of zero"));
    Manchester brief;
    brief.bits = {1, 0, 1};
    CHECK(contains(why(run("ethernet.manchester", brief.make())), "at least eight bits"));
    Manchester coarse;
    coarse.bits = random_bits(400), coarse.rate = 50e6;
    CHECK(contains(why(run("ethernet.manchester", coarse.make())), "fewer than eight samples"));
}
