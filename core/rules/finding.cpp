#include "core/rules/finding.hpp"

#include <algorithm>
#include <array>
#include <cmath>
#include <limits>

#include "core/base/text.hpp"

namespace rt {

static constexpr std::array verdict_names{"PASS", "MARGINAL", "FAIL", "NONE"};

const char* name(Verdict verdict) {
    return verdict_names[static_cast<std::size_t>(verdict)];
}

std::optional<Verdict> parse_verdict(std::string_view text) {
    for (std::size_t i = 0; i < verdict_names.size(); ++i) {
        if (text == verdict_names[i]) return static_cast<Verdict>(i);
    }
    return std::nullopt;
}

Verdict VerdictCounts::worst() const {
    if (fail > 0) return Verdict::fail;
    if (none > 0 || total() == 0) return Verdict::none;
    return marginal > 0 ? Verdict::marginal : Verdict::pass;
}

void VerdictCounts::add(const VerdictCounts& others) {
    pass += others.pass, marginal += others.marginal, fail += others.fail, none += others.none;
}

void VerdictCounts::add(Verdict verdict, std::size_t times) {
    switch (verdict) {
        case Verdict::pass:
            pass += times;
            break;
        case Verdict::marginal:
            marginal += times;
            break;
        case Verdict::fail:
            fail += times;
            break;
        case Verdict::none:
            none += times;
            break;
    }
}

int digits_of(const Finding& f) {
    const double largest = std::max(std::abs(f.value.value_or(0)), std::abs(f.limit.value_or(0)));
    if (!f.margin || *f.margin == 0 || largest == 0) return 5;
    return std::clamp(2 + static_cast<int>(std::ceil(std::log10(largest / std::abs(*f.margin)))), 5, 12);
}

static std::string number_text(const Finding& f, double value) {
    const Quantity quantity{value, f.unit};
    if (f.unit == Unit::count && value == std::round(value)) return fixed(value, 0);
    if (is_decibel(f.unit)) return format_fixed(quantity, 2);
    if (info(f.unit).prefixed) return format(quantity, digits_of(f));
    // Two digits of the margin, or four of the number.
    const double scale = f.margin && *f.margin != 0 ? std::abs(*f.margin) / 100 : std::abs(value) / 1e4;
    const int decimals = scale > 0 ? std::clamp(static_cast<int>(std::ceil(-std::log10(scale))), 0, 12) : 2;
    const std::string text = decimal(value, decimals), unit = pretty(f.unit);
    return unit.empty() ? text : text + " " + unit;
}

std::string value_text(const Finding& finding) {
    return finding.value ? number_text(finding, *finding.value) : "-";
}

std::string limit_text(const Finding& finding) {
    if (!finding.limit) return "-";
    const std::string limit = number_text(finding, *finding.limit);
    if (!finding.margin || !finding.value || *finding.margin == 0) return limit;
    // The margin grows from the limit to the inside.
    const bool upper = (*finding.limit - *finding.value > 0) == (*finding.margin > 0);
    return (upper ? "≤ " : "≥ ") + limit;
}

std::string margin_text(const Finding& finding) {
    if (!finding.margin) return "-";
    const Quantity margin{*finding.margin, finding.margin_unit()};
    if (margin.unit == Unit::count) return decimal(margin.value, 3);
    if (info(margin.unit).prefixed) return format(margin, 4);
    // Of small plain numbers, such as vector differences, two decimals would leave nothing.
    const bool small = margin.unit == Unit::none && std::abs(margin.value) < 1;
    return small ? format(margin, 3) : format_fixed(margin, 2);
}

std::string place_text(const Finding& finding) {
    if (!finding.at) return "";
    if (!finding.at_offset) return format(*finding.at, 6);
    const Quantity distance{std::abs(finding.at->value), finding.at->unit};
    return (finding.at->value < 0 ? "fc − " : "fc + ") + format(distance, 6);
}

static int urgency(Verdict verdict) {
    switch (verdict) {
        case Verdict::fail:
            return 0;
        case Verdict::none:
            return 1;
        case Verdict::marginal:
            return 2;
        case Verdict::pass:
            return 3;
    }
    return 4;
}

bool reads_before(const Finding& a, const Finding& b) {
    if (urgency(a.verdict) != urgency(b.verdict)) return urgency(a.verdict) < urgency(b.verdict);
    constexpr double far = std::numeric_limits<double>::infinity();
    return a.margin.value_or(far) < b.margin.value_or(far);
}

}  // namespace rt
