#include "lab/model/placeholder.hpp"

#include <fmt/core.h>

#include <array>
#include <cmath>
#include <functional>
#include <utility>

#include "core/base/error.hpp"
#include "core/base/text.hpp"
#include "core/quantity/light.hpp"
#include "core/quantity/quantity.hpp"

namespace rt::lab {
namespace {

[[noreturn]] void wrong_hole(std::string_view hole, const std::string& why) {
    fail_input("{" + std::string(hole) + "} " + why);
}

void read_unit(std::string_view hole, std::string_view word, Unit own, Placeholder& out) {
    const auto unit = parse_unit(word);
    if (own == Unit::none) wrong_hole(hole, "has no unit");
    out.wavelength = own == Unit::hertz && unit && unit->unit == Unit::metre;
    if (!unit || (unit->unit != own && !out.wavelength))
        wrong_hole(hole,
                   "is a value in " + std::string(symbol(own)) + ", which " + in_quotes(word) + " is not");
    out.exponent = unit->exponent;
}

void read_form(std::string_view hole, std::string_view words, Placeholder& out) {
    const auto number = to_double(words.substr(0, words.find(' ')));
    if (words == "integer") {
        out.form = Placeholder::Form::decimals;
    } else if (words == "scientific") {
        out.form = Placeholder::Form::scientific;
    } else if (number && *number >= 0 && *number <= 12 && *number == std::floor(*number) &&
               (words.ends_with(" decimals") || words.ends_with(" decimal"))) {
        out.form = Placeholder::Form::decimals;
        out.decimals = static_cast<int>(*number);
    } else {
        wrong_hole(hole,
                   "is written as " + in_quotes(words) + ": integer, scientific or \"3 decimals\" are known");
    }
}

using UnitOf = std::function<Unit(std::string_view)>;

Placeholder parse_hole(std::string_view hole, const UnitOf& unit_of) {
    Placeholder out;
    const auto in = hole.find(" in "), as = hole.find(" as ");
    out.name = std::string(trim(hole.substr(0, std::min(in, as))));
    if (out.name.empty()) wrong_hole(hole, "names no value");
    const Unit own = unit_of(out.name);
    if (in != std::string_view::npos) {
        const auto end = as == std::string_view::npos ? hole.size() : as;
        if (end < in)
            wrong_hole(hole, "has its unit behind its form: write {" + out.name + " in MHz as integer}");
        read_unit(hole, trim(hole.substr(in + 4, end - in - 4)), own, out);
    }
    if (as != std::string_view::npos) read_form(hole, trim(hole.substr(as + 4)), out);
    return out;
}

}  // namespace

Unit unit_of_placeholder(std::string_view name, Unit setting) {
    static constexpr std::array<std::pair<std::string_view, Unit>, 6> units{{{"hz", Unit::hertz},
                                                                             {"s", Unit::second},
                                                                             {"v", Unit::volt},
                                                                             {"dbm", Unit::dbm},
                                                                             {"level", Unit::dbm},
                                                                             {"db", Unit::db}}};
    if (name == "value") return setting;
    for (const auto& [known, unit] : units) {
        if (known == name) return unit;
    }
    return Unit::none;
}

std::string Placeholder::fill(const std::string& value) const {
    if (exponent == 0 && form == Form::shortest && !wavelength) return value;
    auto number = to_double(value);
    if (!number) return value;
    if (wavelength) number = wavelength_of(*number);
    // The factor is a whole power either way: 0.001 s are 1000 us and not a little more.
    const double scaled =
        exponent < 0 ? *number * std::pow(10.0, -exponent) : *number / std::pow(10.0, exponent);
    if (form == Form::scientific) return fmt::format("{:.9E}", scaled);
    if (form == Form::decimals) return fmt::format("{:.{}f}", scaled, decimals);
    return exact(scaled);
}

static CommandText take_apart(std::string_view text, const UnitOf& unit_of) {
    CommandText out;
    for (;;) {
        const auto open = text.find('{');
        out.texts.emplace_back(text.substr(0, open));
        if (open == std::string_view::npos) return out;
        const auto close = text.find('}', open);
        if (close == std::string_view::npos)
            fail_input("the brace before " + in_quotes(text.substr(open + 1, 20)) + " does not end");
        out.holes.push_back(parse_hole(text.substr(open + 1, close - open - 1), unit_of));
        text = text.substr(close + 1);
    }
}

CommandText parse_command(std::string_view text, Unit setting) {
    return take_apart(text, [&](std::string_view name) { return unit_of_placeholder(name, setting); });
}

CommandText together_text(const Together& together, const RoleKind& kind) {
    return take_apart(together.command, [&](std::string_view name) {
        const SettingInfo* setting = kind.find_setting(name);
        return setting ? setting->unit : Unit::none;
    });
}

}  // namespace rt::lab
