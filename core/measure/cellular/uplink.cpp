#include "core/measure/cellular/uplink.hpp"

#include <fmt/core.h>

#include <algorithm>
#include <cmath>

#include "core/base/error.hpp"
#include "core/dsp/least_squares.hpp"
#include "core/measure/cellular/search.hpp"
#include "core/quantity/quantity.hpp"

namespace rt::cellular {
namespace {

constexpr double silent_db = 12;  // below the others: nothing is sent

double power_of(const GridReader& reader, const UplinkFormat& format, const SlotPlace& place) {
    std::vector<Complex> symbol(format.subcarriers());
    double sum = 0;
    for (const std::size_t l : {std::size_t{1}, format.symbols() / 2, format.symbols() - 2}) {
        const auto where = format.symbol(0, l);
        reader.symbol(place, where.start_s + where.prefix_s, where.prefix_s / 2, 0, symbol);
        for (std::size_t k = 0; k < format.allocated(); ++k)
            sum += std::norm(symbol[format.first_subcarrier() + k]);
    }
    return sum / 3;
}

struct Seen {
    std::size_t number;
    SlotPlace place;
    double power;
    SlotClocks clocks;
    Rows rows;  // of the first one: what stood on the subcarriers
};

// What refuses a slot although its reference signals were found.
std::string other_references(const UplinkFormat& format, const Seen& seen) {
    if (format.lte()) return {};
    const double least = least_match(format.allocated() / 2);
    for (std::size_t l = 0; l < format.symbols(); ++l) {
        const double share =
            match_of(std::span(seen.rows[l]).subspan(format.first_subcarrier(), format.allocated()),
                     format.reference(seen.number, l))
                .share;
        if (format.is_reference(l) && share < least)
            return fmt::format("symbol {} has no reference signal, as reference_symbols says it has", l);
        if (!format.is_reference(l) && share >= std::max(0.7, least))
            return fmt::format("symbol {} has a reference signal, which reference_symbols does not say", l);
    }
    return {};
}

// Blocks that carry what should be elsewhere.
std::string other_blocks(const std::vector<double>& blocks, const UplinkFormat& format) {
    constexpr double empty = 0.03, loud = 0.2;  // of the mean of the allocated blocks
    double mean = 0;
    for (std::size_t b = 0; b < format.blocks; ++b) mean += blocks[format.first_block + b];
    mean /= static_cast<double>(format.blocks);
    // A line at the carrier and the image of a narrow allocation stand where they stand.
    std::size_t beside = 0;
    for (std::size_t b = 0; b < blocks.size(); ++b) {
        const bool inside = b >= format.first_block && b < format.first_block + format.blocks;
        if (inside && blocks[b] < empty * mean) return fmt::format("block {} of the allocation is empty", b);
        const bool middle =
            2 * b + 1 == blocks.size() || 2 * b == blocks.size() || 2 * b + 2 == blocks.size();
        if (!inside && !middle && blocks[b] > loud * mean &&
            (b + 1 == format.first_block || b == format.first_block + format.blocks))
            return fmt::format("block {}, next to the allocation, is sent on as well", b);
        beside += !inside && !middle && blocks[b] > loud * mean;
    }
    if (beside > blocks.size() / 4)
        return fmt::format("{} blocks beside the allocation are sent on as well", beside);
    return {};
}

// Where the stated modulation does not fit: another one that does. Wrong decisions lead clocks astray, so
// each modulation has its own.
std::string other_modulation(const GridReader& reader, const UplinkFormat& format, const Seen& seen,
                             const SlotSettings& settings) {
    constexpr double fits = 0.3, better = 0.6;
    const double stated = seen.clocks.lost;
    if (stated < fits) return {};
    for (const auto modulation : modulations) {
        if (modulation == format.modulation ||
            (modulation == Modulation::bpsk && (format.lte() || !format.precoded)))
            continue;
        UplinkFormat other = format;
        other.modulation = modulation;
        if (clocks_of(reader, other, seen.place, seen.number, settings).lost < better * stated)
            return name(modulation);
    }
    return {};
}

std::string other_level(double over_db, const UplinkFormat& format) {
    constexpr double promised_db = 1.5;
    if (std::abs(over_db) < promised_db) return {};
    return fmt::format("data {:.1f} dB {} what the reference signals promise{}", std::abs(over_db),
                       over_db > 0 ? "above" : "below", format.lte() ? "" : " (groups_without_data)");
}

// What stands on the outermost subcarriers: a signal that is moved leaves one empty.
std::string moved(const std::vector<Complex>& gains) {
    constexpr std::size_t near = 6;
    constexpr double empty = 0.15;
    double low = 0, high = 0;
    for (std::size_t k = 1; k <= near; ++k)
        low += std::norm(gains[k]) / near, high += std::norm(gains[gains.size() - 1 - k]) / near;
    if (std::norm(gains.front()) < empty * low) return "nothing on the lowest subcarrier of the allocation";
    if (std::norm(gains.back()) < empty * high) return "nothing on the highest subcarrier of the allocation";
    return {};
}

// For which carrier symbols were turned. Turned by the same from one symbol to the next they look like a
// carrier that is off by a little: prefixes, which are not touched by it, tell.
double fitting_turn(const GridReader& reader, const UplinkFormat& format, const Found& found,
                    SlotSettings settings, const std::vector<double>& turns) {
    // In power of errors, of thousands of points; where many are decided wrongly it says little.
    constexpr double clearly = 1.002, hardly = 2, doubtful = 0.5;
    settings.window = 0;
    struct Tried {
        double hz, error, away;
    };
    std::vector<Tried> tried;
    double least = 1e300;
    for (const double hz : turns) {
        settings.up_converted_hz = hz;
        SlotClocks clocks = clocks_of(reader, format, found.place, found.slot, settings);
        SlotPlace place{clocks.start_s, clocks.offset_hz, 0};
        clocks = clocks_of(reader, format, place, found.slot, settings);
        place.offset_hz = clocks.offset_hz;
        const double error = quality_of(reader, format, place, found.slot, settings).error;
        const double prefixes = prefix_offset(reader, format, place, found.slot);
        tried.push_back({hz, error, std::abs(clocks.offset_hz - prefixes)});
        least = std::min(least, error);
    }
    const bool sure = std::sqrt(least) < doubtful * blind_error(format.modulation);
    std::erase_if(tried, [&](const Tried& one) { return one.error > (sure ? clearly : hardly) * least; });
    return std::min_element(tried.begin(), tried.end(),
                            [](const Tried& a, const Tried& b) { return a.away < b.away; })
        ->hz;
}

// All slots from a place on.
struct Walk {
    std::vector<Seen> seen;
    std::vector<std::pair<double, double>> others;  // power, start: without its reference signals

    // Mean distance of the times between slots from whole slots.
    double unevenness(const UplinkFormat& format) const {
        double sum = 0;
        for (std::size_t i = 1; i < seen.size(); ++i) {
            const double slots = (seen[i].clocks.start_s - seen[i - 1].clocks.start_s) / format.slot_s();
            sum += std::abs(slots - std::round(slots));
        }
        return sum / static_cast<double>(seen.size());
    }
};

Walk walked(const GridReader& reader, const UplinkFormat& format, SlotPlace place, std::size_t number,
            std::size_t most, const SlotSettings& settings) {
    Walk out;
    const double tolerance = format.symbol(0, 1).prefix_s / 4;
    const double least = least_match(format.lte() ? format.allocated() : format.allocated() / 2);
    while (out.seen.size() < most && place.start_s + format.slot_s() <= reader.seconds() + tolerance) {
        if (slot_match(reader, format, place, number) >= least) {
            Seen slot{number, place, power_of(reader, format, place), {}, {}};
            Rows* received = out.seen.empty() ? &slot.rows : nullptr;
            slot.clocks = clocks_of(reader, format, place, number, settings, received);
            // Once more from where it led: an offset disturbs itself.
            constexpr double little_hz = 2e-3, little_s = 0.1;  // of the spacing, of the prefix
            const bool again =
                std::abs(slot.clocks.offset_hz - place.offset_hz) > little_hz * format.spacing_hz ||
                std::abs(slot.clocks.start_s - place.start_s) > little_s * 4 * tolerance;
            slot.place.start_s = slot.clocks.start_s;
            slot.place.offset_hz = slot.clocks.offset_hz;
            if (again) slot.clocks = clocks_of(reader, format, slot.place, number, settings, received);
            place.offset_hz = slot.clocks.offset_hz;
            place.start_s = slot.clocks.start_s;
            out.seen.push_back(std::move(slot));
        } else {
            out.others.emplace_back(power_of(reader, format, place), place.start_s);
        }
        place.start_s += format.slot_s();
        number = (number + 1) % format.slots_per_frame();
    }
    return out;
}

// One stretch of time for all slots: by where they begin, of a single one by its symbols.
double stretch_of(const std::vector<Seen>& seen, const UplinkFormat& format) {
    if (seen.size() < 2) return seen[0].clocks.stretch;
    std::vector<double> wanted, late;
    for (const auto& slot : seen) {
        const double since = slot.clocks.start_s - seen[0].clocks.start_s;
        wanted.push_back(std::round(since / format.slot_s()) * format.slot_s());
        late.push_back(since - wanted.back());
    }
    return line_through(wanted, late).slope;
}

}  // namespace

Uplink measure_uplink(const IqRecord& record, const UplinkFormat& format, const UplinkSettings& settings) {
    Uplink out;
    if (record.seconds() < 0.98 * format.slot_s()) {
        out.trouble = fmt::format("the record of {} is shorter than a slot of {}",
                                  rt::format({record.seconds(), Unit::second}, 4),
                                  rt::format({format.slot_s(), Unit::second}, 4));
        return out;
    }
    const GridReader reader(record, format);
    const Search search = find_slot(reader, format);
    if (!search.found) {
        out.trouble = "not the expected signal; seen: " + what_is_there(record, reader, format, search) +
                      "; expected: " + format.text() + fmt::format(", identity {}", format.identity);
        return out;
    }
    const Found& found = *search.found;
    out.numbered = found.numbered;
    const double tolerance = format.symbol(0, 1).prefix_s / 4;
    // The first whole slot: before the one that was found, or behind it where that begins before the record.
    // Far into a long record it is the first one that counts.
    const auto before =
        static_cast<std::ptrdiff_t>(std::floor((found.place.start_s + tolerance) / format.slot_s()));
    const auto back = before > static_cast<std::ptrdiff_t>(most_pieces) ? std::ptrdiff_t{0} : before;
    const auto frame = static_cast<std::ptrdiff_t>(format.slots_per_frame());
    const auto number_of_first = [&](std::size_t number) {
        return static_cast<std::size_t>((((static_cast<std::ptrdiff_t>(number) - back) % frame) + frame) %
                                        frame);
    };
    SlotPlace place = found.place;
    place.start_s -= static_cast<double>(back) * format.slot_s();
    Found whole = found;
    if (back < 0) whole.place = place, whole.slot = number_of_first(found.slot);
    SlotSettings slot_settings = settings.slot;
    // For which carrier symbols were turned shows at the slot that was found.
    std::vector<double> turns{settings.up_converted_hz.value_or(0)};
    if (!settings.up_converted_hz && !format.lte() && settings.carrier_hz > 0)
        turns.push_back(settings.carrier_hz);
    slot_settings.up_converted_hz = out.up_converted_hz =
        turns.size() > 1 ? fitting_turn(reader, format, whole, slot_settings, turns) : turns[0];
    Walk walk =
        walked(reader, format, place, number_of_first(found.slot), settings.most_slots, slot_settings);
    if (!found.numbered && format.slots_per_subframe() > 2) {
        // Prefixes are longer in every other slot: in which ones shows by the times between slots.
        Walk other = walked(reader, format, place, number_of_first(found.slot + 1), settings.most_slots,
                            slot_settings);
        if (other.unevenness(format) < walk.unevenness(format)) walk = std::move(other);
    }
    const auto& seen = walk.seen;
    if (seen.empty()) {
        out.trouble =
            "no whole slot lies in the record: one takes " + rt::format({format.slot_s(), Unit::second}, 4);
        return out;
    }
    const auto not_expected = [&](const std::string& why) {
        out.trouble = "not the expected signal; seen: " + why + "; expected: " + format.text();
        return out;
    };
    if (const auto why = other_references(format, seen[0]); !why.empty()) return not_expected(why);
    double promised_db = 0;
    for (const auto& slot : seen)
        promised_db += slot.clocks.data_over_reference_db / static_cast<double>(seen.size());
    out.stretch = stretch_of(seen, format);
    for (const auto& slot : seen) {
        SlotPlace there{slot.clocks.start_s - out.stretch * slot.clocks.middle_s, 0, out.stretch};
        // What a stretch of time turns the middle of the allocation by is not the carrier's.
        there.offset_hz = slot.clocks.offset_hz + out.stretch * slot.clocks.middle_hz;
        MeasuredSlot measured{slot.number, there.start_s, there.offset_hz, {}};
        measured.quality = quality_of(reader, format, there, slot.number, slot_settings);
        if (out.slots.empty()) {
            for (const auto& why : {other_blocks(measured.quality.blocks, format),
                                    moved(measured.quality.gains), other_level(promised_db, format),
                                    other_modulation(reader, format, seen[0], slot_settings)}) {
                if (!why.empty()) return not_expected(why);
            }
        }
        out.slots.push_back(std::move(measured));
    }
    double power = 0, error = 0;
    for (const auto& slot : seen) power = std::max(power, slot.power);
    for (const auto& slot : out.slots) error += slot.quality.error / static_cast<double>(out.slots.size());
    // Where nothing is sent there is at most the noise that shows as errors.
    constexpr double noise = 3;
    const double silent = power * std::max(std::pow(10, -silent_db / 10), noise * error);
    for (const auto& [there, start] : walk.others) {
        if (there < silent) {
            ++out.silent;
        } else {
            out.unlike_s.push_back(start);
        }
    }
    return out;
}

}  // namespace rt::cellular
