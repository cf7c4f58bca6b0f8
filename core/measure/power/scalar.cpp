// Scalar network measurement: a source and one, two or three power sensors.
#include <fmt/core.h>

#include <array>
#include <cmath>

#include "core/base/error.hpp"
#include "core/measure/power/level.hpp"

namespace rt {
namespace {

#define RT_SENSOR(name, number, what)                               \
    ParameterInfo {                                                 \
        name, ParameterKind::whole_number, Unit::none, number, what \
    }
constexpr ParameterInfo floor_parameter{"sensor_floor", ParameterKind::quantity, Unit::dbm, "-60 dBm",
                                        "below this a sensor shows its own noise: nothing arrives"};

constexpr std::array insertion_parameters{
    power_frequency_parameter, averages_parameter,
    RT_SENSOR("output_sensor", "1", "sensor at the output, counting from 1"),
    RT_SENSOR("incident_sensor", "2", "sensor at the splitter or coupler before the input"), floor_parameter};
constexpr std::array reflection_parameters{
    power_frequency_parameter, averages_parameter,
    RT_SENSOR("reflected_sensor", "1", "sensor at the coupler for what comes back"),
    RT_SENSOR("incident_sensor", "2", "sensor for what goes in"), floor_parameter};

CaptureSetup sensor_setup(const Parameters& p, const char* sensor) {
    PowerSetup out;
    out.frequency_hz = p.required("frequency");
    if (!(out.frequency_hz > 0)) fail_input("parameter frequency: must be above 0 Hz");
    const double number = p.required(sensor), averages = p.required("averages");
    if (number < 1 || number > 3) fail_input(std::string("parameter ") + sensor + ": must be 1, 2 or 3");
    if (averages > 1024) fail_input("parameter averages: must be 1 to 1024");
    out.sensor = static_cast<int>(number), out.averages = static_cast<int>(averages);
    return out;
}
CaptureSetup at_output(const Parameters& p) {
    return sensor_setup(p, "output_sensor");
}
CaptureSetup at_incident(const Parameters& p) {
    return sensor_setup(p, "incident_sensor");
}
CaptureSetup at_reflected(const Parameters& p) {
    return sensor_setup(p, "reflected_sensor");
}

constexpr std::array insertion_inputs{
    InputInfo{"output", "level at the output of the device", true, at_output},
    InputInfo{"thru", "level there with a thru in place of the device", false, at_output},
    InputInfo{"incident", "level before the device, at the same time as output", false, at_incident},
    InputInfo{"thru-incident", "level before the thru, at the same time as thru", false, at_incident},
};
constexpr std::array reflection_inputs{
    InputInfo{"reflected", "level that comes back from the device", true, at_reflected},
    InputInfo{"open", "level that comes back from an open", false, at_reflected},
    InputInfo{"short", "level that comes back from a short", false, at_reflected},
    InputInfo{"incident", "level that goes in, at the same time as reflected", false, at_incident},
    InputInfo{"open-incident", "level that goes in, with the open", false, at_incident},
    InputInfo{"short-incident", "level that goes in, with the short", false, at_incident},
};

constexpr std::array insertion_products{
    Product{"gain", Unit::db, "output over input, by the thru or by the incident level"},
    Product{"insertion_loss", Unit::db, "the same the other way round"},
    Product{"output_level", Unit::dbm, "at the output of the device"},
};
constexpr std::array reflection_products{
    Product{"return_loss", Unit::db, "what goes in over what comes back"},
    Product{"reflection", Unit::none, "its magnitude, a ratio of voltages"},
    Product{"standing_wave_ratio", Unit::none, "(1 + reflection) / (1 - reflection)"},
    Product{"open_to_short", Unit::db,
            "difference of open and short: source match and directivity, averaged out"},
};

// One frequency and no dead sensor.
class Readings {
  public:
    Readings(Inputs& inputs, const Parameters& p, const char* who)
        : inputs_(inputs), floor_(p.required("sensor_floor")), who_(who) {}

    bool has(const char* name) const { return inputs_.find(name); }
    double dbm(const char* name, bool may_be_low = false) {
        const auto reading = take<PowerReading>(*inputs_.find(name), who_);
        if (reading.frequency_hz > 0) {
            if (hz_ > 0 && std::abs(reading.frequency_hz - hz_) > 1e-9 * hz_)
                fail_input(fmt::format("{} was read at {}, others at {}", name,
                                       format({reading.frequency_hz, Unit::hertz}),
                                       format({hz_, Unit::hertz})));
            hz_ = reading.frequency_hz;
        }
        low_ = reading.level_dbm < floor_;
        if (low_ && !may_be_low)
            fail_signal(fmt::format("the level of {} is {}, below the {} that the sensor shows", name,
                                    format({reading.level_dbm, Unit::dbm}), format({floor_, Unit::dbm})));
        return low_ ? floor_ : reading.level_dbm;
    }
    bool low() const { return low_; }  // the last one

  private:
    Inputs& inputs_;
    double floor_;
    const char* who_;
    double hz_ = 0;
    bool low_ = false;
};

void require_insertion(const std::set<std::string>& names) {
    const bool thru = names.contains("thru"), incident = names.contains("incident");
    const bool thru_incident = names.contains("thru-incident");
    if (!thru && !incident)
        fail_input(
            "one sensor at the output tells no gain: give the input thru (the level with a thru in place), "
            "or "
            "incident (a second sensor)");
    if (thru && incident != thru_incident)
        fail_input("the incident level is known for one of device and thru only: give both, or neither");
    if (!thru && thru_incident) fail_input("thru-incident without thru");
}

void require_reflection(const std::set<std::string>& names) {
    if (!names.contains("open") || !names.contains("short"))
        fail_input(
            std::string("return loss needs what comes back from an open and from a short: give the input ") +
            (names.contains("open") ? "short" : "open"));
    const auto incident =
        names.contains("incident") + names.contains("open-incident") + names.contains("short-incident");
    if (incident != 0 && incident != 3)
        fail_input("the incident level is known for some of device, open and short only: give all, or none");
}

Outcome measure_insertion(Inputs inputs, const Parameters& p) {
    Readings read(inputs, p, "power.insertion");
    const bool thru = read.has("thru"), incident = read.has("incident"),
               thru_incident = read.has("thru-incident");
    // What goes in first: a dead source is told as such.
    const double in = incident ? read.dbm("incident") : 0;
    const double reference = thru ? read.dbm("thru") - (thru_incident ? read.dbm("thru-incident") : 0) : 0;
    const double out = read.dbm("output", true);
    const bool low = read.low();
    Outcome outcome;
    const double gain = out - in - reference;
    outcome.add("gain", gain, Unit::db, low ? Known::at_most : Known::exactly);
    outcome.add("insertion_loss", -gain, Unit::db, low ? Known::at_least : Known::exactly);
    outcome.add("output_level", out, Unit::dbm, low ? Known::at_most : Known::exactly);
    outcome.notes.push_back(!thru      ? "gain as the ratio to the incident level"
                            : incident ? "normalised by the thru, both by the incident level"
                                       : "normalised by the thru; the source is taken to have stayed");
    if (low) outcome.notes.emplace_back("nothing above the sensor's own noise arrives: bounds only");
    return outcome;
}

// Reference (|open| + |short|) / 2 in voltages: source match cancels to first order.
Outcome measure_reflection(Inputs inputs, const Parameters& p) {
    Readings read(inputs, p, "power.return-loss");
    const bool incident = read.has("incident");
    const auto voltage = [&](const char* name, const char* in, bool low) {
        const double level = incident ? read.dbm(in) : 0;
        return std::pow(10, (read.dbm(name, low) - level) / 20);
    };
    const double open = voltage("open", "open-incident", false),
                 closed = voltage("short", "short-incident", false);
    const double device = voltage("reflected", "incident", true);
    const bool low = read.low();
    const double apart = 20 * std::log10(open / closed);
    constexpr double most_apart = 6;
    if (std::abs(apart) > most_apart)
        fail_signal(fmt::format("open and short come back {:.1f} dB apart: one of them was not connected",
                                std::abs(apart)));
    const double reflection = device / ((open + closed) / 2);
    if (reflection > 1.35)
        fail_signal(
            fmt::format("{:.2f} times what open and short reflect comes back: the source has changed since, "
                        "or the device radiates",
                        reflection));
    const Known bound = low ? Known::at_most : Known::exactly;
    Outcome outcome;
    outcome.add("return_loss", -20 * std::log10(reflection), Unit::db,
                low ? Known::at_least : Known::exactly);
    outcome.add("reflection", reflection, Unit::none, bound);
    if (reflection < 1)
        outcome.add("standing_wave_ratio", (1 + reflection) / (1 - reflection), Unit::none, bound);
    outcome.add("open_to_short", apart, Unit::db);
    if (!incident) outcome.notes.emplace_back("no incident level: the source is taken to have stayed");
    return outcome;
}

}  // namespace

// One sensor by substitution, two by the ratio to the incident level. Mismatch is part of the uncertainty.
Procedure power_insertion() {
    return {"power.insertion",
            "Gain or insertion loss with one or two power sensors",
            "Level at the output against that of a thru in the same place (one sensor), against the incident "
            "level "
            "(two), or both. Below the sensor's own noise the gain is an upper bound. What the readings "
            "given cannot "
            "tell is refused.",
            insertion_parameters,
            {},
            insertion_products,
            at_output,
            nullptr,
            preset_named,
            nullptr,
            false,
            insertion_inputs,
            measure_insertion,
            false,
            nullptr,
            require_insertion};
}

Procedure power_return_loss() {
    return {
        "power.return-loss",
        "Return loss through a coupler",
        "What comes back from the device against the mean of open and short, averaged as voltages; each by "
        "the "
        "incident level where it is known. Below the sensor's own noise the return loss is a lower bound.",
        reflection_parameters,
        {},
        reflection_products,
        at_reflected,
        nullptr,
        preset_named,
        nullptr,
        false,
        reflection_inputs,
        measure_reflection,
        false,
        nullptr,
        require_reflection};
}

}  // namespace rt
