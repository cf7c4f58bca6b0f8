// What stands in braces in a command: {hz}, {hz in MHz}, {value as 3 decimals}, {level in dBm as integer},
// {value in nm} of a frequency.
#pragma once

#include <optional>
#include <string>
#include <string_view>
#include <vector>

#include "core/quantity/unit.hpp"
#include "lab/model/dialect.hpp"

namespace rt::lab {

struct Placeholder {
    enum class Form { shortest, decimals, scientific };

    std::string name;
    int exponent = 0;         // of ten, by which the number is divided
    bool wavelength = false;  // a frequency in Hz that is written as its wavelength in vacuum
    Form form = Form::shortest;
    int decimals = 0;

    // A number as the instrument wants it; words stay as they are.
    std::string fill(const std::string& value) const;
};

// A command taken apart: texts and placeholders in turn, a text first and last.
struct CommandText {
    std::vector<std::string> texts;
    std::vector<Placeholder> holes;
};

// The unit of a placeholder by its name (hz, s, dbm ...); none for counts and words. `setting` is that of
// {value}.
Unit unit_of_placeholder(std::string_view name, Unit setting);

// Throws Error(input) for braces that do not end, units that are not those of the value, unknown forms.
CommandText parse_command(std::string_view text, Unit setting = Unit::none);
// Of settings that are sent together: each placeholder has the unit of its own setting.
CommandText together_text(const Together& together, const RoleKind& kind);

}  // namespace rt::lab
