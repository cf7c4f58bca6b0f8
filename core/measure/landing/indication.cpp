// landing.indication: what a receiver makes of a deviation that is set.
#include <fmt/core.h>

#include <algorithm>
#include <cmath>

#include "core/base/error.hpp"
#include "core/measure/procedure.hpp"

namespace rt {
namespace {

constexpr std::array indication_parameters{
    ParameterInfo{
        "deviation", ParameterKind::quantity, Unit::none, "",
        "difference in depth of modulation that is sent, 150 Hz predominating positive; an axis sets "
        "it together with the generator's"},
    ParameterInfo{
        "full_scale", ParameterKind::quantity, Unit::none, "150",
        "what the receiver indicates at full deflection: 150 where it shows microamperes, 100 where "
        "it shows per cent, 0.155 where it shows DDM"},
    ParameterInfo{"full_scale_ddm", ParameterKind::quantity, Unit::none, "0.155",
                  "deviation for that: 0.155 of a localiser, 0.175 of a glide path"},
    ParameterInfo{"flag", ParameterKind::choice, Unit::none, "hidden",
                  "what its flag has to do: hidden while all is well, shown where it must warn",
                  "hidden shown"},
    ParameterInfo{"direction", ParameterKind::choice, Unit::none, "any",
                  "from which side the deviation is come to: told for conclusions about hysteresis",
                  "any rising falling"},
    ParameterInfo{"place", ParameterKind::text, Unit::none, "", "place in a pattern, told with the point"},
    ParameterInfo{"readings", ParameterKind::whole_number, Unit::none, "10", "readings of one point"},
    ParameterInfo{"every", ParameterKind::quantity, Unit::second, "100 ms", "between two readings"},
};

constexpr std::array indication_traces{Product{"reading", Unit::none, "each reading over time"}};
constexpr std::array indication_products{
    Product{"indication", Unit::none, "mean of the readings, as the receiver shows it"},
    Product{"indicated_ddm", Unit::none, "the same as a difference in depth of modulation"},
    Product{"indication_error", Unit::percent, "from the deviation that is sent, of full deflection"},
    Product{"indication_spread", Unit::percent, "greatest less least reading, of full deflection"},
    Product{"flag_shown", Unit::percent, "share of readings with the flag shown"},
    Product{"flag_wrong", Unit::count, "readings at which the flag did not what it has to"},
    Product{"gain_level", Unit::none, "mean of the automatic gain control, as it is told"},
    Product{"readings", Unit::count, "readings"},
};

CaptureSetup indication_setup(const Parameters& p) {
    const double readings = p.required("readings"), every = p.required("every");
    if (readings > 100000) fail_input("parameter readings: at most 100000 are possible");
    if (!(every >= 0 && every <= 60)) fail_input("parameter every: 0 s to 60 s are possible");
    if (!(p.required("full_scale") > 0)) fail_input("parameter full_scale: must be above 0");
    if (!(p.required("full_scale_ddm") > 0)) fail_input("parameter full_scale_ddm: must be above 0");
    return IndicationSetup{static_cast<std::size_t>(readings), every};
}

void add_flag(const Indication& seen, bool must_show, Outcome& outcome) {
    const auto told = std::count_if(seen.readings.begin(), seen.readings.end(),
                                    [](const auto& r) { return r.flag.has_value(); });
    if (told < static_cast<std::ptrdiff_t>(seen.readings.size())) {
        for (const char* name : {"flag_shown", "flag_wrong"})
            outcome.lacking[name] = "nothing tells of the flag";
        return;
    }
    const auto shown = static_cast<double>(std::count_if(
        seen.readings.begin(), seen.readings.end(), [](const auto& r) { return r.flag.value_or(false); }));
    const auto all = static_cast<double>(seen.readings.size());
    outcome.add("flag_shown", 100 * shown / all, Unit::percent);
    outcome.add("flag_wrong", must_show ? all - shown : shown, Unit::count);
}

Outcome measure_indication(Capture capture, const Parameters& p) {
    const Indication seen = take<Indication>(std::move(capture), "landing.indication");
    indication_setup(p);
    Outcome outcome;
    const double full = p.required("full_scale"), full_ddm = p.required("full_scale_ddm");
    // A reading with the flag shown tells nothing.
    double sum = 0, low = 1e300, high = -1e300;
    std::size_t valid = 0;
    Trace trace;
    trace.name = "reading", trace.title = "Indication", trace.y_unit = Unit::none;
    trace.x_unit = Unit::second, trace.x_title = "Time";
    for (const auto& reading : seen.readings) {
        trace.x.push_back(reading.at_s);
        trace.y.push_back(reading.deviation);
        if (reading.flag.value_or(false)) continue;
        ++valid;
        sum += reading.deviation;
        low = std::min(low, reading.deviation), high = std::max(high, reading.deviation);
    }
    if (valid > 0) {
        const double mean = sum / static_cast<double>(valid), ddm = mean / full * full_ddm;
        outcome.add("indication", mean, Unit::none);
        outcome.add("indicated_ddm", ddm, Unit::none);
        if (const auto sent = p.number("deviation")) {
            outcome.add("indication_error", 100 * (ddm - *sent) / full_ddm, Unit::percent);
        } else {
            outcome.lacking["indication_error"] = "the deviation that is sent is not known: set it";
        }
        outcome.add("indication_spread", 100 * (high - low) / full, Unit::percent);
    } else {
        for (const char* name : {"indication", "indicated_ddm", "indication_error", "indication_spread"})
            outcome.lacking[name] = "the flag is shown: what it indicates is not valid";
    }
    add_flag(seen, p.text("flag") == "shown", outcome);
    double gain = 0;
    std::size_t told = 0;
    for (const auto& reading : seen.readings) {
        if (reading.level) gain += *reading.level, ++told;
    }
    if (told > 0) {
        outcome.add("gain_level", gain / static_cast<double>(told), Unit::none);
    } else {
        outcome.lacking["gain_level"] = "nothing tells of the gain control";
    }
    outcome.add("readings", static_cast<double>(seen.readings.size()), Unit::count);
    if (seen.by_person) outcome.notes.emplace_back("read by a person");
    outcome.traces.push_back(std::move(trace));
    return outcome;
}

}  // namespace

Procedure landing_indication() {
    return {
        "landing.indication",
        "Indication of a landing-system receiver",
        "The mean of several readings against the deviation that is sent, in parts of full deflection, and "
        "the flag against what it has to do. Readings with the flag shown count for nothing but the flag.",
        indication_parameters,
        indication_traces,
        indication_products,
        indication_setup,
        measure_indication,
        preset_named};
}

}  // namespace rt
