#include "lab/report/axes.hpp"

#include <algorithm>

#include "core/base/error.hpp"
#include "core/base/text.hpp"

namespace rt::lab {

std::optional<Quantity> number_of(const std::string& text) {
    if (const auto plain = to_double(text)) return Quantity{*plain, Unit::none};
    try {
        return parse_quantity(text);
    } catch (const Error&) {
        return std::nullopt;
    }
}

std::string words(std::string name) {
    std::replace(name.begin(), name.end(), '_', ' ');
    return name;
}

Scale scale_of(double largest, Unit unit) {
    if (info(unit).prefixed) {
        constexpr std::pair<double, const char*> steps[] = {
            {1e9, "G"}, {1e6, "M"}, {1e3, "k"}, {1, ""}, {1e-3, "m"}, {1e-6, "µ"}, {1e-9, "n"}, {1e-12, "p"}};
        for (const auto& [size, prefix] : steps) {
            // 1.2 GHz reads better as 1200 MHz beside its neighbours; times and voltages do not.
            if (largest >= size * (unit == Unit::hertz && size > 1e8 ? 3 : 1))
                return {1 / size, std::string(prefix) + pretty(unit)};
        }
    }
    return {1, pretty(unit)};
}

std::string axis_label(const std::string& name, const std::string& unit) {
    return words(name) + (unit.empty() ? "" : " (" + unit + ")");
}

}  // namespace rt::lab
