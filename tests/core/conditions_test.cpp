// What a verdict needs besides a number, and which way a reading errs that was taken otherwise than the rule
// says.
#include "core/rules/conditions.hpp"

#include <doctest/doctest.h>

#include "core/rules/judge.hpp"
#include "core/signal/capture.hpp"
#include "core/signal/scrambled.hpp"
#include "tests/core/made_rule.hpp"

using namespace rt;

namespace {

// At most 50 dBuV from 1 to 2 MHz, quasi-peak in 9 kHz.
struct Limit {
    Rulebook book{"b", "B", "S", "1", "made up", "", {}, {}};
    Trace trace;

    Limit() {
        Rule rule = made_rule("emission", Unit::dbuv, LimitLine({{1e6, 2e6, 50, 50}}, Sense::upper));
        rule.detector = Detector::quasi_peak;
        rule.bandwidth = Quantity{9e3, Unit::hertz};
        book.rules.push_back(rule);
        trace.name = "emission", trace.y_unit = Unit::dbuv;
        trace.detector = Detector::quasi_peak, trace.resolution_bandwidth_hz = 9e3;
        for (int i = 0; i <= 200; ++i) trace.x.push_back(1e6 + 5e3 * i), trace.y.push_back(20 + i % 3);
    }
    Rule& rule() { return book.rules.front(); }
    Finding judged(double level) {
        Outcome outcome;
        trace.y[100] = level;
        outcome.traces = {trace};
        return judge({&book, &rule()}, outcome);
    }
    Verdict verdict(double level) { return judged(level).verdict; }
};

}  // namespace

TEST_CASE("a capture that does not say how it was read gets no verdict, whatever its level") {
    Limit limit;
    CHECK(limit.verdict(40) == Verdict::pass);
    limit.trace.resolution_bandwidth_hz.reset();
    CHECK(limit.judged(40).reason.find("states no resolution bandwidth, the limit is for 9 kHz") !=
          std::string::npos);
    CHECK(limit.verdict(60) == Verdict::none);
    limit.trace.resolution_bandwidth_hz = 9e3;
    limit.trace.detector.reset();
    CHECK(limit.judged(40).reason.find("states no detector, the limit is for quasi-peak") !=
          std::string::npos);
    limit.rule().detector.reset();
    CHECK(limit.verdict(40) == Verdict::pass);  // a rule without one asks for none
}

TEST_CASE("another bandwidth is decided by which way it errs") {
    Limit limit;
    limit.rule().detector = limit.trace.detector = Detector::peak;
    // 200 Hz instead of 9 kHz: pulses read 33.06 dB low. A pass needs more room than that; a fail stands.
    limit.trace.resolution_bandwidth_hz = 200;
    for (auto& x : limit.trace.x) x = 1e6 + (x - 1e6);
    limit.rule().limit = LimitLine({{1e6, 1e6 + 40e3, 50, 50}}, Sense::upper);
    limit.trace.x.clear(), limit.trace.y.clear();
    for (int i = 0; i <= 200; ++i) limit.trace.x.push_back(1e6 + 200.0 * i), limit.trace.y.push_back(5);
    CHECK(limit.judged(20).reason.find("may be up to 33.06 dB too low") != std::string::npos);
    CHECK(limit.verdict(16.9) == Verdict::pass);
    CHECK(limit.verdict(17) == Verdict::none);
    CHECK(limit.verdict(51) == Verdict::fail);
    CHECK(limit.judged(16).deviations ==
          std::vector<std::string>{"resolution bandwidth 200 Hz instead of 9 kHz"});
    // 120 kHz instead of 9 kHz reads up to 22.5 dB high: a pass stands, a fail needs more.
    limit.trace.resolution_bandwidth_hz = 120e3;
    CHECK(limit.verdict(49) == Verdict::marginal);
    CHECK(limit.judged(60).reason.find("up to 22.5 dB too high") != std::string::npos);
    CHECK(limit.verdict(73) == Verdict::fail);
}

TEST_CASE("a detector that cannot read higher than the rule's shows a failure, not a pass") {
    Limit limit;
    limit.trace.detector = Detector::average;
    CHECK(limit.verdict(40) == Verdict::none);
    CHECK(limit.verdict(60) == Verdict::fail);
    limit.trace.detector = Detector::sample;  // neither above nor below for sure
    CHECK(limit.verdict(60) == Verdict::none);
    limit.trace.detector = Detector::peak;
    CHECK(limit.verdict(40) == Verdict::pass);
    CHECK(limit.verdict(60) == Verdict::none);
}

TEST_CASE("two points are no scan, a sampled band may end a step early") {
    Limit limit;
    limit.trace.x = {1e6, 2e6}, limit.trace.y = {20, 20};
    Outcome two;
    two.traces = {limit.trace};
    CHECK(judge({&limit.book, &limit.rule()}, two).reason.find("points of the trace are up to 1 MHz apart") !=
          std::string::npos);
    JudgeOptions partial;
    partial.allow_partial = true;  // a part of the band, not a part of its points
    CHECK(judge({&limit.book, &limit.rule()}, two, partial).verdict == Verdict::none);
    Limit short_of;
    short_of.trace.x.pop_back(), short_of.trace.y.pop_back();
    CHECK(short_of.verdict(40) == Verdict::pass);
    short_of.trace.x.pop_back(), short_of.trace.y.pop_back();
    CHECK(short_of.verdict(40) == Verdict::none);
    // Without a bandwidth in rule and trace, a curve still needs points.
    Limit curve;
    curve.rule().bandwidth.reset(), curve.rule().detector.reset();
    curve.trace.resolution_bandwidth_hz.reset();
    CHECK(curve.verdict(40) == Verdict::pass);
    curve.trace.x = {1e6, 1.5e6, 2e6}, curve.trace.y = {20, 21, 20};
    Outcome three;
    three.traces = {curve.trace};
    CHECK(judge({&curve.book, &curve.rule()}, three).reason.find("only 3 points") != std::string::npos);
}

TEST_CASE("observation time, stated parameters and the scale of volts are asked for by name") {
    Rulebook book{"b", "B", "S", "1", "made up", "", {}, {}};
    Rule rule = made_rule("duty_cycle", Unit::percent, Bound{{}, 10.0});
    rule.least_observation_s = 3600, rule.needs_stated = {"gain"};
    book.rules.push_back(rule);
    Outcome outcome;
    outcome.add("duty_cycle", 1, Unit::percent);
    const RuleRef ref{&book, &book.rules.front()};
    CHECK(judge(ref, outcome).reason.find("needs gain, which nobody has stated") != std::string::npos);
    outcome.stated.insert("gain");
    CHECK(judge(ref, outcome).reason.find("is not known") != std::string::npos);
    outcome.observed_s = 0.1;
    CHECK(judge(ref, outcome).reason.find("observed for 100 ms, the rule asks for") != std::string::npos);
    JudgeOptions shorter;
    shorter.least_observation_s = 0.1;
    const Finding chosen = judge(ref, outcome, shorter);
    CHECK(chosen.verdict == Verdict::pass);
    REQUIRE(chosen.deviations.size() == 1);
    CHECK(chosen.deviations[0].find("observed for 100 ms instead of") == 0);
    outcome.observed_s = 3600;
    CHECK(judge(ref, outcome).verdict == Verdict::pass);
    CHECK(judge(ref, outcome).deviations.empty());
    book.rules[0].unit = Unit::volt, book.rules[0].limit = Bound{{}, 10.0};
    outcome.results[0].value.unit = Unit::volt;
    outcome.unscaled = true;
    CHECK(judge(ref, outcome).reason.find("how many volts a unit of it is") != std::string::npos);
    outcome.unscaled = false;
    CHECK(judge(ref, outcome).verdict == Verdict::pass);
}

TEST_CASE("numbers that no instrument reads are known for what they are") {
    Spectrum s;
    s.unit = Unit::dbuv, s.resolution_bandwidth_hz = 9e3, s.impedance_ohm = 50;
    const auto odd = [&](auto level_at) {
        s.frequency_hz.clear(), s.level.clear();
        for (int i = 0; i < 100; ++i) s.frequency_hz.push_back(1e6 + i), s.level.push_back(level_at(i));
        return implausible(s);
    };
    CHECK(odd([](int i) { return 10.0 + i % 7; }).empty());
    CHECK(odd([](int i) { return i == 40 ? 90.0 : -20.0 + i % 7; }).empty());
    CHECK(odd([](int) { return 0.0; }).find("all 100 levels are 0 dBµV") == 0);
    CHECK(odd([](int) { return -200.0; }).find("all 100 levels") == 0);
    CHECK(odd([](int i) { return -999999.0 - i % 2; }).find("no level reaches the thermal noise") == 0);
    // Levels in dBm under the name of dBuV: a floor of -105 dBm and a line of -10 dBm. kTB in 9 kHz is -27.5
    // dBuV.
    CHECK(odd([](int i) { return i == 40 ? -10.0 : -105.0 + i % 7; }).find("half of the levels") == 0);
    // The path is no part of what the instrument read.
    odd([](int i) { return -60.0 + i % 7; });
    s.correction_db.assign(100, -40);
    CHECK(implausible(s).empty());
    Network n;
    n.ports = 1, n.frequency_hz = {1e6, 2e6}, n.s = {0.0, 0.0};
    CHECK_FALSE(implausible(n).empty());
    n.s[1] = 0.1;
    CHECK(implausible(n).empty());
    n.s[1] = 1e6;
    CHECK_FALSE(implausible(n).empty());
    CHECK_FALSE(implausible(PowerReading{-999, 1e9}).empty());
    CHECK(implausible(PowerReading{-60, 1e9}).empty());
    const std::vector<double> turned{1, 4.6e-310, 0};
    CHECK(scrambled(turned));
    const std::vector<double> well{1, -80, 0};
    CHECK_FALSE(scrambled(well));
}
