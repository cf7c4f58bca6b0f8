#include "core/quantity/quantity.hpp"

#include <algorithm>
#include <cmath>
#include <numbers>

#include "core/base/error.hpp"
#include "core/base/text.hpp"

namespace rt {
namespace {

// The longest leading decimal number: sign, digits, point, exponent. An 'e' is an exponent only when digits
// follow it.
std::size_t number_length(std::string_view text) {
    const auto digit = [&](std::size_t i) { return i < text.size() && text[i] >= '0' && text[i] <= '9'; };
    std::size_t at = 0;
    if (at < text.size() && (text[at] == '+' || text[at] == '-')) ++at;
    const std::size_t digits_start = at;
    while (digit(at)) ++at;
    std::size_t digits = at - digits_start;
    if (at < text.size() && text[at] == '.') {
        const std::size_t point = at++;
        while (digit(at)) ++at;
        digits += at - point - 1;
    }
    if (digits == 0) return 0;
    if (at < text.size() && (text[at] == 'e' || text[at] == 'E')) {
        std::size_t exponent = at + 1;
        if (exponent < text.size() && (text[exponent] == '+' || text[exponent] == '-')) ++exponent;
        if (digit(exponent)) {
            at = exponent;
            while (digit(at)) ++at;
        }
    }
    return at;
}

// Decimal text times a power of ten, rounded once.
std::optional<double> scaled(std::string_view number, int exponent) {
    std::string mantissa(number);
    if (const auto e = mantissa.find_first_of("eE"); e != std::string::npos) {
        const auto own = to_double(mantissa.substr(e + 1));
        if (!own || std::abs(*own) > 1000) return std::nullopt;
        exponent += static_cast<int>(*own);
        mantissa.erase(e);
    }
    return to_double(mantissa + "e" + std::to_string(exponent));
}

double decibel_of_ratio(double ratio, double factor) {
    return factor * std::log10(ratio);
}

// Linear partner of a level: how many of the linear unit its 0 dB is, and 10 or 20 per decade.
struct LevelScale {
    Unit level;
    Unit linear;
    double reference;
    double per_decade;
};

constexpr LevelScale level_scales[] = {
    {Unit::dbm, Unit::watt, 1e-3, 10},
    {Unit::dbuv, Unit::volt, 1e-6, 20},
    {Unit::dbua, Unit::ampere, 1e-6, 20},
    {Unit::dbuv_per_metre, Unit::volt_per_metre, 1e-6, 20},
};

std::string unit_mismatch(std::string_view text, Unit got, Unit expected) {
    const auto& want = info(expected);
    std::string what = got == Unit::none ? " has no unit" : std::string(" is ") + info(got).dimension_name;
    std::string unit = want.symbol[0] ? std::string(" in ") + want.symbol : "";
    if (want.prefixed || !want.symbol[0]) unit.clear();
    return in_quotes(text) + what + ": write " + want.dimension_name + unit + " such as \"" + want.example +
           "\"";
}

}  // namespace

Quantity parse_quantity(std::string_view whole) {
    const std::string_view text = trim(whole);
    const std::size_t length = number_length(text);
    if (length == 0) {
        fail_input(in_quotes(whole) +
                   " is not a value with a unit: write a number and a unit such as \"150 kHz\"");
    }
    const auto unit = parse_unit(trim(text.substr(length)));
    if (!unit) {
        fail_input(in_quotes(whole) + " has the unknown unit " + in_quotes(trim(text.substr(length))) +
                   ": write one such as Hz, kHz, MHz, s, ms, V, dB, dBm, dBuV, dBuV/m, dBm/MHz, %, ppm, deg");
    }
    const auto value = scaled(text.substr(0, length), unit->exponent);
    if (!value) fail_input(in_quotes(whole) + " is too large or too small a number");
    return {*value * unit->factor, unit->unit};
}

Quantity parse_quantity(std::string_view text, Unit expected) {
    const Quantity quantity = parse_quantity(text);
    if (quantity.unit == expected) return quantity;
    const auto converted = convert(quantity, expected);
    const bool counted = expected == Unit::count && quantity.unit == Unit::none;
    if (counted) return {quantity.value, Unit::count};
    if (!converted) fail_input(unit_mismatch(text, quantity.unit, expected));
    if (!std::isfinite(converted->value)) {
        fail_input(in_quotes(text) + " has no value in " + symbol(expected) + ": write a value above zero");
    }
    return *converted;
}

Quantity parse_level(std::string_view text) {
    constexpr std::string_view over = " over ";
    const auto at = text.find(over);
    if (at == std::string_view::npos) {
        const Quantity any = parse_quantity(text);
        if (dimension(any.unit) != Dimension::voltage) return parse_quantity(text, Unit::dbm);
        if (any.unit == Unit::volt && !(any.value > 0))
            fail_input(in_quotes(text) + ": a level as a voltage must be above 0 V");
        return *convert(any, Unit::dbm, {50, Unit::ohm});
    }
    const Quantity density = parse_quantity(text.substr(0, at), Unit::dbm_per_hz);
    const Quantity width = parse_quantity(text.substr(at + over.size()), Unit::hertz);
    if (!(width.value > 0)) fail_input(in_quotes(text) + ": the bandwidth must be above 0 Hz");
    return {density.value + 10 * std::log10(width.value), Unit::dbm};
}

std::optional<Quantity> convert(Quantity q, Unit to) {
    if (q.unit == to) return q;
    if (dimension(q.unit) != dimension(to)) return std::nullopt;
    if (q.unit == Unit::percent && to == Unit::ppm) return Quantity{q.value * 1e4, to};
    if (q.unit == Unit::radian && to == Unit::degree) return Quantity{q.value * 180 / std::numbers::pi, to};
    if (q.unit == Unit::degree && to == Unit::radian) return Quantity{q.value * std::numbers::pi / 180, to};
    if (q.unit == Unit::ppm && to == Unit::percent) return Quantity{q.value / 1e4, to};
    if (q.unit == Unit::dbm_per_hz && to == Unit::dbm_per_mhz) return Quantity{q.value + 60, to};
    if (q.unit == Unit::dbm_per_mhz && to == Unit::dbm_per_hz) return Quantity{q.value - 60, to};
    for (const auto& scale : level_scales) {
        if (q.unit == scale.linear && to == scale.level) {
            return Quantity{decibel_of_ratio(q.value / scale.reference, scale.per_decade), to};
        }
        if (q.unit == scale.level && to == scale.linear) {
            return Quantity{scale.reference * std::pow(10, q.value / scale.per_decade), to};
        }
    }
    return std::nullopt;
}

std::optional<Quantity> convert(Quantity q, Unit to, Quantity impedance) {
    if (const auto plain = convert(q, to)) return plain;
    const bool power_to_voltage =
        dimension(q.unit) == Dimension::power && dimension(to) == Dimension::voltage;
    const bool voltage_to_power =
        dimension(q.unit) == Dimension::voltage && dimension(to) == Dimension::power;
    if (!power_to_voltage && !voltage_to_power) return std::nullopt;
    if (impedance.unit != Unit::ohm || !(impedance.value > 0)) {
        fail_input("an impedance above 0 ohm is needed to convert " + std::string(symbol(q.unit)) + " to " +
                   symbol(to));
    }
    if (power_to_voltage) {
        const double level = convert(q, Unit::dbm)->value;
        return convert({level + decibel_of_ratio(impedance.value * 1e-3 / 1e-12, 10), Unit::dbuv}, to);
    }
    const double level = convert(q, Unit::dbuv)->value;
    return convert({level - decibel_of_ratio(impedance.value * 1e-3 / 1e-12, 10), Unit::dbm}, to);
}

std::string fixed(double value, int decimals) {
    if (!std::isfinite(value)) return "-";
    char buffer[400];
    std::snprintf(buffer, sizeof buffer, "%.*f", decimals, value);
    std::string text = buffer;
    if (text.find_first_not_of("-0.") == std::string::npos && text[0] == '-') text.erase(0, 1);
    return text;
}

namespace {

struct Scaled {
    double value;
    std::string unit;
};

Scaled with_prefix(Quantity q) {
    const auto& unit = info(q.unit);
    if (!unit.prefixed || q.value == 0 || !std::isfinite(q.value)) return {q.value, unit.pretty};
    static constexpr const char* names[] = {"f", "p", "n", "µ", "m", "", "k", "M", "G", "T"};
    // A value that would round up to 1000 belongs to the next prefix.
    const double exponent = std::floor(std::log10(std::abs(q.value) * (1 + 1e-9)) / 3);
    const int step = static_cast<int>(std::clamp(exponent, -5.0, 4.0));
    return {q.value / std::pow(10, 3 * step), std::string(names[step + 5]) + unit.pretty};
}

std::string joined(const std::string& number, const std::string& unit) {
    return unit.empty() ? number : number + " " + unit;
}

}  // namespace

std::string shown(Quantity q, int digits) {
    if (q.unit == Unit::count) q.unit = Unit::none, digits = std::max(digits, 15);
    return format(q, digits);
}

std::string format(Quantity q, int digits) {
    if (!std::isfinite(q.value)) return "-";
    const auto shown = with_prefix(q);
    int decimals = 2;
    if (!is_decibel(q.unit)) {
        // Digits before the point; below 1 as many zeros behind it do not count.
        const double magnitude = shown.value == 0 ? 0 : std::floor(std::log10(std::abs(shown.value)));
        // Ratios far below 1 are read by their power of ten.
        if (magnitude < -4 && !info(q.unit).prefixed) {
            return joined(decimal(shown.value / std::pow(10, magnitude), digits - 1) + "e" +
                              std::to_string(static_cast<int>(magnitude)),
                          shown.unit);
        }
        decimals = std::max(0, digits - 1 - static_cast<int>(magnitude));
    }
    return joined(decimal(shown.value, decimals), shown.unit);
}

std::string hz(double value) {
    return format({value, Unit::hertz});
}

std::string format_fixed(Quantity q, int decimals) {
    if (!std::isfinite(q.value)) return "-";
    if (info(q.unit).prefixed) return format(q);
    if (q.unit == Unit::unit_interval) decimals += 2;
    return joined(fixed(q.value, decimals), info(q.unit).pretty);
}

std::string format_exact(Quantity q) {
    return joined(exact(q.value), symbol(q.unit));
}

}  // namespace rt
