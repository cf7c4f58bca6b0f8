#include "core/cellular/bands.hpp"

#include <fmt/core.h>

#include <algorithm>
#include <cmath>

#include "core/base/error.hpp"
#include "core/base/text.hpp"
#include "core/quantity/quantity.hpp"

namespace rt::cellular {
namespace {

// MHz; numbers of the lowest frequencies. Bands 27, 31, 44, 46, 68 and 70 from memory with less certainty.
struct LteBand {
    int number;
    double up_low, up_high;
    std::size_t up_first;
    double down_low, down_high;
    std::size_t down_first;
};
constexpr LteBand lte_bands[] = {
    LteBand{1, 1920, 1980, 18000, 2110, 2170, 0},
    LteBand{2, 1850, 1910, 18600, 1930, 1990, 600},
    LteBand{3, 1710, 1785, 19200, 1805, 1880, 1200},
    LteBand{4, 1710, 1755, 19950, 2110, 2155, 1950},
    LteBand{5, 824, 849, 20400, 869, 894, 2400},
    LteBand{7, 2500, 2570, 20750, 2620, 2690, 2750},
    LteBand{8, 880, 915, 21450, 925, 960, 3450},
    LteBand{9, 1749.9, 1784.9, 21800, 1844.9, 1879.9, 3800},
    LteBand{10, 1710, 1770, 22150, 2110, 2170, 4150},
    LteBand{11, 1427.9, 1447.9, 22750, 1475.9, 1495.9, 4750},
    LteBand{12, 699, 716, 23010, 729, 746, 5010},
    LteBand{13, 777, 787, 23180, 746, 756, 5180},
    LteBand{14, 788, 798, 23280, 758, 768, 5280},
    LteBand{17, 704, 716, 23730, 734, 746, 5730},
    LteBand{18, 815, 830, 23850, 860, 875, 5850},
    LteBand{19, 830, 845, 24000, 875, 890, 6000},
    LteBand{20, 832, 862, 24150, 791, 821, 6150},
    LteBand{21, 1447.9, 1462.9, 24450, 1495.9, 1510.9, 6450},
    LteBand{22, 3410, 3490, 24600, 3510, 3590, 6600},
    LteBand{24, 1626.5, 1660.5, 25700, 1525, 1559, 7700},
    LteBand{25, 1850, 1915, 26040, 1930, 1995, 8040},
    LteBand{26, 814, 849, 26690, 859, 894, 8690},
    LteBand{27, 807, 824, 27040, 852, 869, 9040},
    LteBand{28, 703, 748, 27210, 758, 803, 9210},
    LteBand{30, 2305, 2315, 27660, 2350, 2360, 9770},
    LteBand{31, 452.5, 457.5, 27760, 462.5, 467.5, 9870},
    LteBand{32, 0, 0, 0, 1452, 1496, 9920},
    LteBand{33, 1900, 1920, 36000, 1900, 1920, 36000},
    LteBand{34, 2010, 2025, 36200, 2010, 2025, 36200},
    LteBand{35, 1850, 1910, 36350, 1850, 1910, 36350},
    LteBand{36, 1930, 1990, 36950, 1930, 1990, 36950},
    LteBand{37, 1910, 1930, 37550, 1910, 1930, 37550},
    LteBand{38, 2570, 2620, 37750, 2570, 2620, 37750},
    LteBand{39, 1880, 1920, 38250, 1880, 1920, 38250},
    LteBand{40, 2300, 2400, 38650, 2300, 2400, 38650},
    LteBand{41, 2496, 2690, 39650, 2496, 2690, 39650},
    LteBand{42, 3400, 3600, 41590, 3400, 3600, 41590},
    LteBand{43, 3600, 3800, 43590, 3600, 3800, 43590},
    LteBand{44, 703, 803, 45590, 703, 803, 45590},
    LteBand{46, 5150, 5925, 46790, 5150, 5925, 46790},
    LteBand{48, 3550, 3700, 55240, 3550, 3700, 55240},
    LteBand{65, 1920, 2010, 131072, 2110, 2200, 65536},
    LteBand{66, 1710, 1780, 131972, 2110, 2200, 66436},
    LteBand{68, 698, 728, 132672, 753, 783, 67536},
    LteBand{70, 1695, 1710, 132972, 1995, 2020, 68336},
    LteBand{71, 663, 698, 133122, 617, 652, 68586},
};

// MHz; the step of numbers at 15 kHz.
struct NrBand {
    int number;
    double up_low, up_high, down_low, down_high;
    std::size_t step;
};
constexpr NrBand nr_bands[] = {
    NrBand{1, 1920, 1980, 2110, 2170, 20},  NrBand{2, 1850, 1910, 1930, 1990, 20},
    NrBand{3, 1710, 1785, 1805, 1880, 20},  NrBand{5, 824, 849, 869, 894, 20},
    NrBand{7, 2500, 2570, 2620, 2690, 20},  NrBand{8, 880, 915, 925, 960, 20},
    NrBand{12, 699, 716, 729, 746, 20},     NrBand{14, 788, 798, 758, 768, 20},
    NrBand{18, 815, 830, 860, 875, 20},     NrBand{20, 832, 862, 791, 821, 20},
    NrBand{25, 1850, 1915, 1930, 1995, 20}, NrBand{26, 814, 849, 859, 894, 20},
    NrBand{28, 703, 748, 758, 803, 20},     NrBand{30, 2305, 2315, 2350, 2360, 20},
    NrBand{34, 2010, 2025, 2010, 2025, 20}, NrBand{38, 2570, 2620, 2570, 2620, 20},
    NrBand{39, 1880, 1920, 1880, 1920, 20}, NrBand{40, 2300, 2400, 2300, 2400, 20},
    NrBand{41, 2496, 2690, 2496, 2690, 3},  NrBand{48, 3550, 3700, 3550, 3700, 1},
    NrBand{50, 1432, 1517, 1432, 1517, 20}, NrBand{51, 1427, 1432, 1427, 1432, 20},
    NrBand{65, 1920, 2010, 2110, 2200, 20}, NrBand{66, 1710, 1780, 2110, 2200, 20},
    NrBand{70, 1695, 1710, 1995, 2020, 20}, NrBand{71, 663, 698, 617, 652, 20},
    NrBand{74, 1427, 1470, 1475, 1518, 20}, NrBand{75, 0, 0, 1432, 1517, 20},
    NrBand{76, 0, 0, 1427, 1432, 20},       NrBand{77, 3300, 4200, 3300, 4200, 1},
    NrBand{78, 3300, 3800, 3300, 3800, 1},  NrBand{79, 4400, 5000, 4400, 5000, 1},
};

constexpr double lte_raster_hz = 100e3;

std::vector<Band> all_bands() {
    std::vector<Band> out;
    for (const auto& b : lte_bands)
        out.push_back({Technology::lte,
                       b.number,
                       {b.up_low * 1e6, b.up_high * 1e6},
                       {b.down_low * 1e6, b.down_high * 1e6},
                       b.up_first,
                       b.down_first,
                       1});
    for (const auto& b : nr_bands)
        out.push_back({Technology::nr,
                       b.number,
                       {b.up_low * 1e6, b.up_high * 1e6},
                       {b.down_low * 1e6, b.down_high * 1e6},
                       0,
                       0,
                       b.step});
    return out;
}

// NR-ARFCN: ranges of the global raster.
struct Stretch {
    double spacing_hz, from_hz;
    std::size_t first, last;
};
constexpr Stretch stretches[] = {
    {5e3, 0, 0, 599999}, {15e3, 3000e6, 600000, 2016666}, {60e3, 24250.08e6, 2016667, 3279165}};

const Range& range_of(const Band& band, Direction direction) {
    const Range& range = direction == Direction::up ? band.uplink : band.downlink;
    if (range.empty()) fail_input("band " + band.name() + " has no uplink");
    return range;
}

// Numbers from `first` on, `step` apart, with their frequencies.
struct Raster {
    std::size_t first, step;
    double first_hz, step_hz;
    // `place` counts steps.
    Channel at(double place) const {
        return {first + step * static_cast<std::size_t>(std::max(0.0, place)), first_hz + place * step_hz};
    }
    double place_of(double hz) const { return (hz - first_hz) / step_hz; }
};

constexpr double hair = 1e-6;  // of a step, for arithmetic that is not exact

Raster raster_of(const Band& band, Direction direction, double spacing_hz) {
    const Range& range = range_of(band, direction);
    if (band.technology == Technology::lte)
        return {direction == Direction::up ? band.first_uplink : band.first_downlink, 1, range.low_hz,
                lte_raster_hz};
    // The band's first number is the first of the global raster that is not below its edge.
    const auto& stretch = *std::find_if(std::begin(stretches), std::end(stretches), [&](const Stretch& s) {
        return range.low_hz <= *nr_frequency(s.last);
    });
    const double place = std::ceil((range.low_hz - stretch.from_hz) / stretch.spacing_hz - hair);
    const std::size_t step = raster_step(band, spacing_hz);
    return {stretch.first + static_cast<std::size_t>(place), step,
            stretch.from_hz + place * stretch.spacing_hz, stretch.spacing_hz * static_cast<double>(step)};
}

}  // namespace

std::string Band::name() const {
    return (technology == Technology::nr ? "n" : "") + std::to_string(number);
}

const std::vector<Band>& bands() {
    static const std::vector<Band> all = all_bands();
    return all;
}

const Band& band_called(const std::string& name) {
    const std::string wanted = lower(name);
    for (const auto& band : bands())
        if (band.name() == wanted) return band;
    fail_input("band " + in_quotes(name) + " is not known: write a number such as 7 for LTE, n78 for NR");
}

std::optional<double> nr_frequency(std::size_t number) {
    for (const auto& s : stretches)
        if (number >= s.first && number <= s.last)
            return s.from_hz + s.spacing_hz * static_cast<double>(number - s.first);
    return std::nullopt;
}

std::size_t raster_step(const Band& band, double spacing_hz) {
    if (band.technology == Technology::lte) return 1;
    return band.step == 20 || spacing_hz < 30e3 ? band.step : 2 * band.step;
}

TestChannels test_channels(const Band& band, Direction direction, double bandwidth_hz, double spacing_hz) {
    const Range& range = range_of(band, direction);
    if (bandwidth_hz > range.high_hz - range.low_hz + 1)
        fail_input(fmt::format("band {} is {:g} MHz wide: no channel of {:g} MHz fits", band.name(),
                               (range.high_hz - range.low_hz) / 1e6, bandwidth_hz / 1e6));
    const Raster raster = raster_of(band, direction, spacing_hz);
    const double low = std::ceil(raster.place_of(range.low_hz + bandwidth_hz / 2) - hair);
    const double high = std::floor(raster.place_of(range.high_hz - bandwidth_hz / 2) + hair);
    const double middle = std::round(raster.place_of((range.low_hz + range.high_hz) / 2) - hair);
    if (low > high)
        fail_input(fmt::format("no channel of {:g} MHz on the raster fits band {}", bandwidth_hz / 1e6,
                               band.name()));
    return {raster.at(low), raster.at(std::clamp(middle, low, high)), raster.at(high)};
}

Channel channel_numbered(const Band& band, Direction direction, std::size_t number, double bandwidth_hz,
                         double spacing_hz) {
    const Raster raster = raster_of(band, direction, spacing_hz);
    const TestChannels ends = test_channels(band, direction, bandwidth_hz, spacing_hz);
    const std::string allowed =
        fmt::format("{} to {}{}", ends.low.number, ends.high.number,
                    raster.step == 1 ? "" : fmt::format(" in steps of {}", raster.step));
    const auto refused = [&](const std::string& why) {
        fail_input(fmt::format("channel {} of band {}: {}; with {:g} MHz there are {}", number, band.name(),
                               why, bandwidth_hz / 1e6, allowed));
    };
    if (number < raster.first) refused("below the band");
    if ((number - raster.first) % raster.step != 0) refused("not on the raster");
    if (number < ends.low.number || number > ends.high.number) refused("it would reach beyond the band");
    return raster.at(static_cast<double>((number - raster.first) / raster.step));
}

Channel channel_at(const Band& band, Direction direction, double hz, double spacing_hz) {
    const Raster raster = raster_of(band, direction, spacing_hz);
    const double place = raster.place_of(hz), whole = std::round(place);
    const Range& range = range_of(band, direction);
    if (hz < range.low_hz || hz > range.high_hz)
        fail_input(format({hz, Unit::hertz}, 10) + " lies outside of band " + band.name());
    if (std::abs(place - whole) * raster.step_hz > 1)
        fail_input(format({hz, Unit::hertz}, 10) + " is not on the raster of band " + band.name() +
                   "; nearest: " + format({raster.at(whole).hz, Unit::hertz}, 10));
    return raster.at(whole);
}

Channel partner_of(const Band& band, Direction direction, const Channel& channel) {
    if (band.both_ways_alike()) return channel;
    const Direction other = direction == Direction::up ? Direction::down : Direction::up;
    const double hz = channel.hz - range_of(band, direction).low_hz + range_of(band, other).low_hz;
    if (hz > range_of(band, other).high_hz) fail_input("that channel has no partner in band " + band.name());
    return channel_at(band, other, hz, 15e3);
}

}  // namespace rt::cellular
