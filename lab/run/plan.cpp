#include "lab/run/plan.hpp"

#include <algorithm>

#include "core/base/error.hpp"
#include "core/base/text.hpp"
#include "lab/clock.hpp"
#include "lab/formats/gathered.hpp"
#include "lab/run/plan_parts.hpp"
#include "lab/run/recorded.hpp"
#include "lab/run/soaks.hpp"
#include "lab/run/unit_identity.hpp"

namespace rt::lab {
namespace {

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
        for (const auto& source : recheck.test.sources) {
            if (!plan.campaign->find(source.test))
                fail_input(recheck.test.where, "inputs: there is no test " + in_quotes(source.test));
            // Never made, it would have everything measured again and again.
            const bool covers =
                std::any_of(plan.tests.begin(), plan.tests.end(), [&](const PlannedTest& planned) {
                    return recheck.covers.empty() || std::find(recheck.covers.begin(), recheck.covers.end(),
                                                               planned.test->name) != recheck.covers.end();
                });
            if (covers && !plan.find(source.test))
                fail_input(recheck.test.where,
                           "recheck " + in_quotes(recheck.test.name) + " cannot be made without the test " +
                               in_quotes(source.test) + ": choose it too, --only " + source.test);
        }
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

// The time that soaks take, in the order of the plan, counts as that of the tests that they come up in.
static void add_soaks(Plan& plan) {
    std::map<std::string, std::string> soaked;
    for (const auto& stretch : plan.order) {
        PlannedTest& planned = plan.tests[stretch.test];
        const Sweep& sweep = planned.test->sweep;
        for (const std::size_t i : stretch.points) {
            for (std::size_t a = 0; a < sweep.axes.size(); ++a) {
                const Axis& axis = sweep.axes[a];
                if (axis.soak_s <= 0 || a >= planned.points[i].settings.size()) continue;
                auto& last = soaked[axis.name];
                const std::string& value = planned.points[i].value(sweep, a).text;
                if (std::exchange(last, value) != value) planned.seconds += axis.soak_s;
            }
        }
    }
}

Plan make_plan(const Campaign& campaign, const Bench& bench, const std::vector<std::string>& only) {
    require_known(campaign, only);
    Plan plan;
    plan.campaign = &campaign;
    plan.bench = &bench;
    plan.only = only;
    Gathered errors;
    for (const auto& test : campaign.tests) {
        const bool chosen = only.empty() || std::find(only.begin(), only.end(), test.name) != only.end();
        if (chosen) errors.at([&] { plan.tests.push_back(plan_test(test, bench, plan)); });
    }
    errors.finish();
    require_watches(plan);
    require_said(plan);
    require_paths(plan);
    RecordedCaptures(plan).require_clear();
    plan.order = order_of(plan);
    if (!rehearsed(bench)) add_soaks(plan);
    warn(plan);
    return plan;
}

}  // namespace rt::lab
