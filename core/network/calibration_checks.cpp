#include "core/network/calibration_checks.hpp"

#include <fmt/core.h>

#include <algorithm>
#include <cmath>
#include <numbers>

#include "core/base/error.hpp"
#include "core/network/solve_terms.hpp"
#include "core/quantity/quantity.hpp"
#include "core/stats/median.hpp"

namespace rt {
namespace {

using std::numbers::pi;

double rms_distance(const std::vector<Complex>& a, const std::vector<Complex>& b) {
    double sum = 0;
    for (std::size_t i = 0; i < a.size(); ++i) sum += std::norm(a[i] - b[i]);
    return std::sqrt(sum / static_cast<double>(a.size()));
}

double wrapped(double phase) {
    return std::remainder(phase, 2 * pi);
}

// A straight line through an unwrapped phase: where it begins at 0 Hz, how far it turns over the band, how
// far points lie from it.
struct PhaseLine {
    double at_zero = 0, turned = 0, residual = 1e9;
};

// Nothing can be told where a step may be a turn more, unless the lowest frequency is a whole number of
// steps: then a turn more at each step makes no difference at 0 Hz.
PhaseLine phase_line(const std::vector<double>& hz, const std::vector<Complex>& values) {
    PhaseLine out;
    if (hz.size() < 10) return out;
    Complex mean = 0;
    for (std::size_t i = 1; i < hz.size(); ++i) {
        const Complex step = values[i] / values[i - 1];
        mean += step / std::abs(step);
    }
    const double usual = std::arg(mean),
                 spacing = (hz.back() - hz.front()) / static_cast<double>(hz.size() - 1);
    bool even = true;
    for (std::size_t i = 1; i < hz.size(); ++i)
        even = even && std::abs(hz[i] - hz[i - 1] - spacing) < 1e-3 * spacing;
    const double first = hz.front() / spacing;
    const bool whole = even && std::abs(first - std::round(first)) < 0.01;
    if (!whole && std::abs(usual) > 1.5) return out;
    std::vector<double> phase{std::arg(values.front())};
    for (std::size_t i = 1; i < hz.size(); ++i) {
        const double beside = std::arg(values[i] / values[i - 1] * std::polar(1.0, -usual));
        if (!(std::abs(beside) < 1)) return out;
        phase.push_back(phase.back() + usual + beside);
    }
    double mx = 0, my = 0;
    for (std::size_t i = 0; i < hz.size(); ++i) mx += hz[i], my += phase[i];
    const auto n = static_cast<double>(hz.size());
    mx /= n, my /= n;
    double xx = 0, xy = 0;
    for (std::size_t i = 0; i < hz.size(); ++i)
        xx += (hz[i] - mx) * (hz[i] - mx), xy += (hz[i] - mx) * (phase[i] - my);
    const double slope = xy / xx;
    out.at_zero = wrapped(my - slope * mx);
    out.turned = std::abs(slope) * (hz.back() - hz.front());
    double sum = 0;
    for (std::size_t i = 0; i < hz.size(); ++i) sum += std::pow(phase[i] - my - slope * (hz[i] - mx), 2);
    out.residual = std::sqrt(sum / n);
    return out;
}

}  // namespace

void CalibrationChecks::flag(const std::string& text) {
    if (std::find(flags.begin(), flags.end(), text) == flags.end()) flags.push_back(text);
}

void CalibrationChecks::flag(const std::string& text, double hz) {
    const auto same = [&](const std::string& known) { return known.starts_with(text); };
    if (std::none_of(flags.begin(), flags.end(), same))
        flags.push_back(text + ", first at " + format({hz, Unit::hertz}));
}

void check_readings(const std::vector<PortReading>& all, const std::vector<double>& hz,
                    CalibrationChecks& checks) {
    // A pair that differs by its definitions and not by its readings, measured by the pair that differs most.
    double most = 0;
    for (std::size_t a = 0; a < all.size(); ++a) {
        for (std::size_t b = a + 1; b < all.size(); ++b) {
            const double apart = rms_distance(all[a].actual, all[b].actual);
            if (apart > 0.1) most = std::max(most, rms_distance(all[a].read, all[b].read) / apart);
        }
    }
    if (all.size() > 1 && most == 0) fail_signal(all[0].name + " and " + all[1].name + " read the same");
    for (std::size_t a = 0; a < all.size(); ++a) {
        for (std::size_t b = a + 1; b < all.size(); ++b) {
            const double apart = rms_distance(all[a].actual, all[b].actual);
            if (apart > 0.1 && rms_distance(all[a].read, all[b].read) / apart < 0.05 * most)
                fail_signal(all[a].name + " and " + all[b].name +
                            " read the same: one of them was measured twice, or is not connected");
        }
    }
    for (std::size_t i = 0; i < hz.size(); ++i) {
        double best = 0;
        for (std::size_t a = 0; a < all.size(); ++a)
            for (std::size_t b = a + 1; b < all.size(); ++b)
                for (std::size_t c = b + 1; c < all.size(); ++c) {
                    const Complex x = all[a].actual[i], y = all[b].actual[i], z = all[c].actual[i];
                    best = std::max(best, std::min({std::abs(x - y), std::abs(y - z), std::abs(x - z)}));
                }
        if (all.size() > 2 && best < 0.05)
            fail_signal(
                fmt::format("no three standards at the port of {} are apart at {}: two of them reflect the "
                            "same to {:.2g}",
                            all[0].name, format({hz[i], Unit::hertz}), best));
    }
    if (all.size() <= 3) return;
    // How far the terms leave each reading, against how far the readings are apart.
    std::vector<double> miss;
    for (std::size_t i = 0; i < hz.size(); ++i) {
        std::vector<Complex> actual, read;
        for (const auto& one : all) actual.push_back(one.actual[i]), read.push_back(one.read[i]);
        const PortTerms t = solve_port(actual, read);
        double worst = 0;
        for (std::size_t k = 0; k < all.size(); ++k) {
            const Complex back = t.directivity + t.tracking * actual[k] / (1.0 - t.source_match * actual[k]);
            worst = std::max(worst, std::abs(back - read[k]));
        }
        miss.push_back(worst / std::abs(t.tracking));
    }
    const double typical = median(miss);
    if (typical > 0.2)
        fail_signal(
            fmt::format("the standards at the port of {} contradict one another by {:.2g} of the "
                        "tracking: one of them is not what it should be",
                        all[0].name, typical));
    if (typical > 0.05)
        checks.flag("the standards at the port of " + all[0].name +
                    " contradict one another by more than 0.05");
}

namespace {

void check_direction(const ErrorTerms& terms, std::size_t first, const std::string& port, bool upright,
                     CalibrationChecks& checks) {
    std::vector<Complex> tracking;
    for (std::size_t i = 0; i < terms.values.size(); ++i) {
        const auto* t = terms.values[i].data() + first;
        const double hz = terms.frequency_hz[i];
        if (!(std::abs(t[source_match]) < 1))
            fail_signal(
                fmt::format("the source match of port {} comes out as {:.3g} at {}: standards are mixed up, "
                            "or not those of the kit",
                            port, std::abs(t[source_match]), format({hz, Unit::hertz})));
        if (!(std::abs(t[reflection_tracking]) > 1e-6))
            fail_signal("port " + port + " shows no difference between its standards at " +
                        format({hz, Unit::hertz}));
        if (std::abs(t[directivity]) > std::abs(t[reflection_tracking]))
            checks.flag("the directivity of port " + port + " is above its tracking", hz);
        tracking.push_back(t[reflection_tracking]);
    }
    if (!upright) return;
    const PhaseLine line = phase_line(terms.frequency_hz, tracking);
    const double span = terms.frequency_hz.back() - terms.frequency_hz.front();
    // A line that can be followed to 0 Hz: straight, and not from far away.
    if (line.residual > 0.3 || terms.frequency_hz.front() > 0.5 * span || pi - std::abs(line.at_zero) > 0.45)
        return;
    const std::string what = "the phase of port " + port + "'s tracking begins at 180 degrees";
    // A cable of a turn and more makes it certain that this phase means something.
    if (line.turned > 2 * pi && line.residual < 0.2)
        fail_signal(what +
                    ": open and short are swapped (or the reflectometer turns the phase: set "
                    "reflectometer to any)");
    checks.flag(what + ": open and short may be swapped");
}

}  // namespace

void check_terms(const CheckedTerms& checked, bool upright) {
    const ErrorTerms& terms = *checked.terms;
    if (terms.ports == 1) {
        const std::size_t first = terms.port == 2 ? std::size_t{reverse} : 0;
        return check_direction(terms, first, std::to_string(terms.port), upright, *checked.checks);
    }
    // Both tracking products are one, whatever the boxes are: e10 e01 e23 e32.
    std::vector<double> size, turn;
    for (const auto& v : terms.values) {
        const Complex ratio = v[transmission_tracking] * v[reverse + transmission_tracking] /
                              (v[reflection_tracking] * v[reverse + reflection_tracking]);
        size.push_back(std::abs(ratio));
        turn.push_back(pi - std::abs(std::arg(ratio)));
    }
    if (!(median(size) > 4e-4)) fail_signal("the thru lets nothing through: it is not connected");
    check_direction(terms, 0, "1", upright, *checked.checks);
    check_direction(terms, reverse, "2", upright, *checked.checks);
    if (median(size) > 0.7 && median(size) < 1.4 && median(turn) < 0.35)
        fail_signal(
            "the signs of reflection and transmission do not fit: open and short are swapped at one of the "
            "ports");
    if (median(size) < 0.05)
        checked.checks->flag("the thru loses more than 13 dB that the standards do not show");
}

}  // namespace rt
