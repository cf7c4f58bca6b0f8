// Calibrations of an analyser whose waves are solved for one by one: corrected data must be the device.
#include "core/network/calibrate.hpp"

#include <doctest/doctest.h>

#include <memory>

#include "core/base/error.hpp"
#include "core/network/correct_network.hpp"
#include "core/network/standard.hpp"
#include "tests/core/made_network.hpp"

using namespace rt;
using namespace made;

namespace {

const std::vector<double> hz = grid(0.2e9, 20e9, 100);

Standard standard(const char* name, StandardKind kind, double delay_ps = 0) {
    Standard out;
    out.name = name, out.kind = kind;
    out.delay_s = delay_ps * 1e-12;
    return out;
}

CalibrationKit kit() {
    CalibrationKit out;
    out.title = "made";
    Standard open = standard("open", StandardKind::open, 29),
             closed = standard("short", StandardKind::short_circuit, 31);
    open.capacitance = {49e-15, -310e-27, 23e-36, -0.16e-45};
    open.loss_ohm_s = 2.2e9;
    closed.inductance = {2e-12, -108e-24, 2.2e-33, -0.01e-42};
    closed.loss_ohm_s = 2.3e9;
    Standard load = standard("load", StandardKind::load);
    load.resistance_ohm = 50.4, load.inductance = {3e-12};
    out.standards = {open,
                     closed,
                     load,
                     standard("offset-short", StandardKind::short_circuit, 47),
                     standard("thru", StandardKind::thru),
                     standard("line", StandardKind::line, 12),
                     standard("line-2", StandardKind::line, 80),
                     standard("reflect", StandardKind::reflect)};
    Standard match = load;
    match.name = "match";
    out.standards.push_back(match);
    return out;
}

Complex reflects(const std::string& name, double f) {
    const CalibrationKit all = kit();
    return reflection_of(*all.find(name, 1), f, 50);
}

// A transistor-like thing: nothing symmetric, gain one way.
Two device(double f) {
    const double ghz = f / 1e9;
    return {std::polar(0.6, -0.1 * ghz), std::polar(0.05, 0.03 * ghz), std::polar(3.0, 2.5 - 0.15 * ghz),
            std::polar(0.4, -1 - 0.05 * ghz)};
}

class Bench {
  public:
    double noise = 0;
    Complex cross = 0;

    void at_port(const std::string& name, std::size_t port, const std::string& really = "") {
        const std::string is = really.empty() ? name : really;
        add(name, port, [&, is, port](double f) {
            const Complex g = reflects(is, f);
            return port == 1 ? ends(g, 0) : ends(0, g);
        });
    }
    template <typename At>
    void add(const std::string& name, std::size_t port, At&& at) {
        data_.push_back(std::make_unique<Network>(raw(hz, at, noise > 0 ? &wild_ : nullptr, noise, cross)));
        readings.push_back({name, port, data_.back().get()});
    }
    void thru(const std::string& name = "thru", double ps = 0) {
        add(name, 0, [ps](double f) {
            const Complex t = std::polar(1.0, -2 * std::numbers::pi * f * ps * 1e-12);
            return Two{0, t, t, 0};
        });
    }
    void three_each() {
        for (const std::size_t port : {1, 2})
            for (const char* name : {"open", "short", "load"}) at_port(name, port);
    }
    void switch_terms() {
        data_.push_back(std::make_unique<Network>(network(hz, 2, [](double f) {
            const Analyser a = analyser(f);
            return std::vector<Complex>{0, a.backward, a.forward, 0};
        })));
        readings.push_back({"switch-terms", 0, data_.back().get()});
    }
    Network read(Two (*what)(double) = device) {
        return raw(hz, what, noise > 0 ? &wild_ : nullptr, noise, cross);
    }

    std::vector<StandardReading> readings;

  private:
    std::vector<std::unique_ptr<Network>> data_;
    Wild wild_{5};
};

double apart(const Network& n, Two (*what)(double)) {
    double worst = 0;
    for (std::size_t i = 0; i < hz.size(); ++i) {
        const Two is = two_at(n, i), should = what(hz[i]);
        for (const Complex& v : {is.a - should.a, is.b - should.b, is.c - should.c, is.d - should.d})
            worst = std::max(worst, std::abs(v));
    }
    return worst;
}

CalibrationOptions by(CalibrationMethod method) {
    CalibrationOptions out;
    out.method = method;
    return out;
}

std::string refusal(Bench& bench, CalibrationMethod method = CalibrationMethod::two_port) {
    try {
        calibrate(kit(), bench.readings, by(method));
    } catch (const Error& error) {
        return error.message();
    }
    return "";
}

bool flagged(const ErrorTerms& terms, const std::string& what) {
    for (const auto& text : terms.deviations) {
        if (text.find(what) != std::string::npos) return true;
    }
    return false;
}

}  // namespace

TEST_CASE("standards reflect what their chain of line and end does") {
    const CalibrationKit all = kit();
    for (const char* name : {"open", "short", "load", "offset-short"}) {
        const Standard& s = *all.find(name, 1);
        for (const double f : {0.05e9, 1e9, 18e9}) {
            const double w = 2 * std::numbers::pi * f, root = std::sqrt(f / 1e9);
            const double a = s.loss_ohm_s * s.delay_s / (2 * s.impedance_ohm) * root;
            const Complex gl(a, w * s.delay_s + a);
            const Complex zc = s.impedance_ohm + (Complex(1, -1)) * s.loss_ohm_s / (2 * w) * root;
            const auto poly = [&](const std::array<double, 4>& c) {
                return c[0] + c[1] * f + c[2] * f * f + c[3] * f * f * f;
            };
            const Complex end = s.kind == StandardKind::open ? 1.0 / Complex(0, w * poly(s.capacitance))
                                : s.kind == StandardKind::load
                                    ? Complex(s.resistance_ohm, w * poly(s.inductance))
                                    : Complex(0, w * poly(s.inductance));
            // Input impedance of a line.
            const Complex t = std::tanh(gl), z = zc * (end + zc * t) / (zc + end * t);
            CHECK(std::abs(reflection_of(s, f, 50) - (z - 50.0) / (z + 50.0)) < 1e-12);
        }
    }
    // A line on another reference, by hyperbolic functions.
    Standard line = standard("line", StandardKind::line, 100);
    line.impedance_ohm = 35, line.loss_ohm_s = 5e9;
    const double f = 3e9;
    const OffsetLine o = offset_line(line, f);
    const Complex ch = std::cosh(o.gamma_l), sh = std::sinh(o.gamma_l), zc = o.impedance_ohm;
    const Complex b = zc * sh, c = sh / zc, den = 2.0 * ch + b / 50.0 + c * 50.0;
    const Two s = transmission_of(line, f, 50);
    CHECK(std::abs(s.c - 2.0 / den) < 1e-12);
    CHECK(std::abs(s.a - (b / 50.0 - c * 50.0) / den) < 1e-12);
    Standard strange = standard("open", StandardKind::load);
    strange.resistance_ohm = 50, strange.to_hz = 1e9;
    CHECK_THROWS_WITH_AS(reflection_of(strange, 2e9, 50), doctest::Contains("holds from"), Error);
    strange.to_hz = 0,
    strange.data = network({1e9, 2e9}, 1, [](double) { return std::vector<Complex>{1.3}; });
    CHECK_THROWS_WITH_AS(reflection_of(strange, 1.5e9, 50), doctest::Contains("no passive standard"), Error);
    CHECK_THROWS_WITH_AS(reflection_of(strange, 3e9, 50), doctest::Contains("goes from 1 GHz to 2 GHz"),
                         Error);
}

TEST_CASE("the twelve-term model reads what waves do, and is turned back") {
    Wild wild(1);
    for (int k = 0; k < 50; ++k) {
        TermValues e;
        for (auto& value : e) value = wild.within(0.3);
        e[reflection_tracking] = 1.0 + wild.within(0.3), e[transmission_tracking] = 1.0 + wild.within(0.3);
        e[reverse + reflection_tracking] = 1.0 + wild.within(0.3),
                    e[reverse + transmission_tracking] = 1.0 + wild.within(0.3);
        const Two s{wild.within(1), wild.within(1), wild.within(4), wild.within(1)};
        const Two back = actual_of(raw_of(s, e), e);
        for (const Complex& v : {back.a - s.a, back.b - s.b, back.c - s.c, back.d - s.d})
            CHECK(std::abs(v) < 1e-11);
        const Complex g = wild.within(1);
        CHECK(std::abs(actual_of(raw_of(g, e.data()), e.data()) - g) < 1e-12);
    }
}

TEST_CASE("open, short, load and thru give the device back") {
    Bench bench;
    bench.three_each(), bench.thru();
    const ErrorTerms terms = calibrate(kit(), bench.readings, by(CalibrationMethod::two_port));
    CHECK(apart(corrected(bench.read(), terms), device) < 1e-9);
    CHECK(terms.deviations.empty());
    // The load match is not the source match of the other direction: the resting port ends otherwise.
    CHECK(std::abs(terms.values[50][load_match] - terms.values[50][reverse + source_match]) > 0.03);
    // With crosstalk, by isolation.
    Bench leaking;
    leaking.cross = {0.01, -0.004};
    leaking.three_each(), leaking.thru();
    leaking.add("isolation", 0, [](double) { return ends(0, 0); });
    CHECK(
        apart(corrected(leaking.read(), calibrate(kit(), leaking.readings, by(CalibrationMethod::two_port))),
              device) < 1e-9);
}

TEST_CASE("a thru that is a line, standards by data, and more standards than three") {
    Bench bench;
    bench.three_each();
    bench.at_port("offset-short", 1);
    bench.thru("thru", 33);
    CalibrationKit with_line = kit();
    for (auto& s : with_line.standards) {
        if (s.name == "thru") s.delay_s = 33e-12;
        if (s.name != "open") continue;
        const Standard model = s;
        s.data = network(hz, 1, [&](double f) { return std::vector<Complex>{reflection_of(model, f, 50)}; });
    }
    const ErrorTerms terms = calibrate(with_line, bench.readings, by(CalibrationMethod::two_port));
    CHECK(apart(corrected(bench.read(), terms), device) < 1e-9);
}

TEST_CASE("one port") {
    for (const std::size_t port : {1, 2}) {
        Bench bench;
        for (const char* name : {"open", "short", "load", "offset-short"}) bench.at_port(name, port);
        CalibrationOptions options = by(CalibrationMethod::one_port);
        options.port = port;
        const ErrorTerms terms = calibrate(kit(), bench.readings, options);
        const Network raw_data = raw(hz, [&](double f) {
            const Complex g = std::polar(0.7, f / 3e9);
            return port == 1 ? ends(g, 0) : ends(0, g);
        });
        const Network n = corrected(raw_data, terms);
        REQUIRE(n.ports == 1);
        for (std::size_t i = 0; i < hz.size(); ++i)
            CHECK(std::abs(n.s[i] - std::polar(0.7, hz[i] / 3e9)) < 1e-10);
    }
}

TEST_CASE(
    "an unknown thru, thru-reflect-line and line-reflect-match give the device back, with switch terms") {
    SUBCASE("unknown thru of some length and loss") {
        Bench bench;
        bench.three_each();
        bench.add("thru", 0, [](double f) {
            const Complex t = std::polar(0.8, -2 * std::numbers::pi * f * 41e-12);
            return Two{Complex(0.1, 0.1), t, t, Complex(-0.05, 0.1)};
        });
        bench.switch_terms();
        CalibrationKit without = kit();
        std::erase_if(without.standards, [](const Standard& s) { return s.name == "thru"; });
        const ErrorTerms terms = calibrate(without, bench.readings, by(CalibrationMethod::unknown_thru));
        CHECK(apart(corrected(bench.read(), terms), device) < 1e-9);
        CHECK(terms.deviations.empty());
    }
    SUBCASE("thru, reflect and two lines") {
        Bench bench;
        bench.thru(), bench.thru("line", 12), bench.thru("line-2", 80);
        bench.add("reflect", 1, [](double) { return ends(std::polar(0.95, 2.9), 0); });
        bench.add("reflect", 2, [](double) { return ends(0, std::polar(0.95, 2.9)); });
        bench.switch_terms();
        const ErrorTerms terms = calibrate(kit(), bench.readings, by(CalibrationMethod::thru_reflect_line));
        CHECK(apart(corrected(bench.read(), terms), device) < 1e-8);
        CHECK(flagged(terms, "less than 20 degrees"));  // at the lowest frequencies
    }
    SUBCASE("a thru with a length: planes at its ends") {
        Bench bench;
        bench.thru("thru", 5), bench.thru("line", 17), bench.thru("line-2", 85);
        bench.add("reflect", 1, [](double) { return ends(-1, 0); });
        bench.add("reflect", 2, [](double) { return ends(0, -1); });
        bench.switch_terms();
        CalibrationKit longer = kit();
        for (auto& s : longer.standards) {
            if (s.name == "thru" || s.name.starts_with("line")) s.delay_s += 5e-12;
        }
        const ErrorTerms terms = calibrate(longer, bench.readings, by(CalibrationMethod::thru_reflect_line));
        CHECK(apart(corrected(bench.read(), terms), device) < 1e-8);
    }
    SUBCASE("line, reflect and a match that is none") {
        Bench bench;
        bench.thru("line", 12);
        for (const std::size_t port : {1, 2}) {
            bench.at_port("match", port);
            bench.add("reflect", port, [&](double) { return port == 1 ? ends(-0.97, 0) : ends(0, -0.97); });
        }
        bench.switch_terms();
        const ErrorTerms terms = calibrate(kit(), bench.readings, by(CalibrationMethod::line_reflect_match));
        CHECK(apart(corrected(bench.read(), terms), device) < 1e-9);
    }
    SUBCASE("without switch terms it is said, and off by what they are") {
        Bench bench;
        bench.three_each(), bench.thru();
        const ErrorTerms terms = calibrate(kit(), bench.readings, by(CalibrationMethod::unknown_thru));
        CHECK(flagged(terms, "switch terms"));
        CHECK(apart(corrected(bench.read(), terms), device) > 1e-3);
    }
}

TEST_CASE("standards mixed up, measured twice or not connected are refused or told") {
    SUBCASE("open and short swapped at both ports") {
        Bench bench;
        for (const std::size_t port : {1, 2})
            bench.at_port("open", port, "short"), bench.at_port("short", port, "open"),
                bench.at_port("load", port);
        bench.thru();
        CHECK(refusal(bench).find("swapped") != std::string::npos);
    }
    SUBCASE("swapped at one port") {
        Bench bench;
        bench.at_port("open", 1), bench.at_port("short", 1), bench.at_port("load", 1);
        bench.at_port("open", 2, "short"), bench.at_port("short", 2, "open"), bench.at_port("load", 2);
        bench.thru();
        CHECK(refusal(bench).find("swapped") != std::string::npos);
    }
    SUBCASE("load and open swapped") {
        Bench bench;
        bench.three_each(), bench.thru();
        std::swap(bench.readings[0].data, bench.readings[2].data);
        CHECK(refusal(bench).find("mixed up") != std::string::npos);
    }
    SUBCASE("the open twice") {
        Bench bench;
        bench.noise = 1e-3;
        bench.at_port("open", 1), bench.at_port("short", 1, "open"), bench.at_port("load", 1);
        for (const char* name : {"open", "short", "load"}) bench.at_port(name, 2);
        bench.thru();
        CHECK(refusal(bench).find("read the same") != std::string::npos);
    }
    SUBCASE("a thru that is not connected") {
        for (const auto method : {CalibrationMethod::two_port, CalibrationMethod::unknown_thru}) {
            Bench bench;
            bench.noise = 1e-4;
            bench.three_each();
            bench.add("thru", 0, [](double) { return ends(1, 1); });
            CHECK(refusal(bench, method).find("not connected") != std::string::npos);
        }
    }
    SUBCASE("a line that is the thru, and one that is not there") {
        for (const bool there : {true, false}) {
            Bench bench;
            bench.noise = 1e-5;
            bench.thru();
            if (there)
                bench.thru("line", 0);
            else
                bench.add("line", 0, [](double) { return ends(1, 1); });
            bench.add("reflect", 1, [](double) { return ends(-1, 0); });
            bench.add("reflect", 2, [](double) { return ends(0, -1); });
            bench.switch_terms();
            CalibrationKit one_line = kit();
            for (auto& s : one_line.standards) {
                if (s.name == "line") s.delay_s = 15e-12, s.from_hz = 0;
            }
            // From where the line is long enough.
            std::string why;
            try {
                calibrate(one_line, bench.readings, by(CalibrationMethod::thru_reflect_line));
            } catch (const Error& error) {
                why = error.message();
            }
            CAPTURE(why);
            CHECK((why.find("degrees from a thru") != std::string::npos));
        }
    }
    SUBCASE("a wrong standard among four") {
        Bench bench;
        bench.three_each();
        bench.add("offset-short", 1, [](double f) { return ends(std::polar(0.5, f / 5e9), 0); });
        bench.thru();
        CHECK(refusal(bench).find("contradict") != std::string::npos);
    }
    SUBCASE("another grid, a missing standard, one that the kit lacks") {
        Bench bench;
        bench.three_each();
        CHECK(refusal(bench).find("needs a thru") != std::string::npos);
        Network other = *bench.readings[0].data;
        other.frequency_hz.back() += 1e6;
        bench.readings[0].data = &other;
        CHECK(refusal(bench).find("different frequencies") != std::string::npos);
        Bench lacking;
        lacking.three_each(), lacking.thru();
        lacking.readings[0].name = "offset-load";
        CHECK(refusal(lacking).find("the kit has no offset-load for port 1") != std::string::npos);
    }
}

TEST_CASE("the analyser's state is kept, and another attenuator refused") {
    Bench bench;
    bench.three_each(), bench.thru();
    std::vector<Network> stated;
    stated.reserve(bench.readings.size());
    for (auto& reading : bench.readings) {
        stated.push_back(*reading.data);
        stated.back().attenuator_db = 10, stated.back().source_dbm = -20;
        reading.data = &stated.back();
    }
    const ErrorTerms terms = calibrate(kit(), bench.readings, by(CalibrationMethod::two_port));
    CHECK(terms.attenuator_db == 10);
    CHECK(terms.source_dbm == -20);
    Network measured = bench.read();
    CHECK(apart(corrected(measured, terms), device) < 1e-9);
    measured.attenuator_db = 0;
    CHECK_THROWS_WITH_AS(corrected(measured, terms), doctest::Contains("source attenuator"), Error);
    stated.back().attenuator_db = 0;
    CHECK(refusal(bench).find("one state for all") != std::string::npos);
}

TEST_CASE("noise makes an uncertainty that corrected values keep to") {
    for (const auto method : {CalibrationMethod::two_port, CalibrationMethod::unknown_thru}) {
        Bench bench;
        bench.noise = 2e-3;
        bench.three_each(), bench.thru(), bench.switch_terms();
        CalibrationOptions options = by(method);
        options.noise_floor = bench.noise;
        const ErrorTerms terms = calibrate(kit(), bench.readings, options);
        const Network n = corrected(bench.read(), terms);
        REQUIRE(n.uncertainty.size() == n.s.size());
        // How far each value lies from the truth, in its own standard uncertainties: a Rayleigh distribution
        // with a mean square of 1. Values of neighbouring frequencies are independent: 400 of them.
        double square = 0;
        std::size_t beyond = 0;
        for (std::size_t i = 0; i < hz.size(); ++i) {
            const Two truth = device(hz[i]);
            const Complex should[]{truth.a, truth.b, truth.c, truth.d};
            for (std::size_t k = 0; k < 4; ++k) {
                const double far = std::abs(n.s[4 * i + k] - should[k]) / n.uncertainty[4 * i + k];
                square += far * far / 400;
                beyond += far > 3;
            }
        }
        CHECK(square > 0.75);
        CHECK(square < 1.3);
        CHECK(beyond < 5);  // e^-9 of them, 0.05 expected
    }
}
