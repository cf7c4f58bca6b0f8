// radio.oqpsk: modulation of IEEE 802.15.4 O-QPSK transmitters.
#include "core/measure/procedure.hpp"

#include <algorithm>
#include <array>
#include <cmath>
#include <numbers>

#include "core/base/error.hpp"
#include "core/base/hex.hpp"
#include "core/base/text.hpp"
#include "core/dsp/channel.hpp"
#include "core/dsp/parallel.hpp"
#include "core/measure/burst_samples.hpp"
#include "core/measure/radio/oqpsk/all_frames.hpp"
#include "core/measure/radio/oqpsk/frame.hpp"
#include "core/stats/weighted.hpp"

namespace rt {
namespace {

constexpr auto oqpsk_parameters = joined(
    std::array{
        iq_centre_parameter,
        ParameterInfo{"search", ParameterKind::quantity, Unit::hertz, "200 kHz",
                      "the carrier is looked for this far from the frequency meant"},
        ParameterInfo{"iq_offset", ParameterKind::choice, Unit::none, "kept",
                      "whether the offset of the origin counts in evm_rms and evm_peak", "kept removed"},
    },
    trigger_rows,
    std::array{
        ParameterInfo{"sample_rate", ParameterKind::quantity, Unit::hertz, "16 MHz",
                      "complex samples per second that the analyser records"},
    },
    iq_part_rows);

constexpr std::array oqpsk_traces{
    Product{"constellation", Unit::none, "I and Q of each pair of chips, each at its own instant"},
    Product{"constellation_at_once", Unit::none,
            "the signal at every chip instant, without taking the half-chip delay out"},
    Product{"evm", Unit::percent, "error vector magnitude of each pair of chips against time (first frame)"},
    Product{"power", Unit::dbm, "highest power of each piece of time"},
};
constexpr std::array oqpsk_products{
    Product{"evm_rms", Unit::percent, "error vector magnitude over all pairs of chips, rms"},
    Product{"evm_peak", Unit::percent, "that of the worst pair"},
    Product{"evm_rms_worst", Unit::percent, "rms of the worst frame: what a limit is held against"},
    Product{"evm_rms_corrected", Unit::percent,
            "rms without the offset of the origin and the imbalance of I and Q"},
    Product{"evm_rms_offset_removed", Unit::percent, "rms without the offset of the origin"},
    Product{"evm_rms_offset_kept", Unit::percent, "rms with the offset of the origin"},
    Product{"frequency_offset", Unit::hertz,
            "carrier minus the frequency meant; mean of the frames, or the one farthest from 0 where they "
            "differ by more "
            "than noise explains"},
    Product{"frequency_error", Unit::ppm, "the same relative to the frequency meant"},
    Product{"frequency_offset_uncertainty", Unit::hertz,
            "standard uncertainty of frequency_offset, from the noise"},
    Product{"symbol_rate_error", Unit::ppm, "chip rate against 2 Mchip/s; of the frames as frequency_offset"},
    Product{"symbol_rate_error_uncertainty", Unit::ppm,
            "standard uncertainty of symbol_rate_error, from the noise"},
    Product{"iq_offset", Unit::db, "offset of the origin relative to the signal"},
    Product{"gain_imbalance", Unit::db, "I over Q"},
    Product{"quadrature_error", Unit::degree, "departure of I and Q from a right angle"},
    Product{"burst_power", Unit::dbm, "mean power of the frames"},
    Product{"frames", Unit::count, "frames decoded"},
    Product{"frames_bad_check", Unit::count, "of these with a wrong frame check sequence"},
};

using oqpsk::Frame;

struct ErrorSum {
    double squares = 0, peak = 0;
    std::size_t pairs = 0;
    double rms() const { return std::sqrt(squares / static_cast<double>(pairs)); }
};

// Error vectors of pairs of chips relative to the distance of the ideal points from the origin, sqrt(2).
template <typename Each>
ErrorSum errors(const oqpsk::Demodulated& d, std::complex<double> offset, const Each& each) {
    ErrorSum out;
    for (std::size_t n = 0; n + 1 < d.chips.size(); n += 2) {
        const double i = d.at_chip[n].real() - offset.real() - d.chips[n];
        const double q = d.at_chip[n + 1].imag() - offset.imag() - d.chips[n + 1];
        const double square = (i * i + q * q) / 2;
        out.squares += square;
        out.peak = std::max(out.peak, std::sqrt(square));
        ++out.pairs;
        each(n, std::sqrt(square));
    }
    return out;
}

// Without offset and imbalance: Q as it stands beside I, I without what Q adds to it.
ErrorSum corrected_errors(const oqpsk::Demodulated& d) {
    ErrorSum out;
    for (std::size_t n = 0; n + 1 < d.chips.size(); n += 2) {
        // At the instant of an I chip its Q neighbours cancel or stand at half their height: Q's share of I
        // is that of the sample's own Q part.
        const double beside = 1 - d.imbalance;
        const double q = (d.at_chip[n + 1].imag() - d.offset.imag()) / beside;
        const double q_now = (d.at_chip[n].imag() - d.offset.imag()) / beside;
        const double i = (d.at_chip[n].real() - d.offset.real() + d.skew * q_now) / (1 + d.imbalance);
        const double square =
            ((i - d.chips[n]) * (i - d.chips[n]) + (q - d.chips[n + 1]) * (q - d.chips[n + 1])) / 2;
        out.squares += square;
        out.peak = std::max(out.peak, std::sqrt(square));
        ++out.pairs;
    }
    return out;
}

ErrorSum errors(const oqpsk::Demodulated& d, std::complex<double> offset) {
    return errors(d, offset, [](std::size_t, double) {});
}

struct Uncertainty {
    double frequency_hz = 0, clock_ppm = 0;
};

// What noise of the size of the frame's own errors leaves unsure of a straight line through the phases, and
// through the times of chips, of which half have a slope at their instant. `rms` is the error without offset
// and imbalance.
Uncertainty uncertainty_of(const oqpsk::Demodulated& d, double rms) {
    const auto n = static_cast<double>(d.chips.size());
    const double chip_s = 1 / oqpsk::chip_rate_hz, spread = n * chip_s / std::sqrt(12.0);
    const double slope = std::numbers::pi / (2 * chip_s) / std::numbers::sqrt2;
    const double sigma = std::max(rms, 1e-6) / std::sqrt(n) / spread;
    return {sigma / (2 * std::numbers::pi), 1e6 * sigma / slope};
}

Trace dots(const char* name, const char* title) {
    Trace trace;
    trace.name = name;
    trace.title = title;
    trace.x_unit = trace.y_unit = Unit::none;
    trace.x_title = "I";
    trace.shape = Shape::dots;
    return trace;
}

void add_traces(const Frame& frame, std::complex<double> offset, Outcome& outcome) {
    const auto& d = *frame.attempt.burst;
    Trace own = dots("constellation", "Q, each at its own instant");
    Trace once = dots("constellation_at_once", "Q, both at once");
    Trace evm;
    evm.name = "evm";
    evm.title = "Error vector magnitude";
    evm.x_unit = Unit::second;
    evm.x_title = "Time in the frame";
    evm.y_unit = Unit::percent;
    errors(d, offset, [&](std::size_t n, double error) {
        own.x.push_back(d.at_chip[n].real() - offset.real());
        own.y.push_back(d.at_chip[n + 1].imag() - offset.imag());
        evm.x.push_back(static_cast<double>(n) / oqpsk::chip_rate_hz);
        evm.y.push_back(100 * error);
    });
    for (const auto& value : d.at_chip) {
        once.x.push_back(value.real() - offset.real());
        once.y.push_back(value.imag() - offset.imag());
    }
    outcome.traces.push_back(std::move(own));
    outcome.traces.push_back(std::move(once));
    outcome.traces.push_back(std::move(evm));
}

Table symbol_table(const oqpsk::Demodulated& d) {
    Table table{"symbols", "Symbols of the first frame", {{"field"}, {"symbols"}}, {}};
    const auto part = [&](const char* field, std::size_t from, std::size_t to) {
        std::string text;
        for (std::size_t i = from; i < std::min(to, d.symbols.size()); ++i) {
            text += (text.empty() ? "" : " ") + std::to_string(d.symbols[i]);
        }
        table.rows.push_back({std::string(field), text});
    };
    part("preamble", 0, 8);
    part("start of frame", 8, 10);
    part("length", 10, 12);
    for (std::size_t i = 12; i < d.symbols.size(); i += 32) part(i == 12 ? "payload" : "", i, i + 32);
    return table;
}

void operator+=(ErrorSum& to, const ErrorSum& from) {
    to.squares += from.squares;
    to.pairs += from.pairs;
    to.peak = std::max(to.peak, from.peak);
}

// What the frames of a record come to together.
class OqpskFrames {
  public:
    OqpskFrames(const IqRecord& record, bool removed) : record_(record), removed_(removed) {
        table_.name = "frames", table_.title = "Frames";
        table_.columns = {{"start", Unit::second},
                          {"power", level_of(record, 1).unit},
                          {"evm_rms", Unit::percent},
                          {"evm_peak", Unit::percent},
                          {"frequency_offset", Unit::hertz},
                          {"symbol_rate_error", Unit::ppm},
                          {"check"},
                          {"octets"}};
    }

    void add(const Frame& frame) {
        if (!frame.attempt.burst) {
            ++other_;
            return;
        }
        const auto& d = *frame.attempt.burst;
        if (!first_) first_ = &frame;
        add_errors(frame, d);
        if (std::abs(d.gain_imbalance_db) >= std::abs(imbalance_)) imbalance_ = d.gain_imbalance_db;
        if (std::abs(d.quadrature_error_deg) >= std::abs(skew_)) skew_ = d.quadrature_error_deg;
        offset_ = std::max(offset_, std::abs(d.offset));
        power_ += frame.burst.power;
        ++good_;
        bad_check_ += !d.check_ok;
        behind_filter_ += d.behind_filter;
        if (frame.neighbour.ratio > beside_.ratio) beside_ = frame.neighbour;
    }

    const Frame* first() const { return first_; }

    // `meant_hz` is the frequency that the carrier should have.
    void report(double meant_hz, std::size_t all_frames, Outcome& outcome) const {
        report_errors(outcome);
        report_carrier(meant_hz, outcome);
        outcome.add("iq_offset", 20 * std::log10(std::max(offset_, 1e-10)), Unit::db);
        outcome.add("gain_imbalance", imbalance_, Unit::db);
        outcome.add("quadrature_error", skew_, Unit::degree);
        outcome.results.push_back(
            {"burst_power", level_of(record_, power_ / static_cast<double>(good_)), {}});
        outcome.add("frames", static_cast<double>(good_), Unit::count);
        outcome.add("frames_bad_check", static_cast<double>(bad_check_), Unit::count);
        remark(all_frames, outcome);
    }

    Table take_table() { return std::move(table_); }

  private:
    void add_errors(const Frame& frame, const oqpsk::Demodulated& d) {
        const ErrorSum with = errors(d, 0), without = errors(d, d.offset), clean = corrected_errors(d);
        const ErrorSum& counted = removed_ ? without : with;
        counted_ += counted, kept_ += with, without_ += without, cleaned_ += clean;
        worst_ = std::max(worst_, counted.rms());
        const Uncertainty unsure = uncertainty_of(d, clean.rms());
        frequencies_.push_back({d.frequency_offset_hz, unsure.frequency_hz});
        clocks_.push_back({d.chip_clock_ppm, unsure.clock_ppm});
        table_.rows.push_back({record_.from_s + frame.first_s + d.start_s,
                               level_of(record_, frame.burst.power).value, 100 * counted.rms(),
                               100 * counted.peak, d.frequency_offset_hz, d.chip_clock_ppm,
                               std::string(d.check_ok ? "good" : "bad"), hexadecimal(d.psdu)});
    }

    void report_errors(Outcome& outcome) const {
        outcome.add("evm_rms", 100 * counted_.rms(), Unit::percent);
        outcome.add("evm_peak", 100 * counted_.peak, Unit::percent);
        outcome.add("evm_rms_worst", 100 * worst_, Unit::percent);
        outcome.add("evm_rms_corrected", 100 * cleaned_.rms(), Unit::percent);
        outcome.add("evm_rms_offset_removed", 100 * without_.rms(), Unit::percent);
        outcome.add("evm_rms_offset_kept", 100 * kept_.rms(), Unit::percent);
    }

    void report_carrier(double meant_hz, Outcome& outcome) const {
        const Combined frequency = combined(frequencies_), clock = combined(clocks_);
        outcome.add("frequency_offset", frequency.value, Unit::hertz);
        if (meant_hz > 0) outcome.add("frequency_error", frequency.value / meant_hz * 1e6, Unit::ppm);
        outcome.add("frequency_offset_uncertainty", frequency.deviation, Unit::hertz);
        outcome.add("symbol_rate_error", clock.value, Unit::ppm);
        outcome.add("symbol_rate_error_uncertainty", clock.deviation, Unit::ppm);
        for (const auto& [all, what] : {std::pair{&frequency, "carriers"}, {&clock, "chip clocks"}}) {
            if (all->agree) continue;
            outcome.notes.push_back(std::string("the frames' ") + what +
                                    " differ by more than noise explains: the one farthest from 0 is told");
        }
    }

    void remark(std::size_t all_frames, Outcome& outcome) const {
        if (2 * counted_.pairs < 1000) {
            outcome.notes.push_back("only " + std::to_string(2 * counted_.pairs) +
                                    " chips were measured, the standard asks for 1000");
        }
        note_left_out(other_, all_frames, "frames", outcome);
        if (beside_.ratio > 0) {
            outcome.notes.push_back(
                "a neighbour " + format({beside_.at_hz, Unit::hertz}, 3) + " beside the channel, " +
                format({10 * std::log10(beside_.ratio), Unit::db}, 3) +
                " against it: error vectors are taken behind a channel filter of 4.5 MHz");
        }
        if (behind_filter_ > 0) {
            outcome.notes.push_back(
                std::to_string(behind_filter_) +
                " frames were found behind a channel filter only: noise beyond the channel is part of "
                "their error vectors");
        }
    }

    const IqRecord& record_;
    bool removed_;  // the offset of the origin does not count
    const Frame* first_ = nullptr;
    ErrorSum counted_, kept_, without_, cleaned_;
    double worst_ = 0, power_ = 0, imbalance_ = 0, skew_ = 0, offset_ = 0;
    std::vector<Weighted> frequencies_, clocks_;
    std::size_t good_ = 0, bad_check_ = 0, other_ = 0, behind_filter_ = 0;
    Neighbour beside_;
    Table table_;
};

Outcome measure_oqpsk(Capture any, const Parameters& p) {
    const IqRecord record = take_iq(std::move(any), "radio.oqpsk", p);
    if (record.sample_rate_hz < 4e6) {
        fail_input("O-QPSK at 2 Mchip/s needs at least 4 million samples a second, the record has " +
                   format({record.sample_rate_hz, Unit::hertz}));
    }
    const double meant = p.number("centre").value_or(record.centre_hz);
    const double shift = meant - record.centre_hz;
    require_inside(record, shift);
    // Neighbours 5 MHz beside and noise beyond the channel do not reach the trigger.
    const IqRecord channel = channel_of(record, shift, {2.25e6, 1.5e6});
    const BurstList list = bursts_of(channel, p);
    const auto frames = oqpsk::all_frames(record, channel, list.bursts, p.required("search"), shift);
    const bool removed = p.text("iq_offset") == "removed";
    OqpskFrames sums(record, removed);
    for (const auto& frame : frames) sums.add(frame);
    Outcome outcome;
    if (!sums.first()) {
        outcome.traces.push_back(power_trace(record));
        outcome.invalid = why_none(frames);
        return outcome;
    }
    const auto& first = *sums.first()->attempt.burst;
    sums.report(meant, frames.size(), outcome);
    add_traces(*sums.first(), removed ? first.offset : 0, outcome);
    outcome.traces.push_back(power_trace(record));
    outcome.tables.push_back(sums.take_table());
    outcome.tables.push_back(symbol_table(first));
    note_reference(record, outcome);
    return outcome;
}

}  // namespace

// Error vector magnitude as IEEE 802.15.4 defines it (one I and one Q sample for each pair of chips, each at
// its own instant, after recovery of timing, clock, phase, frequency and amplitude), frequency and chip clock
// errors, frame. Tables `frames`, `symbols`; traces `constellation`, `constellation_at_once`, `evm`, `power`.
Procedure oqpsk_modulation() {
    return {
        "radio.oqpsk",
        "Modulation of an IEEE 802.15.4 O-QPSK transmitter, 2450 MHz",
        "Synchronises to every frame, decodes it, and compares each pair of chips with the ideal one: error "
        "vector "
        "magnitude as IEEE 802.15.4 defines it, carrier and chip clock errors, offset and imbalance. Refuses "
        "when no burst begins with the preamble. Wants 8 million samples a second or more; with 4 million "
        "the "
        "band limit itself adds error.",
        oqpsk_parameters,
        oqpsk_traces,
        oqpsk_products,
        iq_setup,
        measure_oqpsk,
        preset_named,
        nullptr,
        true};
}

}  // namespace rt
