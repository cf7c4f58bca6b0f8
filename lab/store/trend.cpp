#include "lab/store/trend.hpp"

#include <algorithm>
#include <cmath>
#include <limits>
#include <map>
#include <set>

#include "core/base/error.hpp"

namespace rt::lab {

const char* name(TrendBy by) {
    return trend_names[static_cast<std::size_t>(by)];
}

Unit margin_unit_of(Unit unit) {
    Finding like;
    like.unit = unit;
    return like.margin_unit();
}

namespace {

std::string key_of(const FoundFinding& f, TrendBy by) {
    switch (by) {
        case TrendBy::day:
            return f.started.substr(0, 10);
        case TrendBy::month:
            return f.started.substr(0, 7);
        case TrendBy::year:
            return f.started.substr(0, 4);
        case TrendBy::unit:
            return f.serial;
        case TrendBy::model:
            return f.model;
        case TrendBy::bench:
            return f.bench;
        case TrendBy::rule:
            return f.rule;
        case TrendBy::test:
            return f.test;
    }
    return "";
}

}  // namespace

std::vector<TrendGroup> trend_of(const std::vector<FoundFinding>& found, TrendBy by) {
    struct Gathered {
        VerdictCounts verdicts;
        std::set<std::string> runs;
        std::vector<double> margins;
    };
    std::map<std::pair<std::string, std::string>, Gathered> groups;
    for (const auto& f : found) {
        auto& group = groups[{key_of(f, by), symbol(margin_unit_of(f.unit))}];
        group.verdicts.add(f.verdict);
        group.runs.insert(f.run);
        if (f.margin) group.margins.push_back(*f.margin);
    }
    std::vector<TrendGroup> out;
    for (auto& [key, group] : groups) {
        TrendGroup trend;
        trend.key = key.first,
        trend.unit = parse_unit(key.second) ? parse_unit(key.second)->unit : Unit::none;
        trend.runs = group.runs.size(), trend.verdicts = group.verdicts;
        auto& margins = group.margins;
        std::sort(margins.begin(), margins.end());
        const auto part = [&](double share) -> std::optional<double> {
            if (margins.empty()) return std::nullopt;
            const double place = std::ceil(share * static_cast<double>(margins.size()));
            return margins[static_cast<std::size_t>(std::max(1.0, place)) - 1];
        };
        trend.lowest = part(0), trend.quarter = part(0.25), trend.median = part(0.5);
        trend.three_quarters = part(0.75), trend.highest = part(1);
        out.push_back(std::move(trend));
    }
    return out;
}

Figure trend_figure(const std::vector<TrendGroup>& groups, TrendBy by, const std::string& title) {
    std::set<Unit> units;
    for (const auto& group : groups)
        if (group.median) units.insert(group.unit);
    if (units.empty()) fail_input("there are no margins to draw");
    if (units.size() > 1)
        fail_input("margins of " + std::to_string(units.size()) +
                   " units do not go into one figure: choose a rule");
    constexpr double gap = std::numeric_limits<double>::quiet_NaN();
    Figure figure;
    figure.title = title;
    figure.x_label = name(by);
    figure.y_label = std::string("margin") +
                     (*units.begin() == Unit::none ? "" : std::string(" in ") + symbol(*units.begin()));
    Curve limit{"limit", CurveRole::limit, {}, {}}, median{"median", CurveRole::sweep, {}, {}},
        half{"middle half", CurveRole::interval, {}, {}}, lowest{"smallest", CurveRole::spots, {}, {}};
    double at = 0;
    for (const auto& group : groups) {
        if (!group.median) continue;
        ++at;
        figure.places.push_back(group.key);
        median.x.push_back(at), median.y.push_back(*group.median);
        lowest.x.push_back(at), lowest.y.push_back(*group.lowest);
        for (const double y : {*group.quarter, *group.three_quarters, gap})
            half.x.push_back(at), half.y.push_back(y);
    }
    limit.x = {0.5, at + 0.5}, limit.y = {0, 0};
    figure.curves = {std::move(limit), std::move(half), std::move(median), std::move(lowest)};
    return figure;
}

}  // namespace rt::lab
