// radio.ofdm: modulation of IEEE 802.11a/g transmitters, 20 MHz.
#include "core/measure/procedure.hpp"

#include <fmt/core.h>

#include <algorithm>
#include <array>
#include <cmath>
#include <set>

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
    std::set<std::pair<double, double>> ideal;
    for (const auto& value : d.constellation) {
        const auto point = ofdm::nearest(value, d.signal.rate.bits_per_carrier);
        ideal.emplace(point.real(), point.imag());
    }
    for (const auto& [x, y] : ideal) dots.ideal.x.push_back(x), dots.ideal.y.push_back(y);
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

// What the frames of a record come to together.
class OfdmFrames {
  public:
    OfdmFrames(const IqRecord& record, bool training) : record_(record), training_(training) {
        table_.name = "frames", table_.title = "Frames";
        table_.columns = {{"start", Unit::second},
                          {"modulation"},
                          {"octets", Unit::count},
                          {"symbols", Unit::count},
                          {"power", level_of(record, 1).unit},
                          {"evm", Unit::db},
                          {"limit", Unit::db},
                          {"frequency_offset", Unit::hertz},
                          {"check"},
                          {"octets_hex"}};
    }

    void add(const SeenFrame& frame) {
        if (!frame.attempt.frame) return;
        const auto& d = *frame.attempt.frame;
        if (!first_) first_ = &d;
        flatness_.push_back(flatness_of(d, flat_));
        // The standard takes the mean over frames of each frame's own rms.
        by_training_ += d.error_training;
        by_whole_ += d.error_whole;
        const double own = decibel(training_ ? d.error_training : d.error_whole),
                     limit = allowed_db(d.signal.rate.mbit);
        margin_ = std::min(margin_, limit - own);
        frequency_ = farther(frequency_, d.frequency_offset_hz);
        clock_ = farther(clock_, d.clock_ppm);
        leakage_ = std::max(leakage_, d.leakage);
        power_ += frame.burst.power;
        shortest_ = std::min(shortest_, d.signal.symbols);
        wrong_checks_ += !d.payload.check_right;
        ++good_;
        table_.rows.push_back({record_.from_s + frame.first_s + d.start_s, std::string(d.signal.rate.name),
                               static_cast<double>(d.signal.octets), static_cast<double>(d.signal.symbols),
                               level_of(record_, frame.burst.power).value, own, limit, d.frequency_offset_hz,
                               std::string(d.payload.check_right ? "good" : "bad"),
                               hexadecimal(d.payload.octets)});
    }

    const ofdm::Demodulated* first() const { return first_; }

    // `meant_hz` is the frequency that the carrier should have.
    void report(double meant_hz, std::size_t all_frames, Outcome& outcome) const {
        const auto n = static_cast<double>(good_);
        const double evm = (training_ ? by_training_ : by_whole_) / n;
        outcome.add("evm_rms", 100 * evm, Unit::percent);
        outcome.add("evm_db", decibel(evm), Unit::db);
        outcome.add("evm_db_training", decibel(by_training_ / n), Unit::db);
        outcome.add("evm_db_whole_frame", decibel(by_whole_ / n), Unit::db);
        outcome.add("evm_margin_db", margin_, Unit::db);
        outcome.add("frequency_offset", frequency_, Unit::hertz);
        if (meant_hz > 0) outcome.add("frequency_error", frequency_ / meant_hz * 1e6, Unit::ppm);
        outcome.add("symbol_rate_error", clock_, Unit::ppm);
        outcome.add("centre_leakage", 10 * std::log10(std::max(leakage_, 1e-20)), Unit::db);
        outcome.add("flatness_inner_high", flat_.inner_high, Unit::db);
        outcome.add("flatness_inner_low", flat_.inner_low, Unit::db);
        outcome.add("flatness_outer_high", flat_.outer_high, Unit::db);
        outcome.add("flatness_outer_low", flat_.outer_low, Unit::db);
        outcome.results.push_back({"burst_power", level_of(record_, power_ / n), {}});
        outcome.add("rate", first_->signal.rate.mbit * 1e6, Unit::bit_per_second);
        outcome.add("frames", n, Unit::count);
        outcome.add("frames_bad_check", static_cast<double>(wrong_checks_), Unit::count);
        if (good_ < 20 || shortest_ < 16) {
            outcome.notes.push_back(
                fmt::format("the standard asks for 20 frames of at least 16 symbols: {} were measured, the "
                            "shortest with {}",
                            good_, shortest_));
        }
        note_left_out(all_frames - good_, all_frames, "frames", outcome);
    }

    Trace take_flatness() { return std::move(flatness_.front()); }
    Table take_table() { return std::move(table_); }

  private:
    const IqRecord& record_;
    bool training_;
    const ofdm::Demodulated* first_ = nullptr;
    double by_training_ = 0, by_whole_ = 0, frequency_ = 0, clock_ = 0, leakage_ = 0, power_ = 0;
    double margin_ = 1e300;
    std::size_t good_ = 0, wrong_checks_ = 0, shortest_ = 1000000;
    Flatness flat_;
    std::vector<Trace> flatness_;
    Table table_;
};

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
    OfdmFrames sums(record, p.text("channel_estimate") == "training");
    for (const auto& frame : frames) sums.add(frame);
    Outcome outcome;
    if (!sums.first()) {
        outcome.traces.push_back(power_trace(record));
        outcome.invalid = why_none(frames);
        return outcome;
    }
    sums.report(meant, frames.size(), outcome);
    add_traces(*sums.first(), outcome);
    outcome.traces.push_back(sums.take_flatness());
    outcome.traces.push_back(power_trace(record));
    outcome.tables.push_back(sums.take_table());
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
