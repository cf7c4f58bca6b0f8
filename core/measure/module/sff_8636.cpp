// QSFP+ and QSFP28: SFF-8636, lower page, pages 00h and 03h.
#include "core/measure/module/reader.hpp"

namespace rt::management {
namespace {

struct QsfpRow {
    Measured measured;
    int value, limits;  // limits on page 03h
    double step;
    int lanes;
    int flags;  // byte of the first two lanes
};
constexpr std::array qsfp_rows{
    QsfpRow{Measured::temperature, 22, 128, 1.0 / 256, 0, 6},
    QsfpRow{Measured::supply, 26, 144, 100e-6, 0, 7},
    QsfpRow{Measured::rx_power, 34, 176, 0.1e-6, 4, 9},
    QsfpRow{Measured::bias, 42, 184, 2e-6, 4, 11},
    QsfpRow{Measured::tx_power, 50, 192, 0.1e-6, 4, 13},
};

void add_qsfp_flags(const Reader& low, Module& out) {
    constexpr int lanes = 4;
    for (int lane = 1; lane <= lanes; ++lane) {
        if (low.bit(3, lane - 1)) out.faults.push_back({"loss of received signal", lane});
        if (low.bit(3, lane + 3)) out.faults.push_back({"loss of signal to transmit", lane});
        if (low.bit(4, lane - 1)) out.faults.push_back({"transmitter fault", lane});
        if (low.bit(5, lane - 1)) out.faults.push_back({"loss of lock, receiver", lane});
        if (low.bit(5, lane + 3)) out.faults.push_back({"loss of lock, transmitter", lane});
        if (low.bit(86, lane - 1))
            out.remarks.push_back("lane " + std::to_string(lane) + ": the transmitter is disabled");
    }
    for (const auto& row : qsfp_rows) {
        for (int lane = row.lanes > 0 ? 1 : 0; lane <= row.lanes; ++lane) {
            // The first of two lanes, and the module itself, stand in the high half.
            const int place = row.flags + (lane > 0 ? (lane - 1) / 2 : 0),
                      high = lane > 0 && lane % 2 == 0 ? 3 : 7;
            add_latched(out, row.measured, lane, low.bit(place, high), low.bit(place, high - 1),
                        low.bit(place, high - 2), low.bit(place, high - 3));
        }
    }
}

}  // namespace

Module read_sff_8636(const Registers& registers) {
    const Reader low(registers, 0, 0), limits(registers, 0, 3);
    Module out;
    out.form = "QSFP (SFF-8636)";
    out.lanes = 4;
    add_identity(out, "maker", low.text(148, 163));
    add_identity(out, "maker's OUI", low.octets(165, 167));
    add_identity(out, "part", low.text(168, 183));
    add_identity(out, "revision", low.text(184, 185));
    add_identity(out, "serial", low.text(196, 211));
    add_identity(out, "date", low.date(212));
    if (const auto length = low.unsigned16(186); length && *length != 0)
        add_identity(out, "wavelength", format({*length * 0.05e-9, Unit::metre}));
    low.check(128, 190, 191, out);
    low.check(192, 222, 223, out);
    if (low.bit(2, 0)) {
        for (const auto measured : all_measured)
            out.no_value.emplace(measured,
                                 "the module says that its data are not ready (A0h, byte 2, bit 0)");
        return out;
    }
    const auto type = low.byte(220);
    if (type) add_identity(out, "received power", low.bit(220, 3) ? "average" : "modulation amplitude");
    for (const auto& row : qsfp_rows) {
        if (row.measured == Measured::tx_power && type && !low.bit(220, 2)) {
            out.no_value.emplace(row.measured, "the module does not monitor it (A0h, byte 220, bit 2)");
            continue;
        }
        for (int lane = row.lanes > 0 ? 1 : 0; lane <= row.lanes; ++lane)
            add_monitor(low, row.value + 2 * std::max(0, lane - 1), row.measured, lane, row.step, out);
        const auto four = limits.four(row.limits, row.measured == Measured::temperature, row.step);
        if (!four) {
            const bool flat = low.bit(2, 2);
            out.no_limits.emplace(row.measured,
                                  flat ? "the module has one page only, without limits (A0h, byte 2, bit 2)"
                                  : limits.byte(row.limits)
                                      ? "the module states no limits (" + limits.name(row.limits) + " on)"
                                      : "the registers do not hold page 03h with the limits");
        }
        for (auto& monitor : out.monitors)
            if (monitor.measured == row.measured) monitor.limits = four;
    }
    add_qsfp_flags(low, out);
    return out;
}

}  // namespace rt::management
