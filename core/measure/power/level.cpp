#include "core/measure/power/level.hpp"

#include <array>

#include "core/base/error.hpp"

namespace rt {

PowerSetup power_setup(const Parameters& p) {
    PowerSetup out;
    out.frequency_hz = p.required("frequency");
    if (!(out.frequency_hz > 0)) fail_input("parameter frequency: must be above 0 Hz");
    const double sensor = p.required("sensor"), averages = p.required("averages");
    if (sensor < 1 || sensor > 3) fail_input("parameter sensor: must be 1, 2 or 3");
    if (averages < 1 || averages > 1024) fail_input("parameter averages: must be 1 to 1024");
    out.sensor = static_cast<int>(sensor);
    out.averages = static_cast<int>(averages);
    return out;
}

namespace {

constexpr std::array level_parameters{power_frequency_parameter, sensor_parameter, averages_parameter};
constexpr std::array level_products{Product{"power", Unit::dbm, "mean power at the sensor", Trend::rising}};

CaptureSetup level_setup(const Parameters& p) {
    return power_setup(p);
}

Outcome measure_level(Capture capture, const Parameters&) {
    const PowerReading reading = take<PowerReading>(std::move(capture), "power.level");
    Outcome outcome;
    outcome.results.push_back({"power", {reading.level_dbm, Unit::dbm}, {}});
    return outcome;
}

}  // namespace

Procedure power_level() {
    return {
        "power.level",
        "Mean power",
        "Takes one averaged reading of a power meter as it is. A sensor that reports an overload gives no "
        "verdict.",
        level_parameters,
        {},
        level_products,
        level_setup,
        measure_level,
        preset_named};
}

}  // namespace rt
