#include "lab/run/plan.hpp"

#include <algorithm>

#include "core/base/error.hpp"
#include "core/base/text.hpp"
#include "lab/bench/roles.hpp"
#include "lab/clock.hpp"
#include "lab/tally/tally.hpp"

namespace rt {
namespace {

const Instrument& require_role(const Bench& bench, const std::string& role, const Test& test) {
    if (const auto* found = bench.find(role)) return *found;
    std::vector<std::string> roles;
    for (const auto& instrument : bench.instruments) roles.push_back(instrument.role);
    fail_input(test.place, "test " + in_quotes(test.name) + " needs an instrument in the role " +
                               in_quotes(role) + ", the bench " + bench.file.string() + " has none" +
                               suggestion(role, roles));
}

// Everything that goes to the unit needs a command for it.
void require_unit_commands(const Bench& bench, const Test& test) {
    std::vector<std::string> names;
    for (const auto& [name, value] : test.unit_settings) names.push_back(name);
    for (const auto& axis : test.sweep.axes) {
        if (std::find(axis.sets.begin(), axis.sets.end(), "unit") != axis.sets.end())
            names.push_back(axis.name);
    }
    if (names.empty()) return;
    const auto& dialect = require_role(bench, "unit", test).dialect;
    for (const auto& name : names) {
        if (dialect.commands.contains("set_" + name)) continue;
        fail_input(test.place, "test " + in_quotes(test.name) + " sets " + in_quotes(name) +
                                   " of the unit, but dialect " + dialect.id + " has no command set_" + name);
    }
}

PlannedTest plan_test(const Test& test, const Bench& bench) {
    PlannedTest planned;
    planned.test = &test;
    planned.instrument = &require_role(bench, test.instrument, test);
    require_unit_commands(bench, test);
    planned.points = expand(test.name, test.sweep);
    // Only axes that set a parameter change the time of a point.
    const bool varies = std::any_of(test.sweep.axes.begin(), test.sweep.axes.end(), [](const Axis& axis) {
        return std::any_of(axis.sets.begin(), axis.sets.end(), [](const auto& s) { return s != "unit"; });
    });
    for (const auto& point : planned.points) {
        const auto setup = test.procedure->setup(test.parameters_at(point));
        const double seconds = sweep_seconds(*planned.instrument, setup);
        if (!varies) {
            planned.seconds = seconds * static_cast<double>(planned.points.size());
            break;
        }
        planned.seconds += seconds;
    }
    return planned;
}

}  // namespace

std::size_t Plan::points() const {
    std::size_t sum = 0;
    for (const auto& test : tests) sum += test.points.size();
    return sum;
}

double Plan::seconds() const {
    double sum = 0;
    for (const auto& test : tests) sum += test.seconds;
    return sum;
}

std::string calibration_lapse(const Instrument& instrument) {
    if (instrument.calibration_due.empty() || today() <= instrument.calibration_due) return {};
    return "the calibration of the " + instrument.role + " (" + instrument.name + ") lapsed on " +
           instrument.calibration_due;
}

static void require_known(const Campaign& campaign, const std::vector<std::string>& only) {
    std::vector<std::string> names;
    for (const auto& test : campaign.tests) names.push_back(test.name);
    for (const auto& name : only) {
        if (std::find(names.begin(), names.end(), name) == names.end()) {
            fail_input(campaign.file.string(), "has no test " + in_quotes(name) + suggestion(name, names));
        }
    }
}

Plan make_plan(const Campaign& campaign, const Bench& bench, const std::vector<std::string>& only) {
    require_known(campaign, only);
    Plan plan;
    plan.campaign = &campaign;
    plan.bench = &bench;
    plan.only = only;
    for (const auto& test : campaign.tests) {
        const bool chosen = only.empty() || std::find(only.begin(), only.end(), test.name) != only.end();
        if (chosen) plan.tests.push_back(plan_test(test, bench));
    }
    for (const auto& test : plan.tests) {
        auto lapse = calibration_lapse(*test.instrument);
        if (lapse.empty()) continue;
        lapse += ": its tests will get no verdict";
        if (std::find(plan.warnings.begin(), plan.warnings.end(), lapse) == plan.warnings.end()) {
            plan.warnings.push_back(std::move(lapse));
        }
    }
    std::size_t unjudged = 0;
    for (const auto& planned : plan.tests) unjudged += planned.test->judgings.empty();
    if (unjudged > 0) {
        plan.warnings.push_back(std::to_string(unjudged) + (unjudged == 1 ? " test has" : " tests have") +
                                " no rule: measured, not judged");
    }
    return plan;
}

}  // namespace rt
