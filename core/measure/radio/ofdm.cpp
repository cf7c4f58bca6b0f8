// radio.ofdm: modulation of IEEE 802.11a/g transmitters, 20 MHz.
#include "core/measure/procedure.hpp"

#include <algorithm>
#include <array>
#include <cmath>

#include "core/base/error.hpp"
#include "core/base/hex.hpp"
#include "core/dsp/channel.hpp"
#include "core/dsp/parallel.hpp"
#include "core/measure/burst_samples.hpp"
#include "core/measure/radio/ofdm/demodulate.hpp"

namespace rt {
namespace {

constexpr auto ofdm_parameters = joined(
    std::array{
        iq_centre_parameter,
        ParameterInfo{
            "channel_estimate", ParameterKind::choice, Unit::none, "training",
            "what evm_rms is measured with: the channel from the long training sequence, as the standard "
            "says, or the one that fits the whole frame, which takes its noise out",
            "training whole-frame"},
    },
    trigger_rows,
    std::array{
        iq_rate_parameter,
    },
    iq_part_rows);

constexpr std::array ofdm_traces{
    Product{"constellation", Unit::none, "I and Q of the data carriers of the first frame"},
    Product{"error_of_symbol", Unit::percent,
            "relative constellation error of each symbol of the first frame"},
    Product{"flatness", Unit::db, "power of each carrier relative to the mean of the inner ones"},
    Product{"power", Unit::dbm, "highest power of each piece of time"},
};
constexpr std::array ofdm_products{
    Product{"evm_rms", Unit::percent, "relative constellation error, rms over frames, carriers and symbols"},
    Product{"evm_db", Unit::db, "the same in dB"},
    Product{"evm_db_training", Unit::db, "with the channel from the training sequence"},
    Product{"evm_db_whole_frame", Unit::db, "with the channel that fits the whole frame"},
    Product{"evm_margin_db", Unit::db,
            "distance of evm_db to the limit for the frame's own rate, smallest of all"},
    Product{"frequency_offset", Unit::hertz, "carrier minus the frequency meant, farthest from 0"},
    Product{"frequency_error", Unit::ppm, "the same relative to the frequency meant"},
    Product{"symbol_rate_error", Unit::ppm, "symbol clock error, farthest from 0"},
    Product{"centre_leakage", Unit::db, "power at the centre over all power, highest"},
    Product{"flatness_inner_high", Unit::db, "highest of carriers 1 to 16 against their mean"},
    Product{"flatness_inner_low", Unit::db, "lowest of them"},
    Product{"flatness_outer_high", Unit::db, "highest of carriers 17 to 26 against the same mean"},
    Product{"flatness_outer_low", Unit::db, "lowest of them"},
    Product{"burst_power", Unit::dbm, "mean power of the frames"},
    Product{"rate", Unit::bit_per_second, "rate of the first frame"},
    Product{"frames", Unit::count, "frames measured"},
    Product{"frames_bad_check", Unit::count, "of these with a wrong frame check sequence"},
};

// Allowed relative constellation error of a rate (IEEE 802.11-2016 table 17-20).
double allowed_db(int mbit) {
    constexpr std::pair<int, double> table[] = {{6, -5},   {9, -8},   {12, -10}, {18, -13},
                                                {24, -16}, {36, -19}, {48, -22}, {54, -25}};
    for (const auto& [rate, limit] : table) {
        if (rate == mbit) return limit;
    }
    return 0;
}

struct SeenFrame {
    Burst burst;
    double first_s = 0;
    ofdm::Attempt attempt;
};

struct Flatness {
    double inner_high = -1e300, inner_low = 1e300, outer_high = -1e300, outer_low = 1e300;
};

Trace flatness_of(const ofdm::Demodulated& d, Flatness& sum) {
    Trace trace;
    trace.name = "flatness";
    trace.title = "Power of carriers";
    trace.x_unit = Unit::none;
    trace.x_title = "Carrier";
    trace.y_unit = Unit::db;
    double mean = 0;
    for (int k = -16; k <= 16; ++k) mean += d.channel_power[static_cast<std::size_t>(k + ofdm::outermost)];
    mean /= 32;
    for (int k = -ofdm::outermost; k <= ofdm::outermost; ++k) {
        if (k == 0) continue;
        const double db =
            10 * std::log10(std::max(d.channel_power[static_cast<std::size_t>(k + ofdm::outermost)], 1e-30) /
                            mean);
        trace.x.push_back(k);
        trace.y.push_back(db);
        double& high = std::abs(k) <= 16 ? sum.inner_high : sum.outer_high;
        double& low = std::abs(k) <= 16 ? sum.inner_low : sum.outer_low;
        high = std::max(high, db);
        low = std::min(low, db);
    }
    return trace;
}

void add_traces(const ofdm::Demodulated& d, Outcome& outcome) {
    Trace dots;
    dots.name = "constellation";
    dots.title = "Q";
    dots.x_title = "I";
    dots.x_unit = dots.y_unit = Unit::none;
    dots.shape = Shape::dots;
    for (const auto& value : d.constellation) {
        dots.x.push_back(value.real());
        dots.y.push_back(value.imag());
    }
    Trace error;
    error.name = "error_of_symbol";
    error.title = "Relative constellation error";
    error.x_title = "Data symbol";
    error.x_unit = Unit::none;
    error.y_unit = Unit::percent;
    for (std::size_t i = 0; i < d.error_of_symbol.size(); ++i) {
        error.x.push_back(static_cast<double>(i + 1));
        error.y.push_back(100 * d.error_of_symbol[i]);
    }
    outcome.traces.push_back(std::move(dots));
    outcome.traces.push_back(std::move(error));
}

double decibel(double amplitude) {
    return 20 * std::log10(std::max(amplitude, 1e-10));
}

Outcome measure_ofdm(Capture any, const Parameters& p) {
    const IqRecord record = take_iq(std::move(any), "radio.ofdm", p);
    if (record.sample_rate_hz < 0.999 * ofdm::rate_hz) {
        fail_input("20 MHz OFDM needs at least 20 million samples a second, the record has " +
                   format({record.sample_rate_hz, Unit::hertz}));
    }
    const double meant = p.number("centre").value_or(record.centre_hz), shift = meant - record.centre_hz;
    require_inside(record, shift);
    const BurstList list = bursts_of(channel_of(record, shift, {10e6, 3.4e6}), p);
    std::vector<SeenFrame> frames;
    for (const auto& burst : list.bursts) frames.push_back({burst, 0, {}});
    in_parallel(frames.size(), [&](std::size_t i) {
        const auto piece = burst_samples(record, frames[i].burst, 4e-6, shift);
        frames[i].first_s = piece.first_s;
        frames[i].attempt = ofdm::demodulate(piece.samples, record.sample_rate_hz);
    });
    Outcome outcome;
    const bool training = p.text("channel_estimate") == "training";
    const SeenFrame* first = nullptr;
    double by_training = 0, by_whole = 0, frequency = 0, clock = 0, leakage = 0, power = 0, margin = 1e300;
    std::size_t good = 0, wrong_checks = 0, shortest = 1000000;
    Flatness flat;
    const Unit unit = level_of(record, 1).unit;
    Table table{"frames",
                "Frames",
                {{"start", Unit::second},
                 {"modulation"},
                 {"octets", Unit::count},
                 {"symbols", Unit::count},
                 {"power", unit},
                 {"evm", Unit::db},
                 {"limit", Unit::db},
                 {"frequency_offset", Unit::hertz},
                 {"check"},
                 {"octets_hex"}},
                {}};
    std::vector<Trace> flatness;
    for (const auto& frame : frames) {
        if (!frame.attempt.frame) continue;
        const auto& d = *frame.attempt.frame;
        if (!first) first = &frame;
        flatness.push_back(flatness_of(d, flat));
        // The standard takes the mean over frames of each frame's own rms.
        by_training += d.error_training;
        by_whole += d.error_whole;
        const double own = decibel(training ? d.error_training : d.error_whole),
                     limit = allowed_db(d.signal.rate.mbit);
        margin = std::min(margin, limit - own);
        frequency = farther(frequency, d.frequency_offset_hz);
        clock = farther(clock, d.clock_ppm);
        leakage = std::max(leakage, d.leakage);
        power += frame.burst.power;
        shortest = std::min(shortest, d.signal.symbols);
        ++good;
        table.rows.push_back({record.from_s + frame.first_s + d.start_s, std::string(d.signal.rate.name),
                              static_cast<double>(d.signal.octets), static_cast<double>(d.signal.symbols),
                              level_of(record, frame.burst.power).value, own, limit, d.frequency_offset_hz,
                              std::string(d.payload.check_right ? "good" : "bad"),
                              hexadecimal(d.payload.octets)});
        wrong_checks += !d.payload.check_right;
    }
    if (!first) {
        outcome.traces.push_back(power_trace(record));
        outcome.invalid = why_none(frames);
        return outcome;
    }
    const auto n = static_cast<double>(good);
    const double evm = (training ? by_training : by_whole) / n;
    outcome.add("evm_rms", 100 * evm, Unit::percent);
    outcome.add("evm_db", decibel(evm), Unit::db);
    outcome.add("evm_db_training", decibel(by_training / n), Unit::db);
    outcome.add("evm_db_whole_frame", decibel(by_whole / n), Unit::db);
    outcome.add("evm_margin_db", margin, Unit::db);
    outcome.add("frequency_offset", frequency, Unit::hertz);
    if (meant > 0) outcome.add("frequency_error", frequency / meant * 1e6, Unit::ppm);
    outcome.add("symbol_rate_error", clock, Unit::ppm);
    outcome.add("centre_leakage", 10 * std::log10(std::max(leakage, 1e-20)), Unit::db);
    outcome.add("flatness_inner_high", flat.inner_high, Unit::db);
    outcome.add("flatness_inner_low", flat.inner_low, Unit::db);
    outcome.add("flatness_outer_high", flat.outer_high, Unit::db);
    outcome.add("flatness_outer_low", flat.outer_low, Unit::db);
    outcome.results.push_back({"burst_power", level_of(record, power / n), {}});
    outcome.add("rate", first->attempt.frame->signal.rate.mbit * 1e6, Unit::bit_per_second);
    outcome.add("frames", n, Unit::count);
    outcome.add("frames_bad_check", static_cast<double>(wrong_checks), Unit::count);
    if (good < 20 || shortest < 16) {
        outcome.notes.push_back(
            "the standard asks for 20 frames of at least 16 symbols: " + std::to_string(good) +
            " were measured, the shortest with " + std::to_string(shortest));
    }
    note_left_out(frames.size() - good, frames.size(), "frames", outcome);
    add_traces(*first->attempt.frame, outcome);
    outcome.traces.push_back(std::move(flatness.front()));
    outcome.traces.push_back(power_trace(record));
    outcome.tables.push_back(std::move(table));
    note_reference(record, outcome);
    return outcome;
}

}  // namespace

// Relative constellation error, carrier and clock errors, centre leakage and spectral flatness (IEEE
// 802.11-2016 clause 17.3.9). Tables `frames`; traces `constellation`, `error_of_symbol`, `flatness`,
// `power`.
Procedure ofdm_modulation() {
    return {"radio.ofdm",
            "Modulation of an IEEE 802.11a/g transmitter, 20 MHz",
            "Synchronises to every frame, decodes its SIGNAL field, and measures the relative constellation "
            "error with "
            "pilot tracking, carrier and clock errors, centre leakage and flatness (IEEE 802.11-2016 clause "
            "17.3.9). "
            "Data are decoded and held against their frame check. Refuses when no burst begins with the "
            "training sequences.",
            ofdm_parameters,
            ofdm_traces,
            ofdm_products,
            iq_setup,
            measure_ofdm,
            preset_named,
            nullptr,
            true};
}

}  // namespace rt
