#include "lab/run/plan_parts.hpp"

#include <algorithm>
#include <map>
#include <set>

#include "core/base/error.hpp"
#include "core/base/text.hpp"
#include "core/catalogue/catalogue.hpp"
#include "core/rules/judge.hpp"
#include "lab/clock.hpp"

namespace rt::lab {
namespace {

// Budgets that speak for nothing, and decisions that need one where there is none.
template <typename Add>
void warn_of_budgets(const Plan& plan, const Add& add) {
    std::vector<std::string> products;
    for (const auto& procedure : procedures()) {
        for (const auto& product : procedure.traces) products.emplace_back(product.name);
        for (const auto& product : procedure.results) products.emplace_back(product.name);
    }
    for (const auto& test : plan.campaign->tests) {
        for (const auto& name : test.gives()) products.push_back(name);
    }
    for (const auto& budget : plan.bench->budgets) {
        for (const auto& name : budget.applies_to) {
            if (std::find(products.begin(), products.end(), name) != products.end()) continue;
            const auto near = nearest(name, products);
            add("the uncertainty " + in_quotes(budget.name) + " is for " + in_quotes(name) +
                ", which nothing gives" + (near ? ": did you mean " + in_quotes(*near) + "?" : ""));
        }
    }
    for (const auto& planned : plan.tests) {
        for (const auto& judging : planned.test->judgings) {
            const Rule& rule = *judging.rule.rule;
            const Decision decision = judging.options.decision;
            const bool needed = decision == Decision::guarded ||
                                (decision == Decision::cispr && rule.allowed_uncertainty.has_value());
            const Unit margin = is_decibel(rule.unit) ? Unit::db : rule.unit;
            const auto& budgets = plan.bench->budgets;
            if (!needed || std::any_of(budgets.begin(), budgets.end(), [&](const Budget& budget) {
                    return budget.speaks_for(rule.applies_to, margin);
                })) {
                continue;
            }
            add("the decision " + std::string(name(decision)) +
                " needs an uncertainty, and the bench declares none for " + rule.applies_to + ": " +
                judging.rule.full_id() + " will get no verdict");
        }
    }
}

// What a sweep has moved stays where it ended: a later test that says nothing of it is measured there.
template <typename Add>
void warn_of_left_over(const Plan& plan, const Add& add) {
    struct Moved {
        std::string test, last;
    };
    std::map<std::string, Moved> moved;  // by "role.setting"
    // By setting, who left it where and which tests say nothing of it.
    std::vector<std::pair<std::string, std::vector<std::string>>> silent;
    for (const auto& planned : plan.tests) {
        const Test& test = *planned.test;
        if (!test.measures()) continue;
        std::set<std::string> own;
        const auto take_in = [&](const TextPairs& settings) {
            for (const auto& [name, value] : settings) own.insert(name);
        };
        take_in(test.settings);
        for (const auto& take : test.takes) take_in(take.settings);
        std::map<std::string, Moved> here;
        for (const auto& axis : test.sweep.axes) {
            for (const auto& text : axis.sets) {
                const auto target = setting_target(text, axis.name);
                if (!target) continue;
                const std::string name = target->role + "." + target->setting;
                own.insert(name);
                if (target->role == "unit" && axis.values.size() > 1)
                    here[name] = {test.name, axis.values.back().text};
            }
        }
        const auto sets_by_trials = [&](const std::vector<std::string>& sets, const std::string& axis) {
            for (const auto& text : sets) {
                if (const auto target = setting_target(text, axis))
                    own.insert(target->role + "." + target->setting);
            }
        };
        if (test.search) sets_by_trials(test.search->sets, test.search->axis);
        if (test.adjust) sets_by_trials(test.adjust->sets, test.adjust->axis);
        if (test.maximise)
            for (const auto& axis : test.maximise->axes) sets_by_trials(axis.sets, axis.name);
        for (const auto& [name, left] : moved) {
            if (own.contains(name)) continue;
            const std::string text = name + ", which " + left.test + " leaves at " + left.last;
            auto at = std::find_if(silent.begin(), silent.end(),
                                   [&](const auto& one) { return one.first == text; });
            if (at == silent.end()) at = silent.insert(silent.end(), {text, {}});
            if (std::find(at->second.begin(), at->second.end(), test.name) == at->second.end())
                at->second.push_back(test.name);
        }
        for (auto& [name, left] : here) moved[name] = std::move(left);
    }
    for (const auto& [text, tests] : silent) {
        std::string names;
        for (std::size_t i = 0; i < tests.size(); ++i)
            names += (i == 0 ? "" : i + 1 == tests.size() ? " and " : ", ") + tests[i];
        add(text + ", is not set by " + names + ": set it there or in campaign.settings");
    }
}

// Tests that others are made from or judged by, and that were not chosen.
template <typename Add>
void warn_of_tests(const Plan& plan, const Add& add) {
    for (const auto& planned : plan.tests) {
        for (const auto& name : planned.test->limits_from()) {
            if (!plan.find(name))
                add("limits of test " + planned.test->name + " are results of " + name +
                    ", which is not chosen: they will give no verdict");
        }
        for (const auto& source : planned.test->sources) {
            if (!plan.find(source.test))
                add("test " + planned.test->name + " is made from " + source.test +
                    ", which is not chosen: it will get no verdict");
        }
    }
}

template <typename Add>
void warn_of_supplies(const Plan& plan, const Add& add) {
    for (const auto& instrument : plan.bench->instruments) {
        if (!instrument.feeds() || !instrument.place.speaks()) continue;
        const std::string target = instrument.role + ".output";
        const bool set = std::any_of(plan.tests.begin(), plan.tests.end(), [&](const PlannedTest& planned) {
            const Test& test = *planned.test;
            const bool setting = std::any_of(test.settings.begin(), test.settings.end(),
                                             [&](const auto& s) { return s.first == target; });
            return setting || test.power_cycle == instrument.role ||
                   std::any_of(test.sweep.axes.begin(), test.sweep.axes.end(), [&](const Axis& axis) {
                       return std::find(axis.sets.begin(), axis.sets.end(), target) != axis.sets.end();
                   });
        });
        if (!set)
            add("nothing switches the " + instrument.role + " on: no test sets " + target +
                ", so that the unit may have no power");
    }
}

template <typename Add>
void warn_of_paths(const Plan& plan, const Add& add) {
    for (const auto& path : plan.bench->paths) {
        for (const auto& entry : path.entries) {
            if (plan.roles.contains(path.role) && !entry.valid_until.empty() && today() > entry.valid_until)
                add(in_quotes(entry.part.name) + " in the path to the " + path.role + " was valid until " +
                    entry.valid_until + ": what is measured through it will get no verdict");
        }
    }
}

// Supplies whose voltage nobody sets: what it was left at is what the unit gets.
template <typename Add>
void warn_of_voltages(const Plan& plan, const Add& add) {
    for (const auto& instrument : plan.bench->instruments) {
        if (!instrument.is("supply") || !instrument.place.speaks() ||
            !instrument.dialect.knows("set_voltage"))
            continue;
        const std::string target = instrument.role + ".voltage";
        const bool set = std::any_of(plan.tests.begin(), plan.tests.end(), [&](const PlannedTest& planned) {
            const auto& settings = planned.test->settings;
            const auto& axes = planned.test->sweep.axes;
            return std::any_of(settings.begin(), settings.end(),
                               [&](const auto& s) { return s.first == target; }) ||
                   std::any_of(axes.begin(), axes.end(), [&](const Axis& axis) {
                       return std::find(axis.sets.begin(), axis.sets.end(), target) != axis.sets.end();
                   });
        });
        if (!set && !plan.tests.empty())
            add("nothing sets the voltage of the " + instrument.role + ": set " + target +
                " in campaign.settings, or the unit gets what it was left at");
    }
}

// Calibration dates of instruments that judged tests measure with: none at all, or one that is near.
template <typename Add>
void warn_of_dates(const Plan& plan, const Add& add) {
    constexpr double soon_s = 30 * 86400.0;
    std::set<std::string> seen;
    for (const auto& planned : plan.tests) {
        const Instrument* instrument = planned.instrument;
        const bool counts = instrument && instrument->place.speaks() && !planned.test->judgings.empty() &&
                            instrument->role != "unit" && !instrument->is("traffic") &&
                            !instrument->is("module");
        if (!counts || !seen.insert(instrument->role).second) continue;
        if (instrument->calibration_due.empty()) {
            add("the bench states no calibration_due for the " + instrument->role + " (" + instrument->name +
                "): the report will say that it is not stated");
        } else if (today() <= instrument->calibration_due &&
                   seconds_between(today() + "T00:00:00Z", instrument->calibration_due + "T00:00:00Z") <
                       soon_s) {
            add("the calibration of the " + instrument->role + " (" + instrument->name + ") lapses on " +
                instrument->calibration_due);
        }
    }
}

// Parameters that differ from what the clause fixes: the findings will be marked.
template <typename Add>
void warn_of_changes(const Plan& plan, const Add& add) {
    for (const auto& planned : plan.tests) {
        for (const auto& judging : planned.test->judgings) {
            Parameters parameters = planned.test->parameters;
            parameters.fill_defaults();
            for (const auto& text : deviations_from(*judging.rule.rule, parameters)) {
                const bool swept = std::any_of(
                    planned.test->sweep.axes.begin(), planned.test->sweep.axes.end(), [&](const Axis& axis) {
                        return std::any_of(axis.sets.begin(), axis.sets.end(),
                                           [&](const std::string& target) {
                                               return target.starts_with("parameter.") &&
                                                      text.starts_with(target.substr(10) + " ");
                                           });
                    });
                if (!swept)
                    add("test " + planned.test->name + " is not per the standard for " +
                        judging.rule.full_id() + ": " + text);
            }
        }
    }
}

// Lapsed instruments, and tests without rules.
template <typename Add>
void warn_of_judging(const Plan& plan, const Add& add) {
    std::vector<std::string> unjudged;
    for (const auto& planned : plan.tests) {
        const auto lapse = planned.instrument ? calibration_lapse(*planned.instrument) : "";
        if (!lapse.empty()) add(lapse + ": its tests will get no verdict");
        // What others are made from need not be judged itself.
        const bool used = std::any_of(plan.tests.begin(), plan.tests.end(), [&](const PlannedTest& other) {
            const auto from = [&](const Source& source) { return source.test == planned.test->name; };
            return std::any_of(other.test->sources.begin(), other.test->sources.end(), from) ||
                   other.test->limits_from().contains(planned.test->name) ||
                   (other.test->found && other.test->found->test == planned.test->name);
        });
        if (planned.test->judgings.empty() && planned.test->provides.empty() && !planned.test->selects_only &&
            !used)
            unjudged.push_back(planned.test->name);
        for (const auto& need : planned.test->needs) {
            if (!plan.provider(need))
                add("test " + planned.test->name + " needs " + need +
                    ", whose test is not chosen: it will get no verdict");
        }
    }
    if (!unjudged.empty()) {
        constexpr std::size_t most = 4;
        std::string names;
        for (std::size_t i = 0; i < std::min(unjudged.size(), most); ++i)
            names += (i ? ", " : "") + unjudged[i];
        if (unjudged.size() > most) names += " ...";
        add(std::to_string(unjudged.size()) + (unjudged.size() == 1 ? " test has" : " tests have") +
            " no rule: measured, not judged (" + names + ")");
    }
}

}  // namespace

void warn(Plan& plan) {
    const auto to = [](std::vector<std::string>& all) {
        return [&all](std::string text) {
            if (std::find(all.begin(), all.end(), text) == all.end()) all.push_back(std::move(text));
        };
    };
    const auto add = to(plan.warnings), hint = to(plan.hints);
    warn_of_judging(plan, add);
    warn_of_tests(plan, add);
    warn_of_left_over(plan, add);
    warn_of_budgets(plan, add);
    warn_of_supplies(plan, add);
    warn_of_voltages(plan, hint);
    warn_of_dates(plan, hint);
    warn_of_changes(plan, hint);
    warn_of_paths(plan, add);
}

}  // namespace rt::lab
