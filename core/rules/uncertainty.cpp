#include "core/rules/uncertainty.hpp"

#include <algorithm>
#include <array>
#include <cmath>

namespace rt {
namespace {

constexpr std::array distributions{"normal", "rectangular", "triangular", "u-shaped"};
constexpr std::array decisions{"simple", "guarded", "cispr"};

template <typename Word, typename Names>
std::optional<Word> word_in(const Names& names, std::string_view text) {
    const auto at = std::find(names.begin(), names.end(), text);
    if (at == names.end()) return std::nullopt;
    return static_cast<Word>(at - names.begin());
}

}  // namespace

const char* name(Distribution d) {
    return distributions[static_cast<std::size_t>(d)];
}
std::optional<Distribution> parse_distribution(std::string_view text) {
    return word_in<Distribution>(distributions, text);
}
const char* name(Decision d) {
    return decisions[static_cast<std::size_t>(d)];
}
std::optional<Decision> parse_decision(std::string_view text) {
    return word_in<Decision>(decisions, text);
}

double Contribution::standard() const {
    const double divisor = distribution == Distribution::rectangular  ? std::sqrt(3.0)
                           : distribution == Distribution::triangular ? std::sqrt(6.0)
                           : distribution == Distribution::u_shaped   ? std::sqrt(2.0)
                                                                      : coverage;
    return std::abs(sensitivity * value) / divisor;
}

double Budget::expanded(double factor) const {
    double squares = 0;
    for (const auto& c : contributions) squares += c.standard() * c.standard();
    return factor * std::sqrt(squares);
}

bool Budget::speaks_for(const std::string& product, Unit margin_unit) const {
    if (unit != margin_unit && unit != Unit::percent) return false;
    return applies_to.empty() || std::find(applies_to.begin(), applies_to.end(), product) != applies_to.end();
}

std::string budget_text(const Budget& budget) {
    std::string out = budget.name;
    if (budget.from_hz > 0 || std::isfinite(budget.to_hz)) {
        out += " (" + format({budget.from_hz, Unit::hertz}) +
               (std::isfinite(budget.to_hz) ? " to " + format({budget.to_hz, Unit::hertz}) : " on") + ")";
    }
    out += ": ";
    for (std::size_t i = 0; i < budget.contributions.size(); ++i) {
        const Contribution& c = budget.contributions[i];
        out += (i ? ", " : "") + c.name + " " + format({c.value, budget.unit}) + " (" + name(c.distribution);
        if (c.distribution == Distribution::normal)
            out += ", k = " + std::to_string(static_cast<int>(c.coverage));
        if (c.sensitivity != 1) out += ", sensitivity " + format({c.sensitivity, Unit::none});
        out += ")";
    }
    return out + "; U = " + format({budget.expanded(), budget.unit}, 3) + " (k = 2)";
}

double chance_beyond(double margin, double expanded) {
    if (!(expanded > 0)) return margin < 0 ? 1 : 0;
    return 0.5 * std::erfc(margin / (expanded / 2) / std::sqrt(2.0));
}

}  // namespace rt
