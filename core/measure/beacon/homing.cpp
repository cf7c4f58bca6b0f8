// beacon.homing: the swept tone that aircraft and ships home on, 121.5 and 243 MHz.
#include <fmt/core.h>

#include <algorithm>
#include <cmath>

#include "core/base/error.hpp"
#include "core/dsp/coherent_am.hpp"
#include "core/measure/iq_setup.hpp"
#include "core/stats/median.hpp"

namespace rt {
namespace {

constexpr auto homing_parameters = joined(
    std::array{
        iq_centre_parameter,
        ParameterInfo{"sample_rate", ParameterKind::quantity, Unit::hertz, "100 kHz",
                      "complex samples per second that the analyser records; 20 kHz at least"},
        ParameterInfo{"duration", ParameterKind::quantity, Unit::second, "3 s",
                      "how long the analyser records"},
        iq_reference_parameter,
    },
    part_rows);

constexpr std::array homing_traces{
    Product{"envelope", Unit::none, "envelope over its mean, 50 ms of it"},
    Product{"sweep", Unit::hertz, "frequency of the tone over time"},
};
constexpr std::array homing_products{
    Product{"carrier_frequency", Unit::hertz, "of the carrier"},
    Product{"peak_power", Unit::dbm, "power at the crest of the envelope"},
    Product{"mean_power", Unit::dbm, "mean power while the tone is on"},
    Product{"modulation_factor", Unit::percent,
            "(A - B) / (A + B) of the greatest and the least envelope in each period, their mean"},
    Product{"duty_cycle", Unit::percent, "time above (A + B) / 2 in each period, mean"},
    Product{"sweep_low", Unit::hertz, "lowest frequency of the tone in any sweep"},
    Product{"sweep_high", Unit::hertz, "highest frequency"},
    Product{"sweep_range", Unit::hertz,
            "from lowest to highest within a sweep, the smallest of all whole sweeps"},
    Product{"sweep_rate", Unit::hertz, "sweeps a second"},
    Product{"sweeps_down", Unit::count, "whole sweeps that fall"},
    Product{"sweeps_up", Unit::count, "whole sweeps that rise"},
    Product{"longest_silence", Unit::second, "longest time without the tone"},
};

// A period of the tone: from one rise through the middle to the next.
struct Period {
    double start_s, stop_s, high, low, on_s;
    double hz() const { return 1 / (stop_s - start_s); }
};

// Periods by a middle with a tenth of hysteresis; those above 3 kHz or below 100 Hz are none.
std::vector<Period> periods_of(const std::vector<double>& envelope, double rate) {
    const double high = percentile(envelope, 0.9), low = percentile(envelope, 0.1);
    const double middle = (high + low) / 2, reach = (high - low) / 10;
    std::vector<Period> out;
    bool above = envelope.front() > middle;
    double rise = -1, fall = -1, top = 0, bottom = 0;
    const auto crossing = [&](std::size_t n) {
        return (static_cast<double>(n) - (envelope[n] - middle) / (envelope[n] - envelope[n - 1])) / rate;
    };
    double last_up = -1, last_down = -1;
    for (std::size_t n = 1; n < envelope.size(); ++n) {
        const double value = envelope[n];
        if (envelope[n - 1] < middle && value >= middle) last_up = crossing(n);
        if (envelope[n - 1] >= middle && value < middle) last_down = crossing(n);
        top = std::max(top, value), bottom = std::min(bottom, value);
        if (above && value < middle - reach) {
            above = false;
            fall = last_down;
        } else if (!above && value > middle + reach) {
            above = true;
            if (rise >= 0 && fall > rise) {
                const Period period{rise, last_up, top, bottom, fall - rise};
                if (period.hz() > 100 && period.hz() < 3000) out.push_back(period);
            }
            rise = last_up, fall = -1;
            top = value, bottom = value;
        }
    }
    return out;
}

// The frequency jumps back by more than 40 % of what it goes through; the period in between belongs to
// neither.
struct Jump {
    std::size_t last, first;  // of the sweep before, of the one behind
};
struct Sweeps {
    std::vector<Jump> jumps;
    bool down = true;
};
Sweeps sweeps_of(const std::vector<Period>& periods) {
    std::vector<double> hz, change;
    for (const auto& period : periods) hz.push_back(period.hz());
    for (std::size_t i = 1; i < hz.size(); ++i) change.push_back(hz[i] - hz[i - 1]);
    Sweeps out;
    const double span = percentile(hz, 0.98) - percentile(hz, 0.02);
    constexpr double least_hz = 50;
    if (span < least_hz) return out;
    out.down = median(change) < 0;
    for (std::size_t i = 0; i < change.size(); ++i) {
        // Two periods on, where one lies in between.
        const double two = i + 2 < hz.size() ? hz[i + 2] - hz[i] : change[i];
        const double far = std::abs(two) > std::abs(change[i]) ? two : change[i];
        const bool back = out.down ? far > 0.4 * span : far < -0.4 * span;
        if (!back) continue;
        const std::size_t first = std::abs(two) > std::abs(change[i]) ? i + 2 : i + 1;
        out.jumps.push_back({i, first});
        i = first;
    }
    return out;
}

void add_sweeps(const std::vector<Period>& periods, Outcome& outcome) {
    const Sweeps sweeps = sweeps_of(periods);
    double low = 1e300, high = 0, range = 1e300, seconds = 0;
    std::size_t whole = 0;
    for (std::size_t i = 0; i + 1 < sweeps.jumps.size(); ++i) {
        const std::size_t first = sweeps.jumps[i].first, last = sweeps.jumps[i + 1].last;
        const double lasts = periods[sweeps.jumps[i + 1].first].start_s - periods[first].start_s;
        // A burst on 406 MHz may have silenced it meanwhile.
        if (lasts > 1 || last < first) continue;
        double least = 1e300, most = 0;
        for (std::size_t k = first; k <= last; ++k) {
            least = std::min(least, periods[k].hz());
            most = std::max(most, periods[k].hz());
        }
        low = std::min(low, least), high = std::max(high, most), range = std::min(range, most - least);
        seconds += lasts;
        ++whole;
    }
    if (whole == 0) {
        for (const char* name :
             {"sweep_low", "sweep_high", "sweep_range", "sweep_rate", "sweeps_down", "sweeps_up"})
            outcome.lacking[name] =
                "no whole sweep is in the record: the tone does not fall or rise and jump back twice";
        return;
    }
    outcome.add("sweep_low", low, Unit::hertz);
    outcome.add("sweep_high", high, Unit::hertz);
    outcome.add("sweep_range", range, Unit::hertz);
    outcome.add("sweep_rate", static_cast<double>(whole) / seconds, Unit::hertz);
    outcome.add("sweeps_down", sweeps.down ? static_cast<double>(whole) : 0, Unit::count);
    outcome.add("sweeps_up", sweeps.down ? 0 : static_cast<double>(whole), Unit::count);
}

void add_traces(const CoherentAm& audio, const std::vector<Period>& periods, Outcome& outcome) {
    Trace envelope, sweep;
    envelope.name = "envelope", envelope.title = "Envelope over its mean", envelope.y_unit = Unit::none;
    const double from = periods.front().start_s;
    for (std::size_t n = static_cast<std::size_t>(from * audio.rate);
         n < audio.depth.size() && static_cast<double>(n) / audio.rate < from + 50e-3; ++n) {
        envelope.x.push_back(static_cast<double>(n) / audio.rate);
        envelope.y.push_back(audio.depth[n]);
    }
    sweep.name = "sweep", sweep.title = "Frequency of the tone", sweep.y_unit = Unit::hertz;
    for (const auto& period : periods) sweep.x.push_back(period.start_s), sweep.y.push_back(period.hz());
    for (Trace* trace : {&envelope, &sweep}) trace->x_unit = Unit::second, trace->x_title = "Time";
    outcome.traces.push_back(std::move(envelope));
    outcome.traces.push_back(std::move(sweep));
}

Outcome measure_homing(Capture any, const Parameters& p) {
    const IqRecord record = take_iq(std::move(any), "beacon.homing", p);
    constexpr double lowest_rate = 20e3, about_hz = 48e3;
    if (record.sample_rate_hz < lowest_rate * (1 - 1e-9))
        fail_signal("the record has " + format({record.sample_rate_hz, Unit::hertz}) +
                    " of samples: a swept tone of 1.6 kHz needs 20 kHz");
    Outcome outcome;
    const auto audio = coherent_am(record, about_hz, 0.2);
    if (!audio.reason.empty()) {
        outcome.invalid = audio.reason;
        return outcome;
    }
    // The envelope must move by more than noise does.
    const double moves = percentile(audio.depth, 0.9) - percentile(audio.depth, 0.1);
    const auto periods =
        moves > 6 * audio.noise ? periods_of(audio.depth, audio.rate) : std::vector<Period>{};
    constexpr std::size_t fewest = 30;
    if (periods.size() < fewest) {
        outcome.invalid =
            fmt::format("no tone from 100 Hz to 3 kHz is on the carrier: {} periods of it", periods.size());
        return outcome;
    }
    outcome.add("carrier_frequency", record.centre_hz + *audio.offset_hz, Unit::hertz);
    double factor = 0, duty = 0, on = 0, high = 0, square = 0, silence = 0;
    std::size_t samples = 0;
    for (std::size_t i = 0; i < periods.size(); ++i) {
        const auto& period = periods[i];
        const double least = std::max(0.0, period.low);
        factor += (period.high - least) / (period.high + least);
        duty += period.on_s / (period.stop_s - period.start_s);
        high += period.high;
        on += period.stop_s - period.start_s;
        for (auto n = static_cast<std::size_t>(period.start_s * audio.rate);
             n < static_cast<std::size_t>(period.stop_s * audio.rate); ++n)
            square += audio.depth[n] * audio.depth[n], ++samples;
        if (i > 0) silence = std::max(silence, period.start_s - periods[i - 1].stop_s);
    }
    const auto count = static_cast<double>(periods.size());
    const double carrier = audio.carrier * audio.carrier;
    outcome.results.push_back(
        {"peak_power", level_of(record, carrier * (high / count) * (high / count)), {}});
    outcome.results.push_back(
        {"mean_power", level_of(record, carrier * square / static_cast<double>(samples)), {}});
    outcome.add("modulation_factor", 100 * factor / count, Unit::percent);
    outcome.add("duty_cycle", 100 * duty / count, Unit::percent);
    add_sweeps(periods, outcome);
    outcome.add("longest_silence", silence, Unit::second);
    add_traces(audio, periods, outcome);
    note_reference(record, outcome);
    return outcome;
}

}  // namespace

// Carrier, power, modulation factor, duty cycle and sweep of a homing signal (C/S T.007 and the standards of
// beacons: (A - B) / (A + B), duty at (A + B) / 2). Traces `envelope`, `sweep`.
Procedure beacon_homing() {
    return {"beacon.homing",
            "Homing signal of a beacon",
            "Takes the part of the signal that has the carrier's phase as its envelope, and follows the tone "
            "on it "
            "period by period: modulation factor (A - B) / (A + B), duty cycle at (A + B) / 2, lowest and "
            "highest "
            "frequency, direction and rate of its sweeps. Times without the tone, up to a burst on 406 MHz, "
            "are left out.",
            homing_parameters,
            homing_traces,
            homing_products,
            iq_setup,
            measure_homing,
            preset_named};
}

}  // namespace rt
