#include "lab/model/test.hpp"

#include <algorithm>
#include <cmath>

#include "core/base/error.hpp"
#include "core/base/text.hpp"

namespace rt::lab {

bool Judging::applies(const Sweep& sweep, const TextPairs& axes) const {
    return std::all_of(when.begin(), when.end(), [&](const auto& part) {
        return std::any_of(axes.begin(), axes.end(), [&](const auto& axis) {
            return axis.first == sweep.axes[part.first].name && axis.second == part.second;
        });
    });
}

std::string setting_calibration(const std::string& value) {
    constexpr std::string_view mark = "calibration:";
    return value.starts_with(mark) ? value.substr(mark.size()) : "";
}

std::optional<SettingTarget> setting_target(const std::string& target, const std::string& axis) {
    if (target == "unit") return SettingTarget{"unit", axis};
    const auto dot = target.find('.');
    if (dot == std::string::npos || target.starts_with("parameter.")) return std::nullopt;
    return SettingTarget{target.substr(0, dot), target.substr(dot + 1)};
}

Parameters Test::parameters_at(const Sweep& swept, const Point& point) const {
    Parameters out = parameters;
    constexpr std::string_view prefix = "parameter.";
    for (std::size_t i = 0; i < swept.axes.size(); ++i) {
        const auto& value = point.value(swept, i);
        for (const auto& target : swept.axes[i].sets) {
            if (!target.starts_with(prefix)) continue;
            out.set(target.substr(prefix.size()),
                    value.quantity ? format_exact(*value.quantity) : value.text);
        }
    }
    return out;
}

CaptureSetup Test::setup_at(const Point& point) const {
    if (!search) return procedure->setup(parameters_at(point));
    const Trial trial = trial_of(name, sweep, point, *search, search->holds_at);
    return procedure->setup(parameters_at(trial.sweep, trial.point));
}

std::vector<Quantity> confirmations(const Test& test, const TextPairs* axes) {
    std::vector<Quantity> out;
    if (!test.search || test.selects_only) return out;
    const Unit unit = test.search->holds_at.unit;
    const auto add = [&](double value, Unit of) {
        const auto converted = convert({value, of}, unit);
        if (!converted) return;
        // Twelve digits, as the values of a range.
        const auto rounded = to_double(decimal(converted->value, 9)).value_or(converted->value);
        const Quantity wanted{rounded, unit};
        if (std::find(out.begin(), out.end(), wanted) == out.end()) out.push_back(wanted);
    };
    for (const auto& judging : test.judgings) {
        const Rule& rule = *judging.rule.rule;
        const Bound* bound = rule.bound();
        if (!bound || rule.applies_to != test.search->gives || (axes && !judging.applies(test.sweep, *axes)))
            continue;
        const double near =
            judging.options.marginal.value_or(rule.marginal.value_or(default_marginal(rule.unit)));
        if (bound->max) add(*bound->max, rule.unit), add(*bound->max - near, rule.unit);
        if (bound->min) add(*bound->min, rule.unit), add(*bound->min + near, rule.unit);
    }
    return out;
}

bool sets_parameter(const Axis& axis) {
    return std::any_of(axis.sets.begin(), axis.sets.end(),
                       [](const auto& target) { return target.starts_with("parameter."); });
}

bool Test::measures() const {
    if (concludes) return false;
    if (procedure->inputs.empty()) return sources.empty() && files.empty();
    return std::any_of(procedure->inputs.begin(), procedure->inputs.end(), [&](const InputInfo& input) {
        return take_of(input.name) || (!given(input.name) && &input == &procedure->inputs.front());
    });
}

std::vector<std::string> Test::gives() const {
    if (search) return {search->gives, "trials"};
    if (adjust) return {adjust->gives, adjust->result, "trials"};
    return {};
}

std::set<std::string> Test::settings_from() const {
    std::set<std::string> out;
    const auto add = [&](const TextPairs& list) {
        for (const auto& [target, value] : list) {
            if (auto from = setting_calibration(value); !from.empty()) out.insert(std::move(from));
        }
    };
    add(settings);
    for (const auto& take : takes) add(take.settings);
    return out;
}

std::set<std::string> Test::limits_from() const {
    std::set<std::string> out;
    for (const auto& judging : judgings) {
        for (const auto& wanted : results_needed(*judging.rule.rule))
            out.insert(wanted.substr(0, wanted.find('/')));
    }
    return out;
}

std::string Test::origin() const {
    std::string names;
    for (const auto& source : sources) names += (names.empty() ? "" : " and ") + source.test;
    for (const auto& file : files) names += (names.empty() ? "" : " and ") + file.reference;
    if (concludes) return "from " + names + (over.empty() ? "" : " over " + over);
    return measures() ? instrument : "from " + names;
}

const Source* Test::source_of(const std::string& input) const {
    const auto at =
        std::find_if(sources.begin(), sources.end(), [&](const Source& s) { return s.input == input; });
    return at == sources.end() ? nullptr : &*at;
}

bool Test::given(const std::string& input) const {
    const auto named = [&](const FileSource& file) { return file.input == input; };
    return source_of(input) || std::any_of(files.begin(), files.end(), named);
}

std::string kept_file(const std::string& reference, const std::string& sha256) {
    constexpr std::size_t digits = 16;
    const auto dot = reference.rfind('.');
    return "inputs/captures/" + sha256.substr(0, digits) +
           (dot == std::string::npos ? "" : reference.substr(dot));
}

const Take* Test::take_of(const std::string& input) const {
    const auto at = std::find_if(takes.begin(), takes.end(), [&](const Take& t) { return t.input == input; });
    return at == takes.end() ? nullptr : &*at;
}

}  // namespace rt::lab
