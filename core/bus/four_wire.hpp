// The four-wire bus (SPI): words and timings. There is no standard: limits come from the parts on the bus.
#pragma once

#include <cstdint>
#include <optional>
#include <vector>

#include "core/bus/line.hpp"
#include "core/bus/place.hpp"
#include "core/stats/spread.hpp"

namespace rt {

struct FourWireSettings {
    int mode = 0;  // 2 CPOL + CPHA: clock high at rest, sampling on the trailing edge
    int word_bits = 8;
    bool lowest_first = false;
};

struct FourWireTimings {
    Spread clock_period, high, low;
    Spread select_setup, select_hold,
        deselected;              // select to first clock, last clock to deselect, time between
    Spread out_setup, out_hold;  // controller's data arrived before the sampling edge, and stays behind it
    Spread in_setup, in_hold;    // the same of the peripheral's data
    Spread in_valid;             // peripheral's data arrived after the shifting edge
    Spread clock_rise, clock_fall;

    // So many extremes of each are kept.
    explicit FourWireTimings(std::size_t keep = 0);
};

struct FourWireWord {
    double time_s = 0;
    std::uint64_t out = 0, in = 0;
};

struct FourWireFrame {
    double from_s = 0, to_s = -1;  // below 0: the record ends
    std::vector<FourWireWord> words;
    int loose_bits = 0;
};

struct FourWireSeen {
    FourWireTimings timings;
    std::vector<FourWireFrame> frames;
    std::vector<BusMark> marks;  // each bit from the edge that shifts it
};

// Whether the clock rests high where frames begin; nothing without a frame.
std::optional<bool> rests_high(const Line& clock, const Line& select);

// How many of the data's changes within frames belong to the leading edges of the clock, those from rest, and
// how many to the trailing ones. A change belongs to the edge before it, or to the next when it comes within
// the last seventh of the time between.
struct EdgesUsed {
    std::size_t leading = 0, trailing = 0;
};
EdgesUsed edges_of_data(const Line& clock, const Line& select, const Line& data, bool clock_rests_high);

// Of each timing the worst thousand are kept. `select` is low while the peripheral is addressed. `out` and
// `in` may be null.
FourWireSeen read_four_wire(const Line& clock, const Line& select, const Line* out, const Line* in,
                            const FourWireSettings& settings);

}  // namespace rt
