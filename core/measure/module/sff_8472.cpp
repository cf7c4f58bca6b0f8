// SFP: SFF-8472, tables of A0h and A2h; internal and external calibration (section 9.3).
#include <fmt/core.h>

#include <cmath>

#include "core/measure/module/reader.hpp"

namespace rt::management {
namespace {

// What external calibration makes of a number of the converter, in steps of the internal one.
struct SfpScale {
    double slope = 1, offset = 0;
    std::array<double, 5> polynomial{0, 1, 0, 0, 0};  // of received power, from the constant on
    bool by_polynomial = false;

    double operator()(double raw) const {
        if (!by_polynomial) return slope * raw + offset;
        double out = 0;
        for (std::size_t k = polynomial.size(); k-- > 0;) out = out * raw + polynomial[k];
        return out;
    }
};

struct SfpRow {
    Measured measured;
    int value, limits, slope;  // places in A2h; slope with its offset behind it
    double step;
};
constexpr std::array sfp_rows{
    SfpRow{Measured::temperature, 96, 0, 84, 1.0 / 256}, SfpRow{Measured::supply, 98, 8, 88, 100e-6},
    SfpRow{Measured::bias, 100, 16, 76, 2e-6},           SfpRow{Measured::tx_power, 102, 24, 80, 0.1e-6},
    SfpRow{Measured::rx_power, 104, 32, -1, 0.1e-6},
};

std::optional<SfpScale> external(const Reader& a2, const SfpRow& row) {
    SfpScale out;
    if (row.slope < 0) {
        out.by_polynomial = true;
        for (int k = 0; k < 5; ++k) {
            const auto value = a2.single(56 + 4 * k);  // the fourth power first
            if (!value) return std::nullopt;
            out.polynomial[static_cast<std::size_t>(4 - k)] = *value;
        }
        return out;
    }
    const auto slope = a2.unsigned16(row.slope), offset = a2.signed16(row.slope + 2);
    if (!slope || !offset) return std::nullopt;
    out.slope = *slope / 256, out.offset = *offset;
    return out;
}

void add_sfp_flags(const Reader& a2, Module& out) {
    if (a2.bit(110, 2)) out.faults.push_back({"transmitter fault", 1});
    if (a2.bit(110, 1)) out.faults.push_back({"loss of received signal", 1});
    if (a2.bit(110, 7)) out.remarks.emplace_back("the transmitter is disabled by its pin");
    if (a2.bit(110, 6)) out.remarks.emplace_back("the transmitter is disabled by a register");
    const auto latch = [&](Measured what, int place, int high) {
        add_latched(out, what, what == Measured::temperature || what == Measured::supply ? 0 : 1,
                    a2.bit(place, high), a2.bit(place, high - 1), a2.bit(place + 4, high),
                    a2.bit(place + 4, high - 1));
    };
    latch(Measured::temperature, 112, 7);
    latch(Measured::supply, 112, 5);
    latch(Measured::bias, 112, 3);
    latch(Measured::tx_power, 112, 1);
    latch(Measured::rx_power, 113, 7);
}

}  // namespace

Module read_sff_8472(const Registers& registers) {
    const Reader a0(registers, 0, 0), a2(registers, 1, 0);
    Module out;
    out.form = "SFP (SFF-8472)";
    add_identity(out, "maker", a0.text(20, 35));
    add_identity(out, "maker's OUI", a0.octets(37, 39));
    add_identity(out, "part", a0.text(40, 55));
    add_identity(out, "revision", a0.text(56, 59));
    add_identity(out, "serial", a0.text(68, 83));
    add_identity(out, "date", a0.date(84));
    if (const auto rate = a0.byte(12); rate && *rate != 0 && *rate != 255)
        add_identity(out, "nominal rate", format({*rate * 1e8, Unit::hertz}) + " (symbols)");
    if (const auto nm = a0.unsigned16(60); nm && *nm != 0 && !a0.bit(8, 2) && !a0.bit(8, 3))
        add_identity(out, "wavelength", format({*nm * 1e-9, Unit::metre}));
    a0.check(0, 62, 63, out);
    a0.check(64, 94, 95, out);
    const auto type = a0.byte(92);
    const auto none = [&](const std::string& why) {
        for (const auto measured : all_measured) out.no_value.emplace(measured, why);
        return out;
    };
    if (!type) return none("the registers do not hold A0h, byte 92, which says how the module is calibrated");
    if (!a0.bit(92, 6)) return none("the module has no monitors (A0h, byte 92, bit 6)");
    const bool externally = a0.bit(92, 4);
    if (externally == a0.bit(92, 5))
        return none(
            fmt::format("A0h, byte 92 is {:02X}h: one of internal (bit 5) and external (bit 4) calibration "
                        "must be set",
                        *type));
    add_identity(out, "calibration", externally ? "external" : "internal");
    add_identity(out, "received power", a0.bit(92, 3) ? "average" : "modulation amplitude");
    a2.check(0, 94, 95, out);
    if (a2.bit(110, 0)) return none("the module says that its data are not ready (A2h, byte 110, bit 0)");
    const bool right =
        !out.checksums.empty() && out.checksums.back().right() && out.checksums.back().place == a2.name(95);
    for (const auto& row : sfp_rows) {
        const auto scale = externally ? external(a2, row) : std::optional(SfpScale{});
        if (!scale || (externally && !right)) {
            out.no_value.emplace(row.measured, scale
                                                   ? "the checksum of its calibration is wrong (A2h, byte 95)"
                                                   : "the registers do not hold its calibration");
            continue;
        }
        const bool with_sign = row.measured == Measured::temperature;
        const auto raw = with_sign ? a2.signed16(row.value) : a2.unsigned16(row.value);
        if (!raw) {
            out.no_value.emplace(row.measured, "the registers do not hold it (" + a2.name(row.value) + ")");
            continue;
        }
        const bool whole = row.measured == Measured::temperature || row.measured == Measured::supply;
        Monitor monitor{row.measured, whole ? 0 : 1, (*scale)(*raw) * row.step, {}, {}};
        auto limits = a2.four(row.limits, with_sign, 1);
        if (!right) {
            out.no_limits.emplace(row.measured,
                                  "the checksum over its limits is wrong or not known (A2h, byte 95)");
        } else if (!limits) {
            out.no_limits.emplace(row.measured,
                                  "the module states no limits (" + a2.name(row.limits) + " on)");
        } else {
            for (double* limit :
                 {&limits->high_alarm, &limits->low_alarm, &limits->high_warning, &limits->low_warning})
                *limit = (*scale)(*limit) * row.step;
            monitor.limits = limits;
        }
        out.monitors.push_back(std::move(monitor));
    }
    add_sfp_flags(a2, out);
    return out;
}

}  // namespace rt::management
