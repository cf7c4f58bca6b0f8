#include "core/measure/cellular/equalise.hpp"

#include <algorithm>
#include <cmath>
#include <numbers>

#include "core/dsp/fft.hpp"

namespace rt::cellular {
namespace {

constexpr std::size_t neighbours = 4;   // on each side, over which gains are smoothed
constexpr std::size_t line_reach = 12;  // subcarriers that a line between two of them is looked for on

struct Spot {
    std::size_t element;
    Complex gain;
};

// A straight line through the gains around an element: its value there. Spots ascend.
Complex smoothed(const std::vector<Spot>& spots, std::size_t from, std::size_t to, double at) {
    double s = 0, sx = 0, sxx = 0;
    Complex sy, sxy;
    for (std::size_t i = from; i < to; ++i) {
        const double x = static_cast<double>(spots[i].element) - at;
        s += 1, sx += x, sxx += x * x;
        sy += spots[i].gain, sxy += x * spots[i].gain;
    }
    const double across = s * sxx - sx * sx;
    if (!(across > 1e-9)) return sy / s;
    return (sy * sxx - sxy * sx) / across;
}

// exp(j `ramp` k): a turn at a time, exact again every 64.
std::vector<Complex> turns_of(double ramp, std::size_t count) {
    std::vector<Complex> out(count);
    const Complex step = std::polar(1.0, ramp);
    for (std::size_t k = 0; k < count; ++k)
        out[k] = k % 64 == 0 ? std::polar(1.0, ramp * static_cast<double>(k)) : out[k - 1] * step;
    return out;
}

void transform(std::vector<Complex>& values, Fft<double>::Direction direction) {
    kept_transform(values.size(), direction)(values.data());
    const double scale = 1 / std::sqrt(static_cast<double>(values.size()));
    for (auto& value : values) value *= scale;
}

}  // namespace

Complex turn_of(const UplinkFormat& format, std::size_t slot, std::size_t symbol, double up_converted_hz) {
    if (format.lte() || up_converted_hz == 0) return 1;
    const auto where = format.symbol(slot, symbol);
    const double turns = up_converted_hz * (format.slot_start_s(slot) + where.start_s + where.prefix_s);
    return std::polar(1.0, -two_pi * (turns - std::floor(turns)));
}

std::vector<Rows> read_rows(const GridReader& reader, const UplinkFormat& format, const SlotPlace& place,
                            std::size_t slot, double up_converted_hz, const std::vector<double>& backs_s) {
    std::vector<Rows> out(backs_s.size(), Rows(format.symbols(), std::vector<Complex>(format.subcarriers())));
    std::vector<std::span<Complex>> rows(backs_s.size());
    for (std::size_t l = 0; l < format.symbols(); ++l) {
        const auto where = format.symbol(slot, l);
        for (std::size_t i = 0; i < backs_s.size(); ++i) rows[i] = out[i][l];
        reader.symbol(place, where.start_s + where.prefix_s, backs_s, 0, rows);
        const Complex turn = std::conj(turn_of(format, slot, l, up_converted_hz));
        if (turn == 1.0) continue;
        for (auto& row : rows)
            for (auto& y : row) y *= turn;
    }
    return out;
}

Equaliser::Equaliser(const GridReader& reader, const UplinkFormat& format, std::size_t slot,
                     double up_converted_hz, double back_s)
    : format_(format), references_(format.symbols()), line_(reader.line_at_carrier(back_s)) {
    for (std::size_t l = 0; l < format.symbols(); ++l) {
        turned_back_.push_back(std::conj(turn_of(format, slot, l, up_converted_hz)));
        references_[l] =
            format.is_reference(l) ? format.reference(slot, l) : std::vector<Complex>(format.allocated());
    }
    const std::size_t middle = format.subcarriers() / 2;
    if (!format.lte() && middle >= format.first_subcarrier() &&
        middle < format.first_subcarrier() + format.allocated())
        carrier_element_ = middle - format.first_subcarrier();
    const std::size_t reach = format.lte() ? line_reach : 0;
    near_first_ = middle - std::min(middle, reach);
    near_last_ = std::min(format.subcarriers() - 1, middle + (format.lte() ? reach - 1 : 0));
}

Equaliser Equaliser::moved(const GridReader& reader, double back_s) const {
    Equaliser out = *this;
    out.line_ = reader.line_at_carrier(back_s);
    return out;
}

std::vector<Complex> Equaliser::by_reference(const Rows& rows, std::size_t first, std::size_t last,
                                             Complex carrier) const {
    return by_reference(rows, first, last, carrier, 0, format_.allocated());
}

std::vector<Complex> Equaliser::by_reference(const Rows& rows, std::size_t first, std::size_t last,
                                             Complex carrier, std::size_t wanted_from,
                                             std::size_t wanted_to) const {
    const std::size_t allocated = format_.allocated(), at = format_.first_subcarrier();
    std::vector<Complex> sums(allocated);
    std::vector<double> power(allocated);
    for (std::size_t l = first; l <= last; ++l) {
        if (!format_.is_reference(l)) continue;
        for (std::size_t k = 0; k < allocated; ++k) {
            const Complex r = references_[l][k];
            sums[k] += rows[l][at + k] * std::conj(r), power[k] += std::norm(r);
        }
        // What stands at the carrier is left out.
        for (std::size_t k = std::max(near_first_, at); k <= near_last_ && k < at + allocated; ++k)
            sums[k - at] -= carrier * line_[k] * turned_back_[l] * std::conj(references_[l][k - at]);
    }
    std::vector<Spot> spots;
    spots.reserve(allocated);
    for (std::size_t k = 0; k < allocated; ++k)
        if (power[k] > 0 && !at_carrier(k)) spots.push_back({k, sums[k] / power[k]});
    // Without their common delay they change slowly.
    Complex step;
    for (std::size_t i = 1; i < spots.size(); ++i) {
        if (spots[i].element - spots[i - 1].element == spots[1].element - spots[0].element)
            step += spots[i].gain * std::conj(spots[i - 1].gain);
    }
    const double ramp = std::arg(step) / static_cast<double>(spots[1].element - spots[0].element);
    const auto turns = turns_of(ramp, allocated);
    for (auto& spot : spots) spot.gain *= std::conj(turns[spot.element]);
    std::vector<Complex> out(allocated);
    std::size_t near = 0;
    const std::size_t width = std::min(spots.size(), 2 * neighbours + 1);
    for (std::size_t k = wanted_from; k < wanted_to; ++k) {
        while (near + 1 < spots.size() && spots[near + 1].element <= k) ++near;
        const std::size_t from = std::min(near - std::min(near, neighbours), spots.size() - width);
        out[k] = smoothed(spots, from, from + width, static_cast<double>(k)) * turns[k];
    }
    return out;
}

double Equaliser::delay_of(std::span<const Complex> gains) const {
    // By neighbours first, then the slope that is left by least squares.
    Complex neighbour;
    for (std::size_t k = 1; k < gains.size(); ++k) neighbour += gains[k] * std::conj(gains[k - 1]);
    const double ramp = std::arg(neighbour), middle = static_cast<double>(gains.size() - 1) / 2;
    Complex sum, leaning;
    double weight = 0;
    const auto turns = turns_of(-ramp, gains.size());
    const Complex to_middle = std::polar(1.0, ramp * middle);
    for (std::size_t k = 0; k < gains.size(); ++k) {
        const double place = static_cast<double>(k) - middle;
        const Complex flat = gains[k] * std::sqrt(std::norm(gains[k])) * turns[k] * to_middle;
        sum += flat, leaning += place * flat, weight += place * place * std::norm(gains[k]);
    }
    const double left = weight > 0 ? (leaning * std::polar(1.0, -std::arg(sum))).imag() / weight : 0;
    return -(ramp + left) / two_pi / format_.spacing_hz;
}

Complex Equaliser::modelled(std::size_t symbol, std::size_t subcarrier, const Rows& wanted,
                            std::span<const Complex> gains) const {
    const std::size_t first = format_.first_subcarrier();
    if (subcarrier < first || subcarrier >= first + format_.allocated()) return 0;
    return gains[subcarrier - first] * wanted[symbol][subcarrier - first];
}

Complex Equaliser::image_on(std::size_t symbol, std::size_t subcarrier, const Rows& wanted,
                            std::span<const Complex> gains) const {
    const std::size_t all = format_.subcarriers();
    const std::size_t mirror = format_.lte() ? all - 1 - subcarrier : all - subcarrier;
    if (mirror >= all) return 0;
    return std::conj(modelled(symbol, mirror, wanted, gains)) * turned_back_[symbol] * turned_back_[symbol];
}

Complex Equaliser::carrier_by_reference(const Rows& rows, std::size_t first, std::size_t last) const {
    const std::size_t at = format_.first_subcarrier(), allocated = format_.allocated();
    // Only the gains where a line reaches are looked at.
    const auto element = [&](std::size_t k) { return std::clamp(k, at, at + allocated) - at; };
    Complex out;
    for (int round = 0; round < 3; ++round) {
        const auto gains =
            by_reference(rows, first, last, out, element(near_first_), element(near_last_ + 1));
        Complex sum;
        double power = 0;
        for (std::size_t l = first; l <= last; ++l) {
            if (!format_.is_reference(l)) continue;
            for (std::size_t k = near_first_; k <= near_last_; ++k) {
                const bool inside = k >= at && k < at + allocated;
                if (inside && format_.is_data(l, k - at)) continue;
                const Complex line = line_[k] * turned_back_[l];
                const Complex known = inside ? gains[k - at] * references_[l][k - at] : 0.0;
                sum += std::conj(line) * (rows[l][k] - out * line - known), power += std::norm(line);
            }
        }
        if (!(power > 0)) break;
        out += sum / power;
    }
    return out;
}

Complex Equaliser::carrier_of(const Rows& rows, const Rows& wanted, std::span<const Complex> gains,
                              Complex image) const {
    Complex sum;
    double power = 0;
    for (std::size_t l = 0; l < rows.size(); ++l) {
        for (std::size_t k = near_first_; k <= near_last_; ++k) {
            const Complex line = line_[k] * turned_back_[l];
            Complex left = rows[l][k] - modelled(l, k, wanted, gains);
            if (image != 0.0) left -= image * image_on(l, k, wanted, gains);
            sum += std::conj(line) * left, power += std::norm(line);
        }
    }
    return power > 0 ? sum / power : 0.0;
}

Complex Equaliser::image_of(const Rows& rows, const Rows& wanted, std::span<const Complex> gains,
                            Complex carrier) const {
    Complex sum;
    double power = 0;
    for (std::size_t l = 0; l < rows.size(); ++l) {
        for (std::size_t k = 0; k < rows[l].size(); ++k) {
            const Complex image = image_on(l, k, wanted, gains);
            if (image == 0.0) continue;
            sum += std::conj(image) *
                   (rows[l][k] - modelled(l, k, wanted, gains) - carrier * line_[k] * turned_back_[l]);
            power += std::norm(image);
        }
    }
    return power > 0 ? sum / power : 0.0;
}

std::vector<Complex> Equaliser::wanted(std::span<const Complex> symbol, std::size_t number) const {
    if (!format_.is_reference(number) && format_.precoded) {
        std::vector<Complex> out(symbol.begin(), symbol.end());
        transform(out, Fft<double>::Direction::backward);
        for (std::size_t i = 0; i < out.size(); ++i) out[i] = nearest(format_.modulation, out[i], i);
        transform(out, Fft<double>::Direction::forward);
        return out;
    }
    std::vector<Complex> out = references_[number];
    if (format_.modulation == Modulation::bpsk) {
        for (std::size_t k = 0; k < out.size(); ++k)
            if (format_.is_data(number, k)) out[k] = nearest(format_.modulation, symbol[k], k);
        return out;
    }
    const Grid grid(format_.modulation);
    const bool mixed = format_.is_reference(number);
    for (std::size_t k = 0; k < out.size(); ++k)
        if (!mixed || format_.is_data(number, k)) out[k] = grid.nearest(symbol[k]);
    return out;
}

std::vector<Complex> Equaliser::points(std::span<const Complex> symbol, std::size_t number) const {
    std::vector<Complex> out;
    if (!format_.is_reference(number) && format_.precoded) {
        out.assign(symbol.begin(), symbol.end());
        transform(out, Fft<double>::Direction::backward);
        return out;
    }
    if (!format_.is_reference(number)) return {symbol.begin(), symbol.end()};
    for (std::size_t k = 0; k < symbol.size(); ++k)
        if (format_.is_data(number, k)) out.push_back(symbol[k]);
    return out;
}

}  // namespace rt::cellular
