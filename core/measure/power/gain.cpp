#include <array>

#include "core/base/error.hpp"
#include "core/measure/power/level.hpp"

namespace rt {
namespace {

constexpr std::array gain_parameters{
    power_frequency_parameter,
    averages_parameter,
    ParameterInfo{"input_sensor", ParameterKind::whole_number, Unit::none, "1",
                  "sensor at the input, counting from 1"},
    ParameterInfo{"output_sensor", ParameterKind::whole_number, Unit::none, "2",
                  "sensor at the output, counting from 1"},
    ParameterInfo{"sensor_floor", ParameterKind::quantity, Unit::dbm, "-60 dBm",
                  "below this a sensor shows its own noise: nothing arrives"},
};
constexpr std::array gain_products{Product{"gain", Unit::db, "output over input"},
                                   Product{"input_level", Unit::dbm, "mean power at the input"},
                                   Product{"output_level", Unit::dbm, "mean power at the output"}};

CaptureSetup setup_of(const Parameters& p, const char* sensor) {
    PowerSetup out;
    out.frequency_hz = p.required("frequency");
    if (!(out.frequency_hz > 0)) fail_input("parameter frequency: must be above 0 Hz");
    const double number = p.required(sensor), averages = p.required("averages");
    if (number > 3) fail_input(std::string("parameter ") + sensor + ": must be 1, 2 or 3");
    if (averages > 1024) fail_input("parameter averages: must be 1 to 1024");
    out.sensor = static_cast<int>(number);
    out.averages = static_cast<int>(averages);
    return out;
}

CaptureSetup input_setup(const Parameters& p) {
    return setup_of(p, "input_sensor");
}

CaptureSetup output_setup(const Parameters& p) {
    return setup_of(p, "output_sensor");
}

constexpr std::array gain_inputs{InputInfo{"input", "level at the input", true, input_setup},
                                 InputInfo{"output", "level at the output", true, output_setup}};

Outcome measure_gain(Inputs inputs, const Parameters& p) {
    const PowerReading in = take<PowerReading>(inputs.take("input"), "power.gain");
    const PowerReading out = take<PowerReading>(inputs.take("output"), "power.gain");
    const double floor = p.required("sensor_floor");
    for (const auto* reading : {&in, &out}) {
        if (reading->level_dbm < floor)
            fail_signal("the level at the " + std::string(reading == &in ? "input" : "output") + " is " +
                        format({reading->level_dbm, Unit::dbm}) + ", below the " +
                        format({floor, Unit::dbm}) + " that the sensor shows");
    }
    const bool frequencies = in.frequency_hz > 0 && out.frequency_hz > 0;
    if (frequencies && std::abs(in.frequency_hz - out.frequency_hz) > 1e-9 * in.frequency_hz)
        fail_input("the sensors were corrected at different frequencies, " +
                   format({in.frequency_hz, Unit::hertz}) + " and " +
                   format({out.frequency_hz, Unit::hertz}));
    Outcome outcome;
    outcome.add("gain", out.level_dbm - in.level_dbm, Unit::db);
    outcome.add("input_level", in.level_dbm, Unit::dbm);
    outcome.add("output_level", out.level_dbm, Unit::dbm);
    return outcome;
}

}  // namespace

// Ratio of two mean powers in dB. Mismatch is part of its uncertainty and is not taken out.
Procedure power_gain() {
    return {"power.gain",
            "Gain between two power sensors",
            "One averaged reading at the input, one at the output, in dB; a loss is a negative gain. Each is "
            "corrected by the path to its "
            "meter. No verdict when a sensor shows its own noise.",
            gain_parameters,
            {},
            gain_products,
            input_setup,
            nullptr,
            preset_named,
            nullptr,
            false,
            gain_inputs,
            measure_gain};
}

}  // namespace rt
