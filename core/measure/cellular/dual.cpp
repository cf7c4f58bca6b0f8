// cellular.dual-uplink: an LTE and an NR uplink that a unit sends at once, each from a tester of its own.
#include <array>
#include <cmath>
#include <string>

#include "core/base/error.hpp"
#include "core/measure/cellular/uplink_outcome.hpp"

namespace rt {

Procedure lte_uplink();
Procedure nr_uplink();

namespace {

constexpr std::array dual_parameters{
    ParameterInfo{"lte_centre", ParameterKind::quantity, Unit::hertz, "", "carrier frequency of LTE"},
    ParameterInfo{"lte_bandwidth", ParameterKind::quantity, Unit::hertz, "20 MHz", "of its channel"},
    ParameterInfo{"lte_cell", ParameterKind::number_from_0, Unit::none, "0", "its physical cell identity"},
    ParameterInfo{"lte_modulation", ParameterKind::choice, Unit::none, "qpsk", "of its data",
                  "qpsk 16qam 64qam"},
    ParameterInfo{"lte_band", ParameterKind::text, Unit::none, "", "its operating band"},
    ParameterInfo{"lte_sample_rate", ParameterKind::quantity, Unit::hertz, "30.72 MHz", "of its record"},
    ParameterInfo{"nr_centre", ParameterKind::quantity, Unit::hertz, "", "carrier frequency of NR"},
    ParameterInfo{"nr_bandwidth", ParameterKind::quantity, Unit::hertz, "20 MHz", "of its channel"},
    ParameterInfo{"nr_spacing", ParameterKind::quantity, Unit::hertz, "30 kHz", "of its subcarriers"},
    ParameterInfo{"nr_identity", ParameterKind::number_from_0, Unit::none, "0", "its scrambling identity"},
    ParameterInfo{"nr_modulation", ParameterKind::choice, Unit::none, "qpsk", "of its data",
                  "pi/2-bpsk qpsk 16qam 64qam 256qam"},
    ParameterInfo{"nr_precoding", ParameterKind::choice, Unit::none, "off", "its transform precoding",
                  "off on"},
    ParameterInfo{"nr_band", ParameterKind::text, Unit::none, "", "its operating band"},
    ParameterInfo{"nr_sample_rate", ParameterKind::quantity, Unit::hertz, "61.44 MHz", "of its record"},
    ParameterInfo{"slots", ParameterKind::whole_number, Unit::none, "20",
                  "slots that are measured of each, at most"},
    ParameterInfo{"duration", ParameterKind::quantity, Unit::second, "11 ms", "how long each is recorded"},
    iq_reference_parameter,
};

constexpr std::array dual_traces{
    Product{"lte_constellation", Unit::none, "points of the data of LTE"},
    Product{"nr_constellation", Unit::none, "points of the data of NR"},
};
constexpr std::array dual_products{
    Product{"total_power", Unit::dbm, "sum of both mean powers"},
    Product{"nr_share", Unit::percent, "of NR in it"},
    Product{"lte_power", Unit::dbm, "mean power of LTE's slots"},
    Product{"lte_evm", Unit::percent, "its error vector magnitude"},
    Product{"lte_frequency_error_ppm", Unit::ppm, "its carrier's offset, farthest of all stretches of 1 ms"},
    Product{"lte_carrier_leakage", Unit::db, "what stands at its carrier frequency"},
    Product{"nr_power", Unit::dbm, "mean power of NR's slots"},
    Product{"nr_evm", Unit::percent, "its error vector magnitude"},
    Product{"nr_frequency_error_ppm", Unit::ppm, "its carrier's offset, farthest of all stretches of 1 ms"},
    Product{"nr_carrier_leakage", Unit::db, "what stands at its carrier frequency"},
};

struct Renamed {
    const char *from, *to;
};
constexpr std::array lte_names{Renamed{"lte_centre", "centre"},
                               Renamed{"lte_bandwidth", "channel_bandwidth"},
                               Renamed{"lte_cell", "cell"},
                               Renamed{"lte_modulation", "modulation"},
                               Renamed{"lte_band", "band"},
                               Renamed{"lte_sample_rate", "sample_rate"},
                               Renamed{"slots", "slots"},
                               Renamed{"duration", "duration"},
                               Renamed{"reference_level", "reference_level"}};
constexpr std::array nr_names{Renamed{"nr_centre", "centre"},
                              Renamed{"nr_bandwidth", "channel_bandwidth"},
                              Renamed{"nr_spacing", "subcarrier_spacing"},
                              Renamed{"nr_identity", "identity"},
                              Renamed{"nr_modulation", "modulation"},
                              Renamed{"nr_precoding", "precoding"},
                              Renamed{"nr_band", "band"},
                              Renamed{"nr_sample_rate", "sample_rate"},
                              Renamed{"slots", "slots"},
                              Renamed{"duration", "duration"},
                              Renamed{"reference_level", "reference_level"}};

// The parameters of one of both, as its own procedure calls them.
template <std::size_t N>
Parameters own(const Procedure& procedure, const std::array<Renamed, N>& names, const Parameters& p) {
    Parameters out(procedure.parameters);
    for (const auto& [from, to] : names)
        if (p.has(from) && !p.text(from).empty()) out.set(to, p.text(from));
    out.fill_defaults();
    return out;
}

CaptureSetup lte_side(const Parameters& p) {
    const Procedure procedure = lte_uplink();
    return procedure.setup(own(procedure, lte_names, p));
}
CaptureSetup nr_side(const Parameters& p) {
    const Procedure procedure = nr_uplink();
    return procedure.setup(own(procedure, nr_names, p));
}

constexpr std::array dual_inputs{InputInfo{"lte", "complex samples of the LTE uplink"},
                                 InputInfo{"nr", "complex samples of the NR uplink", true, nr_side}};

Outcome measure_dual(Inputs inputs, const Parameters& p) {
    const Procedure lte = lte_uplink(), nr = nr_uplink();
    Outcome out;
    std::optional<Quantity> powers[2];
    const auto add = [&](const Procedure& procedure, const std::string& side, const Parameters& parameters,
                         std::optional<Quantity>& power) {
        Outcome one = procedure.measure(inputs.take(side), parameters);
        if (one.invalid) {
            out.invalid = side + ": " + *one.invalid;
            return;
        }
        for (const char* name : {"power", "evm", "frequency_error_ppm", "carrier_leakage"}) {
            const std::string renamed = side + "_" + name;
            if (const auto* result = one.find_result(name)) {
                out.results.push_back(*result);
                out.results.back().name = renamed;
            } else {
                out.lacking[renamed] = one.lacking[name];
            }
        }
        power = one.find_result("power")->value;
        if (const auto* trace = one.find_trace("constellation")) {
            out.traces.push_back(*trace);
            out.traces.back().name = side + "_constellation";
            out.traces.back().title += side == "lte" ? " of LTE" : " of NR";
        }
        for (const auto& note : one.notes) out.notes.push_back(side + ": " + note);
        out.observed_s = std::min(out.observed_s.value_or(1e300), one.observed_s.value_or(1e300));
    };
    add(lte, "lte", own(lte, lte_names, p), powers[0]);
    if (!out.invalid) add(nr, "nr", own(nr, nr_names, p), powers[1]);
    if (out.invalid) return out;
    if (powers[0]->unit != Unit::dbm || powers[1]->unit != Unit::dbm) {
        for (const char* name : {"total_power", "nr_share"})
            out.lacking[name] = "powers can be added only where both records state their reference levels";
        return out;
    }
    const double a = std::pow(10, powers[0]->value / 10), b = std::pow(10, powers[1]->value / 10);
    out.add("total_power", 10 * std::log10(a + b), Unit::dbm);
    out.add("nr_share", 100 * b / (a + b), Unit::percent);
    return out;
}

}  // namespace

// Both uplinks of a unit that sends LTE and NR at once (EN-DC, TS 38.521-3): each measured as by its own
// procedure, the sum of their powers and how it is shared.
Procedure dual_uplink() {
    Procedure out{
        "cellular.dual-uplink",
        "LTE and NR uplinks at once",
        "Takes one record of each, as two testers deliver them, measures each as cellular.lte-uplink and "
        "cellular.nr-uplink do, and adds their powers. One that is not what was stated gives no result of "
        "either.",
        dual_parameters,
        dual_traces,
        dual_products,
        lte_side,
        nullptr,
        preset_named};
    out.inputs = dual_inputs;
    out.measure_inputs = measure_dual;
    return out;
}

}  // namespace rt
