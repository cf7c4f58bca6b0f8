// Operating bands and channel numbers of LTE and NR.
#pragma once

#include <optional>
#include <string>
#include <vector>

#include "core/cellular/uplink.hpp"

namespace rt::cellular {

struct Range {
    double low_hz = 0, high_hz = 0;
    bool empty() const { return !(high_hz > low_hz); }
};

struct Band {
    Technology technology = Technology::lte;
    int number = 0;
    Range uplink, downlink;  // uplink empty for bands of the downlink alone
    // LTE (TS 36.101 table 5.7.3-1): the number of the lowest frequency; 100 kHz from one to the next.
    std::size_t first_uplink = 0, first_downlink = 0;
    // NR (TS 38.101-1 table 5.4.2.3-1): numbers of a band at 15 kHz spacing are so many apart; twice as many
    // from 30 kHz on where they follow the spacing.
    std::size_t step = 1;

    std::string name() const;                                                  // "7", "n78"
    bool both_ways_alike() const { return uplink.low_hz == downlink.low_hz; }  // time-division duplex
};

const std::vector<Band>& bands();
// "7" or "n78". Throws Error(input) naming what is known.
const Band& band_called(const std::string& name);

// Frequency of an NR channel number (TS 38.104 clause 5.4.2.1), nothing beyond 3279165.
std::optional<double> nr_frequency(std::size_t number);

// The steps of a band's channel numbers with a subcarrier spacing, from which an NR carrier may be chosen.
std::size_t raster_step(const Band& band, double spacing_hz);

enum class Direction { up, down };
struct Channel {
    std::size_t number = 0;
    double hz = 0;
};
// A channel of a band. Throws Error(input) when it is not on the raster, or the channel of this width would
// reach beyond the band: the message names the nearest that does not.
Channel channel_numbered(const Band& band, Direction direction, std::size_t number, double bandwidth_hz,
                         double spacing_hz);
// Lowest, middle and highest carrier of a width (TS 36.508 clause 4.3.1, TS 38.508-1 clause 4.3.1.1: edges
// half a channel inside the band, to the raster).
struct TestChannels {
    Channel low, middle, high;
};
TestChannels test_channels(const Band& band, Direction direction, double bandwidth_hz, double spacing_hz);
// The carrier at the same place of the other direction.
Channel partner_of(const Band& band, Direction direction, const Channel& channel);
// The band's channel at a frequency; throws Error(input) when none is there.
Channel channel_at(const Band& band, Direction direction, double hz, double spacing_hz);

}  // namespace rt::cellular
