#include <array>
#include <numeric>

#include "core/base/error.hpp"
#include "core/measure/procedure.hpp"

namespace rt {
namespace {

constexpr std::array rise_inputs{InputInfo{"cold", "temperatures before power was on"},
                                 InputInfo{"warm", "temperatures when they no longer change"}};
constexpr std::array rise_products{Product{"rise", Unit::celsius, "mean of warm less mean of cold"}};

CaptureSetup rise_setup(const Parameters&) {
    return TemperaturesSetup{};
}

double mean_of(const Temperatures& t) {
    return std::accumulate(t.celsius.begin(), t.celsius.end(), 0.0) / static_cast<double>(t.celsius.size());
}

Outcome measure_rise(Inputs inputs, const Parameters&) {
    const auto cold = take<Temperatures>(inputs.take("cold"), "thermal.rise");
    const auto warm = take<Temperatures>(inputs.take("warm"), "thermal.rise");
    Outcome outcome;
    outcome.add("rise", mean_of(warm) - mean_of(cold), Unit::celsius);
    return outcome;
}

}  // namespace

// A procedure of two inputs: the rise of temperature between two records.
Procedure thermal_rise() {
    return {"thermal.rise",
            "Rise of temperature",
            "Mean temperature of one record less that of another.",
            {},
            {},
            rise_products,
            rise_setup,
            nullptr,
            preset_named,
            nullptr,
            false,
            rise_inputs,
            measure_rise};
}

}  // namespace rt
