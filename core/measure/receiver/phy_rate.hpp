// Theoretical bit rates of IEEE 802.11 a, b, g, n, ac and ax.
#pragma once

#include <string>
#include <string_view>
#include <vector>

namespace rt {

// How a frame is sent. What does not apply to a generation keeps its default.
struct WlanMode {
    std::string generation = "n";  // a b g n ac ax
    int mcs = -1;                  // n: 0 to 31 (with its streams); ac: 0 to 9; ax: 0 to 11
    double rate_bps = 0;           // a, b, g: the rate itself, at 20 MHz
    int streams = 1;               // ac, ax: 1 to 8
    int width_mhz = 20;            // a: 5, 10, 20; n: 20, 40; ac, ax: 20, 40, 80, 160
    double guard_s = 0.8e-6;       // n, ac: 0.4, 0.8 us; ax: 0.8, 1.6, 3.2 us
    int tones = 0;                 // ax: of a resource unit (26, 52, 106, 242, 484, 996, 1992); 0: all
    bool dual_carrier = false;     // ax: dual carrier modulation, of mcs 0, 1, 3, 4 with 1 or 2 streams
};

// Streams x data carriers x bits x code rate over the time of a symbol with its guard interval (IEEE Std
// 802.11-2020, 17.2, 19.5, 21.5; 802.11ax-2021, 27.5), in bit/s. Bits of a symbol are rounded down. Throws
// Error(input) for what the standard does not have, the modes that its tables of ac leave out among them.
double phy_rate(const WlanMode& mode);

// Streams of the mode: those of the index for n.
int streams_of(const WlanMode& mode);

// "ac, MCS 7, 2 streams, 80 MHz, guard 0.4 us"
std::string text_of(const WlanMode& mode);

}  // namespace rt
