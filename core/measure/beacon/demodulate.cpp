#include "core/measure/beacon/demodulate.hpp"

#include <fmt/core.h>

#include "core/dsp/least_squares.hpp"
#include "core/measure/beacon/transitions.hpp"

namespace rt::beacon {

Demodulated demodulate(const IqRecord& record, const Candidate& candidate) {
    Demodulated out;
    const Baseband base = baseband(record, candidate);
    out.bandwidth_hz = 2 * base.cutoff_hz;
    const double begin = base.first_s, end = base.time(base.z.size() - 1);
    std::vector<double> power;
    for (const auto& z : base.z) power.push_back(std::norm(z));
    const Cumulated level(power, base);
    // The carrier is at its height 40 ms behind the first spectrum that shows it, and for 60 ms at least.
    const double carrier = level.mean(candidate.start_s + 40e-3, candidate.start_s + 100e-3);
    constexpr double beside_s = 20e-3, settle_s = 1e-3;
    const bool before = candidate.start_s - begin > beside_s + 10e-3,
               behind = end - candidate.stop_s > beside_s + 10e-3;
    if (before) {
        out.noise = level.mean(begin + settle_s, candidate.start_s - 15e-3);
    } else if (behind) {
        out.noise = level.mean(candidate.stop_s + 15e-3, end - settle_s);
    }
    const double clean = std::max(carrier - out.noise, 1e-30);
    // Averaged until the ripple of noise is 2 % of the power.
    const double snr = out.noise > 0 ? clean / out.noise : 1e12;
    constexpr double stated_hz = 20e3;
    out.snr_db = std::min(100.0, 10 * std::log10(snr * out.bandwidth_hz / stated_hz));
    const double smoothing = std::clamp(2 / snr / (0.02 * 0.02) / out.bandwidth_hz, 0.1e-3, 4e-3);
    const auto rise = edge_of(level, base, std::max(begin + smoothing, candidate.start_s - 30e-3),
                              candidate.start_s + 40e-3, 1, clean, out.noise, smoothing);
    const auto fall = edge_of(level, base, std::min(end - smoothing, candidate.stop_s + 30e-3),
                              candidate.stop_s - 40e-3, -1, clean, out.noise, smoothing);
    out.cut_start = candidate.cut_start || !rise;
    out.cut_stop = candidate.cut_stop || !fall;
    out.start_s = rise ? rise->at_90_s : candidate.start_s;
    out.stop_s = fall ? fall->at_90_s : candidate.stop_s;
    if (rise) out.rise_s = rise->rise_s, out.rise_hidden = rise->hidden;
    if (fall) out.fall_s = fall->rise_s, out.fall_hidden = fall->hidden;

    // The carrier as it is seen first, to find where modulation begins.
    constexpr double wait_s = 12e-3, window_s = 100e-3;
    const double s1 = out.start_s + wait_s;
    Carrier reference = carrier_of(base, s1, s1 + 50e-3);
    std::vector<double> phase(base.z.size());
    const auto against = [&](const Carrier& of) {
        for (std::size_t n = 0; n < phase.size(); ++n)
            phase[n] = wrapped(std::arg(base.z[n]) - of.phase_at(base.time(n)));
    };
    against(reference);
    double step = 0;
    {
        const Cumulated seen(phase, base);
        constexpr double look_s = 0.4e-3;
        for (double t = s1; t < std::min(end, out.stop_s) - 3e-3; t += 1 / base.rate) {
            if (std::abs(seen.mean(t, t + look_s)) < 0.55 ||
                std::abs(seen.mean(t + look_s, t + 2 * look_s)) < 0.55)
                continue;
            step = t;
            break;
        }
    }
    if (step == 0) {
        out.reason = "no modulation follows the carrier";
        return out;
    }
    if (step - s1 < 40e-3) {
        out.reason = fmt::format("only {:.0f} ms of unmodulated carrier", (step - out.start_s) * 1e3);
        return out;
    }
    // The whole unmodulated carrier counts as reference; S1 is 100 ms of it.
    reference = carrier_of(base, s1, step - 2e-3);
    out.s1_hz = candidate.offset_hz + carrier_of(base, s1, std::min(s1 + window_s, step - 2e-3)).hz;
    const Drift drift(base, reference, step, out.stop_s - 2e-3);
    for (std::size_t n = 0; n < phase.size(); ++n)
        phase[n] = wrapped(std::arg(base.z[n]) - reference.phase_at(base.time(n)) - drift.at(base.time(n)));
    const Cumulated seen(phase, base);
    const double half_bit = 0.5 / nominal_rate;
    {
        // Half of the first step: by the area below it.
        const double from = step - 0.5 * half_bit, to = step + 0.6 * half_bit;
        const double height = seen.mean(step + 0.4 * half_bit, step + 0.8 * half_bit);
        out.modulation_s = to - (to - from) * seen.mean(from, to) / height;
        const double middle = out.modulation_s;
        const double again = seen.mean(middle - 0.6 * half_bit, middle + 0.6 * half_bit);
        const double high = seen.mean(middle + 0.35 * half_bit, middle + 0.7 * half_bit);
        out.modulation_s = middle + 0.6 * half_bit - 1.2 * half_bit * again / high;
    }
    const int room = static_cast<int>((std::min(out.stop_s, end) - out.modulation_s) * nominal_rate * 0.94);
    constexpr int short_bits = 112, long_bits = 144, synchronisation = 24;
    if (room < synchronisation) {
        out.reason = fmt::format("the modulation ends after {} bits", std::max(0, room));
        return out;
    }
    Clock clock = clock_of(seen, out.modulation_s, std::min(room, short_bits));
    // Then by the changes in the middle of each bit, those up and those down apart.
    {
        LeastSquares fit(3);
        for (int k = 0; k < std::min(room, short_bits); ++k) {
            const auto one = transition_at(seen, clock.begin(k + 0.5), clock.bit_s());
            if (one) fit.add(std::array{1.0, k + 0.5, one->rising() ? 0.5 : -0.5}, one->time_s);
        }
        const auto solved = fit.solve();
        if (solved[1] > 0.9 * clock.bit_s() && solved[1] < 1.1 * clock.bit_s())
            clock = {solved[0], 1 / solved[1]};
    }
    out.bit_rate = clock.rate;
    const int held =
        std::min(long_bits, static_cast<int>(std::floor((out.stop_s - clock.first_s) * clock.rate + 0.6)));
    for (int k = 0; k < held; ++k) {
        const double a = clock.begin(k), b = clock.begin(k + 0.5), c = clock.begin(k + 1);
        out.bits.push_back(seen.mean(a, b) > seen.mean(b, c) ? 1 : 0);
    }
    constexpr std::size_t format_bit = 24;
    if (out.bits.size() > format_bit && out.bits[format_bit] == 0 && out.bits.size() > short_bits)
        out.bits.resize(short_bits);
    std::size_t ones = 0;
    for (std::size_t k = 0; k < 15 && k < out.bits.size(); ++k) ones += out.bits[k];
    if (ones < 13) {
        out.reason = fmt::format("{} of the first 15 bits are 1: no bit synchronisation", ones);
        return out;
    }
    // Levels of both halves of each bit, away from the changes; the carrier runs on between them.
    const auto bits = static_cast<int>(out.bits.size());
    std::vector<double> at, centre, apart;
    for (int k = 0; k < bits; ++k) {
        const double early = seen.mean(clock.begin(k + 0.15), clock.begin(k + 0.38));
        const double late = seen.mean(clock.begin(k + 0.65), clock.begin(k + 0.88));
        const double positive = std::max(early, late), negative = std::min(early, late);
        at.push_back(clock.begin(k + 0.5));
        centre.push_back((positive + negative) / 2);
        apart.push_back(positive - negative);
        out.decisions.push_back(early - late);
    }
    // Where the carrier stands when modulation begins says where zero is: it may run away behind.
    LeastSquares course(3);
    double height = 0;
    for (std::size_t k = 0; k < at.size(); ++k) {
        const double x = at[k] - out.modulation_s;
        course.add(std::array{1.0, x, x * x}, centre[k] + drift.at(at[k]));
        height += apart[k] / static_cast<double>(apart.size());
    }
    const double zero = course.solve()[0];
    out.positive_rad = zero + height / 2, out.negative_rad = zero - height / 2;
    const auto over = [&](double from_s, double to_s) -> std::optional<double> {
        std::vector<double> x, y;
        for (std::size_t k = 0; k < at.size(); ++k) {
            if (at[k] < from_s || at[k] > to_s) continue;
            x.push_back(at[k] - from_s), y.push_back(centre[k] + drift.at(at[k]));
        }
        if (x.size() < 38) return std::nullopt;
        return candidate.offset_hz + reference.hz + line_through(x, y).slope / (2 * pi);
    };
    const double s2 = clock.begin(22), s3 = s2 + window_s + 15e-3;
    out.s2_hz = over(s2, s2 + window_s);
    out.s3_hz = over(s3, s3 + window_s);
    std::vector<Transition> all;
    double first_half = 0, second_half = 0;
    std::size_t halves = 0;
    const double slope_rise = 0.8 * height;
    std::vector<std::optional<Transition>> in_order;
    for (int k = 0; k < 2 * bits; ++k) {
        auto one = transition_at(seen, clock.begin(k / 2.0), clock.bit_s());
        if (one && k > 0) all.push_back(*one);
        in_order.push_back(one);
    }
    const auto up = shape_rise(all, true, phase, base, clock.bit_s()),
               down = shape_rise(all, false, phase, base, clock.bit_s());
    const auto unfiltered = [&](const std::optional<double>& measured, double& time, bool& hidden) {
        if (!measured) return;
        // Of a step only the filter is left: a rise that is no slower than it is not seen.
        hidden = *measured < 1.4 * base.rise_s;
        time = hidden ? *measured : std::sqrt(*measured * *measured - base.rise_s * base.rise_s);
    };
    unfiltered(up, out.phase_rise_s, out.phase_rise_hidden);
    unfiltered(down, out.phase_fall_s, out.phase_fall_hidden);
    // At zero phase, not in the middle between both levels.
    const auto crossing = [&](const Transition& t) {
        const double time = t.rising() ? up.value_or(0) : down.value_or(0);
        return t.time_s + (t.rising() ? -1 : 1) * zero / slope_rise * time;
    };
    for (int k = 1; k < 14; ++k) {
        const auto& a = in_order[static_cast<std::size_t>(2 * k)];
        const auto& b = in_order[static_cast<std::size_t>(2 * k + 1)];
        const auto& c = in_order[static_cast<std::size_t>(2 * k + 2)];
        if (!a || !b || !c) continue;
        first_half += crossing(*b) - crossing(*a);
        second_half += crossing(*c) - crossing(*b);
        ++halves;
    }
    if (halves > 0) out.symmetry = std::abs(first_half - second_half) / (first_half + second_half);
    out.power = level.mean(out.start_s, out.stop_s) - out.noise;
    for (std::size_t n = 0; n < base.z.size(); ++n) {
        out.time_s.push_back(base.time(n));
        out.level.push_back(power[n]);
        out.phase_rad.push_back(phase[n]);
    }
    return out;
}

}  // namespace rt::beacon
