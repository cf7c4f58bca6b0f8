// Finding an uplink in a record: symbol timing and carrier offset by the cyclic prefixes, then the slot by
// its reference signals.
#pragma once

#include <optional>
#include <string>

#include "core/measure/cellular/grid.hpp"

namespace rt::cellular {

struct Found {
    SlotPlace place;        // of one slot of it
    std::size_t slot = 0;   // its number in the frame, as far as reference signals tell it
    bool numbered = false;  // they do
};

// How well what stands on an allocation's reference elements agrees with them, by the products of
// neighbouring ones (timing and carrier phase do not matter): 0 to 1, and its phase for each element.
struct Match {
    double share = 0;
    double angle = 0;       // of one neighbour to the next
    std::size_t apart = 1;  // subcarriers
};
Match match_of(std::span<const Complex> received, std::span<const Complex> reference);
// Chance agreement of this many elements stays below this.
double least_match(std::size_t elements);

struct Search {
    std::optional<Found> found;
    // How strongly samples repeat one symbol later, as prefixes do: 0 to 1.
    double repeats = 0;
    double best_match = 0;
    bool other_shifts = false;  // the sequence was there, with cyclic shifts of another cell
};

// The mean match of a slot's reference symbols, each at its place.
double slot_match(const GridReader& reader, const UplinkFormat& format, const SlotPlace& place,
                  std::size_t slot);

// The carrier's offset by what prefixes repeat, over this slot alone: coarse, but whatever symbols are turned
// by does not matter to it.
double prefix_offset(const GridReader& reader, const UplinkFormat& format, const SlotPlace& place,
                     std::size_t slot);

// The first slot of a record that carries its reference signals. Of a long record as many slots are looked
// at, the first of those that are not far below the loudest.
inline constexpr std::size_t most_pieces = 400;
Search find_slot(const GridReader& reader, const UplinkFormat& format, std::size_t pieces = most_pieces);

// What there is in place of the stated signal: one sentence.
std::string what_is_there(const IqRecord& record, const GridReader& reader, const UplinkFormat& format,
                          const Search& search);

}  // namespace rt::cellular
