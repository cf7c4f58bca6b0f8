#include "core/measure/power/level.hpp"

#include <array>

#include "core/base/error.hpp"
#include "core/quantity/light.hpp"

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

constexpr std::array level_parameters{
    power_frequency_parameter,
    ParameterInfo{"wavelength", ParameterKind::quantity, Unit::metre, "",
                  "of light, \"1310 nm\", in place of the frequency: in vacuum"},
    sensor_parameter,
    averages_parameter,
};
constexpr std::array level_products{Product{"power", Unit::dbm, "mean power at the sensor", Trend::rising}};

CaptureSetup level_setup(const Parameters& p) {
    const auto wavelength = p.number("wavelength");
    if (!wavelength) return power_setup(p);
    if (p.has("frequency")) fail_input("parameters frequency and wavelength: state one of both");
    if (!(*wavelength >= 100e-9 && *wavelength <= 100e-6))
        fail_input("parameter wavelength: 100 nm to 100 um are light");
    Parameters by_frequency = p;
    by_frequency.set_quantity("frequency", {frequency_of(*wavelength), Unit::hertz});
    return power_setup(by_frequency);
}

Outcome measure_level(Capture capture, const Parameters&) {
    const PowerReading reading = take<PowerReading>(std::move(capture), "power.level");
    Outcome outcome;
    outcome.results.push_back({"power", {reading.level_dbm, Unit::dbm}, {}});
    return outcome;
}

}  // namespace

Procedure power_level() {
    return {"power.level",
            "Mean power",
            "Takes one averaged reading of a power meter as it is, of radio frequencies or of light. A "
            "sensor that reports an overload gives no "
            "verdict.",
            level_parameters,
            {},
            level_products,
            level_setup,
            measure_level,
            preset_named};
}

}  // namespace rt
