// QSFP-DD, OSFP and what else follows CMIS 4 and 5: lower memory, pages 00h, 01h, 02h and 11h.
#include <fmt/core.h>

#include <algorithm>

#include "core/measure/module/reader.hpp"

namespace rt::management {
namespace {

struct LaneRow {
    Measured measured;
    int limits;  // on page 02h
    int value;   // on page 11h, or in the lower memory
    int flags;   // high alarm, low alarm, high warning, low warning: a byte each, a bit for each lane
    double step;
};
constexpr std::array lane_rows{
    LaneRow{Measured::tx_power, 176, 154, 139, 0.1e-6},
    LaneRow{Measured::bias, 184, 170, 143, 2e-6},
    LaneRow{Measured::rx_power, 192, 186, 149, 0.1e-6},
};

const char* state_name(int state) {
    constexpr std::array names{"of no known number", "low power", "powering up",        "ready",
                               "powering down",      "fault",     "of no known number", "of no known number"};
    return names[static_cast<std::size_t>(state)];
}

void add_lane_flags(const Reader& lanes, Module& out) {
    struct Kind {
        int place;
        const char* what;
    };
    constexpr std::array kinds{Kind{135, "transmitter fault"}, Kind{136, "loss of signal to transmit"},
                               Kind{137, "loss of lock, transmitter"}, Kind{147, "loss of received signal"},
                               Kind{148, "loss of lock, receiver"}};
    for (const auto& kind : kinds)
        for (int lane = 1; lane <= out.lanes; ++lane)
            if (lanes.bit(kind.place, lane - 1)) out.faults.push_back({kind.what, lane});
    for (const auto& row : lane_rows)
        for (int lane = 1; lane <= out.lanes; ++lane)
            add_latched(out, row.measured, lane, lanes.bit(row.flags, lane - 1),
                        lanes.bit(row.flags + 1, lane - 1), lanes.bit(row.flags + 2, lane - 1),
                        lanes.bit(row.flags + 3, lane - 1));
}

}  // namespace

Module read_cmis(const Registers& registers) {
    const Reader low(registers, 0, 0), first(registers, 0, 1), limits(registers, 0, 2),
        lanes(registers, 0, 0x11);
    Module out;
    const auto revision = low.byte(1);
    out.form = revision ? fmt::format("CMIS {}.{}", *revision >> 4, *revision & 15) : "CMIS";
    add_identity(out, "maker", low.text(129, 144));
    add_identity(out, "maker's OUI", low.octets(145, 147));
    add_identity(out, "part", low.text(148, 163));
    add_identity(out, "revision", low.text(164, 165));
    add_identity(out, "serial", low.text(166, 181));
    add_identity(out, "date", low.date(182));
    if (const auto power = low.byte(201))
        add_identity(out, "highest power", format({*power * 0.25, Unit::watt}));
    if (const auto length = first.unsigned16(138); length && *length != 0)
        add_identity(out, "wavelength", format({*length * 0.05e-9, Unit::metre}));
    // The first application says how many lanes its medium has.
    const int media = low.byte(88).value_or(0) & 15;
    out.lanes = media >= 1 && media <= 8 ? media : 8;
    const bool flat = low.bit(2, 7);
    low.check(128, 221, 222, out);
    if (!flat) {
        first.check(130, 254, 255, out);
        limits.check(128, 254, 255, out);
    }
    const bool limits_right = std::any_of(out.checksums.begin(), out.checksums.end(), [&](const Checksum& c) {
        return c.place == limits.name(255) && c.right();
    });
    const auto take_limits = [&](Measured measured, int place, double step) {
        const auto four = limits.four(place, measured == Measured::temperature, step);
        if (limits_right && four) {
            for (auto& monitor : out.monitors)
                if (monitor.measured == measured) monitor.limits = four;
            return;
        }
        out.no_limits.emplace(measured,
                              flat ? "the module has one page only, without limits (A0h, byte 2, bit 7)"
                              : !limits.byte(place) ? "the registers do not hold page 02h with the limits"
                              : !limits_right
                                  ? "the checksum over its limits is wrong or not known (page 02h, byte 255)"
                                  : "the module states no limits (" + limits.name(place) + " on)");
    };
    const auto add_whole = [&](Measured measured, int value, int place, double step) {
        add_monitor(low, value, measured, 0, step, out);
        take_limits(measured, place, step);
    };
    add_whole(Measured::temperature, 14, 128, 1.0 / 256);
    add_whole(Measured::supply, 16, 136, 100e-6);
    add_latched(out, Measured::temperature, 0, low.bit(9, 0), low.bit(9, 1), low.bit(9, 2), low.bit(9, 3));
    add_latched(out, Measured::supply, 0, low.bit(9, 4), low.bit(9, 5), low.bit(9, 6), low.bit(9, 7));
    const auto state = low.byte(3);
    const int now = state.value_or(0) >> 1 & 7;
    constexpr int ready = 3, fault = 5;
    if (state) add_identity(out, "state", state_name(now));
    if (state && now == fault) out.faults.push_back({"the module is in its state of fault", 0});
    std::string why;
    if (flat) why = "the module has one page only, without lanes (A0h, byte 2, bit 7)";
    if (why.empty() && !state)
        why = "the registers do not hold A0h, byte 3, which says the state of the module";
    if (why.empty() && now != ready)
        why = std::string("the module is not ready: its state is ") + state_name(now);
    for (const auto& row : lane_rows) {
        if (!why.empty()) {
            out.no_value.emplace(row.measured, why);
            continue;
        }
        double step = row.step;
        if (row.measured == Measured::bias) {
            const auto scale = first.byte(160);
            const int times = scale.value_or(0) >> 3 & 3;
            if (!scale || times == 3) {
                out.no_value.emplace(row.measured,
                                     scale ? "page 01h, byte 160 states no known multiplier of it"
                                           : "the registers do not hold its multiplier (page 01h, byte 160)");
                continue;
            }
            step *= 1 << times;
        }
        for (int lane = 1; lane <= out.lanes; ++lane)
            add_monitor(lanes, row.value + 2 * (lane - 1), row.measured, lane, step, out);
        take_limits(row.measured, row.limits, step);
    }
    if (why.empty()) add_lane_flags(lanes, out);
    return out;
}

}  // namespace rt::management
