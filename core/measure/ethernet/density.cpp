#include "core/dsp/density.hpp"

#include <algorithm>
#include <cmath>
#include <numeric>

#include "core/base/error.hpp"
#include "core/dsp/fft.hpp"
#include "core/measure/procedure.hpp"
#include "core/measure/spectrum/band.hpp"
#include "core/measure/wave_source.hpp"
#include "core/serial/levels.hpp"

namespace rt {
namespace {

constexpr auto ethernet_density_parameters = joined(
    std::array{
        ParameterInfo{"bandwidth", ParameterKind::quantity, Unit::hertz, "100 kHz",
                      "noise bandwidth of the transforms: what the resolution of the density is"},
        ParameterInfo{"termination", ParameterKind::quantity, Unit::ohm, "100 ohm",
                      "differential resistance in which the power is counted"},
        ParameterInfo{"lowest", ParameterKind::quantity, Unit::hertz, "0 Hz",
                      "lower end of the band that counts"},
        ParameterInfo{"highest", ParameterKind::quantity, Unit::hertz, "",
                      "its upper end; without it half the sample rate"},
        ParameterInfo{"expected", ParameterKind::choice, Unit::none, "any",
                      "what the line must send: anything, or random symbols (a test mode for density)",
                      "any random"},
    },
    signal_rows);

constexpr std::array ethernet_density_traces{
    Product{"psd", Unit::dbm_per_hz, "power density against frequency"}};
constexpr std::array ethernet_density_products{
    Product{"total_power", Unit::dbm, "power in the band"},
    Product{"peak_to_peak", Unit::volt, "highest minus lowest sample"},
    Product{"peak_density", Unit::dbm_per_hz, "highest density in the band"},
    Product{"peak_frequency", Unit::hertz, "where it stands"},
};

// A voltage as complex samples with no imaginary part.
class AsComplex : public IqSamples {
  public:
    explicit AsComplex(std::shared_ptr<const WaveSamples> volts)
        : IqSamples(1e30F, "", true), volts_(std::move(volts)) {}
    std::uint64_t size() const override { return volts_->size(); }

  protected:
    float fetch(std::uint64_t first, std::span<std::complex<float>> out) const override {
        thread_local std::vector<float> real;
        real.resize(out.size());
        volts_->read(first, real);
        for (std::size_t i = 0; i < out.size(); ++i) out[i] = real[i];
        return largest_component(out);
    }

  private:
    std::shared_ptr<const WaveSamples> volts_;
};

// Random symbols spread their power: no few lines hold a good part of it.
void require_random(const Trace& psd, double total_w, double step_hz) {
    constexpr double most_share = 0.3;
    constexpr std::size_t lines = 3, reach = 2;
    std::vector<double> watt;
    for (const double level : psd.y) watt.push_back(std::pow(10, level / 10) / 1000 * step_hz);
    double held = 0;
    std::string places;
    for (std::size_t line = 0; line < lines; ++line) {
        const auto top = std::max_element(watt.begin(), watt.end()) - watt.begin();
        const auto from =
            static_cast<std::size_t>(std::max<std::ptrdiff_t>(0, top - static_cast<std::ptrdiff_t>(reach)));
        const auto to = std::min(watt.size(), static_cast<std::size_t>(top) + reach + 1);
        for (std::size_t i = from; i < to; ++i) held += watt[i], watt[i] = 0;
        places += (line ? ", " : "") + format({psd.x[static_cast<std::size_t>(top)], Unit::hertz});
    }
    if (psd.x.size() < 20 * lines || held < most_share * total_w) return;
    fail_signal("expected: random symbols; seen: " + format({100 * held / total_w, Unit::percent}, 3) +
                " of the power in lines at " + places);
}

Outcome measure_ethernet_density(Capture any, const Parameters& p) {
    const Signal signal = signal_of(take_waveform(std::move(any), "ethernet.density"), p);
    const double bandwidth = p.required("bandwidth"), ohm = p.required("termination");
    if (!(bandwidth > 0)) fail_input("parameter bandwidth: must be above 0 Hz");
    if (!(ohm > 0)) fail_input("parameter termination: must be above 0 ohm");
    IqRecord record;
    record.samples = std::make_shared<AsComplex>(signal.samples);
    record.sample_rate_hz = 1 / signal.step_s;
    DensitySettings settings;
    const double bins = noise_bandwidth_bins(window_values(settings.window, 4096));
    settings.size = fast_size(static_cast<std::size_t>(std::ceil(bins * record.sample_rate_hz / bandwidth)));
    if (settings.size > record.size()) {
        fail_input("the record of " + format({signal.seconds(), Unit::second}) +
                   " is too short for a bandwidth of " + format({bandwidth, Unit::hertz}) + ": it needs " +
                   format({static_cast<double>(settings.size) * signal.step_s, Unit::second}));
    }
    const Density seen = power_density(record, settings);
    const double low = p.required("lowest"), high = p.number("highest").value_or(record.sample_rate_hz / 2);
    Trace trace;
    trace.name = "psd";
    trace.title = "Power density";
    trace.y_unit = Unit::dbm_per_hz;
    trace.detector = Detector::rms;
    trace.resolution_bandwidth_hz = seen.noise_bandwidth_hz;
    double total = 0;
    for (std::size_t i = 0; i < seen.frequency_hz.size(); ++i) {
        const double f = seen.frequency_hz[i];
        if (f < 0 || f < low || f > high) continue;
        // Positive and negative frequencies together; 0 Hz and the end stand alone.
        const double watt = (f > 0 ? 2 : 1) * seen.per_hz[i] / ohm;
        total += watt * seen.step_hz;
        trace.x.push_back(f);
        trace.y.push_back(to_db(watt * 1000));
    }
    if (trace.x.size() < 2)
        fail_input("parameters lowest and highest: no frequency of the record lies between");
    if (p.text("expected") == "random") require_random(trace, total, seen.step_hz);
    const auto top = std::max_element(trace.y.begin(), trace.y.end());
    const Extent extent = voltage_extent(*signal.samples);
    if (extent.low == extent.high) fail_signal("the voltage stands still: nothing is sent");
    Outcome outcome;
    outcome.add("total_power", to_db(total * 1000), Unit::dbm);
    outcome.add("peak_to_peak", static_cast<double>(extent.high) - static_cast<double>(extent.low),
                Unit::volt);
    outcome.add("peak_density", *top, Unit::dbm_per_hz);
    outcome.add("peak_frequency", trace.x[static_cast<std::size_t>(top - trace.y.begin())], Unit::hertz);
    outcome.traces.push_back(std::move(trace));
    return outcome;
}

}  // namespace

Procedure ethernet_density() {
    return {"ethernet.density",
            "Power spectral density, power and peak voltage of a transmitter's waveform",
            "Averaged windowed periodogram (Welch 1967) of the differential voltage in its termination, "
            "one-sided; "
            "masks in dBm/Hz judge the curve. The unit must send its test mode for density (random idle).",
            ethernet_density_parameters,
            ethernet_density_traces,
            ethernet_density_products,
            waveform_setup,
            measure_ethernet_density,
            preset_named};
}

}  // namespace rt
