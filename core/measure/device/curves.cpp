// Bias curves of a device: families, transconductance, what was held by its compliance.
#include <fmt/core.h>

#include <algorithm>
#include <cmath>

#include "core/base/error.hpp"
#include "core/measure/procedure.hpp"
#include "core/signal/bias_curves.hpp"

namespace rt {
namespace {

#define RT_BIAS_PARAMETERS                                                                                  \
    ParameterInfo{"input_from", ParameterKind::quantity, Unit::volt, "",                                    \
                  "first voltage forced at the input"},                                                     \
        ParameterInfo{"input_to", ParameterKind::quantity, Unit::volt, "", "last one"},                     \
        ParameterInfo{"input_points", ParameterKind::whole_number, Unit::none, "5", "curves"},              \
        ParameterInfo{"output_from", ParameterKind::quantity, Unit::volt, "0 V",                            \
                      "first voltage forced at the output"},                                                \
        ParameterInfo{"output_to", ParameterKind::quantity, Unit::volt, "", "last one"},                    \
        ParameterInfo{"output_points", ParameterKind::whole_number, Unit::none, "21", "points of a curve"}, \
        ParameterInfo{"input_limit", ParameterKind::quantity, Unit::ampere, "1 mA",                         \
                      "compliance of the input"},                                                           \
        ParameterInfo {                                                                                     \
        "output_limit", ParameterKind::quantity, Unit::ampere, "100 mA", "compliance of the output"         \
    }

constexpr std::array curves_parameters{RT_BIAS_PARAMETERS};
constexpr std::array disturbance_parameters{
    RT_BIAS_PARAMETERS,
    ParameterInfo{"floor", ParameterKind::quantity, Unit::ampere, "1 uA",
                  "currents below this are not compared: they are noise and leakage"},
};

constexpr std::array curves_traces{
    Product{"output_curves", Unit::ampere, "output current over output voltage, a curve for each input"},
    Product{"transfer", Unit::ampere, "output current over the input, at the highest output voltage"},
    Product{"transconductance", Unit::siemens, "slope of that"},
};
constexpr std::array curves_products{
    Product{"greatest_output_current", Unit::ampere, "of all points that were forced"},
    Product{"greatest_input_current", Unit::ampere, "of all points, by size"},
    Product{"greatest_transconductance", Unit::siemens, "steepest slope of the transfer curve"},
    Product{"greatest_transconductance_at", Unit::volt, "input voltage in the middle of that step"},
    Product{"greatest_power", Unit::watt, "output voltage times current"},
    Product{"limited", Unit::count, "points held by a compliance"},
    Product{"points", Unit::count, "all points"},
};

CaptureSetup bias_setup(const Parameters& p) {
    BiasSetup out;
    const auto steps = [&](const char* from, const char* to, const char* points) {
        ForcedSteps s{p.required(from), p.required(to), static_cast<std::size_t>(p.required(points))};
        if (s.points < 1 || s.points > 10001)
            fail_input(std::string("parameter ") + points + ": 1 to 10001 are possible");
        return s;
    };
    out.input = steps("input_from", "input_to", "input_points");
    out.output = steps("output_from", "output_to", "output_points");
    out.input_compliance = p.required("input_limit"), out.output_compliance = p.required("output_limit");
    if (!(out.input_compliance > 0)) fail_input("parameter input_limit: must be above 0 A");
    if (!(out.output_compliance > 0)) fail_input("parameter output_limit: must be above 0 A");
    return out;
}

// Points with the same forced input, in the order in which inputs appear; within them by output voltage.
struct Family {
    double input = 0;
    std::vector<BiasPoint> points;
};

double forced(const BiasCurves& curves, const BiasPoint& p) {
    return curves.input_current ? p.input_a : p.input_v;
}

std::vector<Family> families(const BiasCurves& curves) {
    double size = 0;
    for (const auto& p : curves.points) size = std::max(size, std::abs(forced(curves, p)));
    // Forced values are measured back with some noise: within a thousandth of the largest they are one.
    const double near = 1e-3 * size;
    std::vector<Family> out;
    for (const auto& p : curves.points) {
        const auto same = [&](const Family& f) { return std::abs(f.input - forced(curves, p)) <= near; };
        auto at = std::find_if(out.begin(), out.end(), same);
        if (at == out.end()) out.push_back({forced(curves, p), {}}), at = std::prev(out.end());
        at->points.push_back(p);
    }
    for (auto& f : out)
        std::stable_sort(f.points.begin(), f.points.end(),
                         [](const auto& a, const auto& b) { return a.output_v < b.output_v; });
    std::stable_sort(out.begin(), out.end(), [](const auto& a, const auto& b) { return a.input < b.input; });
    return out;
}

Trace family_trace(const std::vector<Family>& all, bool current) {
    Trace out;
    out.name = "output_curves", out.y_unit = Unit::ampere, out.x_unit = Unit::volt,
    out.x_title = "Output voltage";
    const Unit unit = current ? Unit::ampere : Unit::volt;
    // The longest curve gives the places; others are taken there, and end where they end.
    const auto longest = std::max_element(all.begin(), all.end(), [](const Family& a, const Family& b) {
        return a.points.size() < b.points.size();
    });
    for (const auto& p : longest->points) out.x.push_back(p.output_v);
    for (const auto& f : all) {
        std::vector<double> y(out.x.size(), std::nan(""));
        std::size_t held = 0;
        for (const auto& p : f.points) {
            const auto near = std::min_element(out.x.begin(), out.x.end(), [&](double a, double b) {
                return std::abs(a - p.output_v) < std::abs(b - p.output_v);
            });
            y[static_cast<std::size_t>(near - out.x.begin())] = p.output_a;
            held += p.limited();
        }
        const std::string title =
            format({f.input, unit}, 3) + (held ? fmt::format(" ({} held by compliance)", held) : "");
        if (&f == &*longest) {
            out.title = title, out.y = y;
            continue;
        }
        out.companions.push_back({title, std::move(y)});
    }
    return out;
}

Outcome measure_curves(Capture any, const Parameters&) {
    const auto curves = take<BiasCurves>(std::move(any), "device.curves");
    const auto all = families(curves);
    Outcome outcome;
    double most = 0, input = 0, power = 0;
    std::size_t limited = 0, free = 0;
    for (const auto& p : curves.points) {
        input = std::max(input, std::abs(p.input_a));
        limited += p.limited();
        if (p.limited()) continue;
        ++free;
        most = std::max(most, p.output_a);
        power = std::max(power, p.output_a * p.output_v);
    }
    if (free == 0) fail_signal("every point was held by a compliance: nothing is known of the device");
    outcome.add("greatest_output_current", most, Unit::ampere);
    outcome.add("greatest_input_current", input, Unit::ampere);
    outcome.add("greatest_power", power, Unit::watt);
    outcome.add("limited", static_cast<double>(limited), Unit::count);
    outcome.add("points", static_cast<double>(curves.points.size()), Unit::count);
    if (limited)
        outcome.notes.push_back(fmt::format("{} of {} points were held by a compliance and do not count",
                                            limited, curves.points.size()));
    outcome.traces.push_back(family_trace(all, curves.input_current));
    // Over the input at the highest output voltage, without what was held.
    Trace transfer, slope;
    transfer.name = "transfer", transfer.title = "Output current", transfer.y_unit = Unit::ampere;
    slope.name = "transconductance", slope.title = "Transconductance", slope.y_unit = Unit::siemens;
    for (Trace* trace : {&transfer, &slope}) {
        trace->x_title = "Input";
        trace->x_unit = Unit::volt;
    }
    for (const auto& f : all) {
        const BiasPoint& last = f.points.back();
        if (last.limited()) continue;
        transfer.x.push_back(last.input_v), transfer.y.push_back(last.output_a);
    }
    for (std::size_t i = 1; i < transfer.x.size(); ++i) {
        if (!(transfer.x[i] > transfer.x[i - 1])) continue;
        slope.x.push_back((transfer.x[i] + transfer.x[i - 1]) / 2);
        slope.y.push_back((transfer.y[i] - transfer.y[i - 1]) / (transfer.x[i] - transfer.x[i - 1]));
    }
    if (!slope.x.empty()) {
        const auto steepest = std::max_element(slope.y.begin(), slope.y.end());
        outcome.add("greatest_transconductance", *steepest, Unit::siemens);
        outcome.add("greatest_transconductance_at",
                    slope.x[static_cast<std::size_t>(steepest - slope.y.begin())], Unit::volt);
        outcome.traces.push_back(std::move(transfer));
        outcome.traces.push_back(std::move(slope));
    } else {
        outcome.notes.emplace_back(
            "fewer than two inputs at the highest output voltage: no transconductance");
    }
    return outcome;
}

constexpr std::array disturbance_traces{
    Product{"change", Unit::percent, "relative change of current at each bias point"}};
constexpr std::array disturbance_products{
    Product{"worst_change", Unit::percent, "largest relative change of output current above the floor"},
    Product{"worst_at_input", Unit::volt, "input voltage there"},
    Product{"worst_at_output", Unit::volt, "output voltage there"},
    Product{"compared", Unit::count, "bias points above the floor"},
};
constexpr std::array disturbance_inputs{InputInfo{"off", "bias curves without the signal"},
                                        InputInfo{"on", "the same with the signal"}};

// Paired by bias point, whatever the order.
Outcome measure_disturbance(Inputs inputs, const Parameters& p) {
    const char* const who = "device.disturbance";
    const auto off = take<BiasCurves>(inputs.take("off"), who), on = take<BiasCurves>(inputs.take("on"), who);
    const double floor = p.required("floor");
    if (!(floor > 0)) fail_input("parameter floor: must be above 0 A");
    if (off.input_current != on.input_current) fail_input("one was forced by current, the other by voltage");
    double input_size = 0, output_size = 0;
    for (const auto& point : off.points) {
        input_size = std::max(input_size, std::abs(forced(off, point)));
        output_size = std::max(output_size, std::abs(point.output_v));
    }
    const double near_input = 1e-3 * input_size + 1e-15, near_output = 1e-3 * output_size + 1e-15;
    std::vector<bool> used(on.points.size());
    std::string missing;
    std::size_t lacking = 0;
    const auto place = [&](const BiasPoint& point) {
        return format({forced(off, point), off.input_current ? Unit::ampere : Unit::volt}, 4) + " and " +
               format({point.output_v, Unit::volt}, 4);
    };
    Trace change;
    change.name = "change", change.title = "Change of current with the signal", change.y_unit = Unit::percent;
    change.x_title = "Bias point", change.x_unit = Unit::none;
    double worst = -1, worst_input = 0, worst_output = 0;
    std::size_t held = 0;
    for (const auto& point : off.points) {
        std::size_t match = on.points.size();
        for (std::size_t i = 0; i < on.points.size() && match == on.points.size(); ++i) {
            if (!used[i] && std::abs(forced(on, on.points[i]) - forced(off, point)) <= near_input &&
                std::abs(on.points[i].output_v - point.output_v) <= near_output)
                match = i;
        }
        if (match == on.points.size()) {
            ++lacking;
            if (missing.empty()) missing = place(point);
            continue;
        }
        used[match] = true;
        const BiasPoint& other = on.points[match];
        held += point.limited() || other.limited();
        if (point.limited() || other.limited() || std::abs(point.output_a) < floor) continue;
        const double share = 100 * std::abs(other.output_a - point.output_a) / std::abs(point.output_a);
        change.x.push_back(static_cast<double>(change.x.size() + 1)), change.y.push_back(share);
        if (share <= worst) continue;
        worst = share, worst_input = point.input_v, worst_output = point.output_v;
    }
    const auto left = static_cast<std::size_t>(std::count(used.begin(), used.end(), false));
    if (lacking > 0)
        fail_signal(fmt::format("{} bias point{} without the signal {} none with it, the first at {}",
                                lacking, lacking == 1 ? "" : "s", lacking == 1 ? "has" : "have", missing));
    if (left > 0)
        fail_signal(fmt::format("{} bias point{} with the signal {} none without it", left,
                                left == 1 ? "" : "s", left == 1 ? "has" : "have"));
    if (held > 0)
        fail_signal(fmt::format(
            "{} bias points were held by a compliance: their currents say nothing of the signal", held));
    if (worst < 0) fail_signal("no current lies above the floor of " + format({floor, Unit::ampere}));
    Outcome outcome;
    outcome.add("worst_change", worst, Unit::percent);
    outcome.add("worst_at_input", worst_input, Unit::volt);
    outcome.add("worst_at_output", worst_output, Unit::volt);
    outcome.add("compared", static_cast<double>(change.x.size()), Unit::count);
    outcome.traces.push_back(std::move(change));
    return outcome;
}

}  // namespace

Procedure device_curves() {
    return {"device.curves",
            "Bias curves: output families, transconductance, compliance",
            "From voltages and currents of a device with three terminals, forced at its input and its "
            "output. Points "
            "held by a compliance are counted and belong to no result.",
            curves_parameters,
            curves_traces,
            curves_products,
            bias_setup,
            measure_curves,
            preset_named};
}

Procedure device_disturbance() {
    return {
        "device.disturbance",
        "Whether a signal disturbs the bias: currents with it and without it",
        "The same bias points without and with the signal, paired by what was forced, whatever the order: "
        "relative change of output current above a floor. Points that only one of both has, and points held "
        "by a "
        "compliance, give no verdict.",
        disturbance_parameters,
        disturbance_traces,
        disturbance_products,
        bias_setup,
        nullptr,
        preset_named,
        nullptr,
        false,
        disturbance_inputs,
        measure_disturbance};
}

}  // namespace rt
