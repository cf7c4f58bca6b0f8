#include "core/rules/rule.hpp"

#include <algorithm>
#include <array>
#include <cmath>

namespace rt {

static constexpr std::array confidence_names{"sure", "fairly sure", "unsure"};

const char* name(Confidence confidence) {
    return confidence_names[static_cast<std::size_t>(confidence)];
}

std::optional<Confidence> parse_confidence(std::string_view text) {
    for (std::size_t i = 0; i < confidence_names.size(); ++i) {
        if (text == confidence_names[i]) return static_cast<Confidence>(i);
    }
    return std::nullopt;
}

std::optional<Mask::Level> Mask::at(double offset, double reference) const {
    const double x = symmetric ? std::abs(offset) : offset;
    auto from_relative = relative ? relative->at(x) : std::nullopt;
    const auto from_absolute = absolute ? absolute->at(x) : std::nullopt;
    if (from_relative) *from_relative += reference;
    if (!from_relative && !from_absolute) return std::nullopt;
    if (!from_relative) return Level{*from_absolute, false};
    if (!from_absolute) return Level{*from_relative, true};
    const bool take_relative = (combine == Combine::both) == (*from_relative <= *from_absolute);
    return take_relative ? Level{*from_relative, true} : Level{*from_absolute, false};
}

std::optional<double> ChannelPlan::frequency_hz(int channel) const {
    if (channel < first || channel > last) return std::nullopt;
    return base_hz + (channel - first) * spacing_hz;
}

const Rule* Rulebook::find(std::string_view rule_id) const {
    const auto at = std::find_if(rules.begin(), rules.end(), [&](const Rule& r) { return r.id == rule_id; });
    return at == rules.end() ? nullptr : &*at;
}

const ChannelPlan* Rulebook::find_plan(std::string_view plan_id) const {
    const auto at = std::find_if(plans.begin(), plans.end(), [&](const auto& p) { return p.id == plan_id; });
    return at == plans.end() ? nullptr : &*at;
}

double default_marginal(Unit unit) {
    return is_decibel(unit) ? 3 : 0;
}

}  // namespace rt
