#include "core/measure/cellular/uplink_outcome.hpp"

#include <fmt/core.h>

#include <algorithm>
#include <cmath>
#include <set>

#include "core/base/error.hpp"
#include "core/cellular/bands.hpp"
#include "core/dsp/channel.hpp"
#include "core/measure/burst_samples.hpp"
#include "core/measure/cellular/emission.hpp"
#include "core/measure/spectrum/band.hpp"

namespace rt::cellular {
namespace {

double percent(double square) {
    return 100 * std::sqrt(square);
}

Trace curve(const char* name, const char* title, Unit unit) {
    Trace out;
    out.name = name, out.title = title, out.y_unit = unit;
    return out;
}

// Of each stretch of 1 ms the mean, of these the farthest from zero.
double farthest_offset(const Uplink& uplink, const UplinkFormat& format) {
    double out = 0;
    std::size_t i = 0;
    while (i < uplink.slots.size()) {
        const double end = uplink.slots[i].start_s + 1e-3 - format.slot_s() / 2;
        double sum = 0, count = 0;
        for (; i < uplink.slots.size() && uplink.slots[i].start_s < end; ++i)
            sum += uplink.slots[i].offset_hz, count += 1;
        out = farther(out, sum / count);
    }
    return out;
}

void add_constellation(const Uplink& uplink, Modulation modulation, Outcome& outcome) {
    constexpr std::size_t most = 4000;
    Trace points = curve("constellation", "Q", Unit::none);
    points.x_unit = Unit::none, points.x_title = "I", points.shape = Shape::dots;
    std::size_t all = 0;
    for (const auto& slot : uplink.slots) all += slot.quality.points.size();
    const std::size_t every = std::max<std::size_t>(1, all / most);
    std::size_t at = 0;
    for (const auto& slot : uplink.slots) {
        for (const auto& point : slot.quality.points) {
            if (at++ % every != 0) continue;
            points.x.push_back(point.real()), points.y.push_back(point.imag());
        }
    }
    std::set<std::pair<double, double>> ideal;
    const std::size_t bits = bits_of(modulation);
    for (std::size_t code = 0; code < (std::size_t{1} << bits); ++code) {
        std::vector<std::uint8_t> word(bits);
        for (std::size_t b = 0; b < bits; ++b) word[b] = static_cast<std::uint8_t>((code >> b) & 1);
        // pi/2-BPSK has another pair at every second symbol.
        for (const std::size_t place : {0u, 1u}) {
            const auto point = point_of(modulation, word, place);
            if (place == 0 || modulation == Modulation::bpsk) ideal.emplace(point.real(), point.imag());
        }
    }
    for (const auto& [x, y] : ideal) points.ideal.x.push_back(x), points.ideal.y.push_back(y);
    outcome.traces.push_back(std::move(points));
}

void add_errors(const Uplink& uplink, const UplinkFormat& format, double centre_hz, Outcome& outcome) {
    const auto slots = static_cast<double>(uplink.slots.size());
    Trace symbols = curve("evm_symbols", "Error vector magnitude of symbols", Unit::percent);
    symbols.x_unit = Unit::none, symbols.x_title = "Symbol";
    for (std::size_t l = 0; l < format.symbols(); ++l) {
        double sum = 0;
        for (const auto& slot : uplink.slots) sum += slot.quality.by_symbol[l];
        if (sum == 0) continue;
        symbols.x.push_back(static_cast<double>(l)), symbols.y.push_back(percent(sum / slots));
    }
    outcome.traces.push_back(std::move(symbols));
    Trace subcarriers = curve("evm_subcarriers", "Error vector magnitude of subcarriers", Unit::percent);
    for (std::size_t k = 0; k < format.allocated(); ++k) {
        double sum = 0;
        for (const auto& slot : uplink.slots) sum += slot.quality.by_subcarrier[k];
        subcarriers.x.push_back(centre_hz + format.subcarrier_hz(format.first_subcarrier() + k));
        subcarriers.y.push_back(percent(sum / slots));
    }
    outcome.traces.push_back(std::move(subcarriers));
}

// Gains of the subcarriers, all slots together, and how far they are apart.
void add_flatness(const Uplink& uplink, const UplinkFormat& format, double centre_hz,
                  const std::string& band_name, Outcome& outcome) {
    constexpr double edge_hz = 3e6;
    std::vector<double> power(format.allocated());
    double mean = 0;
    for (std::size_t k = 0; k < power.size(); ++k) {
        for (const auto& slot : uplink.slots) power[k] += std::norm(slot.quality.gains[k]);
        mean += power[k] / static_cast<double>(power.size());
    }
    struct Extremes {
        double least = 1e300, most = -1e300;
        void take(double x) { least = std::min(least, x), most = std::max(most, x); }
        bool empty() const { return most < least; }
    };
    Extremes all, inner, outer;
    const Band* band = band_name.empty() ? nullptr : &band_called(band_name);
    Trace curve_of = curve("flatness_curve", "Gain of subcarriers", Unit::db);
    for (std::size_t k = 0; k < power.size(); ++k) {
        const double hz = centre_hz + format.subcarrier_hz(format.first_subcarrier() + k);
        const double gain = to_db(power[k] / mean);
        curve_of.x.push_back(hz), curve_of.y.push_back(gain);
        all.take(gain);
        if (!band) continue;
        const bool near = hz - band->uplink.low_hz < edge_hz || band->uplink.high_hz - hz < edge_hz;
        (near ? outer : inner).take(gain);
    }
    outcome.traces.push_back(std::move(curve_of));
    outcome.add("flatness", all.most - all.least, Unit::db);
    const auto lack = [&](const char* name, const std::string& why) { outcome.lacking[name] = why; };
    if (!band) {
        for (const char* name :
             {"flatness_inner", "flatness_outer", "flatness_inner_over_outer", "flatness_outer_over_inner"})
            lack(name, "state the parameter band: where the band ends is not known");
        return;
    }
    const char* nothing_within = "all of the allocation lies within 3 MHz of an edge of the band";
    const char* nothing_near = "no part of the allocation lies within 3 MHz of an edge of the band";
    if (inner.empty()) {
        lack("flatness_inner", nothing_within);
    } else {
        outcome.add("flatness_inner", inner.most - inner.least, Unit::db);
    }
    if (outer.empty()) {
        lack("flatness_outer", nothing_near);
    } else {
        outcome.add("flatness_outer", outer.most - outer.least, Unit::db);
    }
    if (inner.empty() || outer.empty()) {
        for (const char* name : {"flatness_inner_over_outer", "flatness_outer_over_inner"})
            lack(name, inner.empty() ? nothing_within : nothing_near);
        return;
    }
    outcome.add("flatness_inner_over_outer", inner.most - outer.least, Unit::db);
    outcome.add("flatness_outer_over_inner", outer.most - inner.least, Unit::db);
}

void add_evm(const Uplink& uplink, const UplinkFormat& format, Outcome& outcome) {
    double error = 0, worst = 0, reference = 0, peak = 0;
    for (const auto& slot : uplink.slots) {
        error += slot.quality.error / static_cast<double>(uplink.slots.size());
        reference += slot.quality.reference_error / static_cast<double>(uplink.slots.size());
        worst = std::max(worst, slot.quality.error), peak = std::max(peak, slot.quality.peak);
    }
    // Errors as large as the distance of points are taken for smaller ones.
    constexpr double undecided = 0.8;
    const bool lost = std::sqrt(error) > undecided * blind_error(format.modulation);
    const Known known = lost ? Known::at_least : Known::exactly;
    if (lost)
        outcome.notes.emplace_back(
            "errors are as large as the distance between points: many decisions are wrong, "
            "the true error is larger");
    outcome.add("evm", percent(error), Unit::percent, known);
    outcome.add("evm_worst", percent(worst), Unit::percent, known);
    outcome.add("evm_peak", 100 * peak, Unit::percent, known);
    outcome.add("evm_reference", percent(reference), Unit::percent);
}

}  // namespace

void set_blocks(UplinkFormat& format, const Parameters& p) {
    format.first_block = static_cast<std::size_t>(p.required("first_block"));
    // All of LTE's channels can be precoded; of others not every number of blocks.
    const std::size_t otherwise =
        format.lte() ? format.carrier_blocks - std::min(format.carrier_blocks, format.first_block)
                     : format.most_blocks();
    format.blocks = static_cast<std::size_t>(p.number("blocks").value_or(static_cast<double>(otherwise)));
    format.require_possible();
}

void require_channel(Technology technology, double spacing_hz, double bandwidth_hz, const Parameters& p) {
    const std::string name = p.text("band");
    const auto centre = p.number("centre");
    if (name.empty()) return;
    const Band& band = band_called(name);
    if (band.technology != technology)
        fail_input("parameter band: " + name + " is a band of the other technology");
    if (!centre) return;
    const auto channel = channel_at(band, Direction::up, *centre, spacing_hz);
    channel_numbered(band, Direction::up, channel.number, bandwidth_hz, spacing_hz);
}

Outcome uplink_outcome(IqRecord record, const UplinkFormat& format, double window, const Parameters& p,
                       std::optional<double> up_converted_hz) {
    const double centre = p.number("centre").value_or(record.centre_hz);
    const double shift = centre - record.centre_hz;
    if (std::abs(shift) + format.occupied_hz() / 2 > record.sample_rate_hz / 2)
        fail_input(fmt::format("the channel of {} around {} lies outside of the record's band",
                               rt::format({format.occupied_hz(), Unit::hertz}, 4),
                               rt::format({centre, Unit::hertz}, 8)));
    UplinkSettings settings;
    settings.carrier_hz = centre, settings.up_converted_hz = up_converted_hz;
    settings.most_slots = static_cast<std::size_t>(p.required("slots"));
    settings.slot.reference_only = p.text("gains") == "references";
    settings.slot.keep_bias = p.text("fit_bias") == "kept";
    settings.slot.remove_image = p.text("image") == "removed";
    settings.slot.window =
        p.text("window") == "edges" ? p.number("window_length").value_or(100 * window) / 100 : 0;
    if (!(settings.slot.window >= 0 && settings.slot.window < 1))
        fail_input("parameter window_length: 0 % to 99 % are possible");
    Outcome outcome;
    const Uplink uplink = measure_uplink(shift == 0 ? record : turned(record, shift), format, settings);
    if (!uplink.trouble.empty()) {
        outcome.invalid = uplink.trouble;
        return outcome;
    }
    if (!uplink.unlike_s.empty()) {
        outcome.invalid = fmt::format(
            "in {} of {} slots something else is sent than stated, first at {}: choose a part of the record "
            "with "
            "from and to",
            uplink.unlike_s.size(), uplink.slots.size() + uplink.unlike_s.size(),
            rt::format({uplink.unlike_s[0] + record.from_s, Unit::second}, 4));
        return outcome;
    }
    note_reference(record, outcome);
    outcome.observed_s = static_cast<double>(uplink.slots.size()) * format.slot_s();
    add_evm(uplink, format, outcome);
    double power = 0, carrier = 0, image = 0;
    const auto slots = static_cast<double>(uplink.slots.size());
    for (const auto& slot : uplink.slots) {
        power += slot.quality.power / slots, carrier += std::norm(slot.quality.carrier) / slots;
        image += slot.quality.image / slots;
    }
    outcome.results.push_back({"power", level_of(record, power), {}});
    const double offset = farthest_offset(uplink, format);
    outcome.add("frequency_error", offset, Unit::hertz);
    if (centre > 0) {
        outcome.add("frequency_error_ppm", offset / centre * 1e6, Unit::ppm);
    } else {
        outcome.lacking["frequency_error_ppm"] = "the carrier frequency is not known: state centre";
    }
    outcome.add("clock_error", -uplink.stretch * 1e6, Unit::ppm);
    outcome.add("carrier_leakage", to_db(carrier / std::max(1e-30, power - carrier)), Unit::db);
    outcome.add("image", to_db(image), Unit::db);
    add_emission(uplink, format, record.reference_level_dbm, outcome);
    add_flatness(uplink, format, centre, p.text("band"), outcome);
    outcome.add("slots_measured", slots, Unit::count);
    add_constellation(uplink, format.modulation, outcome);
    add_errors(uplink, format, centre, outcome);
    if (uplink.numbered)
        outcome.notes.push_back(
            fmt::format("first slot: number {} of its frame, at {}", uplink.slots[0].number,
                        rt::format({uplink.slots[0].start_s + record.from_s, Unit::second}, 6)));
    if (uplink.silent > 0) outcome.notes.push_back(fmt::format("nothing is sent in {} slots", uplink.silent));
    if (uplink.up_converted_hz > 0)
        outcome.notes.push_back("symbols are turned for a carrier of " +
                                rt::format({uplink.up_converted_hz, Unit::hertz}, 10));
    return outcome;
}

}  // namespace rt::cellular
