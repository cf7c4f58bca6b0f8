// Scattering parameters as they are read: curves, markers, band edges, noise; and whether the data can be.
#include <fmt/core.h>

#include <algorithm>
#include <cmath>
#include <numbers>

#include "core/base/error.hpp"
#include "core/base/text.hpp"
#include "core/measure/network/prepare.hpp"
#include "core/network/device.hpp"
#include "core/network/quality.hpp"

namespace rt {
namespace {

constexpr double to_degrees = 180 / std::numbers::pi;
constexpr std::size_t most_markers = 6;

constexpr std::array parameters_parameters{
    ParameterInfo{
        "parameter", ParameterKind::text, Unit::none, "",
        "which one the curves and results are of: S21, of pairs SDD21; S21 without it, of one port S11"},
    ParameterInfo{"pairs", ParameterKind::text, Unit::none, "",
                  "ports that carry pairs, as 1-2 3-4: for mixed-mode parameters"},
    ParameterInfo{"order", ParameterKind::text, Unit::none, "",
                  "ports in another order, or some of them, as 2 1: the others end in their references"},
    network_reference_parameter,
    ParameterInfo{"markers", ParameterKind::text, Unit::none, "",
                  "up to six frequencies whose values are results, as 1 GHz, 2.4 GHz"},
    ParameterInfo{"down", ParameterKind::quantity, Unit::db, "3 dB",
                  "how far below the highest value the band ends"},
    ParameterInfo{"aperture", ParameterKind::whole_number, Unit::none, "2",
                  "steps of frequency that group delay is taken over"},
    contact_parameter,
    level_within_parameter,
    network_start_parameter,
    network_stop_parameter,
    network_points_parameter,
    network_bandwidth_parameter,
    network_data_parameter,
};
constexpr std::array parameters_traces{
    Product{"magnitude", Unit::db, "20 log10 of the parameter"},
    Product{"phase", Unit::degree, "without turns"},
    Product{"group_delay", Unit::second, "-d(phase) / d(angular frequency)"},
    Product{"reflection", Unit::none, "of a reflection: in its plane, over lines of equal impedance"},
    Product{"plane", Unit::none, "of a transmission: in its plane"},
    Product{"resistance", Unit::ohm, "of a reflection: real part of the impedance"},
    Product{"reactance", Unit::ohm, "of a reflection: imaginary part of the impedance"},
    Product{"singular_value", Unit::none, "largest of the matrix"},
    Product{"uncertainty", Unit::none, "standard uncertainty of the parameter, as a distance"},
    Product{"noise_figure", Unit::db, "least noise figure that the file gives"},
};
constexpr std::array parameters_products{
    Product{"ports", Unit::count, "of the data"},
    Product{"points", Unit::count, "frequencies of the data"},
    Product{"highest", Unit::db, "highest magnitude"},
    Product{"highest_at", Unit::hertz, "its frequency"},
    Product{"lowest", Unit::db, "lowest magnitude"},
    Product{"lowest_at", Unit::hertz, "its frequency"},
    Product{"lower_edge", Unit::hertz,
            "below the highest value: where it is down by 3 dB, by a straight line in dB"},
    Product{"upper_edge", Unit::hertz, "the same above it"},
    Product{"band_width", Unit::hertz, "between both edges"},
    Product{"least_group_delay", Unit::second, "shortest group delay"},
    Product{"largest_group_delay", Unit::second, "longest group delay"},
    Product{"largest_singular_value", Unit::none, "over all frequencies: at most 1 for a passive network"},
    Product{"reciprocity_error", Unit::none, "largest |Sij - Sji|"},
    Product{"before_zero", Unit::percent, "share of the energy of the impulse response before t = 0"},
    Product{"steps", Unit::count, "places where any parameter jumps"},
    Product{"dropouts", Unit::count,
            "places where single values of any parameter lie elsewhere, or stand still"},
    Product{"largest_uncertainty", Unit::none, "largest standard uncertainty of the parameter"},
    Product{"noise_figure_least", Unit::db, "lowest of the least noise figures"},
    Product{"noise_figure_at", Unit::hertz, "its frequency"},
#define RT_MARKER(n)                                                                     \
    Product{"marker_" #n "_magnitude", Unit::db, "magnitude at marker " #n},             \
        Product{"marker_" #n "_phase", Unit::degree, "phase there, within half a turn"}, \
        Product{"marker_" #n "_real", Unit::none, "real part there"},                    \
        Product{"marker_" #n "_imaginary", Unit::none, "imaginary part there"}
    RT_MARKER(1),
    RT_MARKER(2),
    RT_MARKER(3),
    RT_MARKER(4),
    RT_MARKER(5),
    RT_MARKER(6),
#undef RT_MARKER
};

std::vector<double> markers_of(const Parameters& p) {
    std::vector<double> out;
    const std::string all = p.text("markers");
    for (const auto part : split(all, ',')) {
        if (trim(part).empty()) continue;
        out.push_back(parse_quantity(std::string(trim(part)), Unit::hertz).value);
    }
    if (out.size() > most_markers)
        fail_input("parameter markers: at most six are possible; give others a test of their own");
    return out;
}

std::vector<std::size_t> order_of(const std::string& text) {
    std::vector<std::size_t> out;
    std::string all = text;
    std::replace(all.begin(), all.end(), ',', ' ');
    for (const auto part : split(all, ' ')) {
        if (trim(part).empty()) continue;
        const auto value = to_double(trim(part));
        if (!value || *value < 1 || *value != std::floor(*value) || *value > 999)
            fail_input("parameter order: " + in_quotes(text) +
                       " is none; write the numbers of ports, as 2 1");
        out.push_back(static_cast<std::size_t>(*value));
    }
    return out;
}

Trace curve(const char* name, const char* title, const Network& n, std::vector<double> y, Unit unit) {
    Trace out;
    out.name = name, out.title = title, out.y_unit = unit;
    out.x = n.frequency_hz, out.y = std::move(y);
    return out;
}

// Where the magnitude is down on one side of its highest value: a bound where the data ends before.
void add_edge(Outcome& outcome, const char* name, const Network& n, const std::vector<double>& db,
              std::size_t peak, double level, int step, std::optional<double>& edge) {
    const auto size = static_cast<long>(db.size());
    for (long i = static_cast<long>(peak); i + step >= 0 && i + step < size; i += step) {
        const auto a = static_cast<std::size_t>(i), b = static_cast<std::size_t>(i + step);
        if (db[b] > level) continue;
        const double share = (db[a] - level) / (db[a] - db[b]);
        edge = n.frequency_hz[a] + share * (n.frequency_hz[b] - n.frequency_hz[a]);
        outcome.add(name, *edge, Unit::hertz);
        return;
    }
    outcome.add(name, step < 0 ? n.frequency_hz.front() : n.frequency_hz.back(), Unit::hertz,
                step < 0 ? Known::at_most : Known::at_least);
}

void add_band(Outcome& outcome, const Network& n, const std::vector<double>& db, double down) {
    const auto high = std::max_element(db.begin(), db.end()), low = std::min_element(db.begin(), db.end());
    const auto peak = static_cast<std::size_t>(high - db.begin());
    outcome.add("highest", *high, Unit::db);
    outcome.add("highest_at", n.frequency_hz[peak], Unit::hertz);
    outcome.add("lowest", *low, Unit::db);
    outcome.add("lowest_at", n.frequency_hz[static_cast<std::size_t>(low - db.begin())], Unit::hertz);
    std::optional<double> lower, upper;
    add_edge(outcome, "lower_edge", n, db, peak, *high - down, -1, lower);
    add_edge(outcome, "upper_edge", n, db, peak, *high - down, 1, upper);
    const double from = lower.value_or(n.frequency_hz.front()), to = upper.value_or(n.frequency_hz.back());
    outcome.add("band_width", to - from, Unit::hertz, lower && upper ? Known::exactly : Known::at_least);
}

void add_delay(Outcome& outcome, const Network& n, const std::vector<std::complex<double>>& values,
               std::size_t aperture) {
    double largest = 0;
    for (std::size_t i = 1; i < values.size(); ++i) {
        if (values[i - 1] != 0.0 && values[i] != 0.0)
            largest = std::max(largest, std::abs(std::arg(values[i] / values[i - 1])));
    }
    auto delay = group_delay(n.frequency_hz, values, aperture);
    constexpr double surely = 2.8;  // rad: beyond it noise decides which way a step turns
    if (values.size() < 2) {
        outcome.notes.emplace_back("no group delay of a single frequency");
    } else if (largest > surely) {
        outcome.notes.push_back(
            fmt::format("no group delay: the phase turns by {:.0f} degrees between two "
                        "frequencies, which may as well be a turn more; measure finer steps",
                        largest * to_degrees));
    } else {
        outcome.add("least_group_delay", *std::min_element(delay.begin(), delay.end()), Unit::second);
        outcome.add("largest_group_delay", *std::max_element(delay.begin(), delay.end()), Unit::second);
        outcome.traces.push_back(curve("group_delay", "Group delay", n, std::move(delay), Unit::second));
    }
}

void add_markers(Outcome& outcome, const Network& n, const ParameterName& chosen,
                 const std::vector<double>& markers) {
    static const char* const names[most_markers][4] = {
#define RT_NAMES(n) \
    {"marker_" #n "_magnitude", "marker_" #n "_phase", "marker_" #n "_real", "marker_" #n "_imaginary"}
        RT_NAMES(1), RT_NAMES(2), RT_NAMES(3), RT_NAMES(4), RT_NAMES(5), RT_NAMES(6)};
#undef RT_NAMES
    if (markers.empty()) return;
    Table table{"markers",
                "Markers",
                {{"frequency", Unit::hertz},
                 {"parameter"},
                 {"magnitude", Unit::db},
                 {"phase", Unit::degree},
                 {"real"},
                 {"imaginary"}},
                {}};
    for (std::size_t m = 0; m < markers.size(); ++m) {
        const double hz = markers[m];
        if (hz < n.frequency_hz.front() * (1 - 1e-9) || hz > n.frequency_hz.back() * (1 + 1e-9))
            fail_signal(fmt::format("marker {} at {} lies outside the data, {} to {}", m + 1,
                                    format({hz, Unit::hertz}), format({n.frequency_hz.front(), Unit::hertz}),
                                    format({n.frequency_hz.back(), Unit::hertz})));
        // Between two frequencies each part by a straight line.
        const auto above = std::lower_bound(n.frequency_hz.begin(), n.frequency_hz.end(), hz * (1 - 1e-12));
        const auto b =
            std::min(static_cast<std::size_t>(above - n.frequency_hz.begin()), n.frequency_hz.size() - 1);
        const bool on = b == 0 || std::abs(n.frequency_hz[b] - hz) <= 1e-9 * hz;
        const double share =
            on ? 1 : (hz - n.frequency_hz[b - 1]) / (n.frequency_hz[b] - n.frequency_hz[b - 1]);
        for (std::size_t to = 1; to <= n.ports; ++to) {
            for (std::size_t from = 1; from <= n.ports; ++from) {
                const bool meant = to == chosen.to && from == chosen.from;
                if (n.ports > 2 && !meant) continue;
                const auto v =
                    on ? n.at(b, to, from) : (1 - share) * n.at(b - 1, to, from) + share * n.at(b, to, from);
                const double db = 20 * std::log10(std::max(std::abs(v), 1e-15)),
                             degrees = std::arg(v) * to_degrees;
                table.rows.push_back({hz, meant ? chosen.text : fmt::format("S{}{}", to, from), db, degrees,
                                      v.real(), v.imag()});
                if (!meant) continue;
                outcome.add(names[m][0], db, Unit::db);
                outcome.add(names[m][1], degrees, Unit::degree);
                outcome.add(names[m][2], v.real(), Unit::none);
                outcome.add(names[m][3], v.imag(), Unit::none);
            }
        }
    }
    outcome.tables.push_back(std::move(table));
}

void add_plane(Outcome& outcome, const ParameterName& name, const std::vector<std::complex<double>>& values) {
    Trace out;
    out.name = name.reflection() ? "reflection" : "plane";
    out.title = name.text + (name.reflection() ? ", reflection" : ", in its plane");
    out.shape = name.reflection() ? Shape::smith : Shape::polar;
    out.x_unit = out.y_unit = Unit::none;
    out.x_title = "Real part";
    for (const auto& v : values) out.x.push_back(v.real()), out.y.push_back(v.imag());
    outcome.traces.push_back(std::move(out));
}

void add_impedance(Outcome& outcome, const Network& n, const ParameterName& name,
                   const std::vector<std::complex<double>>& values) {
    if (!name.reflection()) return;
    std::vector<double> real, imaginary;
    for (const auto& v : values) {
        // An ideal open line is given as 1 Gohm.
        const auto down = 1.0 - v;
        const auto z =
            std::abs(down) > 1e-7 ? n.reference(name.to) * (1.0 + v) / down : std::complex<double>(1e9, 0);
        real.push_back(z.real()), imaginary.push_back(z.imag());
    }
    outcome.traces.push_back(curve("resistance", "Resistance", n, std::move(real), Unit::ohm));
    outcome.traces.push_back(curve("reactance", "Reactance", n, std::move(imaginary), Unit::ohm));
}

// Of the matrix as a whole, and of each of its parameters.
void add_quality(Outcome& outcome, const Network& n) {
    auto singular = largest_singular_values(n);
    outcome.add("largest_singular_value", *std::max_element(singular.begin(), singular.end()), Unit::none);
    outcome.traces.push_back(
        curve("singular_value", "Largest singular value", n, std::move(singular), Unit::none));
    const auto reciprocity = reciprocity_errors(n);
    if (n.ports > 1)
        outcome.add("reciprocity_error", *std::max_element(reciprocity.begin(), reciprocity.end()),
                    Unit::none);
    std::size_t steps = 0, dropouts = 0;
    std::optional<double> before;
    double longest = 0;
    std::string places;
    for (std::size_t to = 1; to <= n.ports; ++to) {
        for (std::size_t from = 1; from <= n.ports; ++from) {
            const ParameterName name{fmt::format("S{}{}", to, from), to, from};
            const auto values = values_of(n, name);
            const Breaks breaks = breaks_of(values);
            steps += breaks.steps.size(), dropouts += breaks.dropouts.size();
            for (const auto* list : {&breaks.steps, &breaks.dropouts}) {
                for (const auto at : *list) {
                    if (places.size() < 200)
                        places += (places.empty() ? "" : ", ") + name.text + " at " +
                                  format({n.frequency_hz[at], Unit::hertz}) +
                                  (list == &breaks.steps ? " (step)" : " (dropout)");
                }
            }
            if (const auto share = energy_before_zero(n.frequency_hz, values, &longest))
                before = std::max(before.value_or(0), *share);
        }
    }
    outcome.add("steps", static_cast<double>(steps), Unit::count);
    outcome.add("dropouts", static_cast<double>(dropouts), Unit::count);
    if (!places.empty()) outcome.notes.push_back("breaks: " + places);
    if (before) {
        outcome.add("before_zero", 100 * *before, Unit::percent);
    } else {
        outcome.notes.emplace_back("causality is not told: that needs 16 evenly spaced frequencies");
    }
    if (before && *before > 0.01)
        outcome.notes.push_back("what comes before t = 0 may be later than " +
                                format({longest, Unit::second}) +
                                " too: these cannot be told apart at this step of frequency");
}

void add_noise(Outcome& outcome, const Network& n) {
    if (n.noise.empty()) return;
    Trace out;
    out.name = "noise_figure", out.title = "Least noise figure", out.y_unit = Unit::db;
    const NoisePoint* least = &n.noise.front();
    for (const auto& point : n.noise) {
        out.x.push_back(point.frequency_hz), out.y.push_back(point.minimum_figure_db);
        if (point.minimum_figure_db < least->minimum_figure_db) least = &point;
    }
    outcome.add("noise_figure_least", least->minimum_figure_db, Unit::db);
    outcome.add("noise_figure_at", least->frequency_hz, Unit::hertz);
    outcome.traces.push_back(std::move(out));
    Table table{"noise",
                "Noise parameters",
                {{"frequency", Unit::hertz},
                 {"least_figure", Unit::db},
                 {"optimum_magnitude"},
                 {"optimum_angle", Unit::degree},
                 {"resistance", Unit::ohm}},
                {}};
    for (const auto& point : n.noise)
        table.rows.push_back({point.frequency_hz, point.minimum_figure_db, std::abs(point.optimum),
                              std::arg(point.optimum) * to_degrees, point.resistance_ohm});
    outcome.tables.push_back(std::move(table));
}

constexpr InputInfo earlier_data{"earlier", "network data measured earlier, drawn beside the magnitude",
                                 false, nullptr, true};
constexpr std::array parameters_inputs{device_input, terms_input, earlier_data};

// The magnitude of the same parameter of earlier data, at the frequencies of this one.
Trace::Companion companion_of(const Input& earlier, const Trace& magnitude, const PortPairs& pairs,
                              const std::string& parameter) {
    const Network n = take<Network>(earlier.capture, "network.parameters");
    const Network shown = pairs.empty() ? n : mixed_mode(n, pairs);
    const auto values = values_of(shown, parameter_named(parameter, n.ports, pairs));
    Trace::Companion out{earlier.name, {}};
    for (const double hz : magnitude.x) {
        const auto above = std::lower_bound(n.frequency_hz.begin(), n.frequency_hz.end(), hz * (1 - 1e-12));
        const auto b = static_cast<std::size_t>(above - n.frequency_hz.begin());
        double db = std::nan("");
        if (b < values.size() && (b > 0 || std::abs(n.frequency_hz[0] - hz) <= 1e-9 * hz)) {
            const auto at = [&](std::size_t i) {
                return 20 * std::log10(std::max(std::abs(values[i]), 1e-15));
            };
            const double share =
                b == 0 ? 1 : (hz - n.frequency_hz[b - 1]) / (n.frequency_hz[b] - n.frequency_hz[b - 1]);
            db = b == 0 ? at(0) : at(b - 1) + share * (at(b) - at(b - 1));
        }
        out.y.push_back(db);
    }
    return out;
}

Outcome measure_parameters(Inputs inputs, const Parameters& p) {
    Outcome outcome;
    Network n = taken_network(inputs, "device", p, "network.parameters", outcome);
    if (const auto order = order_of(p.text("order")); !order.empty()) {
        n = reordered(n, order);
        n.done.push_back("ports in the order " + p.text("order"));
    }
    if (const auto ohm = p.number("reference")) {
        n = renormalised(n, {*ohm});
        n.done.push_back("renormalised to " + format({*ohm, Unit::ohm}));
    }
    const PortPairs pairs = pairs_of(p.text("pairs"));
    const Network shown = pairs.empty() ? n : mixed_mode(n, pairs);
    const std::string wanted = p.text("parameter");
    const ParameterName name = parameter_named(!wanted.empty()  ? wanted
                                               : !pairs.empty() ? "SDD11"
                                               : n.ports == 1   ? "S11"
                                                                : "S21",
                                               n.ports, pairs);
    const double aperture = p.required("aperture"), down = p.required("down");
    if (aperture < 1 || aperture > 10000) fail_input("parameter aperture: 1 to 10000 are possible");
    if (!(down > 0)) fail_input("parameter down: must be above 0 dB");
    const auto values = values_of(shown, name);
    std::vector<double> db, degrees = unwrapped(values);
    for (const auto& v : values) db.push_back(20 * std::log10(std::max(std::abs(v), 1e-15)));
    for (auto& phase : degrees) phase *= to_degrees;
    add_band(outcome, shown, db, down);
    Trace magnitude = curve("magnitude", "", shown, std::move(db), Unit::db);
    magnitude.title = name.text + ", magnitude";
    magnitude.together = "parameter";
    for (const Input* earlier : inputs.all_of(earlier_data))
        magnitude.companions.push_back(companion_of(*earlier, magnitude, pairs, name.text));
    outcome.traces.push_back(std::move(magnitude));
    Trace phase = curve("phase", "", shown, std::move(degrees), Unit::degree);
    phase.title = name.text + ", phase";
    phase.together = "parameter";
    outcome.traces.push_back(std::move(phase));
    add_plane(outcome, name, values);
    add_delay(outcome, shown, values, static_cast<std::size_t>(aperture));
    add_impedance(outcome, shown, name, values);
    add_quality(outcome, n);
    outcome.add("ports", static_cast<double>(n.ports), Unit::count);
    outcome.add("points", static_cast<double>(n.frequency_hz.size()), Unit::count);
    add_markers(outcome, shown, name, markers_of(p));
    add_noise(outcome, n);
    if (!shown.uncertainty.empty()) {
        std::vector<double> u;
        for (std::size_t i = 0; i < shown.frequency_hz.size(); ++i)
            u.push_back(shown.uncertainty[(i * shown.ports + name.to - 1) * shown.ports + name.from - 1]);
        outcome.add("largest_uncertainty", *std::max_element(u.begin(), u.end()), Unit::none);
        outcome.traces.push_back(
            curve("uncertainty", "Standard uncertainty", shown, std::move(u), Unit::none));
    }
    note_steps(n, outcome);
    outcome.notes.push_back("counts from " + format({shown.reference(name.from), Unit::ohm}));
    outcome.made = std::move(n);
    return outcome;
}

}  // namespace

Procedure network_parameters() {
    return {
        "network.parameters",
        "Scattering parameters: curves, markers, band, and whether the data can be",
        "One parameter of network data with any number of ports (Touchstone, or a network analyser), raw "
        "data "
        "corrected by error terms first where they are given. Mixed-mode parameters, other references and "
        "orders of ports. Passivity, reciprocity, causality, steps and dropouts are results of their own. "
        "Makes the corrected data for later tests.",
        parameters_parameters,
        parameters_traces,
        parameters_products,
        network_setup,
        nullptr,
        preset_named,
        lost_contact,
        false,
        parameters_inputs,
        measure_parameters,
        false,
        Network::kind};
}

}  // namespace rt
