// Error terms of a network analyser from readings of standards.
#include <fmt/core.h>

#include <algorithm>
#include <cmath>

#include "core/base/error.hpp"
#include "core/base/text.hpp"
#include "core/measure/network/prepare.hpp"
#include "core/network/calibrate.hpp"

namespace rt {
namespace {

constexpr std::array calibration_parameters{
    ParameterInfo{"method", ParameterKind::choice, Unit::none, "",
                  "which one; that which the inputs allow, without it",
                  "one-port two-port unknown-thru thru-reflect-line line-reflect-match"},
    ParameterInfo{
        "noise_floor", ParameterKind::quantity, Unit::db, "",
        "noise of a raw reading that does not depend on it: its standard deviation, from full reflection"},
    ParameterInfo{"noise_share", ParameterKind::quantity, Unit::db, "",
                  "noise of a raw reading in proportion to it: its standard deviation, from the reading"},
    ParameterInfo{
        "reflectometer", ParameterKind::choice, Unit::none, "upright",
        "upright: the phase of tracking begins at 0 degrees, which tells swapped standards; any: it may not",
        "upright any"},
    network_start_parameter,
    network_stop_parameter,
    network_points_parameter,
    network_bandwidth_parameter,
};
#define RT_TERMS(direction, letter)                                                                       \
    Product{"directivity_" direction, Unit::db, "directivity, port " letter},                             \
        Product{"source_match_" direction, Unit::db, "source match, port " letter},                       \
        Product{"reflection_tracking_" direction, Unit::db, "reflection tracking, port " letter},         \
        Product{"load_match_" direction, Unit::db, "load match while port " letter " drives"},            \
        Product{"transmission_tracking_" direction, Unit::db, "transmission tracking from port " letter}, \
        Product {                                                                                         \
        "isolation_" direction, Unit::db, "isolation from port " letter                                   \
    }
constexpr std::array calibration_traces{RT_TERMS("1", "1"), RT_TERMS("2", "2")};
#undef RT_TERMS
constexpr std::array calibration_products{
    Product{"standards", Unit::count, "readings used"},
    Product{"largest_directivity", Unit::db, "of all ports and frequencies, from the tracking"},
    Product{"largest_source_match", Unit::db, "of all ports and frequencies"},
    Product{"largest_load_match", Unit::db, "of all frequencies"},
    Product{"least_tracking", Unit::db, "smallest reflection tracking: how weak the readings become"},
};

// Standards are measured raw, whatever else is.
CaptureSetup raw_setup(const Parameters& p) {
    auto out = std::get<NetworkSetup>(network_setup(p));
    out.raw = true;
    return out;
}

CaptureSetup switch_setup(const Parameters& p) {
    auto out = std::get<NetworkSetup>(raw_setup(p));
    out.switch_terms = true;
    return out;
}

#define RT_STANDARD(name)                                                                    \
    InputInfo{name, "raw data of the kit's " name " at both ports at once", false},          \
        InputInfo{name "-1", "raw data of the kit's " name " at port 1", false}, InputInfo { \
        name "-2", "raw data of the kit's " name " at port 2", false                         \
    }
constexpr std::array calibration_inputs{
    InputInfo{"kit", "calibration kit", true, kit_setup},
    RT_STANDARD("open"),
    RT_STANDARD("short"),
    RT_STANDARD("load"),
    RT_STANDARD("offset-open"),
    RT_STANDARD("offset-short"),
    RT_STANDARD("offset-load"),
    RT_STANDARD("reflect"),
    RT_STANDARD("match"),
    InputInfo{"thru", "raw data of the ports joined", false},
    InputInfo{"line", "raw data of the kit's line", false},
    InputInfo{"line-2", "raw data of the kit's second line", false},
    InputInfo{"isolation", "raw data with both ports ended, for what goes past the device", false},
    InputInfo{"switch-terms", "a2/b2 while port 1 drives as S21, a1/b1 while port 2 drives as S12", false,
              switch_setup},
};
#undef RT_STANDARD

CalibrationMethod method_of(const Parameters& p, const std::vector<StandardReading>& readings,
                            const CalibrationKit& kit, std::size_t& port) {
    const auto has = [&](std::string_view name) {
        return std::any_of(readings.begin(), readings.end(), [&](const auto& r) { return r.name == name; });
    };
    const auto at = [&](std::size_t number) {
        return std::any_of(readings.begin(), readings.end(), [&](const auto& r) { return r.port == number; });
    };
    port = at(1) || !at(2) ? 1 : 2;
    const std::string said = p.text("method");
    if (said == "one-port") return CalibrationMethod::one_port;
    if (said == "two-port") return CalibrationMethod::two_port;
    if (said == "unknown-thru") return CalibrationMethod::unknown_thru;
    if (said == "thru-reflect-line") return CalibrationMethod::thru_reflect_line;
    if (said == "line-reflect-match") return CalibrationMethod::line_reflect_match;
    if (has("reflect") && has("match")) return CalibrationMethod::line_reflect_match;
    if (has("reflect") || has("line")) return CalibrationMethod::thru_reflect_line;
    if (!has("thru")) {
        if (at(1) && at(2))
            fail_input(
                "standards of both ports without a thru: give the thru, or the parameter method as one-port "
                "with one port's standards");
        return CalibrationMethod::one_port;
    }
    return kit.find("thru", 0) ? CalibrationMethod::two_port : CalibrationMethod::unknown_thru;
}

double linear(const Parameters& p, const char* name) {
    const auto db = p.number(name);
    return db ? std::pow(10, *db / 20) : 0;
}

double db_of(std::complex<double> value) {
    return 20 * std::log10(std::max(std::abs(value), 1e-15));
}

Outcome measure_calibration(Inputs inputs, const Parameters& p) {
    const char* const who = "network.calibration";
    const auto kit = take<CalibrationKit>(inputs.take("kit"), who);
    std::vector<Network> data;
    data.reserve(inputs.all().size());
    std::vector<StandardReading> readings;
    for (const auto& input : inputs.all()) {
        if (input.name == "kit") continue;
        data.push_back(take<Network>(input.capture, who));
        if (!data.back().done.empty())
            fail_input(input.name + " is no raw data: it says \"" + data.back().done.front() + "\"");
        std::string name = input.name;
        // "line-2" is a standard of its own, "open-2" is that of a port.
        const bool of_port = (name.ends_with("-1") || name.ends_with("-2")) && name != "line-2";
        if (of_port) {
            readings.push_back({name.substr(0, name.size() - 2), name.back() == '1' ? 1u : 2u, &data.back()});
            continue;
        }
        const bool two =
            name == "thru" || name.starts_with("line") || name == "isolation" || name == "switch-terms";
        if (two) {
            readings.push_back({name, 0, &data.back()});
            continue;
        }
        if (data.back().ports != 2)
            fail_input(name + " holds one port: call it " + name + "-1 or " + name + "-2");
        readings.push_back({name, 1, &data.back()});
        readings.push_back({name, 2, &data.back()});
    }
    for (std::size_t a = 0; a < readings.size(); ++a)
        for (std::size_t b = a + 1; b < readings.size(); ++b)
            if (readings[a].name == readings[b].name && readings[a].port == readings[b].port)
                fail_input(readings[a].text() + " is given twice");
    CalibrationOptions options;
    options.method = method_of(p, readings, kit, options.port);
    options.noise_floor = linear(p, "noise_floor"), options.noise_share = linear(p, "noise_share");
    options.upright = p.text("reflectometer") != "any";
    if (options.method == CalibrationMethod::one_port)
        std::erase_if(readings, [&](const StandardReading& r) { return r.port != options.port; });
    ErrorTerms terms = calibrate(kit, readings, options);
    Outcome outcome;
    if (!options.upright)
        outcome.deviations.emplace_back(
            "swapped standards are not looked for by the phase of tracking (reflectometer = any)");
    outcome.deviations.insert(outcome.deviations.end(), terms.deviations.begin(), terms.deviations.end());
    outcome.notes.push_back(std::string("method: ") + name(options.method) + ", kit " + kit.title +
                            (kit.serial.empty() ? "" : " " + kit.serial));
    terms.method += " (" + kit.title + (kit.serial.empty() ? "" : " " + kit.serial) + ")";
    double directivity_most = -300, source_most = -300, load_most = -300, tracking_least = 300;
    const std::size_t first = terms.ports == 1 && terms.port == 2 ? 1 : 0,
                      last = terms.ports == 1 ? first : 1;
    for (std::size_t direction = first; direction <= last; ++direction) {
        for (std::size_t t = 0; t < reverse; ++t) {
            if (terms.ports == 1 && t >= load_match) continue;
            Trace trace;
            const Product& product = calibration_traces[direction * reverse + t];
            trace.name = product.name, trace.title = product.help, trace.y_unit = Unit::db;
            trace.title[0] = static_cast<char>(std::toupper(trace.title[0]));
            trace.x = terms.frequency_hz;
            for (const auto& values : terms.values) {
                const double db = db_of(values[direction * reverse + t]);
                trace.y.push_back(db);
                const double tracking = db_of(values[direction * reverse + reflection_tracking]);
                if (t == directivity) directivity_most = std::max(directivity_most, db - tracking);
                if (t == source_match) source_most = std::max(source_most, db);
                if (t == load_match) load_most = std::max(load_most, db);
                if (t == reflection_tracking) tracking_least = std::min(tracking_least, db);
            }
            const bool none =
                t == isolation && std::all_of(terms.values.begin(), terms.values.end(), [&](const auto& v) {
                    return v[direction * reverse + isolation] == 0.0;
                });
            if (!none) outcome.traces.push_back(std::move(trace));
        }
    }
    outcome.add("largest_directivity", directivity_most, Unit::db);
    outcome.add("largest_source_match", source_most, Unit::db);
    if (terms.ports == 2) outcome.add("largest_load_match", load_most, Unit::db);
    outcome.add("least_tracking", tracking_least, Unit::db);
    outcome.add("standards", static_cast<double>(readings.size()), Unit::count);
    if (terms.distrust) outcome.invalid = *terms.distrust;
    outcome.made = std::move(terms);
    return outcome;
}

}  // namespace

Procedure network_calibration() {
    return {"network.calibration",
            "Error terms of a network analyser",
            "From raw data of the standards of a kit: one port by three and more, two ports by open, short, "
            "load and "
            "thru (twelve terms), by an unknown thru, by thru, reflect and line, or by line, reflect and "
            "match. Makes "
            "the error terms, which later tests take as terms. Refuses standards that are swapped, measured "
            "twice "
            "or not connected.",
            calibration_parameters,
            calibration_traces,
            calibration_products,
            raw_setup,
            nullptr,
            preset_named,
            nullptr,
            false,
            calibration_inputs,
            measure_calibration,
            false,
            ErrorTerms::kind};
}

}  // namespace rt
