#include "core/rules/circumstances.hpp"

#include <algorithm>
#include <cmath>

#include "core/base/error.hpp"
#include "core/base/text.hpp"
#include "core/rules/conditions.hpp"

namespace rt {
namespace {

constexpr std::string_view of_parameter = "parameter.", of_result = "result.";

std::optional<Quantity> quantity_in(std::string_view text) {
    try {
        return parse_quantity(text);
    } catch (const Error&) {
        return std::nullopt;
    }
}

// "parameter.rate", "axis.band", "unit.class", "instrument.bandwidth"; a name alone is a parameter.
bool sayable(const std::string& name) {
    const auto dot = name.find('.');
    if (dot == std::string::npos) return !name.empty();
    const std::string kind = name.substr(0, dot);
    return dot + 1 < name.size() &&
           (kind == "parameter" || kind == "axis" || kind == "unit" || kind == "instrument");
}

// A result of the outcome that is judged; nothing of one of which only a bound, or not the scale, is known.
std::optional<Quantity> measured_value(const std::string& name, const Outcome& outcome) {
    const Result* result = outcome.find_result(name);
    if (!result || result->known != Known::exactly || !std::isfinite(result->value.value))
        return std::nullopt;
    if (outcome.unscaled && absolute(result->value.unit)) return std::nullopt;
    return result->value;
}

// The value of something that rules name; nothing when it is not known. Presets are no statements.
std::optional<std::string> value_of(const std::string& name, const Parameters& parameters,
                                    const Circumstances& around, bool stated_only) {
    const bool dotted = name.find('.') != std::string::npos;
    if (!dotted || name.starts_with(of_parameter)) {
        const std::string key = dotted ? name.substr(of_parameter.size()) : name;
        if (stated_only ? !parameters.stated(key) : !parameters.has(key)) return std::nullopt;
        return parameters.text(key);
    }
    const auto at = around.values.find(name);
    if (at == around.values.end() || trim(at->second).empty()) return std::nullopt;
    return at->second;
}

std::optional<std::pair<Quantity, Quantity>> range_of(const std::string& text) {
    const auto mid = text.find(" to ");
    if (mid == std::string::npos) return std::nullopt;
    const auto from = quantity_in(trim(std::string_view(text).substr(0, mid)));
    const auto to = quantity_in(trim(std::string_view(text).substr(mid + 4)));
    if (!from || !to || dimension(from->unit) != dimension(to->unit)) return std::nullopt;
    return std::pair{*from, *to};
}

bool fits(const std::string& wanted, const std::string& value) {
    if (lower(trim(wanted)) == lower(trim(value))) return true;
    const auto is = quantity_in(value);
    if (!is) return false;
    if (const auto range = range_of(wanted)) {
        const auto in = convert(*is, range->first.unit), end = convert(range->second, range->first.unit);
        return in && end && in->value >= range->first.value && in->value < end->value;
    }
    const auto asked = quantity_in(wanted);
    const auto in = asked ? convert(*is, asked->unit) : std::nullopt;
    return in && std::abs(in->value - asked->value) <= 1e-9 * std::abs(asked->value);
}

struct Requirement {
    std::string name;
    std::string relation;  // "", ">=", "<=" or "="
    std::string value;
};

Requirement requirement_of(const std::string& text) {
    for (const char* relation : {">=", "<=", "="}) {
        const auto at = text.find(relation);
        if (at == std::string::npos) continue;
        return {std::string(trim(std::string_view(text).substr(0, at))), relation,
                std::string(trim(std::string_view(text).substr(at + std::string_view(relation).size())))};
    }
    return {std::string(trim(text)), "", ""};
}

std::string who_states(const std::string& name) {
    if (name.starts_with("unit.")) return "write " + name.substr(5) + " into [unit] of the campaign";
    if (name.starts_with("instrument."))
        return "write properties = { " + name.substr(11) + " = \"...\" } at the instrument in the bench file";
    if (name.starts_with("axis.")) return "the test has no axis " + name.substr(5);
    const std::string key = name.starts_with(of_parameter) ? name.substr(of_parameter.size()) : name;
    return "set the parameter " + key + " (its default counts only when it is given)";
}

bool met(const Requirement& required, const std::string& value) {
    if (required.relation.empty()) return true;
    if (required.relation == "=") return fits(required.value, value);
    const auto is = quantity_in(value), limit = quantity_in(required.value);
    if (!is || !limit) return false;
    const auto in = convert(*is, limit->unit);
    if (!in) return false;
    return required.relation == ">=" ? in->value >= limit->value : in->value <= limit->value;
}

// A limit out of a result. A bound of the true value is no limit unless it errs to the safe side: a maximum
// that is at least so much, or a minimum that is at most so much.
std::string take_limit(const std::string& name, bool maximum, const Rule& rule, const Outcome& outcome,
                       const Circumstances& around, std::optional<double>& limit) {
    const Result* result = nullptr;
    if (name.find('/') == std::string::npos) {
        result = outcome.find_result(name);
        if (!result) return "the limit is the result " + name + ", which the capture does not give";
    } else {
        const auto at = around.results.find(name);
        if (at == around.results.end() || !at->second.result) {
            const std::string why = at == around.results.end() ? "" : at->second.missing;
            return "the limit is the result " + name +
                   (why.empty() ? ", which is not known here" : ": " + why);
        }
        result = &*at->second.result;
    }
    const auto value = convert(result->value, rule.unit);
    if (!value || !std::isfinite(value->value))
        return "the limit is the result " + name + ", " + format(result->value) + ", which is no limit in " +
               symbol(rule.unit);
    const bool safe = result->known == Known::exactly || (result->known == Known::at_least) == maximum;
    if (!safe) return "of the limit, the result " + name + ", only a bound is known";
    limit = value->value;
    return {};
}

std::string row_text(const BoundRow& row) {
    std::string out;
    for (const auto& [name, value] : row.when) out += (out.empty() ? "" : ", ") + name + " " + value;
    return out;
}

}  // namespace

Resolved resolved(const Rule& rule, const Outcome& outcome, const Parameters& parameters,
                  const Circumstances& around) {
    Resolved out{rule, {}};
    if (!rule.looked_up()) return out;
    Bound bound = *rule.bound();
    const auto value_named = [&](const std::string& name) {
        if (!name.starts_with(of_result)) return value_of(name, parameters, around, false);
        const auto measured = measured_value(name.substr(of_result.size()), outcome);
        return measured ? std::optional(format_exact(*measured)) : std::nullopt;
    };
    out.rule.rows.clear(), out.rule.min_from.clear(), out.rule.max_from.clear();
    if (!rule.rows.empty()) {
        std::vector<const BoundRow*> fitting;
        std::string unknown;
        for (const auto& row : rule.rows) {
            const bool all = std::all_of(row.when.begin(), row.when.end(), [&](const auto& entry) {
                const auto value = value_named(entry.first);
                if (!value) unknown = entry.first;
                return value && fits(entry.second, *value);
            });
            if (all) fitting.push_back(&row);
        }
        if (!unknown.empty()) {
            out.why = "the limit depends on " + unknown +
                      (unknown.starts_with(of_result) ? ", which the capture does not give"
                                                      : ", which nobody has stated: " + who_states(unknown));
            return out;
        }
        if (fitting.size() != 1) {
            std::string is;
            for (const auto& [name, wanted] : rule.rows.front().when)
                is += (is.empty() ? "" : ", ") + name + " " + value_named(name).value_or("");
            out.why = fitting.empty() ? "no row of the limit fits " + is
                                      : "two rows of the limit fit " + is + ": " + row_text(*fitting[0]) +
                                            " and " + row_text(*fitting[1]);
            return out;
        }
        bound = fitting.front()->bound;
        for (const auto& [name, value] : fitting.front()->when) {
            // "parameter.channel_bandwidth" as people say it.
            std::string said = name.substr(name.rfind('.') + 1);
            std::replace(said.begin(), said.end(), '_', ' ');
            const auto range = range_of(value);
            const bool from_zero = range && range->first.value == 0 && range->first.unit == Unit::hertz;
            out.rule.title +=
                ", " + said + " " +
                (from_zero
                     ? "below " + std::string(trim(std::string_view(value).substr(value.find(" to ") + 4)))
                     : value);
        }
    }
    for (const auto& [name, maximum] : {std::pair{rule.min_from, false}, {rule.max_from, true}}) {
        if (name.empty()) continue;
        auto why = take_limit(name, maximum, rule, outcome, around, maximum ? bound.max : bound.min);
        if (!why.empty()) {
            out.why = std::move(why);
            return out;
        }
    }
    if (bound.min && bound.max && *bound.min > *bound.max) {
        out.why = "the limits contradict each other: at least " + format({*bound.min, rule.unit}) +
                  ", at most " + format({*bound.max, rule.unit});
        return out;
    }
    out.rule.limit = bound;
    return out;
}

std::string lacking(const Rule& rule, const Outcome& outcome, const Parameters& parameters,
                    const Circumstances& around) {
    for (const auto& text : rule.needs_stated) {
        const Requirement required = requirement_of(text);
        auto value = value_of(required.name, parameters, around, true);
        // What was measured with is known by name alone where the parameters are not at hand.
        if (!value && required.relation.empty() && outcome.stated.contains(required.name)) continue;
        if (!value)
            return "the rule needs " + required.name +
                   ", which nobody has stated: " + who_states(required.name);
        if (!met(required, *value)) return "the rule needs " + text + ", stated is " + *value;
    }
    return {};
}

std::vector<std::string> results_needed(const Rule& rule) {
    std::vector<std::string> out;
    for (const auto& name : {rule.min_from, rule.max_from}) {
        if (name.find('/') != std::string::npos) out.push_back(name);
    }
    return out;
}

void require_sayable(const Rule& rule) {
    for (std::size_t i = 0; i < rule.rows.size(); ++i) {
        if (rule.rows[i].when.empty()) fail_input("a row of the limit says nothing under \"when\"");
        for (const auto& [name, value] : rule.rows[i].when) {
            const bool measured = name.starts_with(of_result) && name.size() > of_result.size();
            if (!measured && (!sayable(name) || name.find('.') == std::string::npos))
                fail_input(in_quotes(name) +
                           " is nothing that a limit can depend on: write \"parameter.NAME\", \"axis.NAME\", "
                           "\"unit.NAME\", \"instrument.NAME\" or \"result.NAME\"");
        }
        for (std::size_t k = 0; k < i; ++k) {
            if (rule.rows[k].when == rule.rows[i].when)
                fail_input("two rows of the limit are for " + row_text(rule.rows[i]));
        }
    }
    for (const auto& text : rule.needs_stated) {
        const Requirement required = requirement_of(text);
        if (!sayable(required.name))
            fail_input(
                in_quotes(text) +
                " cannot be required: write a parameter, \"unit.NAME\" or \"instrument.NAME >= VALUE\"");
        const bool order = required.relation == ">=" || required.relation == "<=";
        if ((order && !quantity_in(required.value)) || (!required.relation.empty() && required.value.empty()))
            fail_input(in_quotes(text) + " cannot be required: " + in_quotes(required.value) +
                       " is no value");
    }
}

}  // namespace rt
