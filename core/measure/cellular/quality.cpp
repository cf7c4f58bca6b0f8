#include <algorithm>
#include <cmath>

#include "core/measure/cellular/equalise.hpp"
#include "core/measure/cellular/slot.hpp"

namespace rt::cellular {
namespace {

struct Fitted {
    std::vector<Complex> gains;
    Complex carrier, image;
};

// Over the symbols, by subcarrier: received times conjugate of what should be, the line at the carrier times
// the same, power of what should be.
struct Sums {
    std::vector<Complex> received, line;
    std::vector<double> power;
};

Sums sums_of(const Rows& rows, const Rows& wanted, const Equaliser& equaliser, const UplinkFormat& format,
             const SlotSettings& settings, const Fitted& by) {
    const std::size_t first = format.first_subcarrier(), count = format.allocated();
    Sums out{std::vector<Complex>(count), std::vector<Complex>(count), std::vector<double>(count)};
    for (std::size_t l = 0; l < rows.size(); ++l) {
        const Complex* row = rows[l].data() + first;
        for (std::size_t k = 0; k < count; ++k) {
            const Complex r = std::conj(wanted[l][k]);
            out.received[k] += row[k] * r;
            out.line[k] += equaliser.carrier_at(l, k) * r;
            out.power[k] += std::norm(r);
        }
        if (!settings.remove_image) continue;
        for (std::size_t k = 0; k < count; ++k)
            out.received[k] -=
                by.image * equaliser.image_at(l, k, wanted, by.gains) * std::conj(wanted[l][k]);
    }
    return out;
}

// One gain for each subcarrier by least squares over all symbols, without what stands at the carrier and
// without the image. The subcarrier at the carrier itself carries both: a fit of two.
void fit_gains(const Sums& sums, const Rows& rows, const Rows& wanted, const Equaliser& equaliser,
               const UplinkFormat& format, const SlotSettings& settings, Fitted& out) {
    const std::size_t first = format.first_subcarrier();
    for (std::size_t k = 0; k < format.allocated(); ++k) {
        const double power = sums.power[k];
        if (!(power > 0)) continue;
        const Complex alone = (sums.received[k] - out.carrier * sums.line[k]) / power;
        if (!equaliser.at_carrier(k)) {
            out.gains[k] = alone;
            continue;
        }
        // The carrier is its own mirror: its image needs the gain from before.
        Complex carried;
        double line = 0;
        for (std::size_t l = 0; l < rows.size(); ++l) {
            const Complex at = equaliser.carrier_at(l, k);
            Complex y = rows[l][first + k];
            if (settings.remove_image) y -= out.image * equaliser.image_at(l, k, wanted, out.gains);
            carried += y * std::conj(at), line += std::norm(at);
        }
        out.gains[k] = alone;
        const double det = power * line - std::norm(sums.line[k]);
        if (!(det > 1e-9 * power * line)) continue;
        out.gains[k] = (sums.received[k] * line - carried * sums.line[k]) / det;
        out.carrier = (carried * power - sums.received[k] * std::conj(sums.line[k])) / det;
    }
}

// Gains, what stands at the carrier, and the image, in turns: each is the best fit to what the others leave.
Fitted fit(const Rows& rows, const Rows& wanted, const Equaliser& equaliser, const UplinkFormat& format,
           const SlotSettings& settings, const Fitted& before) {
    const std::size_t first = format.first_subcarrier();
    Fitted out = before;
    constexpr int most_rounds = 8;
    constexpr double settled = 1e-9;  // of the power of a subcarrier
    Sums sums;
    for (int round = 0; round < most_rounds; ++round) {
        const Complex carrier = out.carrier, image = out.image;
        if (settings.reference_only) {
            Rows left = rows;
            for (std::size_t l = 0; l < left.size(); ++l) {
                for (std::size_t k = 0; k < format.allocated(); ++k) {
                    left[l][first + k] -= out.carrier * equaliser.carrier_at(l, k);
                    if (settings.remove_image)
                        left[l][first + k] -= out.image * equaliser.image_at(l, k, wanted, out.gains);
                }
            }
            out.gains = equaliser.by_reference(left);
        } else {
            if (round == 0 || settings.remove_image)
                sums = sums_of(rows, wanted, equaliser, format, settings, out);
            fit_gains(sums, rows, wanted, equaliser, format, settings, out);
        }
        if (settings.reference_only || !equaliser.carrier_is_allocated())
            out.carrier =
                equaliser.carrier_of(rows, wanted, out.gains, settings.remove_image ? out.image : 0.0);
        if (settings.remove_image) out.image = equaliser.image_of(rows, wanted, out.gains, out.carrier);
        const double moved =
            std::norm(out.carrier - carrier) / std::norm(out.gains[0]) + std::norm(out.image - image);
        if (moved < settled) break;
    }
    return out;
}

std::vector<Complex> inverse_of(const std::vector<Complex>& gains) {
    std::vector<Complex> out;
    out.reserve(gains.size());
    for (const auto& gain : gains) out.push_back(std::conj(gain) / std::max(1e-300, std::norm(gain)));
    return out;
}

// A gain that is fitted to a subcarrier's elements takes a part of their errors with it: of N elements of
// equal power one in N. What is left, times these factors, is the error itself on average.
struct Unbiased {
    std::vector<double> data, reference;

    Unbiased(const Rows& wanted, const UplinkFormat& format, bool needed)
        : data(format.allocated(), 1), reference(format.allocated(), 1) {
        std::vector<bool> mixed(wanted.size());
        for (std::size_t l = 0; l < wanted.size(); ++l) mixed[l] = format.is_reference(l);
        for (std::size_t k = 0; needed && k < format.allocated(); ++k) {
            double of_data = 0, of_reference = 0, data_count = 0, reference_count = 0;
            for (std::size_t l = 0; l < wanted.size(); ++l) {
                const double power = std::norm(wanted[l][k]);
                if (!mixed[l] || format.is_data(l, k)) {
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
    const double prefix = format.symbol(slot, 1).prefix_s, middle = reader.whole(prefix / 2);
    std::vector<double> backs{middle};
    if (settings.window > 0) {
        // Beyond the end of the record there is nothing for the filter.
        const double end = place.start_s + format.slot_s() * (1 + place.stretch);
        const double last =
            std::max((1 - settings.window) / 2 * prefix, end + reader.reach_s() - reader.seconds());
        backs = {reader.whole((1 + settings.window) / 2 * prefix), middle,
                 reader.whole(std::min(middle, last))};
    }
    const auto all_rows = read_rows(reader, format, place, slot, settings.up_converted_hz, backs);
    const Rows& rows = all_rows[backs.size() / 2];
    const Equaliser equaliser(reader, format, slot, settings.up_converted_hz, middle);
    SlotQuality out;
    Fitted fitted;
    fitted.carrier = equaliser.carrier_by_reference(rows, 0, symbols - 1);
    fitted.gains = equaliser.by_reference(rows, 0, symbols - 1, fitted.carrier);
    Rows wanted(symbols, std::vector<Complex>(allocated));
    // Whether anything was decided otherwise than before.
    const auto decide = [&](const Fitted& by) {
        bool otherwise = false;
        std::vector<Complex> symbol(allocated);
        const auto inverse = inverse_of(by.gains);
        for (std::size_t l = 0; l < symbols; ++l) {
            for (std::size_t k = 0; k < allocated; ++k) {
                Complex y = rows[l][first + k] - by.carrier * equaliser.carrier_at(l, k);
                if (settings.remove_image && by.image != 0.0)
                    y -= by.image * equaliser.image_at(l, k, wanted, by.gains);
                symbol[k] = y * inverse[k];
            }
            auto decided = equaliser.wanted(symbol, l);
            otherwise = otherwise || decided != wanted[l];
            wanted[l] = std::move(decided);
        }
        return otherwise;
    };
    for (int round = 0; round < 3 && decide(fitted); ++round)
        fitted = fit(rows, wanted, equaliser, format, settings, fitted);
    // How far from what it should be, with the transform at this place in the prefix.
    const Unbiased unbiased(wanted, format, !settings.reference_only && !settings.keep_bias);
    const auto error_at = [&](const Rows& received, const Equaliser& by, const Fitted& with,
                              SlotQuality* details) {
        double error = 0, power = 0, reference = 0, reference_power = 0, peak = 0;
        std::vector<double> by_subcarrier(allocated), data_of(allocated);
        std::vector<Complex> symbol(allocated);
        const auto inverse = inverse_of(with.gains);
        for (std::size_t l = 0; l < symbols; ++l) {
            double here = 0, count = 0;
            const bool mixed = format.is_reference(l);
            for (std::size_t k = 0; k < allocated; ++k) {
                const bool data = !mixed || format.is_data(l, k);
                Complex y = received[l][first + k] - with.carrier * by.carrier_at(l, k);
                if (settings.remove_image) y -= with.image * by.image_at(l, k, wanted, with.gains);
                symbol[k] = y * inverse[k];
                const double off =
                    std::norm(symbol[k] - wanted[l][k]) * (data ? unbiased.data[k] : unbiased.reference[k]);
                if (data) {
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
        for (const std::size_t edge : {std::size_t{0}, std::size_t{2}}) {
            const Equaliser by = equaliser.moved(reader, backs[edge]);
            const Fitted with = fit(all_rows[edge], wanted, by, format, settings, fitted);
            out.error = std::max(out.error, error_at(all_rows[edge], by, with, nullptr));
        }
    }
    if (!settings.remove_image) {
        // Gains have taken their part of it: one in as many as there are symbols.
        const auto count = static_cast<double>(symbols);
        fitted.image = equaliser.image_of(rows, wanted, fitted.gains, fitted.carrier) * count / (count - 1);
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
