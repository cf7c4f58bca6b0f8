// path.loss: what a signal path takes away, from a known level into it and a reading at its end.
#include "core/measure/procedure.hpp"

#include <array>

#include "core/base/error.hpp"
#include "core/measure/power/level.hpp"

namespace rt {
namespace {

constexpr std::array path_loss_parameters{
    power_frequency_parameter,
    sensor_parameter,
    averages_parameter,
    ParameterInfo{"sent", ParameterKind::quantity, Unit::dbm, "", "level that is fed into the path"},
    ParameterInfo{"sensor_floor", ParameterKind::quantity, Unit::dbm, "-60 dBm",
                  "a reading below this is the sensor's own noise"},
};
constexpr std::array path_loss_products{
    Product{"loss", Unit::db, "level sent minus level received"},
    Product{"received", Unit::dbm, "level at the end of the path"},
};

CaptureSetup path_loss_setup(const Parameters& p) {
    p.required("sent");
    return power_setup(p);
}

Outcome measure_path_loss(Capture capture, const Parameters& p) {
    const PowerReading reading = take<PowerReading>(std::move(capture), "path.loss");
    Outcome outcome;
    outcome.results.push_back({"loss", {p.required("sent") - reading.level_dbm, Unit::db}, {}});
    outcome.results.push_back({"received", {reading.level_dbm, Unit::dbm}, {}});
    return outcome;
}

std::optional<Unexpected> check_path_loss(const Capture& capture, const Parameters& p) {
    const auto* reading = std::get_if<PowerReading>(&capture);
    const double floor = p.required("sensor_floor");
    if (!reading || reading->level_dbm >= floor) return std::nullopt;
    return Unexpected{format({reading->level_dbm, Unit::dbm}) + " at the end of the path",
                      "a signal above " + format({floor, Unit::dbm}) + ", with " +
                          format({p.required("sent"), Unit::dbm}) + " sent"};
}

}  // namespace

Procedure path_loss() {
    return {
        "path.loss",
        "Loss of a signal path",
        "A generator feeds a known level into the path, a power meter reads what comes out: loss = sent "
        "minus received, in dB. Mismatch between the two is part of its uncertainty and is not taken out. "
        "Refuses when nothing arrives.",
        path_loss_parameters,
        {},
        path_loss_products,
        path_loss_setup,
        measure_path_loss,
        preset_named,
        check_path_loss};
}

}  // namespace rt
