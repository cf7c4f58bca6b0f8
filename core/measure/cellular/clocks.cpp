#include "core/measure/cellular/slot.hpp"

#include <algorithm>
#include <cmath>
#include <limits>
#include <numbers>

#include "core/dsp/fft.hpp"
#include "core/dsp/least_squares.hpp"
#include "core/dsp/turning.hpp"
#include "core/measure/cellular/equalise.hpp"

namespace rt::cellular {
namespace {

double middle_of(const UplinkFormat& format) {
    return (format.subcarrier_hz(format.first_subcarrier()) +
            format.subcarrier_hz(format.first_subcarrier() + format.allocated() - 1)) /
           2;
}

// What a symbol says against a model: its phase at the middle of the allocation and its delay.
struct Drift {
    double phase = 0, delay_s = 0;
};

}  // namespace

SlotClocks clocks_of(const GridReader& reader, const UplinkFormat& format, const SlotPlace& place,
                     std::size_t slot, const SlotSettings& settings, Rows* received) {
    const std::size_t symbols = format.symbols(), allocated = format.allocated();
    const double back = reader.whole(format.symbol(slot, 1).prefix_s / 2);
    Rows rows = std::move(read_rows(reader, format, place, slot, settings.up_converted_hz, {back})[0]);
    const Equaliser equaliser(reader, format, slot, settings.up_converted_hz, back);
    std::size_t first = 0;
    while (!format.is_reference(first)) ++first;
    // The channel by the first reference symbol; others are met on the way.
    const Complex carrier = equaliser.carrier_by_reference(rows, first, first);
    const auto gains = equaliser.by_reference(rows, first, first, carrier);
    SlotClocks out;
    out.middle_hz = middle_of(format);
    std::vector<Drift> drifts(symbols);
    std::vector<double> times(symbols);
    double power = 0, expected = 0, error = 0;
    std::vector<Complex> turned(allocated), wanted(allocated), inverse(allocated);
    std::vector<double> weights(allocated);
    for (std::size_t k = 0; k < allocated; ++k)
        weights[k] = std::norm(gains[k]), inverse[k] = std::conj(gains[k]) / weights[k];
    const double lowest_hz = format.subcarrier_hz(format.first_subcarrier()) - out.middle_hz;
    const auto visit = [&](std::size_t l, Drift guess) {
        const Complex* row = rows[l].data() + format.first_subcarrier();
        for (int round = 0; round < 2; ++round) {
            double symbol_power = 0, symbol_error = 0;
            for (std::size_t k = 0; k < allocated; ++k)
                turned[k] = (row[k] - carrier * equaliser.carrier_at(l, k)) * inverse[k];
            turn_on(std::span(turned), std::polar(1.0, two_pi * lowest_hz * guess.delay_s - guess.phase),
                    std::polar(1.0, two_pi * format.spacing_hz * guess.delay_s));
            wanted = equaliser.wanted(turned, l);
            Complex sum, leaning;
            double weight = 0;
            for (std::size_t k = 0; k < allocated; ++k) {
                if (equaliser.is_void(l, k) || equaliser.at_carrier(k)) continue;
                const double hz = lowest_hz + static_cast<double>(k) * format.spacing_hz;
                const Complex agrees = turned[k] * std::conj(wanted[k]) * weights[k];
                sum += agrees, leaning += hz * agrees;
                weight += hz * hz * weights[k] * std::norm(wanted[k]);
                symbol_power += std::norm(turned[k]);
                symbol_error += std::norm(turned[k] - wanted[k]);
            }
            const double more = std::arg(sum);
            guess.phase += more;
            if (weight > 0) guess.delay_s -= (leaning * std::polar(1.0, -more)).imag() / weight / two_pi;
            if (round == 1 && !format.is_reference(l)) {
                power += symbol_power, error += symbol_error;
                expected += static_cast<double>(allocated);
            }
        }
        drifts[l] = guess;
        const auto where = format.symbol(slot, l);
        times[l] = where.start_s + where.prefix_s + format.useful_s() / 2;
    };
    const auto ahead = [](Drift near, Drift far) {
        return Drift{2 * near.phase - far.phase, 2 * near.delay_s - far.delay_s};
    };
    visit(first, {});
    for (std::size_t l = first + 1; l < symbols; ++l)
        visit(l, l >= first + 2 ? ahead(drifts[l - 1], drifts[l - 2]) : drifts[l - 1]);
    for (std::size_t l = first; l-- > 0;)
        visit(l, l + 2 < symbols ? ahead(drifts[l + 1], drifts[l + 2]) : Drift{});
    std::vector<double> phases, delays;
    for (const auto& drift : drifts) phases.push_back(drift.phase), delays.push_back(drift.delay_s);
    const StraightLine phase = line_through(times, phases), delay = line_through(times, delays);
    out.offset_hz = place.offset_hz + phase.slope / two_pi;
    out.stretch = place.stretch + delay.slope;
    // By the mean of its symbols: at its begin a line through them is less sure.
    for (std::size_t l = 0; l < symbols; ++l) {
        out.middle_s += times[l] / static_cast<double>(symbols);
        out.start_s += delays[l] / static_cast<double>(symbols);
    }
    out.start_s += place.start_s + equaliser.delay_of(gains);
    out.data_over_reference_db = 10 * std::log10(std::max(1e-12, (power - error) / std::max(1.0, expected)));
    const double rms = std::sqrt(error / std::max(1.0, expected));
    out.lost = rms / blind_error(format.modulation);
    if (received) *received = std::move(rows);
    return out;
}

}  // namespace rt::cellular
