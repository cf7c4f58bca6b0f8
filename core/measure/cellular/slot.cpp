#include "core/measure/cellular/slot.hpp"

#include <algorithm>
#include <cmath>
#include <limits>
#include <numbers>

#include "core/dsp/fft.hpp"
#include "core/measure/cellular/equalise.hpp"

namespace rt::cellular {
namespace {

constexpr double two_pi = 2 * std::numbers::pi;

// All symbols of a slot: rows of the channel's subcarriers, turned back where they were turned.
Rows read_rows(const GridReader& reader, const UplinkFormat& format, const SlotPlace& place, std::size_t slot,
               double up_converted_hz, double back_s) {
    Rows out(format.symbols(), std::vector<Complex>(format.subcarriers()));
    for (std::size_t l = 0; l < out.size(); ++l) {
        const auto where = format.symbol(slot, l);
        reader.symbol(place, where.start_s + where.prefix_s, back_s, 0, out[l]);
        const Complex turn = std::conj(turn_of(format, slot, l, up_converted_hz));
        for (auto& y : out[l]) y *= turn;
    }
    return out;
}

double middle_of(const UplinkFormat& format) {
    return (format.subcarrier_hz(format.first_subcarrier()) +
            format.subcarrier_hz(format.first_subcarrier() + format.allocated() - 1)) /
           2;
}

// What a symbol says against a model: its phase at the middle of the allocation and its delay.
struct Drift {
    double phase = 0, delay_s = 0;
};

struct Line {
    double offset = 0, slope = 0;
};
Line line_through(std::span<const double> x, std::span<const double> y) {
    double sx = 0, sy = 0, sxx = 0, sxy = 0;
    const auto n = static_cast<double>(x.size());
    for (std::size_t i = 0; i < x.size(); ++i) sx += x[i], sy += y[i], sxx += x[i] * x[i], sxy += x[i] * y[i];
    const double across = n * sxx - sx * sx;
    if (!(across > 0)) return {sy / n, 0};
    const double slope = (n * sxy - sx * sy) / across;
    return {(sy - slope * sx) / n, slope};
}

}  // namespace

SlotClocks clocks_of(const GridReader& reader, const UplinkFormat& format, const SlotPlace& place,
                     std::size_t slot, const SlotSettings& settings) {
    const std::size_t symbols = format.symbols(), allocated = format.allocated();
    const double back = format.symbol(slot, 1).prefix_s / 2;
    const Rows rows = read_rows(reader, format, place, slot, settings.up_converted_hz, back);
    const Equaliser equaliser(reader, format, slot, settings.up_converted_hz, back);
    std::size_t first = 0;
    while (!format.is_reference(first)) ++first;
    // The channel by the first reference symbol; others are met on the way.
    const Complex carrier = equaliser.carrier_by_reference(rows, first, first);
    const auto gains = equaliser.by_reference(equaliser.without_carrier(rows, carrier), first, first);
    SlotClocks out;
    out.middle_hz = middle_of(format);
    std::vector<Drift> drifts(symbols);
    std::vector<double> times(symbols);
    double power = 0, expected = 0, error = 0;
    std::size_t data_symbols = 0;
    std::vector<Complex> turned(allocated), wanted(allocated);
    const auto visit = [&](std::size_t l, Drift guess) {
        for (int round = 0; round < 2; ++round) {
            double symbol_power = 0, symbol_error = 0;
            for (std::size_t k = 0; k < allocated; ++k) {
                const double hz = format.subcarrier_hz(format.first_subcarrier() + k) - out.middle_hz;
                const Complex model = gains[k] * std::polar(1.0, guess.phase - two_pi * hz * guess.delay_s);
                turned[k] =
                    (rows[l][format.first_subcarrier() + k] - carrier * equaliser.carrier_at(l, k)) / model;
            }
            wanted = equaliser.wanted(turned, l);
            Complex sum;
            double slope = 0, weight = 0;
            for (std::size_t k = 0; k < allocated; ++k) {
                if (equaliser.is_void(l, k) || equaliser.at_carrier(k)) continue;
                sum += turned[k] * std::norm(gains[k]) * std::conj(wanted[k]);
            }
            const double more = std::arg(sum);
            const Complex upright = std::polar(1.0, -more);
            for (std::size_t k = 0; k < allocated; ++k) {
                if (equaliser.is_void(l, k) || equaliser.at_carrier(k)) continue;
                const double hz = format.subcarrier_hz(format.first_subcarrier() + k) - out.middle_hz;
                const double w = std::norm(gains[k]) * std::norm(wanted[k]);
                slope += hz * (turned[k] * std::norm(gains[k]) * std::conj(wanted[k]) * upright).imag();
                weight += hz * hz * w;
                symbol_power += std::norm(turned[k]);
                symbol_error += std::norm(turned[k] - wanted[k]);
            }
            guess.phase += more;
            if (weight > 0) guess.delay_s -= slope / weight / two_pi;
            if (round == 1 && !format.is_reference(l)) {
                power += symbol_power, error += symbol_error, ++data_symbols;
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
    const Line phase = line_through(times, phases), delay = line_through(times, delays);
    out.offset_hz = place.offset_hz + phase.slope / two_pi;
    out.stretch = place.stretch + delay.slope;
    out.start_s = place.start_s + equaliser.delay_of(gains) + delay.offset;
    out.data_over_reference_db = 10 * std::log10(std::max(1e-12, (power - error) / std::max(1.0, expected)));
    const double rms = std::sqrt(error / std::max(1.0, expected));
    out.lost = rms / blind_error(format.modulation);
    return out;
}

namespace {

struct Fitted {
    std::vector<Complex> gains;
    Complex carrier, image;
};

// Gains by least squares over all symbols, what stands at the carrier, and the image, in turns: each is the
// best fit to what the others leave.
Fitted fit(const Rows& rows, const Rows& wanted, const Equaliser& equaliser, const UplinkFormat& format,
           const SlotSettings& settings, const Fitted& before) {
    const std::size_t allocated = format.allocated(), first = format.first_subcarrier();
    Fitted out = before;
    for (int round = 0; round < 6; ++round) {
        if (settings.reference_only) {
            Rows left = rows;
            for (std::size_t l = 0; l < left.size(); ++l)
                for (std::size_t k = 0; k < allocated; ++k)
                    left[l][first + k] -= out.carrier * equaliser.carrier_at(l, k) +
                                          out.image * equaliser.image_at(l, k, wanted, out.gains);
            out.gains = equaliser.by_reference(left);
        } else {
            for (std::size_t k = 0; k < allocated; ++k) {
                Complex sum, with;
                double power = 0, line = 0;
                for (std::size_t l = 0; l < rows.size(); ++l) {
                    const Complex r = wanted[l][k];
                    Complex y = rows[l][first + k];
                    if (settings.remove_image) y -= out.image * equaliser.image_at(l, k, wanted, out.gains);
                    const Complex at = equaliser.carrier_at(l, k);
                    if (!equaliser.at_carrier(k)) y -= out.carrier * at;
                    sum += y * std::conj(r), power += std::norm(r);
                    with += at * std::conj(r), line += std::norm(at);
                }
                if (!(power > 0)) continue;
                // The subcarrier at the carrier itself carries both: a fit of two.
                if (equaliser.at_carrier(k)) {
                    Complex b;
                    for (std::size_t l = 0; l < rows.size(); ++l)
                        b += rows[l][first + k] * std::conj(equaliser.carrier_at(l, k));
                    const double det = power * line - std::norm(with);
                    if (det > 1e-9 * power * line) {
                        out.gains[k] = (sum * line - b * with) / det;
                        out.carrier = (b * power - sum * std::conj(with)) / det;
                        continue;
                    }
                }
                out.gains[k] = sum / power;
            }
        }
        if (settings.reference_only || !equaliser.carrier_is_allocated())
            out.carrier =
                equaliser.carrier_of(rows, wanted, out.gains, settings.remove_image ? out.image : 0.0);
        out.image = equaliser.image_of(rows, wanted, out.gains, out.carrier);
    }
    return out;
}

// A gain that is fitted to a subcarrier's elements takes a part of their errors with it: of N elements of
// equal power one in N. What is left, times these factors, is the error itself on average.
struct Unbiased {
    std::vector<double> data, reference;

    Unbiased(const Rows& wanted, const UplinkFormat& format, bool needed)
        : data(format.allocated(), 1), reference(format.allocated(), 1) {
        for (std::size_t k = 0; needed && k < format.allocated(); ++k) {
            double of_data = 0, of_reference = 0, data_count = 0, reference_count = 0;
            for (std::size_t l = 0; l < wanted.size(); ++l) {
                const double power = std::norm(wanted[l][k]);
                if (format.is_data(l, k)) {
                    of_data += power, data_count += 1;
                } else if (power > 0) {
                    of_reference += power, reference_count += 1;
                }
            }
            const double all = of_data + of_reference;
            const auto factor = [&](double power, double count) {
                const double left = count - power / all;
                return count > 0 && all > 0 && left > 0.05 * count ? count / left : 1.0;
            };
            data[k] = factor(of_data, data_count), reference[k] = factor(of_reference, reference_count);
        }
    }
};

}  // namespace

SlotQuality quality_of(const GridReader& reader, const UplinkFormat& format, const SlotPlace& place,
                       std::size_t slot, const SlotSettings& settings) {
    const std::size_t symbols = format.symbols(), allocated = format.allocated(),
                      first = format.first_subcarrier();
    const double prefix = format.symbol(slot, 1).prefix_s, middle = prefix / 2;
    const Rows rows = read_rows(reader, format, place, slot, settings.up_converted_hz, middle);
    const Equaliser equaliser(reader, format, slot, settings.up_converted_hz, middle);
    SlotQuality out;
    Fitted fitted;
    fitted.carrier = equaliser.carrier_by_reference(rows, 0, symbols - 1);
    fitted.gains = equaliser.by_reference(equaliser.without_carrier(rows, fitted.carrier));
    Rows wanted(symbols, std::vector<Complex>(allocated));
    const auto decide = [&](const Fitted& by) {
        std::vector<Complex> symbol(allocated);
        for (std::size_t l = 0; l < symbols; ++l) {
            for (std::size_t k = 0; k < allocated; ++k) {
                Complex y = rows[l][first + k] - by.carrier * equaliser.carrier_at(l, k);
                if (settings.remove_image && by.image != 0.0)
                    y -= by.image * equaliser.image_at(l, k, wanted, by.gains);
                symbol[k] = y / by.gains[k];
            }
            wanted[l] = equaliser.wanted(symbol, l);
        }
    };
    for (int round = 0; round < 3; ++round) {
        decide(fitted);
        fitted = fit(rows, wanted, equaliser, format, settings, fitted);
    }
    // How far from what it should be, with the transform at this place in the prefix.
    const Unbiased unbiased(wanted, format, !settings.reference_only && !settings.keep_bias);
    const auto error_at = [&](const Rows& received, const Equaliser& by, const Fitted& with,
                              SlotQuality* details) {
        double error = 0, power = 0, reference = 0, reference_power = 0, peak = 0;
        std::vector<double> by_subcarrier(allocated), data_of(allocated);
        std::vector<Complex> symbol(allocated);
        for (std::size_t l = 0; l < symbols; ++l) {
            double here = 0, count = 0;
            for (std::size_t k = 0; k < allocated; ++k) {
                Complex y = received[l][first + k] - with.carrier * by.carrier_at(l, k);
                if (settings.remove_image) y -= with.image * by.image_at(l, k, wanted, with.gains);
                symbol[k] = y / with.gains[k];
                const double off = std::norm(symbol[k] - wanted[l][k]) *
                                   (format.is_data(l, k) ? unbiased.data[k] : unbiased.reference[k]);
                if (format.is_data(l, k)) {
                    here += off, count += 1, power += std::norm(wanted[l][k]);
                    by_subcarrier[k] += off, data_of[k] += 1;
                } else if (wanted[l][k] != 0.0) {
                    reference += off, reference_power += std::norm(wanted[l][k]);
                }
            }
            error += here;
            if (!details || count == 0) {
                if (details) details->by_symbol.push_back(0);
                continue;
            }
            details->by_symbol.push_back(here / count);
            // Precoded points are looked at as they were before precoding.
            const auto points = by.points(symbol, l);
            const auto ideal = by.points(wanted[l], l);
            for (std::size_t i = 0; i < points.size(); ++i)
                peak = std::max(peak, std::norm(points[i] - ideal[i]));
            details->points.insert(details->points.end(), points.begin(), points.end());
        }
        if (details) {
            for (std::size_t k = 0; k < allocated; ++k)
                by_subcarrier[k] = data_of[k] > 0 ? by_subcarrier[k] / data_of[k] : 0;
            details->by_subcarrier = std::move(by_subcarrier);
            details->peak = std::sqrt(peak);
            details->reference_error = reference_power > 0 ? reference / reference_power : 0;
        }
        return power > 0 ? error / power : 1.0;
    };
    out.error = error_at(rows, equaliser, fitted, &out);
    if (settings.window > 0) {
        out.error = 0;
        const double end = place.start_s + format.slot_s() * (1 + place.stretch);
        for (const double share : {(1 + settings.window) / 2, (1 - settings.window) / 2}) {
            // Beyond the end of the record there is nothing for the filter.
            const double back =
                std::max(share * prefix, std::min(middle, end + reader.reach_s() - reader.seconds()));
            const Rows there = read_rows(reader, format, place, slot, settings.up_converted_hz, back);
            const Equaliser by(reader, format, slot, settings.up_converted_hz, back);
            const Fitted with = fit(there, wanted, by, format, settings, fitted);
            out.error = std::max(out.error, error_at(there, by, with, nullptr));
        }
    }
    out.carrier = fitted.carrier, out.image = std::norm(fitted.image);
    out.gains = fitted.gains;
    out.blocks.resize(format.carrier_blocks);
    for (const auto& row : rows)
        for (std::size_t k = 0; k < row.size(); ++k) out.blocks[k / 12] += std::norm(row[k]);
    for (auto& block : out.blocks) {
        out.power += block / static_cast<double>(symbols);
        block /= 12.0 * static_cast<double>(symbols);
    }
    return out;
}

}  // namespace rt::cellular
