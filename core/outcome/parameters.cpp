#include "core/outcome/parameters.hpp"

#include <algorithm>
#include <cmath>

#include "core/base/error.hpp"
#include "core/base/text.hpp"

namespace rt {

static bool counts(ParameterKind kind) {
    return kind == ParameterKind::whole_number || kind == ParameterKind::number_from_0;
}

static Quantity parse_value(const ParameterInfo& known, std::string_view text) {
    if (known.kind == ParameterKind::text) return {};
    if (known.kind == ParameterKind::choice) {
        const auto choices = split(std::string_view(known.choices), ' ');
        const std::string chosen = lower(trim(text));
        std::vector<std::string> names(choices.begin(), choices.end());
        if (std::find(names.begin(), names.end(), chosen) != names.end()) return {};
        std::string list;
        for (const auto& entry : names) list += (list.empty() ? "" : ", ") + entry;
        fail_input("parameter " + std::string(known.name) + ": unknown " + in_quotes(text) + ": " + list +
                   " are possible");
    }
    if (known.kind == ParameterKind::detector) {
        if (!parse_detector(trim(text))) {
            fail_input("parameter " + std::string(known.name) + ": unknown detector " + in_quotes(text) +
                       suggestion(text, detector_names()));
        }
        return {};
    }
    try {
        const bool whole = counts(known.kind);
        const Unit unit = whole ? Unit::none : known.unit;
        const Quantity value = parse_quantity(text, unit);
        const int least = known.kind == ParameterKind::whole_number ? 1 : 0;
        if (whole && (value.value != std::floor(value.value) || value.value < least)) {
            fail_input(in_quotes(text) + " is not a whole number from " + std::to_string(least) + " up");
        }
        return value;
    } catch (const Error& error) {
        fail_input("parameter " + std::string(known.name) + ": " + error.message());
    }
}

const ParameterInfo* Parameters::find(std::string_view name) const {
    for (const auto& entry : known_) {
        if (name == entry.name) return &entry;
    }
    return nullptr;
}

const ParameterInfo& Parameters::info_of(std::string_view name) const {
    if (const auto* entry = find(name)) return *entry;
    std::vector<std::string> names;
    for (const auto& entry : known_) names.emplace_back(entry.name);
    fail_input("unknown parameter " + in_quotes(name) + suggestion(name, names));
}

void Parameters::set(std::string_view name, std::string_view text) {
    const auto& known = info_of(name);
    const Quantity value = parse_value(known, text);
    defaults_.erase(known.name);
    texts_[known.name] = known.kind == ParameterKind::choice ? lower(trim(text)) : std::string(trim(text));
    const bool number = known.kind == ParameterKind::quantity || counts(known.kind);
    if (number) values_[known.name] = value;
}

void Parameters::set_quantity(std::string_view name, Quantity value) {
    set(name, format_exact(value));
}

void Parameters::set_default(std::string_view name, std::string_view text) {
    set(name, text);
    defaults_.insert(std::string(name));
}

std::set<std::string> Parameters::stated_names() const {
    std::set<std::string> out;
    for (const auto& [name, text] : texts_) {
        if (stated(name)) out.insert(name);
    }
    return out;
}

void Parameters::fill_defaults() {
    for (const auto& entry : known_) {
        if (entry.otherwise[0] == '\0' || has(entry.name)) continue;
        set_default(entry.name, entry.otherwise);
    }
}

std::optional<Quantity> Parameters::quantity(std::string_view name) const {
    const auto at = values_.find(std::string(name));
    if (at == values_.end()) return std::nullopt;
    return at->second;
}

std::optional<double> Parameters::number(std::string_view name) const {
    const auto value = quantity(name);
    if (!value) return std::nullopt;
    return value->value;
}

double Parameters::required(std::string_view name) const {
    if (const auto value = number(name)) return *value;
    const auto& known = info_of(name);
    fail_input("parameter " + std::string(name) + " is missing (" + known.help +
               "): set it, or name a rule that presets it");
}

std::optional<Detector> Parameters::detector(std::string_view name) const {
    const auto at = texts_.find(std::string(name));
    if (at == texts_.end()) return std::nullopt;
    return parse_detector(at->second);
}

std::string Parameters::text(std::string_view name) const {
    const auto at = texts_.find(std::string(name));
    return at == texts_.end() ? "" : at->second;
}

bool Parameters::same(std::string_view name, std::string_view a, std::string_view b) const {
    const auto& known = info_of(name);
    if (known.kind == ParameterKind::detector) return parse_detector(trim(a)) == parse_detector(trim(b));
    if (known.kind == ParameterKind::choice || known.kind == ParameterKind::text) {
        return lower(trim(a)) == lower(trim(b));
    }
    const double left = parse_value(known, a).value, right = parse_value(known, b).value;
    return std::abs(left - right) <= 1e-9 * std::abs(right);
}

}  // namespace rt
