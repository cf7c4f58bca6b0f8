#include "core/rules/judge.hpp"

#include <doctest/doctest.h>

#include <cmath>

#include "core/base/error.hpp"
#include "tests/about.hpp"
#include "tests/expect_error.hpp"

using namespace rt;

namespace {

Rulebook book() {
    Rulebook out;
    out.id = "book";
    return out;
}

Rule line_rule(Detector detector = Detector::average) {
    Rule rule{.id = "line",
              .title = "a line",
              .clause = "1",
              .quantity = "level",
              .applies_to = "emission",
              .unit = Unit::dbuv,
              .limit = LimitLine({{1e6, 2e6, 50, 50, Interpolation::linear}}, Sense::upper),
              .detector = detector,
              .bandwidth = Quantity{9e3, Unit::hertz},
              .conditions = {},
              .presets = {},
              .marginal = {},
              .cover_to = {},
              .basis = "",
              .confidence = {},
              .note = "",
              .sign_off = {}};
    return rule;
}

// A trace from 1 to 2 MHz every 4 kHz, at 30 dBuV but for one point.
Outcome trace_with(double level, Detector detector = Detector::average) {
    Outcome outcome;
    Trace trace;
    trace.name = "emission";
    trace.y_unit = Unit::dbuv;
    trace.detector = detector;
    trace.resolution_bandwidth_hz = 9e3;
    for (double f = 1e6; f <= 2e6; f += 4e3) {
        trace.x.push_back(f);
        trace.y.push_back(30);
    }
    trace.y[100] = level;
    outcome.traces.push_back(trace);
    return outcome;
}

Finding judged(const Rule& rule, const Outcome& outcome, const JudgeOptions& options = {}) {
    static const Rulebook owner = book();
    return judge({&owner, &rule}, outcome, options);
}

}  // namespace

TEST_CASE("the four verdicts and their borders") {
    const Rule rule = line_rule();
    struct Row {
        double level;
        Verdict verdict;
    };
    for (const auto& row : {Row{40, Verdict::pass}, Row{47, Verdict::pass}, Row{47.001, Verdict::marginal},
                            Row{50, Verdict::marginal}, Row{50.001, Verdict::fail}}) {
        CAPTURE(row.level);
        const Finding finding = judged(rule, trace_with(row.level));
        CHECK(finding.verdict == row.verdict);
        CHECK(*finding.margin == about(50 - row.level));
        CHECK(*finding.value == row.level);
        CHECK(finding.at == Quantity{1.4e6, Unit::hertz});
        CHECK(finding.points_judged == 251);
    }
    // Campaign before rule before default.
    Rule own = rule;
    own.marginal = 6;
    CHECK(judged(own, trace_with(45)).verdict == Verdict::marginal);
    CHECK(judged(own, trace_with(45), {.marginal = 1, .allow_partial = false}).verdict == Verdict::pass);
    Outcome invalid = trace_with(10);
    invalid.invalid = "overload";
    const Finding none = judged(rule, invalid);
    CHECK(none.verdict == Verdict::none);
    CHECK(none.reason == "overload");
    CHECK_FALSE(none.value);
    CHECK_FALSE(none.margin);
}

TEST_CASE("6 dB more in the reading is 6 dB less margin") {
    const Rule rule = line_rule();
    for (double level = 31; level < 80; level += 6.5) {
        const double before = *judged(rule, trace_with(level)).margin;
        CHECK(*judged(rule, trace_with(level + 6)).margin == about(before - 6));
    }
}

TEST_CASE("a detector that reads higher may show a pass but not a failure") {
    const Rule quasi_peak = line_rule(Detector::quasi_peak);
    const Finding pass = judged(quasi_peak, trace_with(40, Detector::peak));
    CHECK(pass.verdict == Verdict::pass);
    CHECK(pass.reason == "peak reading: the quasi-peak reading cannot be higher");
    CHECK(judged(quasi_peak, trace_with(48, Detector::peak)).verdict == Verdict::marginal);
    const Finding above = judged(quasi_peak, trace_with(55, Detector::peak));
    CHECK(above.verdict == Verdict::none);
    CHECK(above.reason ==
          "peak reading 55 dBµV at 1.4 MHz is above the quasi-peak limit: measure there with the quasi-peak "
          "detector");
    // The other way round nothing can be shown.
    const Finding low = judged(quasi_peak, trace_with(40, Detector::average));
    CHECK(low.verdict == Verdict::none);
    CHECK(low.reason == "average readings cannot show that a quasi-peak limit is met");
    CHECK(judged(line_rule(Detector::average), trace_with(40, Detector::quasi_peak)).verdict ==
          Verdict::pass);
    CHECK(judged(line_rule(Detector::peak), trace_with(40, Detector::quasi_peak)).verdict == Verdict::none);
    CHECK_FALSE(never_below(Detector::average, Detector::quasi_peak));
    CHECK(never_below(Detector::rms, Detector::average));
}

TEST_CASE("a trace that does not speak for the whole limit gets no verdict unless allowed") {
    Rule wide = line_rule();
    wide.limit = LimitLine({{0.5e6, 2e6, 50, 50, Interpolation::linear}}, Sense::upper);
    const Finding partial = judged(wide, trace_with(40));
    CHECK(partial.verdict == Verdict::none);
    CHECK(partial.reason == "the trace covers 1 MHz to 2 MHz, the limit 500 kHz to 2 MHz");
    CHECK(judged(wide, trace_with(40), {.marginal = {}, .allow_partial = true}).verdict == Verdict::pass);

    Rule elsewhere = line_rule();
    elsewhere.limit = LimitLine({{5e6, 6e6, 50, 50, Interpolation::linear}}, Sense::upper);
    CHECK(judged(elsewhere, trace_with(40)).reason.starts_with("the limit covers no point of the trace"));
    CHECK(judged(elsewhere, trace_with(40), {.marginal = {}, .allow_partial = true}).verdict ==
          Verdict::none);

    Outcome coarse = trace_with(40);
    coarse.traces[0].resolution_bandwidth_hz = 1e3;
    Rule narrow = line_rule();
    narrow.bandwidth = Quantity{1e3, Unit::hertz};
    CHECK(judged(narrow, coarse).reason ==
          "points of the trace are up to 4 kHz apart with a resolution bandwidth of 1 kHz: signals between "
          "them may be missed");

    Outcome broken = trace_with(std::nan(""));
    CHECK(judged(line_rule(), broken).reason == "the trace has no number at 1.4 MHz");
}

TEST_CASE("conditions that differ from the rule's are listed") {
    Outcome other = trace_with(40);
    other.traces[0].resolution_bandwidth_hz = 10e3;
    const Finding finding = judged(line_rule(), other);
    CHECK(finding.verdict == Verdict::pass);
    REQUIRE(finding.deviations.size() == 1);
    CHECK(finding.deviations[0] == "resolution bandwidth 10 kHz instead of 9 kHz");
    CHECK(judged(line_rule(), trace_with(40)).deviations.empty());
}

TEST_CASE("levels convert across a known impedance, and not without") {
    Outcome dbm = trace_with(40 - 106.98970004336019);
    for (double& y : dbm.traces[0].y) y = std::min(y, -80.0);
    dbm.traces[0].y[100] = 40 - 106.98970004336019;
    dbm.traces[0].y_unit = Unit::dbm;
    CHECK(input_error([&] { judged(line_rule(), dbm); }) ==
          "rule line is in dBuV but trace emission is in dBm: state the impedance it was measured in");
    dbm.traces[0].impedance_ohm = 50;
    const Finding finding = judged(line_rule(), dbm);
    CHECK(*finding.value == about(40));
    CHECK(*finding.margin == about(10));
    dbm.traces[0].y_unit = Unit::dbuv_per_metre;
    CHECK_THROWS_AS(judged(line_rule(), dbm), Error);
}

namespace {

Rule mask_rule(Mask::Combine combine) {
    Rule rule = line_rule(Detector::rms);
    rule.id = "mask";
    rule.applies_to = "psd";
    rule.unit = Unit::dbm;
    rule.bandwidth = Quantity{100e3, Unit::hertz};
    const double open = std::numeric_limits<double>::infinity();
    Mask mask;
    mask.relative = LimitLine({{3.5e6, open, -20, -20, Interpolation::linear}}, Sense::upper);
    mask.absolute = LimitLine({{3.5e6, open, -30, -30, Interpolation::linear}}, Sense::upper);
    mask.combine = combine;
    rule.limit = mask;
    rule.cover_to = 10e6;
    return rule;
}

// Carrier at 2405 MHz with the reference level at 0 offset, `shoulder` at -5 MHz, -60 dBm elsewhere.
Outcome psd(double reference, double shoulder, double reach = 10e6) {
    Outcome outcome;
    Trace trace;
    trace.name = "psd";
    trace.y_unit = Unit::dbm;
    trace.detector = Detector::rms;
    trace.resolution_bandwidth_hz = 100e3;
    trace.centre_hz = 2405e6;
    trace.reference_level = reference;
    for (double f = -reach; f <= reach; f += 50e3) {
        trace.x.push_back(2405e6 + f);
        trace.y.push_back(f == 0 ? reference : f == -5e6 ? shoulder : -60);
    }
    outcome.traces.push_back(trace);
    return outcome;
}

}  // namespace

TEST_CASE("a mask with both parts takes the lower level, with either the higher") {
    // Reference -3: relative -23, absolute -30. Reference -15: relative -35, absolute -30.
    const Finding high = judged(mask_rule(Mask::Combine::both), psd(-3, -32));
    CHECK(*high.limit == -30);
    CHECK(*high.margin == about(2));
    CHECK(high.verdict == Verdict::marginal);
    CHECK(high.at == Quantity{-5e6, Unit::hertz});  // offset from the carrier, on the lower side
    CHECK(high.at_offset);
    CHECK(high.reason == "absolute part");
    const Finding low = judged(mask_rule(Mask::Combine::both), psd(-15, -32));
    CHECK(*low.limit == -35);
    CHECK(low.verdict == Verdict::fail);
    CHECK(low.reason == "relative part: reference -15 dBm");
    CHECK(*judged(mask_rule(Mask::Combine::either), psd(-3, -32)).limit == -23);
    CHECK(*judged(mask_rule(Mask::Combine::either), psd(-15, -32)).limit == -30);
}

TEST_CASE("a mask without outer end wants the trace as far out as the rule says") {
    const Finding finding = judged(mask_rule(Mask::Combine::both), psd(-3, -60, 8e6));
    CHECK(finding.verdict == Verdict::none);
    CHECK(finding.reason == "the trace covers 2.397 GHz to 2.413 GHz, the limit 2.395 GHz to 2.415 GHz");
    Outcome unreferenced = psd(-3, -60);
    unreferenced.traces[0].reference_level.reset();
    CHECK(judged(mask_rule(Mask::Combine::both), unreferenced).verdict == Verdict::none);
}

TEST_CASE("bounds: minimum, maximum, both, and units that convert") {
    Rule rule = line_rule();
    rule.unit = Unit::ppm;
    rule.applies_to = "frequency_error";
    rule.detector.reset(), rule.bandwidth.reset();  // nothing of a spectrum stands behind it
    rule.limit = Bound{-40, 40};
    rule.marginal = 5;
    const auto with = [](double value, Unit unit) {
        Outcome outcome;
        outcome.results.push_back({"frequency_error", {value, unit}, {}});
        return outcome;
    };
    CHECK(*judged(rule, with(10, Unit::ppm)).margin == about(30));
    CHECK(*judged(rule, with(-38, Unit::ppm)).margin == about(2));
    CHECK(*judged(rule, with(-38, Unit::ppm)).limit == -40);
    CHECK(judged(rule, with(-38, Unit::ppm)).verdict == Verdict::marginal);
    CHECK(judged(rule, with(0.0041, Unit::percent)).verdict == Verdict::fail);  // 41 ppm
    CHECK(judged(rule, with(40, Unit::ppm)).verdict == Verdict::marginal);      // on the limit
    CHECK(judged(rule, with(std::nan(""), Unit::ppm)).verdict == Verdict::none);
    CHECK(judged(rule, Outcome{}).reason == "the capture gives no frequency_error");
    CHECK_THROWS_AS(judged(rule, with(1, Unit::hertz)), Error);
    rule.limit = Bound{{}, 40};
    CHECK(*judged(rule, with(-1000, Unit::ppm)).margin == about(1040));
}

TEST_CASE("findings read failures first, then no verdict, then by margin") {
    const auto make = [](Verdict verdict, std::optional<double> margin) {
        Finding finding;
        finding.verdict = verdict;
        finding.margin = margin;
        return finding;
    };
    const Finding fail = make(Verdict::fail, -1), none = make(Verdict::none, {}),
                  near = make(Verdict::pass, 4), far = make(Verdict::pass, 9);
    CHECK(reads_before(fail, none));
    CHECK(reads_before(none, near));
    CHECK(reads_before(near, far));
    CHECK_FALSE(reads_before(far, near));
}

TEST_CASE("value, limit and margin are written as people write them, the limit with its side") {
    const auto finding = [](Unit unit, double limit, double value, double margin) {
        Finding out;
        out.unit = unit, out.limit = limit, out.value = value, out.margin = margin,
        out.verdict = Verdict::pass;
        return out;
    };
    const Finding level = finding(Unit::dbuv, 50, 43.2168, 6.7832);
    CHECK(value_text(level) == "43.22 dBµV");
    CHECK(limit_text(level) == "≤ 50.00 dBµV");
    CHECK(margin_text(level) == "6.78 dB");
    CHECK(limit_text(finding(Unit::dbm, -20.3, -20.03, 0.27)) == "≥ -20.30 dBm");
    CHECK(limit_text(finding(Unit::dbm, -20.3, -21, -0.7)) == "≥ -20.30 dBm");
    // As many digits as two of the margin need, and five.
    CHECK(value_text(finding(Unit::hertz, 60e6, 51989546.607286446, 8e6)) == "51.99 MHz");
    CHECK(value_text(finding(Unit::hertz, 2.44e9, 2.440000123e9, -123)) == "2.440000123 GHz");
    CHECK(value_text(finding(Unit::percent, 0.5, 0.003158214, 0.496841786)) == "0.003 %");
    CHECK(limit_text(finding(Unit::percent, 0.5, 0.003158214, 0.496841786)) == "≤ 0.5 %");
    CHECK(value_text(finding(Unit::count, 3, 1, 2)) == "1");
    CHECK(value_text(Finding{}) == "-");
    CHECK(limit_text(Finding{}) == "-");
}
