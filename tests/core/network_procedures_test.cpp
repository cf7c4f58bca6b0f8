// Procedures on network data, bias curves and power sensors: what they give, and what they give no number
// for.
#include <doctest/doctest.h>

#include <algorithm>

#include "core/base/error.hpp"
#include "core/network/correct_network.hpp"
#include "core/network/forms.hpp"
#include "core/network/standard.hpp"
#include "tests/about.hpp"
#include "tests/core/made_network.hpp"
#include "tests/core/procedures.hpp"

using namespace rt;
using namespace made;

namespace {

const std::vector<double> places = grid(0.1e9, 10e9, 100);

bool noted(const Outcome& outcome, const std::string& what) {
    return std::any_of(outcome.notes.begin(), outcome.notes.end(),
                       [&](const std::string& note) { return note.find(what) != std::string::npos; });
}

// A resonator of quality 10 at 5 GHz behind a line: -3 dB at f0 (sqrt(1 + 1/4Q^2) +- 1/2Q).
Network resonator() {
    return network(grid(0.1e9, 10e9, 2000), 2, [](double f) {
        const Complex q(1, 10 * (f / 5e9 - 5e9 / f));
        const Complex t = std::polar(0.8, -2 * std::numbers::pi * f * 0.2e-9) / q, r = 0.5 - 0.4 / q;
        return std::vector<Complex>{r, t, t, r};
    });
}

CalibrationKit ideal_kit() {
    CalibrationKit out;
    out.title = "ideal";
    const std::pair<const char*, StandardKind> all[]{{"open", StandardKind::open},
                                                     {"short", StandardKind::short_circuit},
                                                     {"load", StandardKind::load},
                                                     {"thru", StandardKind::thru},
                                                     {"line", StandardKind::line}};
    for (const auto& [name, kind] : all) {
        Standard s;
        s.name = name, s.kind = kind;
        if (kind == StandardKind::line) s.delay_s = 10e-12;
        out.standards.push_back(s);
    }
    return out;
}

std::vector<Input> standards(Complex cross = 0) {
    const auto same = [&](Complex g) {
        return raw(
            places, [g](double) { return ends(g, g); }, nullptr, 0, cross);
    };
    return {{"kit", ideal_kit()},
            {"open", same(1)},
            {"short", same(-1)},
            {"load", same(0)},
            {"thru", raw(
                         places,
                         [](double) {
                             return Two{0, 1, 1, 0};
                         },
                         nullptr, 0, cross)}};
}

PowerReading level(double dbm, double frequency = 1e9) {
    PowerReading out;
    out.level_dbm = dbm, out.frequency_hz = frequency, out.sensor = 1;
    return out;
}

BiasCurves bias(double factor = 1, bool backwards = false) {
    BiasCurves out;
    for (const double input : {0.4, 0.6, 0.8})
        for (int k = 0; k <= 10; ++k) {
            const double output = 0.2 * k, over = input - 0.3;
            out.points.push_back(
                {input, 1e-9, output, factor * 0.1 * over * over * std::tanh(4 * output), false, false});
        }
    if (backwards) std::reverse(out.points.begin(), out.points.end());
    return out;
}

}  // namespace

TEST_CASE("network.parameters: extremes, band by straight lines in dB, markers, what the data is") {
    const Outcome out =
        run_inputs("network.parameters", {{"device", resonator()}}, {{"markers", "5 GHz, 7.5 GHz"}});
    CHECK(value(out, "highest") == within(1e-3, 20 * std::log10(0.8)));
    CHECK(value(out, "highest_at") == within(3e6, 5e9));
    // Half power lies at 3.0103 dB, 3 dB a little within.
    const double k = std::sqrt(std::pow(10, 0.3) - 1) / 20;
    CHECK(value(out, "lower_edge") == within(1e5, 5e9 * (std::sqrt(1 + k * k) - k)));
    CHECK(value(out, "upper_edge") == within(1e5, 5e9 * (std::sqrt(1 + k * k) + k)));
    CHECK(value(out, "band_width") == within(2e5, 1e10 * k));
    CHECK(value(out, "marker_1_magnitude") == within(3e-3, 20 * std::log10(0.8)));
    const Complex at = std::polar(0.8, -2 * std::numbers::pi * 1.5) / Complex(1, 10 * (1.5 - 1 / 1.5));
    CHECK(value(out, "marker_2_real") == within(1e-5, at.real()));
    CHECK(value(out, "marker_2_imaginary") == within(1e-5, at.imag()));
    CHECK(value(out, "marker_2_phase") == within(0.01, std::arg(at) * 180 / std::numbers::pi));
    CHECK(value(out, "ports") == 2);
    CHECK(value(out, "points") == 2000);
    CHECK(value(out, "reciprocity_error") == 0);
    CHECK(value(out, "largest_singular_value") <= 1);
    CHECK(value(out, "steps") == 0);
    CHECK(value(out, "before_zero") < 0.1);
    // A line of 0.2 ns and the resonator's 2 Q / w0 at its middle.
    CHECK(value(out, "largest_group_delay") == within(1e-12, 0.2e-9 + 20 / (2 * std::numbers::pi * 5e9)));
    REQUIRE(out.made);
    // What the data does not reach is a bound; what cannot be told is left out.
    const Network flat = network(places, 1, [](double) { return std::vector<Complex>{0.5}; });
    const Outcome cut = run_inputs("network.parameters", {{"device", flat}});
    CHECK(cut.find_result("upper_edge")->known == Known::at_least);
    CHECK(!cut.find_result("reciprocity_error"));
}

TEST_CASE("network.parameters: pairs, orders, references, and steps of phase too large for a delay") {
    const Network pair = network(places, 4, [](double) {
        std::vector<Complex> s(16);
        s[2] = s[8] = s[7] = s[13] = 0.5;
        return s;
    });
    const Outcome mixed =
        run_inputs("network.parameters", {{"device", pair}}, {{"pairs", "1-2 3-4"}, {"parameter", "SDD21"}});
    CHECK(value(mixed, "highest") == within(1e-9, 20 * std::log10(0.5)));
    CHECK(noted(mixed, "counts from 100"));
    const Outcome turned = run_inputs("network.parameters", {{"device", pair}}, {{"order", "3 1"}});
    CHECK(value(turned, "highest") == within(1e-9, 20 * std::log10(0.5)));
    const Network load = network(places, 1, [](double) { return std::vector<Complex>{0.2}; });
    const Outcome matched = run_inputs("network.parameters", {{"device", load}}, {{"reference", "75 ohm"}});
    CHECK(value(matched, "highest") < -200);  // 50 ohm and 0.2 are 75 ohm
    const Network far = network(places, 1, [](double f) {
        return std::vector<Complex>{std::polar(0.5, -2 * std::numbers::pi * f * 4.9e-9)};
    });
    const Outcome coarse = run_inputs("network.parameters", {{"device", far}});
    CHECK(!coarse.find_result("largest_group_delay"));
    CHECK(noted(coarse, "no group delay"));
    for (const char* wrong : {"S31", "S2", "X21", "SDD21", "S00"})
        CHECK_THROWS_AS(run_inputs("network.parameters", {{"device", resonator()}}, {{"parameter", wrong}}),
                        Error);
    CHECK(run_inputs("network.parameters", {{"device", resonator()}}, {{"markers", "11 GHz"}}).invalid);
}

TEST_CASE("earlier data of another grid is drawn beside the magnitude, as many as there are") {
    const Network earlier = network({0.05e9, 5e9, 12e9}, 2, [](double) {
        return std::vector<Complex>{0, 0.1, 0.1, 0};
    });
    const Outcome out = run_inputs(
        "network.parameters", {{"device", resonator()}, {"earlier", earlier}, {"earlier-2", resonator()}});
    REQUIRE(out.traces.front().companions.size() == 2);
    CHECK(out.traces.front().companions[0].y[7] == within(1e-9, -20));
    CHECK(out.traces.front().companions[1].y == out.traces.front().y);
    CHECK_THROWS_AS(run_inputs("network.parameters", {{"device", resonator()}, {"earlier-1", earlier}}),
                    Error);
}

TEST_CASE("a calibration makes terms that correct raw data in every procedure, once") {
    const Outcome calibrated = run_inputs("network.calibration", standards());
    REQUIRE(calibrated.made);
    CHECK(value(calibrated, "standards") == 7);
    const Capture terms = *calibrated.made;
    const auto device = [](double f) { return Two{0.1, 0.2, std::polar(2.0, -f / 1e9), 0.3}; };
    const Network raw_device = raw(places, device);
    const Outcome read = run_inputs("network.parameters", {{"device", raw_device}, {"terms", terms}});
    CHECK(value(read, "highest") == within(1e-9, 20 * std::log10(2)));
    // What was corrected is not corrected again.
    const Outcome again = run_inputs("network.parameters", {{"device", *read.made}, {"terms", terms}});
    CHECK(value(again, "highest") == within(1e-9, 20 * std::log10(2)));
    const Network model = network(places, 2, [&](double f) {
        const Two s = device(f);
        return std::vector<Complex>{s.a, s.b, s.c, s.d};
    });
    const Outcome verified =
        run_inputs("network.verification", {{"device", raw_device}, {"terms", terms}, {"model", model}});
    CHECK(value(verified, "worst_vector_difference") < 1e-9);
    const Outcome by_kit = run_inputs(
        "network.verification",
        {{"device", raw(places, [](double f) { return transmission_of(ideal_kit().standards[4], f, 50); })},
         {"terms", terms},
         {"kit", ideal_kit()}});
    CHECK(value(by_kit, "worst_vector_difference") < 1e-9);
    CHECK_THROWS_WITH_AS(run_inputs("network.parameters", {{"device", raw_device}}, {{"data", "raw"}}),
                         doctest::Contains("needs the input terms"), Error);
    // Another state of the source.
    auto stated = std::get<ErrorTerms>(terms);
    stated.source_dbm = -10, stated.attenuator_db = 10;
    Network lower = raw_device;
    lower.source_dbm = -25, lower.attenuator_db = 10;
    const auto parameters = [&](const Network& n, const Settings& settings) {
        return run_inputs("network.parameters", {{"device", n}, {"terms", stated}}, settings);
    };
    CHECK(!parameters(lower, {}).invalid);
    CHECK(noted(parameters(lower, {}), "measured at -25 dBm, calibrated at -10 dBm"));
    CHECK(parameters(lower, {{"level_within", "10 dB"}}).invalid);
    CHECK(!parameters(lower, {{"level_within", "15 dB"}}).invalid);
    lower.attenuator_db = 0;
    CHECK(parameters(lower, {}).invalid);
    // Doubts of the calibration go with what it corrects.
    stated.attenuator_db = 0;
    stated.deviations = {"the line is short"};
    CHECK(parameters(lower, {}).deviations == std::vector<std::string>{"calibration: the line is short"});
    stated.distrust = "unlevelled";
    CHECK(parameters(lower, {}).invalid);
}

TEST_CASE("network.calibration chooses its method, and refuses what it cannot use") {
    auto one = standards();
    one.pop_back();
    std::vector<Input> ported{one[0]};
    for (std::size_t i = 1; i < 4; ++i)
        ported.push_back({one[i].name + "-2", reordered(std::get<Network>(one[i].capture), {2})});
    const Outcome single = run_inputs("network.calibration", ported);
    CHECK(std::get<ErrorTerms>(*single.made).ports == 1);
    CHECK(std::get<ErrorTerms>(*single.made).port == 2);
    CHECK_THROWS_WITH_AS(run_inputs("network.calibration", one), doctest::Contains("without a thru"), Error);
    auto unknown = standards();
    auto lacking = ideal_kit();
    std::erase_if(lacking.standards, [](const Standard& s) { return s.name == "thru"; });
    unknown[0].capture = lacking;
    const Outcome guessed = run_inputs("network.calibration", unknown);
    CHECK(noted(guessed, "unknown thru"));
    CHECK(std::any_of(guessed.deviations.begin(), guessed.deviations.end(),
                      [](const auto& d) { return d.starts_with("switch terms"); }));
    auto treated = standards();
    auto corrected_once = std::get<Network>(treated[1].capture);
    corrected_once.done = {"corrected by hand"};
    treated[1].capture = corrected_once;
    CHECK_THROWS_WITH_AS(run_inputs("network.calibration", treated), doctest::Contains("no raw data"), Error);
    auto doubtful = standards();
    auto spoilt = std::get<Network>(doubtful[2].capture);
    spoilt.distrust = "overload";
    doubtful[2].capture = spoilt;
    const Outcome none = run_inputs("network.calibration", doubtful);
    CHECK(none.invalid);
    CHECK(!none.made);
}

TEST_CASE("device.figures: unity by 20 dB a decade only, dummies treated as the device is") {
    const auto transistor = [](double f) {
        const Complex s(0, 2 * std::numbers::pi * f);
        return std::pair{Two{s * 100e-15, -s * 5e-15, 0.05, 1e-3 + s * 30e-15}, 0};
    };
    const Network device = network(places, 2, [&](double f) {
        const Two s = scattering_of_admittance(transistor(f).first, 50);
        return std::vector<Complex>{s.a, s.b, s.c, s.d};
    });
    const Settings fit{{"fit_from", "1 GHz"}, {"fit_to", "10 GHz"}, {"at", "5 GHz"}};
    const Outcome out = run_inputs("device.figures", {{"device", device}}, fit);
    CHECK(value(out, "transition_frequency") == within(1e7, 0.05 / (2 * std::numbers::pi * 100e-15)));
    CHECK(value(out, "current_gain_slope") == within(1e-6, -20));
    CHECK(value(out, "transconductance_at") == within(1e-12, 0.05));
    CHECK(noted(out, "nothing is de-embedded"));
    CHECK(noted(out, "above the highest frequency measured"));
    // A flat gain has no unity frequency.
    const Network flat = network(places, 2, [](double) { return std::vector<Complex>{0.1, 0.01, 2, 0.1}; });
    const Outcome none = run_inputs("device.figures", {{"device", flat}}, fit);
    CHECK(!none.find_result("transition_frequency"));
    CHECK(noted(none, "no transition_frequency"));
    CHECK(run_inputs("device.figures", {{"device", flat}}, {{"fit_to", "20 GHz"}}).invalid);
    Network treated = device;
    treated.done = {"corrected by someone"};
    CHECK_THROWS_WITH_AS(run_inputs("device.figures", {{"device", treated}, {"open", flat}}),
                         doctest::Contains("not treated alike"), Error);
    CHECK_THROWS_WITH_AS(run_inputs("device.figures", {{"device", device}, {"short", flat}}),
                         doctest::Contains("the open"), Error);
    // Probes in the air.
    const Network air = network(places, 2, [](double) { return std::vector<Complex>{1, 1e-4, 1e-4, 1}; });
    const Outcome lifted = run_inputs("device.figures", {{"device", air}}, {{"contact", "-20 dB"}});
    REQUIRE(lifted.invalid);
    CHECK(lifted.invalid->find("contact") != std::string::npos);
}

TEST_CASE("device.figures: noise, and a device the wrong way round, are no device") {
    Wild wild(11);
    const auto device = [&](double gain, double noise, std::size_t points) {
        return network(grid(0.1e9, 10e9, points), 2, [&](double f) {
            const Complex turn = std::polar(1.0, -2 * std::numbers::pi * f * 0.3e-9);
            return std::vector<Complex>{0.9 + wild.normal(noise), 0.05 * gain * turn + wild.normal(noise),
                                        gain * turn + wild.normal(noise), 0.8 + wild.normal(noise)};
        });
    };
    const Settings any{{"fit_from", "1 GHz"}, {"fit_to", "9 GHz"}};
    const auto refused = [&](const Network& n, const char* why) {
        const Outcome out = run_inputs("device.figures", {{"device", n}}, any);
        REQUIRE(out.invalid);
        CHECK_MESSAGE(out.invalid->find(why) != std::string::npos, *out.invalid);
        CHECK(!out.find_result("least_stability"));
    };
    for (const double noise : {1e-6, 1e-4, 1e-2})
        for (const std::size_t points : {8, 20, 401}) {
            for (int draw = 0; draw < 20; ++draw)
                refused(device(0, noise, points), "nothing goes through the device");
            // 26 dB above it there is one.
            CHECK(
                !run_inputs("device.figures", {{"device", device(20 * noise, noise, points)}}, any).invalid);
        }
    refused(device(1e-3, 1e-5, 5), "too few to tell it from noise");
    CHECK(!run_inputs("device.figures", {{"device", device(0.1, 1e-5, 5)}}, any).invalid);
    // What the data itself says of its uncertainty counts before what it looks like.
    Network unsure = device(0.1, 0, 20);
    unsure.uncertainty.assign(unsure.s.size(), 0.05);
    refused(unsure, "nothing goes through");
    Network turned = device(1, 0, 20);
    for (std::size_t i = 0; i < turned.frequency_hz.size(); ++i)
        std::swap(turned.s[4 * i + 1], turned.s[4 * i + 2]);
    refused(turned, "the wrong way round");
}

TEST_CASE("device.curves: transconductance and what a compliance holds") {
    const Outcome out = run_inputs("device.curves", {{"", bias()}});
    // 0.1 (u - 0.3)^2 between 0.6 V and 0.8 V at 2 V.
    CHECK(value(out, "greatest_transconductance") == within(1e-6, 0.1 * (0.25 - 0.09) / 0.2));
    CHECK(value(out, "greatest_transconductance_at") == within(1e-12, 0.7));
    CHECK(value(out, "greatest_output_current") == within(1e-6, 0.025));
    CHECK(value(out, "limited") == 0);
    CHECK(out.traces.front().companions.size() == 2);
    auto held = bias();
    held.points.back().output_limited = true;
    const Outcome limited = run_inputs("device.curves", {{"", held}});
    CHECK(value(limited, "limited") == 1);
    CHECK(value(limited, "greatest_transconductance_at") == within(1e-12, 0.5));
    for (auto& p : held.points) p.input_limited = true;
    CHECK(run_inputs("device.curves", {{"", held}}).invalid);
}

TEST_CASE("device.disturbance pairs points whatever their order, and misses none") {
    const auto of = [](const BiasCurves& off, const BiasCurves& on) {
        return run_inputs("device.disturbance", {{"off", off}, {"on", on}});
    };
    CHECK(value(of(bias(), bias(1.02, true)), "worst_change") == within(1e-9, 2));
    CHECK(value(of(bias(), bias(0.99)), "worst_change") == within(1e-9, 1));
    CHECK(value(of(bias(), bias()), "compared") == 30);  // no current at 0 V
    auto fewer = bias();
    fewer.points.erase(fewer.points.begin() + 5);
    CHECK(of(bias(), fewer).invalid->find("1 bias point without the signal has none with it") !=
          std::string::npos);
    CHECK(of(fewer, bias()).invalid->find("with the signal has none without it") != std::string::npos);
    auto held = bias();
    held.points[12].output_limited = true;
    CHECK(of(bias(), held).invalid);
    CHECK(of(bias(1e-9), bias(1e-9)).invalid->find("floor") != std::string::npos);
}

TEST_CASE("power.insertion: one sensor by a thru, two by the incident level, nothing without either") {
    const auto gain = [](std::vector<Input> inputs) {
        return run_inputs("power.insertion", std::move(inputs), {{"frequency", "1 GHz"}});
    };
    CHECK(value(gain({{"output", level(-23)}, {"thru", level(-20)}}), "insertion_loss") == 3);
    CHECK(value(gain({{"output", level(-3)}, {"incident", level(-20)}}), "gain") == 17);
    // Source down by 1 dB between both.
    CHECK(value(gain({{"output", level(-24)},
                      {"thru", level(-20)},
                      {"incident", level(-11)},
                      {"thru-incident", level(-10)}}),
                "gain") == -3);
    CHECK_THROWS_WITH_AS(gain({{"output", level(-23)}}), doctest::Contains("give the input thru"), Error);
    CHECK_THROWS_AS(gain({{"output", level(-23)}, {"thru", level(-20)}, {"incident", level(-11)}}), Error);
    CHECK_THROWS_AS(gain({{"output", level(-23)}, {"thru", level(-20, 2e9)}}), Error);
    CHECK(gain({{"output", level(-23)}, {"thru", level(-75)}}).invalid);
    const Outcome dark = gain({{"output", level(-75)}, {"thru", level(-20)}});
    CHECK(dark.find_result("insertion_loss")->known == Known::at_least);
    CHECK(value(dark, "insertion_loss") == 40);
}

TEST_CASE("power.return-loss averages open and short as voltages") {
    const auto loss = [](std::vector<Input> inputs) {
        return run_inputs("power.return-loss", std::move(inputs), {{"frequency", "1 GHz"}});
    };
    const Outcome out = loss({{"reflected", level(-30)}, {"open", level(-10)}, {"short", level(-12)}});
    const double reference = (std::pow(10, -0.5) + std::pow(10, -0.6)) / 2;
    CHECK(value(out, "return_loss") == within(1e-9, 30 + 20 * std::log10(reference)));
    const double g = std::pow(10, -1.5) / reference;
    CHECK(value(out, "standing_wave_ratio") == within(1e-9, (1 + g) / (1 - g)));
    CHECK(value(out, "open_to_short") == within(1e-9, 2));
    const Outcome steady = loss({{"reflected", level(-31)},
                                 {"open", level(-10)},
                                 {"short", level(-10)},
                                 {"incident", level(-1)},
                                 {"open-incident", level(0)},
                                 {"short-incident", level(0)}});
    CHECK(value(steady, "return_loss") == within(1e-9, 20));
    CHECK_THROWS_WITH_AS(loss({{"reflected", level(-30)}, {"open", level(-10)}}), doctest::Contains("short"),
                         Error);
    CHECK(loss({{"reflected", level(-30)}, {"open", level(-10)}, {"short", level(-30)}}).invalid);
    CHECK(loss({{"reflected", level(-5)}, {"open", level(-10)}, {"short", level(-10)}}).invalid);
    CHECK(loss({{"reflected", level(-80)}, {"open", level(-10)}, {"short", level(-10)}})
              .find_result("return_loss")
              ->known == Known::at_least);
}

namespace {

WaferMap wafer() {
    WaferMap out;
    out.title = "made", out.pitch_x_m = 2e-3, out.pitch_y_m = 1e-3;
    for (int row = 0; row < 7; ++row)
        for (int column = 0; column < 7; ++column)
            if (std::hypot(column - 3, row - 3) < 3.6)
                out.dies.push_back({column, row, true, column == 3 && row == 3});
    return out;
}

ResultTable points_of(const WaferMap& map, double middle, double edge_slope) {
    ResultTable out;
    out.axes = {{"die", Unit::none}}, out.results = {{"gain", Unit::db}};
    for (const auto& die : map.dies) {
        const double r = map.radius_m(die) * 1e3;
        out.rows.push_back(
            {"die=" + die.name(), "PASS", "", 0.0, {{die.name(), {}}}, {{middle + edge_slope * r * r}}});
    }
    return out;
}

}  // namespace

TEST_CASE(
    "results.wafer: yield, a fit over the radius with its pitches, outliers that pass, dies that are named") {
    const WaferMap map = wafer();
    const auto conclude = [&](const ResultTable& table) {
        return run_inputs("results.wafer", {{"points", table}, {"map", map}});
    };
    ResultTable table = points_of(map, 10, -0.1);
    table.rows[4].cells[0].value = *table.rows[4].cells[0].value + 3;
    table.rows[7].verdict = "FAIL";
    table.rows[9].verdict = "NONE", table.rows[9].invalid = "no contact";
    const Outcome out = conclude(table);
    CHECK(value(out, "middle_value") == within(1e-9, 10));
    // Dies three columns out lie 6 mm from the middle.
    CHECK(value(out, "edge_value") == within(1e-6, 10 - 0.1 * (36 + 1)));
    CHECK(value(out, "outliers") == 1);
    CHECK(value(out, "outliers_that_pass") == 1);
    const double total = static_cast<double>(map.dies.size());
    CHECK(value(out, "yield") == within(1e-9, 100 * (total - 2) / total));
    CHECK(out.find_result("yield")->known == Known::at_least);
    CHECK(value(out, "lost") == 1);
    REQUIRE(out.maps.size() == 1);
    CHECK(out.maps[0].dies[4].outlier);
    CHECK(out.maps[0].dies[7].state == DieMap::State::failed);
    CHECK(!out.maps[0].dies[9].value);
    // Each rule has a yield of its own; one of them may be named for the results.
    ResultTable two = points_of(map, 10, 0);
    two.rules = {"book/gain", "book/noise"};
    for (std::size_t i = 0; i < two.rows.size(); ++i) {
        two.rows[i].verdicts = {i < 3 ? "FAIL" : "PASS", i == 5 ? "NONE" : "MARGINAL"};
        two.rows[i].verdict = i < 3 ? "FAIL" : i == 5 ? "NONE" : "MARGINAL";
    }
    const Outcome worst = conclude(two);
    CHECK(value(worst, "yield") == within(1e-9, 100 * (total - 4) / total));
    const auto& by_rule = worst.tables.at(1);
    REQUIRE(by_rule.rows.size() == 2);
    CHECK(std::get<double>(by_rule.rows[0][4]) == within(1e-9, 100 * (total - 3) / total));
    CHECK(std::get<double>(by_rule.rows[1][3]) == 1);
    const auto by = [&](const char* rule) {
        return run_inputs("results.wafer", {{"points", two}, {"map", map}}, {{"rule", rule}});
    };
    CHECK(value(by("book/noise"), "yield") == within(1e-9, 100 * (total - 1) / total));
    CHECK(value(by("book/gain"), "failed") == 3);
    CHECK_THROWS_WITH_AS(by("book/gian"), doctest::Contains("did you mean \"book/gain\""), Error);
    ResultTable foreign = points_of(map, 10, 0), missing = foreign, twice = foreign;
    foreign.rows[3].axes[0].text = "17,2";
    CHECK(conclude(foreign).invalid->find("17,2") != std::string::npos);
    missing.rows.erase(missing.rows.begin() + 5);
    CHECK(conclude(missing).invalid->find("no point at die " + map.dies[5].name()) != std::string::npos);
    twice.rows.push_back(twice.rows[0]);
    CHECK(conclude(twice).invalid->find("more than one point") != std::string::npos);
    // The order of the points does not matter.
    std::reverse(table.rows.begin(), table.rows.end());
    CHECK(value(conclude(table), "edge_value") == within(1e-12, value(out, "edge_value")));
}

TEST_CASE("dies are visited in turns, row by row, from the side of the reference die") {
    WaferMap map = wafer();
    const auto path = map.path();
    REQUIRE(path.size() == map.dies.size());
    double way = 0;
    for (std::size_t i = 1; i < path.size(); ++i) {
        const auto *a = map.find(path[i - 1]), *b = map.find(path[i]);
        way += std::abs(a->column - b->column) + std::abs(a->row - b->row);
    }
    // Each step to a neighbour, but for where rows begin elsewhere than the last one ended.
    CHECK(way < static_cast<double>(path.size()) + 6);
    for (auto& die : map.dies) die.reference = die.row == 6 && die.column == 3;
    CHECK(map.find(map.path().front())->row == 6);
}

TEST_CASE("results.curve: a curve over an axis, markers, earlier tables beside it") {
    ResultTable table;
    table.axes = {{"frequency", Unit::hertz}}, table.results = {{"gain", Unit::db}};
    for (int i = 1; i <= 5; ++i)
        table.rows.push_back({"p", "", "", 0.0, {{std::to_string(i) + " GHz", i * 1e9}}, {{-1.0 * i}}, {}});
    ResultTable earlier = table;
    for (auto& row : earlier.rows) row.cells[0].value = *row.cells[0].value - 1;
    const Outcome out =
        run_inputs("results.curve", {{"points", table}, {"earlier", earlier}}, {{"markers", "2.5 GHz"}});
    CHECK(value(out, "highest") == -1);
    CHECK(value(out, "lowest_at") == 5e9);
    CHECK(value(out, "marker_1") == within(1e-12, -2.5));
    REQUIRE(out.find_trace("curve"));
    CHECK(out.find_trace("curve")->companions.at(0).y[2] == -4);
    CHECK(run_inputs("results.curve", {{"points", table}}, {{"markers", "6 GHz"}}).invalid);
}
