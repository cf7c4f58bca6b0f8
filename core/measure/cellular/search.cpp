#include "core/measure/cellular/search.hpp"

#include <fmt/core.h>

#include <algorithm>
#include <cmath>
#include <numbers>

namespace rt::cellular {
namespace {

constexpr std::ptrdiff_t farthest_shift = 3;  // subcarriers that the carrier may be off

struct Timing {
    double first_s = 0;  // begin of a symbol's prefix, from the piece's begin
    double period_s = 0;
    double offset_hz = 0;
    double repeats = 0;
};

// Symbols of a piece by what repeats after the useful time, summed over all symbols in it.
Timing prefix_timing(std::span<const std::complex<float>> x, const UplinkFormat& format, std::size_t size,
                     double rate) {
    const std::size_t prefix = size * 144 / 2048;
    const double period = static_cast<double>(size) * (2048 + 144) / 2048;
    if (x.size() < size + prefix + static_cast<std::size_t>(period)) return {};
    const std::size_t places = x.size() - size - prefix;
    // Running sums over a prefix.
    std::vector<std::complex<double>> product(places);
    std::vector<double> energy(places);
    std::complex<double> p;
    double e = 0;
    const auto add = [&](std::size_t n, double sign) {
        p += sign * std::complex<double>(std::conj(x[n]) * x[n + size]);
        e += sign * 0.5 * (std::norm(x[n]) + std::norm(x[n + size]));
    };
    for (std::size_t n = 0; n < prefix; ++n) add(n, 1);
    for (std::size_t n = 0; n < places; ++n) {
        product[n] = p, energy[n] = std::max(0.0, e);
        if (n + prefix + size < x.size()) add(n + prefix, 1), add(n, -1);
    }
    const auto fold = static_cast<std::size_t>(period);
    std::complex<double> best;
    double strongest = -1, best_energy = 0;
    std::size_t at = 0;
    for (std::size_t d = 0; d < fold; ++d) {
        std::complex<double> sum;
        double all = 0;
        for (std::size_t j = 0;; ++j) {
            const auto n = static_cast<std::size_t>(static_cast<double>(d) + static_cast<double>(j) * period);
            if (n >= places) break;
            sum += product[n], all += energy[n];
        }
        if (std::norm(sum) > strongest) strongest = std::norm(sum), best = sum, at = d, best_energy = all;
    }
    // With subcarriers half a spacing off, a prefix repeats with the other sign.
    if (format.lte()) best = -best;
    return {static_cast<double>(at) / rate, period / rate, std::arg(best) / two_pi * format.spacing_hz,
            best_energy > 0 ? std::sqrt(strongest) / best_energy : 0};
}

struct Candidate {
    std::size_t slot, symbol;
    std::vector<Complex> values;
};

// LTE and precoded NR send the same sequence in every slot (but for cyclic shifts).
bool same_in_all_slots(const UplinkFormat& format) {
    return format.precoded;
}

std::vector<Candidate> candidates_of(const UplinkFormat& format) {
    std::vector<Candidate> out;
    const std::size_t slots = same_in_all_slots(format) ? 1 : format.slots_per_frame();
    for (std::size_t slot = 0; slot < slots; ++slot) {
        for (std::size_t symbol = 0; symbol < format.symbols(); ++symbol) {
            if (!format.is_reference(symbol)) continue;
            out.push_back({slot, symbol, format.reference(slot, symbol)});
            if (same_in_all_slots(format)) break;  // all its symbols are alike
        }
    }
    return out;
}

struct Hit {
    double share = 0;
    std::size_t candidate = 0, symbol = 0;  // of the piece
    std::ptrdiff_t shift = 0;
    double angle = 0;
    std::size_t apart = 1;
};

// All symbols of a piece against all candidates, with the carrier off by so many subcarriers.
Hit best_hit(const std::vector<std::vector<Complex>>& symbols, const std::vector<Candidate>& candidates,
             const UplinkFormat& format, std::ptrdiff_t shift) {
    Hit best;
    const auto first = static_cast<std::size_t>(static_cast<std::ptrdiff_t>(format.first_subcarrier()) +
                                                farthest_shift + shift);
    // A part of a wide allocation is enough to tell one from another.
    const std::size_t part = std::min<std::size_t>(format.allocated(), 480);
    for (std::size_t j = 0; j < symbols.size(); ++j) {
        for (std::size_t c = 0; c < candidates.size(); ++c) {
            const Match match = match_of(std::span(symbols[j]).subspan(first, part),
                                         std::span(candidates[c].values).first(part));
            if (match.share > best.share) best = {match.share, c, j, shift, match.angle, match.apart};
        }
    }
    const Match whole = match_of(std::span(symbols[best.symbol]).subspan(first, format.allocated()),
                                 candidates[best.candidate].values);
    best.share = whole.share, best.angle = whole.angle, best.apart = whole.apart;
    return best;
}

// What stands on the allocation, moved by so many subcarriers, in all symbols of a piece.
double power_within(const std::vector<std::vector<Complex>>& symbols, const UplinkFormat& format,
                    std::ptrdiff_t shift) {
    const auto first = static_cast<std::size_t>(static_cast<std::ptrdiff_t>(format.first_subcarrier()) +
                                                farthest_shift + shift);
    double sum = 0;
    for (const auto& symbol : symbols)
        for (std::size_t k = 0; k < format.allocated(); ++k) sum += std::norm(symbol[first + k]);
    return sum;
}

// Where pieces of a slot begin, of a long record those that are not far below the loudest.
std::vector<double> loud_pieces(const GridReader& reader, double slot_s, std::size_t most) {
    constexpr double far_db = 10;
    std::vector<double> starts, power;
    for (double from = 0; from + slot_s * 0.99 <= reader.seconds(); from += slot_s) starts.push_back(from);
    if (starts.size() <= most) return starts;
    // A few samples of each are enough for that.
    for (const double from : starts) {
        double sum = 0;
        for (const double part : {0.1, 0.35, 0.6, 0.85}) {
            for (const auto& x : reader.samples(from + part * slot_s, 64))
                sum += std::norm(std::complex<double>(x));
        }
        power.push_back(sum);
    }
    const double least = *std::max_element(power.begin(), power.end()) * std::pow(10, -far_db / 10);
    std::vector<double> out;
    for (std::size_t i = 0; i < starts.size() && out.size() < most; ++i)
        if (power[i] >= least) out.push_back(starts[i]);
    return out;
}

// The number of the slot at `place` (LTE): whose cyclic shifts agree with those of all slots in reach. The
// angle by which all shifts are off, in elements, is what the timing is.
struct Numbered {
    std::size_t slot = 0;
    double agreement = 0, angle = 0;
    double alike = 0;  // of all slots' angles: 1 where they are the same
};
Numbered number_by_shifts(const GridReader& reader, const UplinkFormat& format, const SlotPlace& place) {
    const auto plain =
        base_sequence((format.identity % 30 + format.shift_of_groups) % 30, 0, format.allocated());
    const auto where = format.symbol(0, 3);
    std::vector<Complex> symbol(format.subcarriers());
    std::vector<std::pair<std::size_t, Complex>> seen;  // slots from this one (of a frame), direction
    const auto before = static_cast<int>(
        std::clamp(std::floor((place.start_s + where.prefix_s) / format.slot_s()), 0.0, 19.0));
    for (int i = -before; i < 20 - before; ++i) {
        SlotPlace there = place;
        there.start_s += i * format.slot_s();
        if (there.start_s + where.start_s + where.prefix_s + format.useful_s() > reader.seconds()) break;
        reader.symbol(there, where.start_s + where.prefix_s, where.prefix_s / 2, 0, symbol);
        const Match match =
            match_of(std::span(symbol).subspan(format.first_subcarrier(), format.allocated()), plain);
        if (match.share >= least_match(format.allocated()))
            seen.emplace_back(static_cast<std::size_t>(i + 20), std::polar(1.0, match.angle));
    }
    Numbered best;
    best.agreement = -2;
    if (seen.empty()) return best;
    double highest = -1e300;
    for (std::size_t slot = 0; slot < 20; ++slot) {
        Complex sum;
        for (const auto& [i, direction] : seen)
            sum += direction * std::polar(1.0, -two_pi * lte_cyclic_shift(format, slot + i) / 12);
        sum /= static_cast<double>(seen.size());
        // All slots have the same angle, and a small one: timing by prefixes is not far off.
        constexpr double same_weighs = 8;
        const double score = same_weighs * std::abs(sum) + std::cos(std::arg(sum));
        if (score > highest + 1e-9) highest = score, best = {slot, sum.real(), std::arg(sum), std::abs(sum)};
    }
    return best;
}

// Where all reference symbols are alike: which of them begins at `begin`.
void settle_symbol(const GridReader& reader, const UplinkFormat& format, double begin, Found& found) {
    double best = -1;
    for (const std::size_t symbol : format.reference_symbols) {
        SlotPlace place = found.place;
        place.start_s = begin - format.symbol(0, symbol).start_s;
        const double match = slot_match(reader, format, place, 0);
        if (match > best) best = match, found.place.start_s = place.start_s;
    }
}

// A hit as a slot, and how far timing by prefixes and by its reference signals agree: 1 where they do.
struct Settled {
    Found found;
    double agreement = 1;
    bool fits = true;  // the cyclic shifts of all slots are those of the cell
};
Settled settle(const GridReader& reader, const UplinkFormat& format, const Hit& hit, const Candidate& is,
               double begin, double offset_hz) {
    Settled out;
    Found& found = out.found;
    found.slot = is.slot;
    found.place.offset_hz = offset_hz + static_cast<double>(hit.shift) * format.spacing_hz;
    found.place.start_s = begin - format.symbol(is.slot, is.symbol).start_s;
    double angle = hit.angle;
    if (format.lte()) {
        const auto number = number_by_shifts(reader, format, found.place);
        found.slot = number.slot, angle = number.angle, out.agreement = number.agreement;
        constexpr double alike = 0.93;  // of two slots a twelfth of a turn apart, of more less
        out.fits = number.alike > alike;
    } else {
        out.agreement = std::cos(angle / static_cast<double>(hit.apart));
        if (format.precoded) settle_symbol(reader, format, begin, found);
    }
    found.numbered = format.lte() || !format.precoded;
    // A later signal turns its subcarriers backwards.
    found.place.start_s -= angle / (two_pi * format.spacing_hz * static_cast<double>(hit.apart));
    return out;
}

}  // namespace

double slot_match(const GridReader& reader, const UplinkFormat& format, const SlotPlace& place,
                  std::size_t slot) {
    std::vector<Complex> symbol(format.subcarriers());
    double sum = 0;
    std::size_t count = 0;
    for (std::size_t l = 0; l < format.symbols(); ++l) {
        if (!format.is_reference(l)) continue;
        const auto where = format.symbol(slot, l);
        reader.symbol(place, where.start_s + where.prefix_s, where.prefix_s / 2, 0, symbol);
        sum += match_of(std::span(symbol).subspan(format.first_subcarrier(), format.allocated()),
                        format.reference(slot, l))
                   .share;
        ++count;
    }
    return sum / static_cast<double>(count);
}

double prefix_offset(const GridReader& reader, const UplinkFormat& format, const SlotPlace& place,
                     std::size_t slot) {
    std::complex<double> sum;
    for (std::size_t l = 0; l < format.symbols(); ++l) {
        const auto where = format.symbol(slot, l);
        // What edges and echoes touch is left out.
        const double from = place.start_s + where.start_s + where.prefix_s / 3;
        const auto count = static_cast<std::size_t>(where.prefix_s / 2 * reader.rate_hz());
        const auto first = reader.samples(from, count),
                   second = reader.samples(from + format.useful_s(), count);
        for (std::size_t n = 0; n < count; ++n) sum += std::complex<double>(std::conj(first[n]) * second[n]);
    }
    if (format.lte()) sum = -sum;
    // Whole spacings are known already.
    const double parts = std::arg(sum) / two_pi, known = place.offset_hz / format.spacing_hz;
    return (parts + std::round(known - parts)) * format.spacing_hz;
}

Match match_of(std::span<const Complex> received, std::span<const Complex> reference) {
    // Directions alone: one strong line is no match.
    Complex sum, last;
    std::size_t last_at = 0, apart = 1, count = 0;
    for (std::size_t k = 0; k < reference.size(); ++k) {
        if (std::norm(reference[k]) == 0) continue;
        const Complex z = received[k] * std::conj(reference[k]);
        const double size = std::norm(z);
        const Complex direction = size > 0 ? z / std::sqrt(size) : Complex{};
        if (count > 0) sum += direction * std::conj(last), apart = k - last_at;
        last = direction, last_at = k, ++count;
    }
    if (count < 2) return {};
    return {std::abs(sum) / static_cast<double>(count - 1), std::arg(sum), apart};
}

double least_match(std::size_t elements) {
    return std::max(0.4, 3.6 / std::sqrt(static_cast<double>(elements)));
}

Search find_slot(const GridReader& reader, const UplinkFormat& format, std::size_t pieces) {
    Search out;
    const auto candidates = candidates_of(format);
    const std::size_t elements = format.lte() ? format.allocated() : format.allocated() / 2;
    const double least = least_match(elements);
    const double rate = reader.rate_hz();
    const double piece_s = 2 * format.slot_s() + 2 * format.useful_s();
    const double useful = format.useful_s();
    for (const double from : loud_pieces(reader, format.slot_s(), pieces)) {
        const double length = std::min(piece_s, reader.seconds() - from);
        const auto x = reader.samples(from, static_cast<std::size_t>(length * rate));
        const Timing timing = prefix_timing(x, format, reader.size(), rate);
        out.repeats = std::max(out.repeats, timing.repeats);
        if (timing.period_s == 0) continue;
        std::vector<std::vector<Complex>> symbols;
        const double prefix = timing.period_s - useful;
        std::vector<std::complex<float>> window(reader.size());
        const auto turn = std::complex<float>(std::polar(1.0, -two_pi * timing.offset_hz / rate));
        for (double at = timing.first_s; at + timing.period_s <= length; at += timing.period_s) {
            const auto begin = static_cast<std::size_t>((at + prefix / 2) * rate);
            if (begin + window.size() > x.size()) break;
            std::complex<float> phase(1, 0);
            for (std::size_t n = 0; n < window.size(); ++n, phase *= turn) window[n] = x[begin + n] * phase;
            symbols.emplace_back(reader.subcarriers() + 2 * farthest_shift);
            reader.transformed(window, at + prefix - static_cast<double>(begin) / rate, farthest_shift,
                               symbols.back());
        }
        if (symbols.empty()) continue;
        // A base sequence that is moved by subcarriers looks like one that is moved in time. Prefixes tell
        // when it was sent; where they leave several moves, what is sent fills one of them.
        std::optional<Settled> best;
        double most = 0;
        for (const std::ptrdiff_t shift : {0, 1, -1, 2, -2, 3, -3}) {
            const Hit hit = best_hit(symbols, candidates, format, shift);
            out.best_match = std::max(out.best_match, hit.share);
            if (hit.share < least) continue;
            const double begin = from + timing.first_s + static_cast<double>(hit.symbol) * timing.period_s;
            const Settled settled =
                settle(reader, format, hit, candidates[hit.candidate], begin, timing.offset_hz);
            constexpr double alike = 0.1;
            const double power = power_within(symbols, format, shift);
            if (best && best->fits && !settled.fits) continue;
            const bool agrees = !best || settled.agreement > best->agreement - alike;
            if (!best || (settled.fits && !best->fits) ||
                (agrees && (power > most || settled.agreement > best->agreement + alike)))
                best = settled, most = power;
            if (!same_in_all_slots(format) && best->agreement > 0.95) break;
        }
        if (!best) continue;
        if (best->agreement < 0.5 || !best->fits) {
            out.other_shifts = format.lte();
            return out;
        }
        const Found& found = best->found;
        out.found = found;
        return out;
    }
    return out;
}

namespace {

// "10 to 59": blocks whose power stands out, over all symbols of the record's strongest piece.
std::string loud_blocks(const GridReader& reader, const UplinkFormat& format, double offset_hz) {
    constexpr double far_db = 12;
    std::vector<double> power(format.carrier_blocks);
    std::vector<Complex> symbol(format.subcarriers());
    const double step = format.useful_s() * 1.07;
    for (double at = 0; at + format.useful_s() <= std::min(reader.seconds(), 20 * format.slot_s());
         at += step) {
        reader.symbol({at, offset_hz, 0}, 0, 0, 0, symbol);
        for (std::size_t k = 0; k < symbol.size(); ++k) power[k / 12] += std::norm(symbol[k]);
    }
    const double loudest = *std::max_element(power.begin(), power.end());
    std::size_t first = power.size(), last = 0;
    for (std::size_t b = 0; b < power.size(); ++b)
        if (power[b] > loudest * std::pow(10, -far_db / 10)) first = std::min(first, b), last = b;
    if (first == format.first_block && last + 1 == first + format.blocks) return {};
    return fmt::format("power on blocks {} to {}", first, last);
}

std::string fitting(const GridReader& reader, const UplinkFormat& format) {
    constexpr std::size_t few = 8;
    const auto fits = [&](const UplinkFormat& other) {
        return find_slot(reader, other, few).found.has_value();
    };
    if (format.lte()) {
        for (unsigned group = 0; group < 30; ++group) {
            UplinkFormat other = format;
            other.identity = group, other.shift_of_groups = 0;
            if (find_slot(reader, other, few).best_match >= least_match(format.allocated()))
                return fmt::format("reference signals of a cell whose number modulo 30 is {}",
                                   (group + 30 - format.shift_of_groups % 30) % 30);
        }
        return {};
    }
    UplinkFormat other = format;
    other.precoded = !format.precoded;
    if (other.modulation == Modulation::bpsk) other.modulation = Modulation::qpsk;
    if (!other.precoded || (can_be_precoded(format.blocks) && has_base_sequence(6 * format.blocks))) {
        if (fits(other))
            return other.precoded ? "reference signals of a precoded signal"
                                  : "reference signals of one that is "
                                    "not precoded";
    }
    other = format;
    other.reference_symbols[0] = format.reference_symbols[0] == 2 ? 3 : 2;
    if (!format.precoded && fits(other))
        return fmt::format("reference signals in symbol {}", other.reference_symbols[0]);
    for (unsigned port = 0; port < 4; ++port) {
        other = format;
        other.port = port;
        if (port / 2 != format.port / 2 && fits(other))
            return fmt::format("reference signals of port {}", port);
    }
    for (unsigned identity = 0; format.precoded && identity < 30; ++identity) {
        other = format;
        other.identity = identity;
        if (fits(other))
            return fmt::format("reference signals of an identity that is {} modulo 30", identity);
    }
    return {};
}

}  // namespace

std::string what_is_there(const IqRecord& record, const GridReader& reader, const UplinkFormat& format,
                          const Search& search) {
    if (search.other_shifts)
        return fmt::format(
            "the reference sequence of cell {}, but not its cyclic shifts over several slots: "
            "another cell of the same number modulo 30, or another cyclic shift",
            format.identity);
    constexpr double repeating = 0.25;
    if (search.repeats < repeating) {
        for (const double spacing : {15e3, 30e3, 60e3}) {
            UplinkFormat other = format;
            other.spacing_hz = spacing;
            // A narrower channel of it: prefixes are looked for alone.
            other.carrier_blocks =
                std::max<std::size_t>(6, static_cast<std::size_t>(format.occupied_hz() / spacing / 12));
            if (format.lte() || spacing == format.spacing_hz) continue;
            const GridReader wider(record, other);
            const auto x = wider.samples(
                0, static_cast<std::size_t>(std::min(record.seconds(), 2e-3) * wider.rate_hz()));
            if (prefix_timing(x, other, wider.size(), wider.rate_hz()).repeats > 2 * repeating)
                return fmt::format("cyclic prefixes of a spacing of {:g} kHz", spacing / 1e3);
        }
        return fmt::format(
            "nothing that repeats as cyclic prefixes of {:g} kHz spacing do: noise, or another signal",
            format.spacing_hz / 1e3);
    }
    const std::string blocks = loud_blocks(reader, format, 0);
    const std::string other = fitting(reader, format);
    if (!other.empty()) return other;
    if (!blocks.empty()) return "cyclic prefixes, and " + blocks;
    return "cyclic prefixes, but other reference signals (identity, allocation or their place)";
}

}  // namespace rt::cellular
