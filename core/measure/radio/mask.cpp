// radio.mask: power spectral density of a transmitter around its carrier.
#include "core/measure/procedure.hpp"

#include <algorithm>
#include <array>
#include <cmath>
#include <complex>
#include <numbers>
#include <utility>

#include "core/base/error.hpp"
#include "core/measure/gate.hpp"
#include "core/measure/iq_setup.hpp"
#include "core/measure/spectrum/band.hpp"
#include "core/measure/spectrum_setup.hpp"
#include "core/stats/median.hpp"

namespace rt {
namespace {

constexpr auto mask_parameters = joined(
    std::array{
        ParameterInfo{"centre", ParameterKind::quantity, Unit::hertz, "", "carrier frequency of the channel"},
        ParameterInfo{"span", ParameterKind::quantity, Unit::hertz, "",
                      "width of the band around the carrier"},
        ParameterInfo{"reference_window", ParameterKind::quantity, Unit::hertz, "1 MHz",
                      "the reference level is the highest within this distance of the carrier"},
        ParameterInfo{"channel_bandwidth", ParameterKind::quantity, Unit::hertz, "5 MHz",
                      "width over which channel power is summed"},
    },
    spectrum_rows, gate_rows);

constexpr std::array mask_traces{
    Product{"psd", Unit::dbm, "power in the resolution bandwidth against frequency"}};
constexpr std::array mask_products{
    Product{"reference_level", Unit::dbm, "highest level near the carrier"},
    Product{"reference_offset", Unit::hertz, "its distance from the carrier"},
    Product{"channel_power", Unit::dbm, "power in the channel bandwidth"},
};

CaptureSetup mask_setup(const Parameters& p) {
    const double centre = p.required("centre"), span = p.required("span");
    if (!(span > 0)) fail_input("parameter span: must be above 0 Hz");
    return spectrum_setup(p, centre - span / 2, centre + span / 2);
}

void preset(const Rule& rule, Parameters& p) {
    if (const auto* mask = rule.mask()) {
        const auto& part = mask->relative ? mask->relative : mask->absolute;
        const double reach = std::isinf(part->to()) ? rule.cover_to.value_or(2 * part->from()) : part->to();
        if (!p.has("span")) p.set_quantity("span", {2 * reach, Unit::hertz});
    }
    preset_conditions(rule, p);
}

struct Peak {
    std::size_t at;
    double level;
};

// The highest level in [from, to]; nothing when no point lies there.
std::optional<Peak> highest(const Spectrum& s, double from, double to) {
    std::optional<Peak> best;
    for (std::size_t i = 0; i < s.level.size(); ++i) {
        if (s.frequency_hz[i] < from || s.frequency_hz[i] > to) continue;
        if (!best || s.level[i] > best->level) best = Peak{i, s.level[i]};
    }
    return best;
}

struct Surroundings {
    double level;     // median outside of a band
    double distance;  // dB above it that noise stays below
};

// What is outside of [from, to]; nothing when no point is. Noise of a short measuring time scatters widely:
// of one independent value a point, its level is log of an exponential distribution; neighbours then differ
// by 4.8 dB (median) and the highest of a hundred points is 13 dB above the median once in 10,000 spectra. Of
// eight values a point these are 1.5 dB and 6 dB.
std::optional<Surroundings> outside(const Spectrum& s, double from, double to) {
    constexpr double least_db = 6, offset_db = 4, per_scatter = 2;
    std::size_t apart = 1;  // points that are not within the same bandwidth
    if (s.resolution_bandwidth_hz && s.level.size() > 1) {
        const double spacing =
            (s.frequency_hz.back() - s.frequency_hz.front()) / static_cast<double>(s.level.size() - 1);
        apart = std::max<std::size_t>(1, static_cast<std::size_t>(2 * *s.resolution_bandwidth_hz / spacing));
    }
    std::vector<double> levels, steps;
    for (std::size_t i = 0; i < s.level.size(); ++i) {
        const auto is_outside = [&](std::size_t at) {
            return s.frequency_hz[at] < from || s.frequency_hz[at] > to;
        };
        if (!is_outside(i)) continue;
        levels.push_back(s.level[i]);
        if (i >= apart && is_outside(i - apart)) steps.push_back(std::abs(s.level[i] - s.level[i - apart]));
    }
    if (levels.empty()) return std::nullopt;
    const double scatter = steps.empty() ? 0 : median(std::move(steps));
    return Surroundings{median(std::move(levels)), std::max(least_db, offset_db + per_scatter * scatter)};
}

// Whether a spectrum, as it came or as it was made of samples, is not that of a carrier on this channel.
std::optional<Unexpected> no_carrier(const Spectrum& s, const Parameters& p) {
    constexpr double elsewhere_db = 10;
    if (s.level.empty()) return std::nullopt;
    const double centre = p.required("centre"), window = p.required("reference_window");
    const double channel = p.required("channel_bandwidth");
    const auto peak = highest(s, centre - window, centre + window);
    if (!peak) return std::nullopt;  // the measurement itself says so
    const std::string expected =
        "a carrier within " + format({window, Unit::hertz}) + " of " + format({centre, Unit::hertz});
    const auto all = *highest(s, s.frequency_hz.front(), s.frequency_hz.back());
    if (all.level > peak->level + elsewhere_db) {
        return Unexpected{"the strongest signal, " + format({all.level, s.unit}) + ", at " +
                              format({s.frequency_hz[all.at], Unit::hertz}),
                          expected + ", where " + format({peak->level, s.unit}) + " was seen"};
    }
    const auto around = outside(s, centre - channel / 2, centre + channel / 2);
    if (around && peak->level < around->level + around->distance) {
        return Unexpected{"no carrier: at most " + format({peak->level, s.unit}) + " there, " +
                              format({around->level, s.unit}) + " around it",
                          expected + " that stands " + format({around->distance, Unit::db}) + " above that"};
    }
    return std::nullopt;
}

// Share of a record's power within two steps of what it resolves around 0 Hz.
double share_at_zero(const IqRecord& record) {
    constexpr int reach = 2;
    constexpr std::size_t piece = 1 << 16;
    std::array<std::complex<double>, 2 * reach + 1> sum{}, rotor, step;
    const auto n = static_cast<double>(record.size());
    for (int k = -reach; k <= reach; ++k) {
        rotor[static_cast<std::size_t>(k + reach)] = 1;
        step[static_cast<std::size_t>(k + reach)] = std::polar(1.0, -2 * std::numbers::pi * k / n);
    }
    double power = 0;
    for (std::uint64_t at = 0; at < record.size(); at += piece) {
        for (const auto& x :
             record.read(at, static_cast<std::size_t>(std::min<std::uint64_t>(piece, record.size() - at)))) {
            const std::complex<double> value(x);
            power += std::norm(value);
            for (std::size_t k = 0; k < sum.size(); ++k) sum[k] += value * rotor[k], rotor[k] *= step[k];
        }
        for (auto& r : rotor) r /= std::abs(r);
    }
    double lines = 0;
    for (const auto& s : sum) lines += std::norm(s) / n;
    return power > 0 ? lines / power : 0;
}

// The receiver's own line, or what drifts about it, is no carrier under a mask.
std::optional<Unexpected> line_at_zero(const IqRecord& record, const Parameters& p) {
    constexpr double most = 0.7;
    const double centre = p.required("centre"), window = p.required("reference_window");
    if (std::abs(record.centre_hz - centre) > window) return std::nullopt;
    const double share = share_at_zero(record);
    if (share < most) return std::nullopt;
    return Unexpected{
        format({100 * share, Unit::percent}, 3) +
            " of the power at 0 Hz of the record: the receiver's own line, or a carrier without "
            "modulation exactly there",
        "a modulated carrier"};
}

// Of samples the measurement itself sees the spectrum.
std::optional<Unexpected> check_mask(const Capture& any, const Parameters& p) {
    const auto* spectrum = std::get_if<Spectrum>(&any);
    return spectrum ? no_carrier(*spectrum, p) : std::nullopt;
}

Outcome measure_mask(Capture any, const Parameters& p) {
    const bool samples = std::holds_alternative<IqRecord>(any);
    std::optional<Unexpected> unexpected;
    if (samples) unexpected = line_at_zero(part_named(std::get<IqRecord>(any), p), p);
    Spectrum capture = take_spectrum(std::move(any), "radio.mask", p, {0, 0, 100e3, Detector::rms});
    const double centre = p.required("centre"), window = p.required("reference_window");
    const double channel = p.required("channel_bandwidth");
    require_power(capture, "radio.mask");
    Outcome outcome;
    if (samples && !unexpected) unexpected = no_carrier(capture, p);
    if (unexpected) outcome.invalid = unexpected->text();
    const auto peak = highest(capture, centre - window, centre + window);
    if (!peak) {
        outcome.invalid = "the trace has no point within " + format({window, Unit::hertz}) +
                          " of the carrier at " + format({centre, Unit::hertz});
    } else {
        outcome.results.push_back({"reference_level", {peak->level, capture.unit}, {}});
        outcome.results.push_back(
            {"reference_offset", {capture.frequency_hz[peak->at] - centre, Unit::hertz}, {}});
    }
    const auto power = covers(capture, centre - channel / 2, centre + channel / 2)
                           ? band_power(capture, centre - channel / 2, centre + channel / 2)
                           : std::nullopt;
    if (power) {
        outcome.add("channel_power", to_db(*power), capture.unit);
        note_detector(capture, outcome);
    } else {
        outcome.notes.push_back(
            "no channel power: the trace does not state its resolution bandwidth, or is narrower than " +
            format({channel, Unit::hertz}));
    }
    Trace trace = trace_of(std::move(capture), "psd", "Power spectral density");
    trace.centre_hz = centre;
    if (peak) trace.reference_level = peak->level;
    outcome.traces.push_back(std::move(trace));
    return outcome;
}

}  // namespace

// Reference level and channel power of a modulated carrier from its spectrum, for judging against a mask.
// Trace `psd` (dBm in the resolution bandwidth); results `reference_level`, `reference_offset`,
// `channel_power`.
// Reference: highest level within `reference_window` of the carrier (IEEE 802.15.4, transmit power spectral
// density mask). Channel power: sum of the levels in `channel_bandwidth` times step / noise bandwidth, the
// noise bandwidth of the resolution filter being 1.0645 times its 3 dB width (Gaussian).
Procedure radio_mask() {
    return {
        "radio.mask",
        "Transmit power spectral density around the carrier",
        "Finds the reference level near the carrier and sums the channel power, so that the spectrum can be "
        "judged against a relative or absolute mask (IEEE 802.15.4, transmit power spectral density mask). "
        "Refuses when nothing stands out at the carrier or when the strongest signal is elsewhere.",
        mask_parameters,
        mask_traces,
        mask_products,
        mask_setup,
        measure_mask,
        preset,
        check_mask};
}

}  // namespace rt
