// The units of the trade: one table says how each is spelled, what it measures and how it scales.
#pragma once

#include <optional>
#include <span>
#include <string>
#include <string_view>

namespace rt {

enum class Unit {
    none,  // a plain number
    count,
    hertz,
    second,
    volt,
    ampere,
    watt,
    ohm,
    metre,
    volt_per_metre,
    bit_per_second,
    celsius,
    degree,
    percent,
    ppm,
    db,
    db_per_metre,
    dbm,
    dbuv,
    dbua,
    dbuv_per_metre,
    dbua_per_metre,
    dbm_per_hz,
    dbm_per_mhz,
    dbfs,
    dbfs_per_hz,
    unit_interval,
    volt_per_second,
    siemens,
    radian,
};

// What a unit measures. Units of one dimension convert into each other; others need more than a factor.
enum class Dimension {
    number,
    count,
    frequency,
    time,
    voltage,
    current,
    power,
    resistance,
    length,
    electric_field,
    magnetic_field,
    bit_rate,
    temperature,
    angle,
    fraction,
    level_difference,
    antenna_factor,
    power_density,
    full_scale_level,
    full_scale_density,
    symbol_time,
    slew_rate,
    conductance,
};

struct UnitInfo {
    Unit unit;
    const char* symbol;  // as written in files: ASCII
    const char* pretty;  // as shown to people: dBµV
    Dimension dimension;
    bool prefixed;               // k, M, m, µ ... may stand before it
    const char* dimension_name;  // "a frequency", for messages
    const char* example;         // "150 kHz", for messages
};

const UnitInfo& info(Unit unit);
std::span<const UnitInfo> all_units();

inline const char* symbol(Unit unit) {
    return info(unit).symbol;
}
inline const char* pretty(Unit unit) {
    return info(unit).pretty;
}
inline Dimension dimension(Unit unit) {
    return info(unit).dimension;
}

// True for units that are logarithms: adding them multiplies the quantity.
bool is_decibel(Unit unit);

// A unit's spelling taken apart: "kHz" is hertz with exponent 3. "min" is 60 seconds.
struct Spelling {
    Unit unit;
    int exponent = 0;   // power of ten of the prefix
    double factor = 1;  // other than a power of ten (minutes, hours)
};

// Case matters only where it tells units apart (mV, MV). Empty text is Unit::none.
std::optional<Spelling> parse_unit(std::string_view text);

}  // namespace rt
