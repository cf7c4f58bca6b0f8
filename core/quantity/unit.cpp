#include "core/quantity/unit.hpp"

#include <array>
#include <cstddef>

#include "core/base/text.hpp"

namespace rt {
namespace {

using enum Dimension;

// In the order of enum Unit.
constexpr std::array units{
    UnitInfo{Unit::none, "", "", number, false, "a plain number", "1.5"},
    UnitInfo{Unit::count, "counts", "counts", Dimension::count, false, "a count", "100 counts"},
    UnitInfo{Unit::hertz, "Hz", "Hz", frequency, true, "a frequency", "150 kHz"},
    UnitInfo{Unit::second, "s", "s", time, true, "a time", "20 ms"},
    UnitInfo{Unit::volt, "V", "V", voltage, true, "a voltage", "1.2 V"},
    UnitInfo{Unit::ampere, "A", "A", current, true, "a current", "20 mA"},
    UnitInfo{Unit::watt, "W", "W", power, true, "a power", "1 mW"},
    UnitInfo{Unit::ohm, "ohm", "Ω", resistance, true, "a resistance", "50 ohm"},
    UnitInfo{Unit::metre, "m", "m", length, true, "a length", "3 m"},
    UnitInfo{Unit::volt_per_metre, "V/m", "V/m", electric_field, true, "an electric field", "3 V/m"},
    UnitInfo{Unit::bit_per_second, "bit/s", "bit/s", bit_rate, true, "a bit rate", "250 kbit/s"},
    UnitInfo{Unit::celsius, "degC", "°C", temperature, false, "a temperature", "23 degC"},
    UnitInfo{Unit::degree, "deg", "°", angle, false, "an angle", "45 deg"},
    UnitInfo{Unit::percent, "%", "%", fraction, false, "a fraction", "35 %"},
    UnitInfo{Unit::ppm, "ppm", "ppm", fraction, false, "a fraction", "40 ppm"},
    UnitInfo{Unit::db, "dB", "dB", level_difference, false, "a level difference", "3 dB"},
    UnitInfo{Unit::db_per_metre, "dB/m", "dB/m", antenna_factor, false, "an antenna factor", "8.1 dB/m"},
    UnitInfo{Unit::dbm, "dBm", "dBm", power, false, "a power level", "-20 dBm"},
    UnitInfo{Unit::dbuv, "dBuV", "dBµV", voltage, false, "a voltage level", "60 dBuV"},
    UnitInfo{Unit::dbua, "dBuA", "dBµA", current, false, "a current level", "40 dBuA"},
    UnitInfo{Unit::dbuv_per_metre, "dBuV/m", "dBµV/m", electric_field, false, "a field strength level",
             "40 dBuV/m"},
    UnitInfo{Unit::dbua_per_metre, "dBuA/m", "dBµA/m", magnetic_field, false, "a magnetic field level",
             "20 dBuA/m"},
    UnitInfo{Unit::dbm_per_hz, "dBm/Hz", "dBm/Hz", power_density, false, "a power density", "-150 dBm/Hz"},
    UnitInfo{Unit::dbm_per_mhz, "dBm/MHz", "dBm/MHz", power_density, false, "a power density",
             "-41.3 dBm/MHz"},
    UnitInfo{Unit::dbfs, "dBFS", "dBFS", full_scale_level, false, "a level relative to full scale",
             "-12 dBFS"},
    UnitInfo{Unit::dbfs_per_hz, "dBFS/Hz", "dBFS/Hz", full_scale_density, false,
             "a density relative to full scale", "-120 dBFS/Hz"},
    UnitInfo{Unit::unit_interval, "UI", "UI", Dimension::symbol_time, false, "a part of a symbol", "0.3 UI"},
    UnitInfo{Unit::volt_per_second, "V/s", "V/s", Dimension::slew_rate, true, "a slew rate", "2 GV/s"},
    UnitInfo{Unit::siemens, "S", "S", Dimension::conductance, true, "a conductance", "20 mS"},
    UnitInfo{Unit::radian, "rad", "rad", angle, false, "an angle", "1.1 rad"},
};

struct Alias {
    std::string_view spelling;
    Unit unit;
    double factor;
};

constexpr std::array aliases{
    Alias{"count", Unit::count, 1},
    Alias{"Ω", Unit::ohm, 1},
    Alias{"Ohm", Unit::ohm, 1},
    Alias{"b/s", Unit::bit_per_second, 1},
    Alias{"Bd", Unit::hertz, 1},  // symbols a second
    Alias{"°C", Unit::celsius, 1},
    Alias{"°", Unit::degree, 1},
    Alias{"degree", Unit::degree, 1},
    Alias{"degrees", Unit::degree, 1},
    Alias{"dBr", Unit::db, 1},
    Alias{"dBc", Unit::db, 1},
    Alias{"dBµV", Unit::dbuv, 1},
    Alias{"dBµA", Unit::dbua, 1},
    Alias{"dBµV/m", Unit::dbuv_per_metre, 1},
    Alias{"dBµA/m", Unit::dbua_per_metre, 1},
    Alias{"min", Unit::second, 60},
    Alias{"h", Unit::second, 3600},
};

struct Prefix {
    std::string_view spelling;
    int exponent;
};

constexpr std::array prefixes{
    Prefix{"f", -15}, Prefix{"p", -12}, Prefix{"n", -9}, Prefix{"u", -6}, Prefix{"µ", -6}, Prefix{"μ", -6},
    Prefix{"m", -3},  Prefix{"k", 3},   Prefix{"M", 6},  Prefix{"G", 9},  Prefix{"T", 12},
};

std::optional<Spelling> parse_plain(std::string_view text) {
    for (const auto& entry : units) {
        if (text == entry.symbol) return Spelling{entry.unit};
    }
    for (const auto& alias : aliases) {
        if (text == alias.spelling) return Spelling{alias.unit, 0, alias.factor};
    }
    return std::nullopt;
}

}  // namespace

const UnitInfo& info(Unit unit) {
    return units[static_cast<std::size_t>(unit)];
}

std::span<const UnitInfo> all_units() {
    return units;
}

bool is_decibel(Unit unit) {
    return unit >= Unit::db && unit <= Unit::dbfs_per_hz;
}

std::optional<Spelling> parse_unit(std::string_view text) {
    if (const auto plain = parse_plain(text)) return plain;
    for (const auto& prefix : prefixes) {
        if (!text.starts_with(prefix.spelling)) continue;
        const auto plain = parse_plain(text.substr(prefix.spelling.size()));
        if (plain && plain->factor == 1 && info(plain->unit).prefixed) {
            return Spelling{plain->unit, prefix.exponent};
        }
    }
    // A slip in case that cannot mean anything else: "khz", "GHZ", "dbm".
    for (const auto& entry : units) {
        if (is_decibel(entry.unit) && lower(text) == lower(entry.symbol)) return Spelling{entry.unit};
    }
    // As headings spell it where a slash is no letter: dbuv_per_m.
    if (const auto per = lower(text).find("_per_"); per != std::string::npos)
        return parse_unit(std::string(text.substr(0, per)) + "/" + std::string(text.substr(per + 5)));
    if (lower(text).ends_with("hz") && text.size() <= 3) {
        const std::string fixed = (text.size() == 3 ? std::string(1, text[0]) : "") + "Hz";
        if (fixed != text) {
            if (fixed[0] == 'K') return parse_unit("kHz");
            if (fixed[0] == 'g') return parse_unit("GHz");
            return parse_unit(fixed);
        }
    }
    return std::nullopt;
}

}  // namespace rt
