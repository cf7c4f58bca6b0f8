// The two-wire bus (I2C): conditions, bytes and timings.
#pragma once

#include <cstdint>
#include <vector>

#include "core/bus/line.hpp"
#include "core/bus/place.hpp"
#include "core/stats/spread.hpp"

namespace rt {

// Timings by the symbols of UM10204 table 10, figure 38: levels are 30 % and 70 % of the supply.
struct TwoWireTimings {
    Spread clock_period;                                   // falling edge to falling edge within a transfer
    Spread low, high;                                      // tLOW, tHIGH
    Spread start_hold, start_setup, stop_setup, bus_free;  // tHD;STA, tSU;STA, tSU;STO, tBUF
    Spread data_hold, data_setup;                          // tHD;DAT, tSU;DAT
    Spread data_valid, acknowledge_valid;                  // tVD;DAT, tVD;ACK
    Spread clock_rise, clock_fall, data_rise, data_fall;   // tr, tf
    Spread duty_cycle;  // parts of the clock period, between the middles of its changes, within a transfer

    // So many extremes of each are kept.
    explicit TwoWireTimings(std::size_t keep = 0);
};

// A low time of the clock that is held beyond the usual one.
struct ClockStretch {
    double from_s = 0, low_s = 0;
};

struct TwoWireByte {
    double time_s = 0;  // of its first clock
    std::uint8_t value = 0;
    bool address = false;  // first after a start
    bool acknowledged = false;
};

struct TwoWireTransfer {
    double start_s = 0, stop_s = -1;  // below 0: the record ends, or a repeated start came
    bool repeated = false;            // began with a repeated start
    std::vector<TwoWireByte> bytes;
    std::size_t loose_bits = 0;  // clocks after the last whole byte
};

struct TwoWireSeen {
    TwoWireTimings timings;
    std::vector<TwoWireTransfer> transfers;
    std::vector<BusMark> marks;  // each bit from the falling edge before its clock
    double usual_low_s = 0;      // median low time of the clock within transfers
    std::vector<ClockStretch> stretches;
};

// A low time is stretched when it is longer than one and a half usual ones. Of each timing the worst thousand
// are kept.
TwoWireSeen read_two_wire(const Line& clock, const Line& data);

}  // namespace rt
