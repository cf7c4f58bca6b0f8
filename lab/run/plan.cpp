#include "lab/run/plan.hpp"

#include <algorithm>
#include <cmath>
#include <map>

#include "core/base/error.hpp"
#include "core/base/text.hpp"
#include "core/catalogue/catalogue.hpp"
#include "core/correct/by_kind.hpp"
#include "lab/bench/instrument_role.hpp"
#include "lab/captures/kind.hpp"
#include "lab/clock.hpp"
#include "lab/run/recorded.hpp"

namespace rt::lab {
namespace {

const Instrument& require_role(const Bench& bench, const std::string& role, const Test& test) {
    if (const auto* found = bench.find(role)) return *found;
    fail_input(test.where, "test " + in_quotes(test.name) + " needs an instrument in the role " +
                               in_quotes(role) + ", the bench " + bench.file.string() + " has none" +
                               suggestion(role, bench.roles()));
}

// Something set by the campaign needs an instrument with a command for it, and a value that it takes.
void require_setting(const Bench& bench, const Test& test, const SettingTarget& target,
                     const std::string& value, Plan& plan) {
    const Instrument& instrument = require_role(bench, target.role, test);
    plan.roles.insert(target.role);
    if (!setting_calibration(value).empty()) return;  // known during the run
    if (!instrument.place.speaks()) return;  // a person, a program or recorded captures take everything
    const auto fail = [&](const std::string& why) {
        fail_input(test.where, "test " + in_quotes(test.name) + " sets " + in_quotes(target.setting) +
                                   " of the " + target.role + ": " + why);
    };
    try {
        require_sendable(in_quotes(target.setting), value);
        setting_text(*instrument.dialect.kind, target.setting, value);
    } catch (const Error& error) {
        fail(error.message());
    }
    if (!instrument.dialect.knows("set_" + target.setting)) {
        fail("dialect " + instrument.dialect.id + " has no command set_" + target.setting);
    }
}

void require_settings(const Bench& bench, const Test& test, Plan& plan) {
    for (const auto& [name, value] : test.settings) {
        require_setting(bench, test, *setting_target(name, ""), value, plan);
    }
    const auto each = [&](const std::string& axis, const std::vector<std::string>& sets,
                          const std::vector<std::string>& values) {
        for (const auto& target : sets) {
            const auto setting = setting_target(target, axis);
            for (const auto& value : values) {
                if (setting) require_setting(bench, test, *setting, value, plan);
            }
        }
    };
    for (const auto& axis : test.sweep.axes) {
        std::vector<std::string> values;
        for (const auto& value : axis.values) {
            // Channels go to units by number and to everything else as frequencies: both are tried at the
            // run.
            if (!value.channel) values.push_back(value.text);
        }
        each(axis.name, axis.sets, values);
        for (const auto& target : axis.sets) {
            if (const auto setting = setting_target(target, axis.name))
                require_role(bench, setting->role, test), plan.roles.insert(setting->role);
        }
    }
    if (test.search) {
        each(test.search->axis, test.search->sets,
             {format(test.search->holds_at), format(test.search->fails_at)});
    }
    for (const auto& axis : test.maximise ? test.maximise->axes : std::vector<MaximisedAxis>{}) {
        each(axis.name, axis.sets, {format(axis.from), format(axis.to)});
        for (const auto& target : axis.sets) {
            if (const auto setting = setting_target(target, axis.name))
                require_role(bench, setting->role, test), plan.roles.insert(setting->role);
        }
    }
    if (test.adjust)
        each(test.adjust->axis, test.adjust->sets, {format(test.adjust->from), format(test.adjust->to)});
    if (!test.power_cycle.empty()) {
        const auto& supply = require_role(bench, test.power_cycle, test);
        if (!supply.is("supply")) {
            fail_input(test.where, "power_cycle names the " + test.power_cycle + ", which is no supply");
        }
        plan.roles.insert(test.power_cycle);
    }
}

// The path must cover what is going to be measured, and be one that its kind can be corrected by; tables
// known only at the run are left to it.
void require_path(const Bench& bench, const Test& test, const std::string& role, const CaptureSetup& setup) {
    const BenchPath* path = bench.find_path(role);
    if (!path) return;
    SignalPath known;
    for (const auto& entry : path->entries) known.parts.push_back(entry.part);
    const auto refused = path_refusal(setup, known);
    if (!refused.empty()) {
        fail_input(path->where, "test " + in_quotes(test.name) + " through the path to the " + path->role +
                                    ": " + refused);
    }
    const auto band = kind_of(setup).band(setup);
    if (!band || !(band->to_hz > 0)) return;
    for (const auto& entry : path->entries) {
        try {
            if (entry.part.table) entry.part.loss_db(band->from_hz), entry.part.loss_db(band->to_hz);
        } catch (const Error& error) {
            fail_input(test.where, "test " + in_quotes(test.name) + ": the path to the " + path->role +
                                       " does not cover what it measures: " + error.message());
        }
    }
}

// Levels must convert into the units of the limits: a field strength needs an antenna in the path, power and
// voltage the impedance of the input.
void require_units(const Bench& bench, const Test& test, const Instrument& instrument,
                   const CaptureSetup& setup) {
    const auto levels = kind_of(setup).level_unit(setup);
    if (!levels || instrument.recorded()) return;  // files state their own units
    const BenchPath* path = bench.find_path(instrument.role);
    const bool antenna = path && std::any_of(path->entries.begin(), path->entries.end(),
                                             [](const PathEntry& entry) { return entry.part.antenna; });
    const Unit unit = antenna ? Unit::dbuv_per_metre : *levels;
    const auto& impedance = instrument.impedance_ohm;
    for (const auto& judging : test.judgings) {
        const Rule& rule = *judging.rule.rule;
        if (rule.bound() || rule.unit == unit || !is_decibel(rule.unit)) continue;
        if (convert({0, unit}, rule.unit)) continue;
        const bool impedance_helps = convert({0, unit}, rule.unit, {50, Unit::ohm}).has_value();
        if (impedance_helps && impedance) continue;
        fail_input(test.where,
                   "test " + in_quotes(test.name) + ": the limit of " + judging.rule.full_id() + " is in " +
                       symbol(rule.unit) + ", the levels of the " + instrument.role + " are in " +
                       symbol(unit) +
                       (impedance_helps ? ": add impedance = \"50 ohm\" to the instrument"
                        : rule.unit == Unit::dbuv_per_metre && !antenna ? ": the path to it has no antenna"
                                                                        : ", which does not convert"));
    }
}

// Setups of the test, each once where no parameter changes; gives the seconds of all.
double require_setups(const Bench& bench, const Test& test, const PlannedTest& planned) {
    const auto seconds_one = [&](const CaptureSetup& setup, const Instrument& instrument) {
        const char* kind = kind_of(setup).instrument();
        if (!instrument.recorded() && !instrument.is(kind)) {
            fail_input(test.where, "test " + in_quotes(test.name) + ": " + test.procedure->name +
                                       " needs an instrument of kind " + kind + ", the " + instrument.role +
                                       " is one of kind " + instrument.dialect.kind->name);
        }
        require_path(bench, test, instrument.role, setup);
        require_units(bench, test, instrument, setup);
        return kind_of(setup).seconds(instrument, setup);
    };
    // Of all captures that are taken at a point.
    const auto seconds_of = [&](const CaptureSetup& setup, const Parameters& parameters) {
        if (test.takes.empty()) return seconds_one(setup, *planned.instrument);
        double sum = 0;
        for (const auto& take : test.takes) {
            const auto& inputs = test.procedure->inputs;
            const auto named = [&](const InputInfo& input) { return take.input == input.name; };
            const InputInfo& info = *std::find_if(inputs.begin(), inputs.end(), named);
            const Instrument& instrument =
                take.instrument.empty() ? *planned.instrument : *bench.find(take.instrument);
            sum += seconds_one(info.setup ? info.setup(parameters) : setup, instrument);
        }
        return sum;
    };
    if (test.found)
        return seconds_of(test.procedure->setup(test.parameters), test.parameters) *
               static_cast<double>(planned.captures);
    const bool varies = std::any_of(test.sweep.axes.begin(), test.sweep.axes.end(), sets_parameter);
    double sum = 0;
    std::size_t trials = 1;
    if (test.adjust) trials = test.adjust->trials;
    if (test.search) trials = ThresholdSearch(*test.search, confirmations(test)).most_trials();
    for (const auto& point : planned.points) {
        double seconds = seconds_of(test.setup_at(point), test.parameters_at(point));
        seconds *= static_cast<double>(trials);
        if (!varies) return seconds * static_cast<double>(planned.points.size());
        sum += seconds;
    }
    return sum;
}

// What lists the values of an axis must be able to.
void require_list(const Bench& bench, const Test& test, Plan& plan) {
    const FoundAxis& found = *test.found;
    const Instrument& instrument = require_role(bench, found.role, test);
    plan.roles.insert(found.role);
    const std::string command = "list_" + found.list;
    const bool asked = instrument.place.kind != Address::Kind::by_hand &&
                       instrument.place.kind != Address::Kind::program && !instrument.recorded();
    if (asked && instrument.dialect.knows(command)) return;
    fail_input(test.where, "test " + in_quotes(test.name) + " asks the " + found.role + " for its list " +
                               in_quotes(found.list) + ": its dialect has no command " + command);
}

PlannedTest plan_test(const Test& test, const Bench& bench, Plan& plan) {
    PlannedTest planned;
    planned.test = &test;
    if (!test.measures()) {
        planned.points = expand(test.name, test.sweep);
        planned.captures = planned.points.size();
        return planned;
    }
    planned.instrument = &require_role(bench, test.instrument, test);
    plan.roles.insert(test.instrument);
    require_settings(bench, test, plan);
    for (const auto& take : test.takes) {
        const Instrument& taker =
            require_role(bench, take.instrument.empty() ? test.instrument : take.instrument, test);
        if (taker.recorded()) {
            fail_input(test.where,
                       "test " + in_quotes(test.name) + " takes " + in_quotes(take.input) + " with the " +
                           taker.role +
                           ", whose captures are recorded files: they have one file a point, which cannot be "
                           "two inputs; "
                           "record each in a test of its own and write inputs = { ... = \"test:NAME\" }");
        }
        if (!take.instrument.empty())
            require_role(bench, take.instrument, test), plan.roles.insert(take.instrument);
        for (const auto& [name, value] : take.settings)
            require_setting(bench, test, *setting_target(name, ""), value, plan);
    }
    const std::size_t places = test.maximise ? MaximumSearch(*test.maximise).most_trials() + 1 : 1;
    if (test.found) {
        if (test.found->by_bench()) require_list(bench, test, plan);
        planned.at_most = true;
        const auto& peaks = test.found->candidates;
        const std::size_t parts = test.found->trace.empty() ? 1 : peaks.split_at_hz.size() + 1;
        planned.captures = (test.found->most * parts + peaks.add_hz.size()) * test.sweep.repeats * places;
        for (std::size_t i = 0; i + 1 < test.sweep.axes.size(); ++i)
            planned.captures *= test.sweep.axes[i].values.size();
        try {
            planned.seconds = require_setups(bench, test, planned);
        } catch (const Error&) {
            // The values that are still to come may be what the setup lacks.
        }
        return planned;
    }
    planned.points = expand(test.name, test.sweep);
    planned.captures = planned.points.size();
    planned.seconds = require_setups(bench, test, planned);
    if (test.maximise) {
        planned.at_most = true;
        planned.captures *= places;
        planned.seconds *= static_cast<double>(places);
    }
    if (test.adjust) {
        planned.at_most = true;
        planned.captures *= test.adjust->trials;
    }
    if (test.search) {
        planned.at_most = true;
        planned.captures *= ThresholdSearch(*test.search, confirmations(test)).most_trials();
    }
    if (test.duration_s) {
        const double turns = std::max(1.0, std::ceil(*test.duration_s / std::max(planned.seconds, 1e-3)));
        planned.at_most = true;
        planned.captures = static_cast<std::size_t>(turns) * planned.points.size();
        planned.seconds = std::max(*test.duration_s, planned.seconds);
    }
    return planned;
}

// "temperature=-20 degC|" for the slow axes of a point.
std::string slow_key(const Test& test, const Point& point) {
    std::string key;
    for (std::size_t i = 0; i < test.sweep.axes.size(); ++i) {
        const Axis& axis = test.sweep.axes[i];
        if (axis.slow && i < point.settings.size())
            key += axis.name + "=" + point.value(test.sweep, i).text + "|";
    }
    return key;
}

// Points of one test with the same slow values, in order of their first appearance.
std::vector<std::pair<std::string, Stretch>> stretches_of(std::size_t index, const PlannedTest& planned) {
    std::vector<std::pair<std::string, Stretch>> out;
    std::map<std::string, std::size_t> known;
    for (std::size_t i = 0; i < planned.points.size(); ++i) {
        const std::string key = slow_key(*planned.test, planned.points[i]);
        const auto [at, fresh] = known.emplace(key, out.size());
        if (fresh) out.push_back({key, {index, {}, false}});
        out[at->second].second.points.push_back(i);
    }
    if (out.empty()) out.push_back({"", {index, {}, false}});
    out.back().second.last = true;
    return out;
}

// True when nothing that `test` builds on is still to come.
bool ready(const Plan& plan, const Test& test, const std::vector<std::size_t>& left) {
    for (std::size_t i = 0; i < plan.tests.size(); ++i) {
        if (left[i] == 0) continue;
        const Test& other = *plan.tests[i].test;
        if (&other == &test) continue;
        if (test.found && test.found->test == other.name) return false;
        if (std::find(test.needs.begin(), test.needs.end(), other.provides) != test.needs.end()) return false;
        if (test.limits_from().contains(other.name)) return false;
        if (!other.provides.empty() && test.settings_from().contains(other.provides)) return false;
        const auto source = [&](const Source& s) { return s.test == other.name; };
        if (std::any_of(test.sources.begin(), test.sources.end(), source)) return false;
    }
    return true;
}

std::vector<Stretch> order_of(const Plan& plan) {
    std::vector<std::vector<std::pair<std::string, Stretch>>> all;
    std::vector<std::size_t> left;
    for (std::size_t i = 0; i < plan.tests.size(); ++i) {
        all.push_back(stretches_of(i, plan.tests[i]));
        left.push_back(all.back().size());
    }
    std::vector<Stretch> order;
    std::string present;  // slow values as they are now
    for (;;) {
        // What is ready under the present slow values or needs none, by test; else the next change.
        // Conclusions wait until nothing else is ready: what they are drawn from can still be measured again.
        std::optional<std::size_t> same, any;
        for (std::size_t i = 0; i < all.size(); ++i) {
            if (left[i] == 0 || !ready(plan, *plan.tests[i].test, left)) continue;
            if (!any || (plan.tests[*any].test->concludes && !plan.tests[i].test->concludes)) any = i;
            for (const auto& [key, stretch] : all[i]) {
                if (!same && !key.empty() && key == present && !stretch.points.empty()) same = i;
            }
        }
        if (!any) break;
        const bool plain = all[*any].front().first.empty();
        const std::size_t test = plain && (!same || *any < *same) ? *any : same.value_or(*any);
        auto& list = all[test];
        auto at = std::find_if(list.begin(), list.end(), [&](const auto& s) { return s.first == present; });
        if (at == list.end()) at = list.begin();
        if (!at->first.empty()) present = at->first;
        at->second.last = left[test] == 1;
        order.push_back(std::move(at->second));
        list.erase(at);
        --left[test];
    }
    return order;
}

void require_known(const Campaign& campaign, const std::vector<std::string>& only) {
    for (const auto& [name, why] : campaign.left_out) {
        if (std::find(only.begin(), only.end(), name) != only.end())
            fail_input(campaign.file.string(), "the test " + in_quotes(name) + " is left out: " + why);
    }
    std::vector<std::string> names;
    for (const auto& test : campaign.tests) names.push_back(test.name);
    for (const auto& name : only) {
        if (std::find(names.begin(), names.end(), name) == names.end()) {
            fail_input(campaign.file.string(), "has no test " + in_quotes(name) + suggestion(name, names));
        }
    }
}

void require_watches(Plan& plan) {
    for (const auto& watch : plan.campaign->watches) {
        const Instrument* instrument = plan.bench->find(watch.role);
        if (!instrument) {
            fail_input(watch.where, "watch " + in_quotes(watch.name) + ": no instrument has the role " +
                                        in_quotes(watch.role) + suggestion(watch.role, plan.bench->roles()));
        }
        if (!instrument->dialect.knows("query_" + watch.quantity)) {
            fail_input(watch.where, "watch " + in_quotes(watch.name) + ": the " + watch.role +
                                        " cannot be asked: its dialect " + instrument->dialect.id +
                                        " has no command query_" + watch.quantity);
        }
        plan.roles.insert(watch.role);
    }
    for (const auto& recheck : plan.campaign->rechecks) {
        require_role(*plan.bench, recheck.test.instrument, recheck.test);
        plan.roles.insert(recheck.test.instrument);
        require_settings(*plan.bench, recheck.test, plan);
    }
}

void require_paths(const Plan& plan) {
    for (const auto& path : plan.bench->paths) {
        for (const auto& entry : path.entries) {
            if (entry.calibration.empty() || !plan.roles.contains(path.role)) continue;
            const auto& tests = plan.campaign->tests;
            if (std::any_of(tests.begin(), tests.end(), [&](const Test& t) {
                    return t.provides == entry.calibration && !t.provides_result.empty();
                })) {
                continue;
            }
            fail_input(path.where, "part " + in_quotes(entry.part.name) + " wants the calibration " +
                                       in_quotes(entry.calibration) +
                                       ", which no test of the campaign provides with a provides_result");
        }
    }
}

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

void warn(Plan& plan) {
    const auto add = [&](std::string text) {
        if (std::find(plan.warnings.begin(), plan.warnings.end(), text) == plan.warnings.end())
            plan.warnings.push_back(std::move(text));
    };
    std::size_t unjudged = 0;
    for (const auto& planned : plan.tests) {
        const auto lapse = planned.instrument ? calibration_lapse(*planned.instrument) : "";
        if (!lapse.empty()) add(lapse + ": its tests will get no verdict");
        // What others are made from need not be judged itself.
        const bool used = std::any_of(plan.tests.begin(), plan.tests.end(), [&](const PlannedTest& other) {
            const auto from = [&](const Source& source) { return source.test == planned.test->name; };
            return std::any_of(other.test->sources.begin(), other.test->sources.end(), from) ||
                   other.test->limits_from().contains(planned.test->name);
        });
        unjudged += planned.test->judgings.empty() && planned.test->provides.empty() &&
                    !planned.test->selects_only && !used;
        for (const auto& need : planned.test->needs) {
            if (!plan.provider(need))
                add("test " + planned.test->name + " needs " + need +
                    ", whose test is not chosen: it will get no verdict");
        }
    }
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
    warn_of_budgets(plan, add);
    for (const auto& instrument : plan.bench->instruments) {
        if (!instrument.is("supply") || !instrument.place.speaks()) continue;
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
    for (const auto& path : plan.bench->paths) {
        for (const auto& entry : path.entries) {
            if (plan.roles.contains(path.role) && !entry.valid_until.empty() && today() > entry.valid_until)
                add(in_quotes(entry.part.name) + " in the path to the " + path.role + " was valid until " +
                    entry.valid_until + ": what is measured through it will get no verdict");
        }
    }
    if (unjudged > 0) {
        add(std::to_string(unjudged) + (unjudged == 1 ? " test has" : " tests have") +
            " no rule: measured, not judged");
    }
}

}  // namespace

std::size_t Plan::captures() const {
    std::size_t sum = 0;
    for (const auto& test : tests) sum += test.captures;
    return sum;
}

bool Plan::at_most() const {
    return std::any_of(tests.begin(), tests.end(), [](const auto& t) { return t.at_most; });
}

double Plan::seconds() const {
    double sum = 0;
    for (const auto& test : tests) sum += test.seconds;
    return sum;
}

const PlannedTest* Plan::find(const std::string& test) const {
    const auto at =
        std::find_if(tests.begin(), tests.end(), [&](const auto& t) { return t.test->name == test; });
    return at == tests.end() ? nullptr : &*at;
}

const PlannedTest* Plan::provider(const std::string& calibration) const {
    const auto at = std::find_if(tests.begin(), tests.end(),
                                 [&](const auto& t) { return t.test->provides == calibration; });
    return at == tests.end() ? nullptr : &*at;
}

std::string calibration_lapse(const Instrument& instrument) {
    if (instrument.calibration_due.empty() || today() <= instrument.calibration_due) return {};
    return "the calibration of the " + instrument.role + " (" + instrument.name + ") lapsed on " +
           instrument.calibration_due;
}

Plan make_plan(const Campaign& campaign, const Bench& bench, const std::vector<std::string>& only) {
    require_known(campaign, only);
    Plan plan;
    plan.campaign = &campaign;
    plan.bench = &bench;
    plan.only = only;
    for (const auto& test : campaign.tests) {
        const bool chosen = only.empty() || std::find(only.begin(), only.end(), test.name) != only.end();
        if (chosen) plan.tests.push_back(plan_test(test, bench, plan));
    }
    require_watches(plan);
    require_paths(plan);
    RecordedCaptures(plan).require_clear();
    plan.order = order_of(plan);
    warn(plan);
    return plan;
}

}  // namespace rt::lab
