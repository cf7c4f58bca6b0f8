#include "lab/run/trials.hpp"

#include <fmt/core.h>

#include <algorithm>
#include <cmath>
#include <functional>

#include "core/base/text.hpp"

namespace rt::lab {
namespace {

// On what a threshold rests that was found by bisection.
std::string assumption_of(const ThresholdSearch& search) {
    const auto list = [](const std::vector<Quantity>& values) {
        std::string out;
        for (const auto& value : values) out += (out.empty() ? "" : ", ") + format(value);
        return out;
    };
    std::string out = "takes for granted that what holds at one value holds at every easier one";
    if (!search.confirmed().empty()) out += "; confirmed at " + list(search.confirmed());
    if (!search.refuted().empty())
        out += "; it does not hold at " + list(search.refuted()) + ", although it does at harder values";
    return out;
}

std::string rows_of(const std::string& axis, const std::string& result, const char* column,
                    const std::vector<PointRecord>& trials,
                    const std::function<std::string(const Result&)>& said) {
    std::string table = "trial," + axis + "," + result + "," + column + ",point\n";
    for (std::size_t i = 0; i < trials.size(); ++i) {
        const Result* there = trials[i].find_result(result);
        table += fmt::format("{},{},{},{},{}\n", i + 1, trials[i].axes.back().second,
                             (there ? exact(there->value.value) + " " + symbol(there->value.unit) : ""),
                             (there ? said(*there) : ""), trials[i].position);
    }
    return table;
}

std::string value_at(const PointRecord& trial, const std::string& axis) {
    const auto at = std::find_if(trial.axes.begin(), trial.axes.end(),
                                 [&](const auto& pair) { return pair.first == axis; });
    return at == trial.axes.end() ? "" : at->second;
}

// Of a trial that counts; nullptr without.
const Result* usable_result(const PointRecord& trial, const std::string& name) {
    return trial.standing == Standing::valid ? trial.find_result(name) : nullptr;
}

// What the last trial said of itself.
std::string last_note(const std::vector<PointRecord>& trials) {
    return trials.back().notes.empty() ? "" : " (" + trials.back().notes.back() + ")";
}

}  // namespace

std::string table_of(const Search& what, const std::vector<PointRecord>& trials) {
    return rows_of(what.axis, what.result, "holds", trials, [&](const Result& r) -> std::string {
        const auto holds = what.holds(r);
        return !holds ? "not known" : *holds ? "yes" : "no";
    });
}

Outcome outcome_of(const Search& what, const ThresholdSearch& search,
                   const std::vector<PointRecord>& trials) {
    Outcome outcome;
    const auto threshold = search.threshold();
    if (search.invalid()) {
        outcome.invalid =
            "the trial at " + trials.back().axes.back().second +
            (usable_result(trials.back(), what.result) ? " gives only a bound of " : " has no ") +
            what.result + last_note(trials);
        return outcome;
    }
    if (!threshold) {
        outcome.invalid =
            "the criterion does not hold even at " + format(what.alive_at.value_or(what.holds_at)) +
            (what.alive_at ? ": nothing answers there either"
                           : ", the end of the search: give alive_at, a value at which it must hold");
        return outcome;
    }
    outcome.results.push_back({what.gives, *threshold, {}});
    outcome.results.push_back({"trials", {static_cast<double>(trials.size()), Unit::count}, {}});
    if (search.beyond()) {
        outcome.notes.push_back("it still holds at " + format(what.fails_at) +
                                ", the end of the search: the threshold lies beyond");
    }
    outcome.notes.push_back(assumption_of(search));
    const double steps = std::abs(what.holds_at.value - what.fails_at.value) / what.resolution.value;
    if (const double grid = std::floor(steps + 1e-9) + 1; grid > static_cast<double>(trials.size()))
        outcome.notes.push_back(
            fmt::format("{} trials in place of the {:.0f} values of a grid with these "
                        "steps: {:.0f} % of its bench time",
                        trials.size(), grid, 100 * static_cast<double>(trials.size()) / grid));
    return outcome;
}

std::string table_of(const Adjust& what, const std::vector<PointRecord>& trials) {
    return rows_of(what.axis, what.result, "off", trials,
                   [&](const Result& r) { return exact(r.value.value - what.target); });
}

Outcome outcome_of(const Adjust& what, const Adjustment& adjustment, const std::vector<PointRecord>& trials) {
    Outcome outcome;
    const auto found = adjustment.found();
    if (!found) {
        outcome.invalid = "not adjusted: " + adjustment.failure() + last_note(trials);
        return outcome;
    }
    outcome.results.push_back({what.gives, *found, {}});
    if (const Result* reached = trials.back().find_result(what.result)) {
        outcome.results.push_back(*reached);
        const Unit unit = reached->value.unit;
        outcome.notes.push_back(fmt::format("{}: wanted {} within {}", what.result,
                                            format({what.target, unit}),
                                            format({what.tolerance, is_decibel(unit) ? Unit::db : unit})));
    }
    outcome.results.push_back({"trials", {static_cast<double>(trials.size()), Unit::count}, {}});
    return outcome;
}

std::string table_of(const Maximise& what, const std::vector<PointRecord>& trials) {
    std::string table = "trial";
    for (const auto& axis : what.axes) table += "," + axis.name;
    table += "," + what.result + ",point\n";
    for (std::size_t i = 0; i < trials.size(); ++i) {
        table += std::to_string(i + 1);
        for (const auto& axis : what.axes) table += "," + value_at(trials[i], axis.name);
        const Result* there = usable_result(trials[i], what.result);
        table +=
            fmt::format(",{},{}\n", there ? exact(there->value.value) + " " + symbol(there->value.unit) : "",
                        trials[i].position);
    }
    return table;
}

Outcome outcome_of(const Maximise& what, const MaximumSearch& search,
                   const std::vector<PointRecord>& trials) {
    Outcome outcome;
    const auto place = search.best();
    if (!place) {
        outcome.invalid = "no trial has given a valid " + what.result + last_note(trials);
        return outcome;
    }
    const Result* highest = nullptr;
    for (const auto& trial : trials) {
        const Result* result = usable_result(trial, what.result);
        if (result && (!highest || result->value.value > highest->value.value)) highest = result;
    }
    outcome.results.push_back({"highest_" + what.result, highest->value, {}});
    for (std::size_t i = 0; i < place->size(); ++i)
        outcome.results.push_back({what.axes[i].name, (*place)[i], {}});
    outcome.results.push_back({"trials", {static_cast<double>(trials.size()), Unit::count}, {}});
    outcome.notes = search.told();
    if (auto missing = search.not_measured(); !missing.empty()) outcome.notes.push_back(std::move(missing));
    return outcome;
}

}  // namespace rt::lab
