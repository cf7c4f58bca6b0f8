#include "lab/run/plan_parts.hpp"

#include <algorithm>
#include <map>

namespace rt::lab {
namespace {

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

// Of tests that are ready, those of the lowest turn come first.
int turn_of(const Test& test) {
    return !test.concludes ? 1 : test.provides.empty() ? 2 : 0;
}

}  // namespace

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
        // Those that provide a table come as soon as they can: others are set by it.
        std::optional<std::size_t> same, any;
        for (std::size_t i = 0; i < all.size(); ++i) {
            if (left[i] == 0 || !ready(plan, *plan.tests[i].test, left)) continue;
            if (!any || turn_of(*plan.tests[i].test) < turn_of(*plan.tests[*any].test)) any = i;
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

}  // namespace rt::lab
