// spectrum.density: power spectral density of complex samples.
#include "core/measure/procedure.hpp"

#include <algorithm>
#include <array>
#include <cmath>

#include "core/base/error.hpp"
#include "core/dsp/density.hpp"
#include "core/measure/gate.hpp"
#include "core/measure/iq_setup.hpp"
#include "core/measure/spectrum/band.hpp"

namespace rt {
namespace {

constexpr auto spectrum_density_parameters = joined(
    std::array{
        ParameterInfo{"transform_size", ParameterKind::whole_number, Unit::none, "4096",
                      "samples in one transform; the spacing of points is the sample rate over this"},
        ParameterInfo{"window", ParameterKind::choice, Unit::none, "blackman-harris",
                      "window of each segment", "rectangular hann hamming blackman-harris flat-top"},
        ParameterInfo{"overlap", ParameterKind::quantity, Unit::percent, "50 %",
                      "overlap of neighbouring segments"},
        iq_centre_parameter,
        iq_rate_parameter,
    },
    iq_length_rows, gate_rows);

constexpr std::array spectrum_density_traces{
    Product{"density", Unit::dbm_per_hz, "power density against frequency"}};
constexpr std::array spectrum_density_products{
    Product{"total_power", Unit::dbm, "power over the whole band of the record"},
    Product{"peak_density", Unit::dbm_per_hz, "highest density"},
    Product{"peak_frequency", Unit::hertz, "where it stands"},
    Product{"median_density", Unit::dbm_per_hz, "median of all points: the noise floor of a sparse spectrum"},
    Product{"segments", Unit::count, "segments averaged"},
};

Outcome measure_spectrum_density(Capture any, const Parameters& p) {
    const IqRecord record = take_iq(std::move(any), "spectrum.density", p);
    DensitySettings settings;
    settings.size = static_cast<std::size_t>(p.required("transform_size"));
    if (settings.size > (std::size_t{1} << 22)) fail_input("parameter transform_size: at most 4194304");
    settings.window = *parse_window(p.text("window"));
    settings.overlap = p.required("overlap") / 100;
    if (settings.overlap < 0 || settings.overlap > 0.9)
        fail_input("parameter overlap: 0 to 90 % are possible");
    const double segment_s = (static_cast<double>(settings.size) + 2) / record.sample_rate_hz;
    settings.gates = gates_of(record, p, segment_s);
    const Density seen = power_density(record, settings);
    const double reference = record.reference_level_dbm.value_or(0);
    const Unit unit = record.reference_level_dbm ? Unit::dbm : Unit::dbfs;
    Outcome outcome;
    Trace trace;
    trace.name = "density";
    trace.title = "Power density";
    trace.x = seen.frequency_hz;
    trace.y_unit = density_unit(unit);
    trace.resolution_bandwidth_hz = seen.noise_bandwidth_hz;
    double total = 0;
    for (std::size_t i = 0; i < seen.per_hz.size(); ++i) {
        const double tilt = record.tilt_db(seen.frequency_hz[i]);
        total += seen.per_hz[i] * std::pow(10, tilt / 10);
        trace.y.push_back(to_db(seen.per_hz[i]) + reference + tilt);
    }
    const auto top = std::max_element(trace.y.begin(), trace.y.end());
    auto sorted = trace.y;
    const auto middle = sorted.begin() + static_cast<std::ptrdiff_t>(sorted.size() / 2);
    std::nth_element(sorted.begin(), middle, sorted.end());
    outcome.add("total_power", to_db(total * seen.step_hz) + reference, unit);
    outcome.add("peak_density", *top, trace.y_unit);
    outcome.add("peak_frequency", trace.x[static_cast<std::size_t>(top - trace.y.begin())], Unit::hertz);
    outcome.add("median_density", *middle, trace.y_unit);
    outcome.add("segments", static_cast<double>(seen.segments), Unit::count);
    outcome.traces.push_back(std::move(trace));
    note_reference(record, outcome);
    return outcome;
}

}  // namespace

// Averaged windowed periodogram (Welch 1967). Trace `density` (dBm/Hz, dBFS/Hz without a reference level);
// results `total_power`, `peak_density`, `peak_frequency`, `median_density`, `segments`.
Procedure spectrum_density() {
    return {
        "spectrum.density",
        "Power spectral density of complex samples",
        "Averaged windowed periodogram (Welch 1967) over the whole record, streamed. Levels are in dBm/Hz "
        "when the record states the level of full scale, else relative to it.",
        spectrum_density_parameters,
        spectrum_density_traces,
        spectrum_density_products,
        iq_setup,
        measure_spectrum_density,
        preset_named};
}

}  // namespace rt
