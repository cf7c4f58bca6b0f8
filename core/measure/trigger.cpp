#include "core/measure/trigger.hpp"

#include <algorithm>
#include <cmath>

#include "core/base/error.hpp"

namespace rt {

BurstList bursts_of(const IqRecord& record, const Parameters& p) {
    TriggerSettings settings;
    settings.hysteresis_db = p.required("hysteresis");
    settings.hold_off_s = p.required("hold_off");
    settings.shortest_s = p.required("shortest_burst");
    if (settings.hysteresis_db < 0) fail_input("parameter hysteresis: must not be below 0 dB");
    if (const auto power = p.number("trigger_power")) {
        if (!record.reference_level_dbm) {
            fail_input(
                "parameter trigger_power needs a record with a reference level: give --reference-level, or "
                "set trigger_level");
        }
        settings.level_db = *power - *record.reference_level_dbm;
    } else if (const auto level = p.number("trigger_level")) {
        if (*level >= 0) fail_input("parameter trigger_level: must be below 0 dB, the highest power");
        double highest = 0;
        for (const double value : power_curve(record, record.size() / 8 + 1).mean)
            highest = std::max(highest, value);
        settings.level_db = 10 * std::log10(std::max(highest, 1e-30)) + *level;
    }
    BurstList out = find_bursts(record, settings);
    if (out.noise_db) {
        fail_signal("nothing stands out of the noise: the trigger level of " +
                    format(level_of(record, std::pow(10, out.level_db / 10)), 4) + " lies in noise of " +
                    format(level_of(record, std::pow(10, *out.noise_db / 10)), 4) +
                    "; set trigger_level or trigger_power well above it where there is a signal");
    }
    return out;
}

std::string no_burst(const IqRecord& record, const BurstList& list) {
    return "no burst reaches the trigger level of " +
           format(level_of(record, std::pow(10, list.level_db / 10)));
}

Trace power_trace(const IqRecord& record) {
    const PowerCurve curve = power_curve(record, 4000);
    Trace trace;
    trace.name = "power";
    trace.title = "Power";
    trace.x_unit = Unit::second;
    trace.x_title = "Time";
    for (const double t : curve.time_s) trace.x.push_back(t + record.from_s);
    trace.y_unit = level_of(record, 1).unit;
    // Where nothing at all was recorded a level would be minus infinity.
    for (const double value : curve.highest)
        trace.y.push_back(std::max(level_of(record, value).value, -200.0));
    return trace;
}

}  // namespace rt
