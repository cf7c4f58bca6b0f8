#include "core/measure/receiver/phy_rate.hpp"

#include <fmt/core.h>

#include <algorithm>
#include <array>
#include <cmath>

#include "core/base/error.hpp"

namespace rt {
namespace {

struct Modulation {
    int bits, code_up, code_down;  // a carrier; code rate
};
constexpr std::array<Modulation, 12> modulations{{{1, 1, 2},
                                                  {2, 1, 2},
                                                  {2, 3, 4},
                                                  {4, 1, 2},
                                                  {4, 3, 4},
                                                  {6, 2, 3},
                                                  {6, 3, 4},
                                                  {6, 5, 6},
                                                  {8, 3, 4},
                                                  {8, 5, 6},
                                                  {10, 3, 4},
                                                  {10, 5, 6}}};

[[noreturn]] void refuse(const WlanMode& mode, const std::string& why) {
    fail_input("802.11" + mode.generation + " has no such mode: " + why);
}

void require_one_of(const WlanMode& mode, const char* what, double value, std::initializer_list<double> known,
                    const char* unit) {
    std::string list;
    for (const double one : known) {
        if (std::abs(value - one) < 1e-6 * one) return;
        list += fmt::format("{}{:g}", list.empty() ? "" : ", ", one);
    }
    refuse(mode, fmt::format("{} {:g} {}; write {}", what, value, unit, list));
}

double old_rate(const WlanMode& mode) {
    const double mbps = mode.rate_bps / 1e6;
    if (mode.generation == "b") {
        require_one_of(mode, "rate", mbps, {1, 2, 5.5, 11}, "Mb/s");
        return mode.rate_bps;
    }
    require_one_of(mode, "rate", mbps, {6, 9, 12, 18, 24, 36, 48, 54}, "Mb/s");
    require_one_of(mode, "width", mode.width_mhz, {5, 10, 20}, "MHz");
    return mode.rate_bps * mode.width_mhz / 20;
}

int data_carriers(const WlanMode& mode) {
    const int width = mode.width_mhz;
    if (mode.generation != "ax") return width == 20 ? 52 : width == 40 ? 108 : width == 80 ? 234 : 468;
    const int tones = mode.tones > 0 ? mode.tones
                      : width == 20  ? 242
                      : width == 40  ? 484
                      : width == 80  ? 996
                                     : 1992;
    constexpr std::pair<int, int> units[]{{26, 24},   {52, 48},   {106, 102},  {242, 234},
                                          {484, 468}, {996, 980}, {1992, 1960}};
    for (const auto& [all, data] : units) {
        if (all != tones) continue;
        const int room = width == 20 ? 242 : width == 40 ? 484 : width == 80 ? 996 : 1992;
        if (all > room) refuse(mode, fmt::format("{} tones in {} MHz", tones, width));
        return data;
    }
    refuse(mode, fmt::format("{} tones; write 26, 52, 106, 242, 484, 996 or 1992", tones));
}

// What the tables of 802.11ac leave out (21.5): bits of a symbol would not go whole into the encoders.
bool excluded(int width_mhz, int mcs, int streams) {
    if (width_mhz == 20) return mcs == 9 && streams != 3 && streams != 6;
    if (width_mhz == 80) return (mcs == 6 && (streams == 3 || streams == 7)) || (mcs == 9 && streams == 6);
    return width_mhz == 160 && mcs == 9 && streams == 3;
}

}  // namespace

int streams_of(const WlanMode& mode) {
    return mode.generation == "n" && mode.mcs >= 0 ? mode.mcs / 8 + 1 : mode.streams;
}

double phy_rate(const WlanMode& mode) {
    const std::string& g = mode.generation;
    if (g == "a" || g == "b" || g == "g") return old_rate(mode);
    if (g != "n" && g != "ac" && g != "ax")
        fail_input("802.11" + g + " is not known: write a, b, g, n, ac or ax");
    const int most = g == "n" ? 31 : g == "ac" ? 9 : 11;
    if (mode.mcs < 0 || mode.mcs > most) refuse(mode, fmt::format("MCS {}; write 0 to {}", mode.mcs, most));
    if (g == "n")
        require_one_of(mode, "width", mode.width_mhz, {20, 40}, "MHz");
    else
        require_one_of(mode, "width", mode.width_mhz, {20, 40, 80, 160}, "MHz");
    if (g == "ax")
        require_one_of(mode, "guard", mode.guard_s * 1e6, {0.8, 1.6, 3.2}, "us");
    else
        require_one_of(mode, "guard", mode.guard_s * 1e6, {0.4, 0.8}, "us");
    const int streams = streams_of(mode);
    if (streams < 1 || streams > 8) refuse(mode, fmt::format("{} streams; write 1 to 8", streams));
    if (g != "ax" && (mode.tones > 0 || mode.dual_carrier)) refuse(mode, "tones and dual carriers are ax");
    const auto& m = modulations[static_cast<std::size_t>(g == "n" ? mode.mcs % 8 : mode.mcs)];
    int carriers = data_carriers(mode);
    if (mode.dual_carrier) {
        if ((mode.mcs > 4 || mode.mcs == 2) || streams > 2)
            refuse(mode, "dual carriers need MCS 0, 1, 3 or 4 and at most 2 streams");
        carriers /= 2;
    }
    if (g == "ax" && mode.mcs > 9 && carriers < 234) refuse(mode, "MCS 10 and 11 need 242 tones or more");
    const int coded = streams * carriers * m.bits;
    if (g == "ac" && excluded(mode.width_mhz, mode.mcs, streams))
        refuse(mode, fmt::format("MCS {} with {} stream{} at {} MHz is excluded", mode.mcs, streams,
                                 streams == 1 ? "" : "s", mode.width_mhz));
    const double symbol_s = (g == "ax" ? 12.8e-6 : 3.2e-6) + mode.guard_s;
    return std::floor(static_cast<double>(coded) * m.code_up / m.code_down) / symbol_s;
}

std::string text_of(const WlanMode& mode) {
    if (mode.mcs < 0)
        return fmt::format("802.11{}, {:g} Mb/s, {} MHz", mode.generation, mode.rate_bps / 1e6,
                           mode.width_mhz);
    const int streams = streams_of(mode);
    return fmt::format("802.11{}, MCS {}, {} stream{}, {} MHz, guard {:g} us{}{}", mode.generation, mode.mcs,
                       streams, streams == 1 ? "" : "s", mode.width_mhz, mode.guard_s * 1e6,
                       mode.tones > 0 ? fmt::format(", {} tones", mode.tones) : "",
                       mode.dual_carrier ? ", dual carriers" : "");
}

}  // namespace rt
