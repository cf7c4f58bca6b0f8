// beacon.burst: bursts of a 406 MHz beacon in complex samples.
#include <fmt/core.h>

#include <algorithm>
#include <cmath>

#include "core/base/error.hpp"
#include "core/base/text.hpp"
#include "core/dsp/density.hpp"
#include "core/dsp/stability.hpp"
#include "core/measure/beacon/demodulate.hpp"
#include "core/measure/beacon/message.hpp"
#include "core/measure/iq_setup.hpp"

namespace rt {
namespace {

using beacon::Demodulated;

constexpr auto burst_parameters = joined(
    std::array{
        ParameterInfo{"identity", ParameterKind::text, Unit::none, "",
                      "the 15 hexadecimal digits that the beacon is registered by; any without it"},
        ParameterInfo{"reference", ParameterKind::quantity, Unit::ppm, "",
                      "how stable the reference of the analyser is over the record; stability is not judged "
                      "without it"},
        iq_centre_parameter,
        ParameterInfo{"sample_rate", ParameterKind::quantity, Unit::hertz, "100 kHz",
                      "complex samples per second that the analyser records; 20 kHz at least"},
        ParameterInfo{"duration", ParameterKind::quantity, Unit::second, "60 s",
                      "how long the analyser records: a beacon sends once in 50 s"},
        iq_reference_parameter,
    },
    part_rows);

constexpr std::array burst_traces{
    Product{"power", Unit::dbm, "power over time around the first burst"},
    Product{"phase", Unit::radian, "phase from the unmodulated carrier, the same"},
    Product{"decisions", Unit::radian, "by what each bit was decided: its first half over its second"},
    Product{"spectrum", Unit::dbm,
            "power of the first burst in its transform's noise bandwidth, over frequency"},
};
constexpr auto burst_products = joined(
    std::array{
        Product{"bursts", Unit::count, "bursts of a beacon that lie wholly in the record"},
        Product{"frequency", Unit::hertz, "of the unmodulated carrier over 100 ms from 12 ms on (S1)"},
        Product{"frequency_second", Unit::hertz, "over 100 ms from bit 23 on (S2)"},
        Product{"frequency_third", Unit::hertz, "over 100 ms from 15 ms behind that (S3)"},
        Product{"burst_power", Unit::dbm, "mean power between the 90 % points"},
        Product{"rise_time", Unit::second, "of the power, 10 % to 90 %"},
        Product{"fall_time", Unit::second, "the same of its end"},
        Product{"carrier_time", Unit::second,
                "unmodulated carrier: from 90 % of the power to half of the first phase step"},
        Product{"total_time", Unit::second, "between the 90 % points of the power"},
        Product{"bit_rate", Unit::bit_per_second, "of the modulation"},
        Product{"phase_positive", Unit::radian, "deviation of the phase, positive"},
        Product{"phase_negative", Unit::radian, "the same, negative, as a magnitude"},
        Product{"phase_rise_time", Unit::second, "mean of all rising changes of phase, 10 % to 90 %"},
        Product{"phase_fall_time", Unit::second, "the same of falling ones"},
        Product{"symmetry", Unit::percent, "|T1 - T2| / (T1 + T2) at zero phase"},
        Product{"messages_refused", Unit::count,
                "bursts whose message the check words refuse, or that end early"},
        Product{"shortest_period", Unit::second, "shortest time from burst to burst"},
        Product{"longest_period", Unit::second, "longest time from burst to burst"},
        Product{"mean_period", Unit::second, "mean of them, over 18 bursts"},
        Product{"period_deviation", Unit::second, "their standard deviation, over 18 bursts"},
        Product{"short_term", Unit::none,
                "short-term stability of the carrier, S2 against S3, over 18 bursts"},
        Product{"mean_slope", Unit::none, "medium-term stability: mean slope a minute, over 18 bursts"},
        Product{"residual", Unit::none, "medium-term stability: deviation from that line, over 18 bursts"},
    },
    beacon::message_products);

// Of several bursts the value farthest from what is meant.
class Farthest {
  public:
    void add(double value, double meant, Known known = Known::exactly) {
        if (there_ && std::abs(value - meant) <= off_) return;
        there_ = true, value_ = value, off_ = std::abs(value - meant), known_ = known;
    }
    void into(const char* name, Unit unit, const std::string& why, Outcome& outcome) const {
        if (there_) {
            outcome.add(name, value_, unit, known_);
        } else {
            outcome.lacking.emplace(name, why);
        }
    }

    void forget() { there_ = false; }

  private:
    bool there_ = false;
    double value_ = 0, off_ = 0;
    Known known_ = Known::exactly;
};

// Of the burst alone, as wide as the record is.
void add_spectrum(const IqRecord& record, const Demodulated& burst, Outcome& outcome) {
    const auto from = static_cast<std::uint64_t>(std::max(0.0, burst.start_s) * record.sample_rate_hz);
    const auto to = std::min<std::uint64_t>(record.size(),
                                            static_cast<std::uint64_t>(burst.stop_s * record.sample_rate_hz));
    // About 100 Hz apart.
    DensitySettings settings;
    settings.size = 64;
    while (record.sample_rate_hz / static_cast<double>(settings.size) > 100) settings.size *= 2;
    if (to < from + settings.size) return;
    const Density seen = power_density(part_of(record, from, to - from), settings);
    Trace spectrum;
    spectrum.name = "spectrum", spectrum.title = "Spectrum of the burst",
    spectrum.y_unit = level_of(record, 1).unit;
    spectrum.x = seen.frequency_hz;
    spectrum.resolution_bandwidth_hz = seen.noise_bandwidth_hz;
    for (const double density : seen.per_hz)
        spectrum.y.push_back(level_of(record, std::max(density * seen.noise_bandwidth_hz, 1e-30)).value);
    outcome.traces.push_back(std::move(spectrum));
}

void add_traces(const IqRecord& record, const Demodulated& burst, Outcome& outcome) {
    Trace power, phase;
    power.name = "power", power.title = "Power", power.y_unit = level_of(record, 1).unit;
    phase.name = "phase", phase.title = "Phase from the unmodulated carrier", phase.y_unit = Unit::radian;
    for (std::size_t n = 0; n < burst.time_s.size(); ++n) {
        const double t = burst.time_s[n];
        power.x.push_back(t + record.from_s);
        power.y.push_back(std::max(level_of(record, burst.level[n]).value, -200.0));
        // Where nothing is sent there is no phase.
        if (t <= burst.start_s || t >= burst.stop_s) continue;
        phase.x.push_back(t + record.from_s);
        phase.y.push_back(burst.phase_rad[n]);
    }
    // The times that are measured, as bars under the power.
    const double top = level_of(record, std::max(burst.power, 1e-30)).value;
    const auto bar = [&](const char* title, double from_s, double to_s, double level) {
        Trace::Companion out{title, {}};
        for (const double x : power.x) {
            const double t = x - record.from_s;
            out.y.push_back(t >= from_s && t <= to_s ? level : std::nan(""));
        }
        power.companions.push_back(std::move(out));
    };
    bar("between the 90 % points", burst.start_s, burst.stop_s, top - 3);
    bar("unmodulated carrier", burst.start_s, burst.modulation_s, top - 6);
    for (Trace* trace : {&power, &phase}) trace->x_unit = Unit::second, trace->x_title = "Time";
    outcome.traces.push_back(std::move(power));
    outcome.traces.push_back(std::move(phase));
    Trace decisions;
    decisions.name = "decisions", decisions.title = "Bit decisions", decisions.y_unit = Unit::radian;
    decisions.x_unit = Unit::none, decisions.x_title = "Bit of the message", decisions.shape = Shape::bars;
    for (std::size_t k = 0; k < burst.decisions.size(); ++k) {
        decisions.x.push_back(static_cast<double>(k + 1));
        decisions.y.push_back(burst.decisions[k]);
    }
    if (!decisions.x.empty()) outcome.traces.push_back(std::move(decisions));
    add_spectrum(record, burst, outcome);
}

constexpr double clear_db = 10;
const char* const in_noise =
    "a burst stands less than 10 dB above the noise of 20 kHz: its edges and a refused message cannot be "
    "told from noise";

Known at_most(bool hidden) {
    return hidden ? Known::at_most : Known::exactly;
}

// What C/S T.001 means: the farther from it, the worse.
void add_radio(const IqRecord& record, const std::vector<Demodulated>& bursts,
               std::optional<double> stated_hz, Outcome& outcome) {
    const double meant_hz = stated_hz.value_or(record.centre_hz);
    bool noisy = false;
    Farthest s1, s2, s3, power, rise, fall, carrier, total, rate, positive, negative, up, down, symmetry;
    for (const auto& b : bursts) {
        const double from_middle = meant_hz - record.centre_hz;
        s1.add(b.s1_hz, from_middle);
        if (b.s2_hz) s2.add(*b.s2_hz, from_middle);
        if (b.s3_hz) s3.add(*b.s3_hz, from_middle);
        power.add(level_of(record, b.power).value, 37);
        rate.add(b.bit_rate, 400);
        positive.add(b.positive_rad, 1.1);
        negative.add(-b.negative_rad, 1.1);
        // In noise edges cannot be told to what their limits ask for.
        noisy = noisy || b.snr_db < clear_db;
        if (b.rise_s) rise.add(*b.rise_s, 0, at_most(b.rise_hidden));
        if (b.fall_s) fall.add(*b.fall_s, 0, at_most(b.fall_hidden));
        carrier.add(b.modulation_s - b.start_s, 160e-3);
        total.add(b.stop_s - b.start_s, b.bits.size() > 112 ? 520e-3 : 440e-3);
        up.add(b.phase_rise_s, 150e-6, at_most(b.phase_rise_hidden));
        down.add(b.phase_fall_s, 150e-6, at_most(b.phase_fall_hidden));
        symmetry.add(100 * b.symmetry, 0);
    }
    if (noisy) {
        for (const char* name : {"rise_time", "fall_time", "carrier_time", "total_time", "phase_rise_time",
                                 "phase_fall_time", "symmetry"})
            outcome.lacking[name] = in_noise;
        outcome.notes.push_back(in_noise);
        rise.forget(), fall.forget(), carrier.forget(), total.forget(), up.forget(), down.forget();
        symmetry.forget();
    }
    const std::string short_of_bits = "the modulation is too short for 100 ms from there on";
    const std::string hidden = "noise hides the edge";
    const auto absolute = [&](const char* name, const Farthest& offset) {
        offset.into(name, Unit::hertz, short_of_bits, outcome);
        if (!outcome.lacking.contains(name)) outcome.results.back().value.value += record.centre_hz;
    };
    // Without the frequency that is meant nobody knows which of several is the worst.
    constexpr double alike_hz = 50;
    const auto [lowest, highest] = std::minmax_element(
        bursts.begin(), bursts.end(), [](const auto& a, const auto& b) { return a.s1_hz < b.s1_hz; });
    if (!stated_hz && highest->s1_hz - lowest->s1_hz > alike_hz) {
        const std::string why =
            "the bursts differ by " + format({highest->s1_hz - lowest->s1_hz, Unit::hertz}, 4) +
            ": state the frequency that is meant (centre), for the farthest from it to be told";
        for (const char* name : {"frequency", "frequency_second", "frequency_third"})
            outcome.lacking[name] = why;
        outcome.notes.push_back(why);
    } else {
        absolute("frequency", s1);
        absolute("frequency_second", s2);
        absolute("frequency_third", s3);
    }
    power.into("burst_power", level_of(record, 1).unit, "", outcome);
    rise.into("rise_time", Unit::second, hidden, outcome);
    fall.into("fall_time", Unit::second, hidden, outcome);
    carrier.into("carrier_time", Unit::second, "", outcome);
    total.into("total_time", Unit::second, "", outcome);
    rate.into("bit_rate", Unit::bit_per_second, "", outcome);
    positive.into("phase_positive", Unit::radian, "", outcome);
    negative.into("phase_negative", Unit::radian, "", outcome);
    up.into("phase_rise_time", Unit::second, "", outcome);
    down.into("phase_fall_time", Unit::second, "", outcome);
    symmetry.into("symmetry", Unit::percent, "", outcome);
}

// C/S T.007: short-term from S2 and S3 of each burst, the slope and what is left of a line through S1 over
// the bursts. Relative to the mean frequency; the sums are those of the standard with times in place of
// numbers, so that a burst more or less far away counts where it is.
void add_stability(const IqRecord& record, const std::vector<Demodulated>& bursts, Outcome& outcome) {
    constexpr std::size_t needed = 18;
    constexpr std::array names{"mean_period", "period_deviation", "short_term", "mean_slope", "residual"};
    const auto lack = [&](const std::string& why) {
        for (const char* name : names) outcome.lacking[name] = why;
    };
    if (bursts.size() < needed)
        return lack(
            fmt::format("stability and spread need {} bursts, the record holds {}", needed, bursts.size()));
    std::vector<double> time, first, second, third;
    for (const auto& b : bursts) {
        if (!b.s2_hz || !b.s3_hz) return lack("a burst is too short for S3");
        time.push_back(b.start_s);
        first.push_back(record.centre_hz + b.s1_hz);
        second.push_back(record.centre_hz + *b.s2_hz), third.push_back(record.centre_hz + *b.s3_hz);
    }
    const MediumTerm medium = medium_term(time, first);
    outcome.add("short_term", short_term(second, third), Unit::none);
    outcome.add("mean_slope", medium.mean_slope, Unit::none);
    outcome.add("residual", medium.residual, Unit::none);
    outcome.add("mean_period", medium.mean_period_s, Unit::second);
    outcome.add("period_deviation", medium.period_deviation_s, Unit::second);
}

// The bits of a burst as a message, or why they are none.
beacon::Frame frame_of(const Demodulated& burst) {
    constexpr std::size_t short_bits = 112, long_bits = 144, format_bit = 24;
    const bool is_long = burst.bits.size() > format_bit && burst.bits[format_bit] == 1;
    const std::size_t wanted = is_long ? long_bits : short_bits;
    if (burst.bits.size() >= wanted) return beacon::read_frame(std::span(burst.bits).first(wanted));
    beacon::Frame out;
    out.refused = fmt::format("it ends after {} of {} bits", burst.bits.size(), wanted);
    return out;
}

// Messages of all bursts; what is told is that of the first, but for what is worst of all.
void add_messages(const std::vector<Demodulated>& bursts, const std::string& wanted, Outcome& outcome) {
    std::vector<beacon::Frame> frames;
    std::size_t refused = 0;
    for (const auto& burst : bursts) frames.push_back(frame_of(burst));
    bool by_noise = false;
    for (std::size_t i = 0; i < frames.size(); ++i) {
        if (frames[i].refused.empty()) continue;
        ++refused;
        by_noise = by_noise || bursts[i].snr_db < clear_db;
        outcome.notes.push_back("message refused: " + frames[i].refused);
    }
    if (by_noise) {
        outcome.lacking["messages_refused"] = in_noise;
        for (const auto& product : beacon::message_products) outcome.lacking[product.name] = in_noise;
        return;
    }
    outcome.add("messages_refused", static_cast<double>(refused), Unit::count);
    if (refused > 0) {
        for (const auto& product : beacon::message_products)
            outcome.lacking[product.name] = outcome.notes.back();
        return;
    }
    beacon::add_message(frames.front(), outcome);
    const auto most = [&](const char* name, double value) {
        for (auto& result : outcome.results)
            if (result.name == name) result.value.value = std::max(result.value.value, value);
    };
    for (const auto& frame : frames) {
        most("errors_first", static_cast<double>(*frame.first_errors));
        if (frame.second_errors) most("errors_second", static_cast<double>(*frame.second_errors));
        most("rules_broken", static_cast<double>(frame.broken.size()));
        most("self_test", frame.self_test ? 1 : 0);
        if (frame.identity != frames.front().identity)
            outcome.invalid = "more than one beacon: " + frames.front().identity + " and " + frame.identity;
    }
    if (!wanted.empty() && lower(wanted) != lower(frames.front().identity))
        outcome.invalid = "another beacon: its identity is " + frames.front().identity + ", not " + wanted;
}

Outcome measure_burst(Capture any, const Parameters& p) {
    const IqRecord record = take_iq(std::move(any), "beacon.burst", p);
    constexpr double lowest_rate = 20e3;
    if (record.sample_rate_hz < lowest_rate * (1 - 1e-9))
        fail_signal("the record has " + format({record.sample_rate_hz, Unit::hertz}) +
                    " of samples: a burst of a beacon needs 20 kHz");
    Outcome outcome;
    std::vector<Demodulated> whole;
    std::vector<double> starts;
    std::string why =
        "no burst of a beacon: no carrier stands 18 dB above the noise of 100 Hz for 250 ms to 1 s";
    Table table{"bursts",
                "Bursts",
                {{"start", Unit::second},
                 {"frequency", Unit::hertz},
                 {"power", level_of(record, 1).unit},
                 {"carrier", Unit::second},
                 {"total", Unit::second},
                 {"bits"},
                 {"remark"}},
                {}};
    for (const auto& candidate : beacon::find_candidates(record)) {
        auto burst = beacon::demodulate(record, candidate);
        const std::string cut = burst.cut_start  ? "cut off at its beginning"
                                : burst.cut_stop ? "cut off at its end"
                                                 : "";
        const std::string remark = !cut.empty() ? cut : burst.reason;
        table.rows.push_back({burst.start_s + record.from_s,
                              record.centre_hz + (burst.reason.empty() ? burst.s1_hz : candidate.offset_hz),
                              level_of(record, std::max(burst.power, 1e-30)).value,
                              burst.modulation_s - burst.start_s, burst.stop_s - burst.start_s,
                              std::to_string(burst.bits.size()), remark});
        if (!remark.empty()) {
            why = "no whole burst of a beacon: at " +
                  format({burst.start_s + record.from_s, Unit::second}, 5) + " " + remark;
            continue;
        }
        starts.push_back(burst.start_s);
        whole.push_back(std::move(burst));
    }
    if (!table.rows.empty()) outcome.tables.push_back(std::move(table));
    if (whole.empty()) {
        outcome.invalid = why;
        return outcome;
    }
    outcome.add("bursts", static_cast<double>(whole.size()), Unit::count);
    add_traces(record, whole.front(), outcome);
    add_radio(record, whole, p.number("centre"), outcome);
    double shortest = 1e300, longest = 0;
    for (std::size_t i = 1; i < starts.size(); ++i) {
        shortest = std::min(shortest, starts[i] - starts[i - 1]);
        longest = std::max(longest, starts[i] - starts[i - 1]);
    }
    if (starts.size() > 1) {
        outcome.add("shortest_period", shortest, Unit::second);
        outcome.add("longest_period", longest, Unit::second);
    } else {
        for (const char* name : {"shortest_period", "longest_period"})
            outcome.lacking[name] = "one burst in the record has no repetition period: record two or more";
    }
    add_stability(record, whole, outcome);
    add_messages(whole, p.text("identity"), outcome);
    note_reference(record, outcome);
    return outcome;
}

}  // namespace

// Frequency, power, times, modulation and message of bursts of a first-generation 406 MHz beacon (C/S T.001,
// measured as C/S T.007 says). Tables `bursts`, `message`; traces `power`, `phase` of the first burst.
Procedure beacon_burst() {
    return {"beacon.burst",
            "Bursts of a 406 MHz beacon",
            "Finds bursts by their carrier, which stands for 160 ms before 400 bit/s of biphase-L with 1.1 "
            "rad come. "
            "Times count from 90 % of the power and half of the first phase step; frequencies over 100 ms as "
            "S1, S2, S3 "
            "of C/S T.007. Of several bursts the value farthest from what C/S T.001 means. Bursts that an "
            "end of the "
            "record cuts off do not count.",
            burst_parameters,
            burst_traces,
            burst_products,
            iq_setup,
            measure_burst,
            preset_named};
}

}  // namespace rt
