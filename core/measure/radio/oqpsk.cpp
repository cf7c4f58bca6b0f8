#include "core/measure/radio/oqpsk.hpp"

#include <algorithm>
#include <array>
#include <cmath>

#include "core/base/error.hpp"
#include "core/base/hex.hpp"
#include "core/base/text.hpp"
#include "core/dsp/parallel.hpp"
#include "core/measure/radio/burst_samples.hpp"
#include "core/measure/radio/oqpsk/demodulate.hpp"
#include "core/measure/radio/oqpsk/frame.hpp"

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
    iq_length_rows);

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
    Product{"evm_rms_offset_removed", Unit::percent, "rms without the offset of the origin"},
    Product{"evm_rms_offset_kept", Unit::percent, "rms with the offset of the origin"},
    Product{"frequency_offset", Unit::hertz,
            "carrier minus the frequency meant; of the frame where it is largest"},
    Product{"frequency_error", Unit::ppm, "the same relative to the frequency meant"},
    Product{"symbol_rate_error", Unit::ppm, "chip rate against 2 Mchip/s; of the frame where it is largest"},
    Product{"iq_offset", Unit::db, "offset of the origin relative to the signal"},
    Product{"gain_imbalance", Unit::db, "I over Q"},
    Product{"quadrature_error", Unit::degree, "departure of I and Q from a right angle"},
    Product{"burst_power", Unit::dbm, "mean power of the frames"},
    Product{"frames", Unit::count, "frames decoded"},
    Product{"frames_bad_check", Unit::count, "of these with a wrong frame check sequence"},
};

struct Frame {
    Burst burst;
    double first_s = 0;  // of the samples given to the demodulator
    oqpsk::Attempt attempt;
};

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

ErrorSum errors(const oqpsk::Demodulated& d, std::complex<double> offset) {
    return errors(d, offset, [](std::size_t, double) {});
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

std::vector<Frame> demodulate_all(const IqRecord& record, const BurstList& list, const Parameters& p,
                                  double shift) {
    std::vector<Frame> frames;
    for (const auto& burst : list.bursts) frames.push_back({burst, 0, {}});
    in_parallel(frames.size(), [&](std::size_t i) {
        const auto piece = burst_samples(record, frames[i].burst, 8e-6, shift);
        frames[i].first_s = piece.first_s;
        frames[i].attempt = oqpsk::demodulate(piece.samples, record.sample_rate_hz, p.required("search"));
    });
    return frames;
}

Outcome measure_oqpsk(Capture any, const Parameters& p) {
    const IqRecord record = take_iq(std::move(any), "radio.oqpsk");
    if (record.sample_rate_hz < 4e6) {
        fail_input("O-QPSK at 2 Mchip/s needs at least 4 million samples a second, the record has " +
                   format({record.sample_rate_hz, Unit::hertz}));
    }
    const double meant = p.number("centre").value_or(record.centre_hz);
    const double shift = meant - record.centre_hz;
    require_inside(record, shift);
    Outcome outcome;
    const BurstList list = bursts_of(record, p);
    const auto frames = demodulate_all(record, list, p, shift);
    const bool removed = p.text("iq_offset") == "removed";
    const Frame* first = nullptr;
    ErrorSum all, kept, without;
    double power = 0, frequency = 0, clock = 0, imbalance = 0, skew = 0, offset = 0;
    std::size_t good = 0, bad_check = 0, other = 0;
    const Unit unit = level_of(record, 1).unit;
    Table table{"frames",
                "Frames",
                {{"start", Unit::second},
                 {"power", unit},
                 {"evm_rms", Unit::percent},
                 {"evm_peak", Unit::percent},
                 {"frequency_offset", Unit::hertz},
                 {"symbol_rate_error", Unit::ppm},
                 {"check"},
                 {"octets"}},
                {}};
    for (const auto& frame : frames) {
        if (!frame.attempt.burst) {
            ++other;
            continue;
        }
        const auto& d = *frame.attempt.burst;
        if (!first) first = &frame;
        const ErrorSum with = errors(d, 0), corrected = errors(d, d.offset);
        const ErrorSum& counted = removed ? corrected : with;
        const auto add = [](ErrorSum& to, const ErrorSum& from) {
            to.squares += from.squares;
            to.pairs += from.pairs;
            to.peak = std::max(to.peak, from.peak);
        };
        add(all, counted);
        add(kept, with);
        add(without, corrected);
        power += frame.burst.power;
        if (std::abs(d.frequency_offset_hz) >= std::abs(frequency)) frequency = d.frequency_offset_hz;
        if (std::abs(d.chip_clock_ppm) >= std::abs(clock)) clock = d.chip_clock_ppm;
        if (std::abs(d.gain_imbalance_db) >= std::abs(imbalance)) imbalance = d.gain_imbalance_db;
        if (std::abs(d.quadrature_error_deg) >= std::abs(skew)) skew = d.quadrature_error_deg;
        offset = std::max(offset, std::abs(d.offset));
        ++good;
        bad_check += !d.check_ok;
        table.rows.push_back({frame.first_s + d.start_s, level_of(record, frame.burst.power).value,
                              100 * counted.rms(), 100 * counted.peak, d.frequency_offset_hz,
                              d.chip_clock_ppm, std::string(d.check_ok ? "good" : "bad"),
                              hexadecimal(d.psdu)});
    }
    outcome.traces.push_back(power_trace(record));
    if (!first) {
        outcome.invalid = why_none(frames);
        return outcome;
    }
    const auto& d = *first->attempt.burst;
    outcome.add("evm_rms", 100 * all.rms(), Unit::percent);
    outcome.add("evm_peak", 100 * all.peak, Unit::percent);
    outcome.add("evm_rms_offset_removed", 100 * without.rms(), Unit::percent);
    outcome.add("evm_rms_offset_kept", 100 * kept.rms(), Unit::percent);
    outcome.add("frequency_offset", frequency, Unit::hertz);
    if (meant > 0) outcome.add("frequency_error", frequency / meant * 1e6, Unit::ppm);
    outcome.add("symbol_rate_error", clock, Unit::ppm);
    outcome.add("iq_offset", 20 * std::log10(std::max(offset, 1e-10)), Unit::db);
    outcome.add("gain_imbalance", imbalance, Unit::db);
    outcome.add("quadrature_error", skew, Unit::degree);
    outcome.results.push_back({"burst_power", level_of(record, power / static_cast<double>(good)), {}});
    outcome.add("frames", static_cast<double>(good), Unit::count);
    outcome.add("frames_bad_check", static_cast<double>(bad_check), Unit::count);
    if (2 * all.pairs < 1000) {
        outcome.notes.push_back("only " + std::to_string(2 * all.pairs) +
                                " chips were measured, the standard asks for 1000");
    }
    note_left_out(other, frames.size(), "frames", outcome);
    add_traces(*first, removed ? d.offset : 0, outcome);
    std::rotate(outcome.traces.begin(), outcome.traces.begin() + 1, outcome.traces.end());
    outcome.tables.push_back(std::move(table));
    outcome.tables.push_back(symbol_table(d));
    note_reference(record, outcome);
    return outcome;
}

}  // namespace

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
        preset_named};
}

}  // namespace rt
