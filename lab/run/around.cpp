#include "lab/run/around.hpp"

#include <algorithm>

namespace rt::lab {

std::string why_invalid(const PointRecord& point) {
    return point.standing == Standing::voided ? "void: " + point.standing_reason : point.invalid;
}

const PointRecord* only_point(const std::string& test, const TextPairs& axes, const PointsAt& points_at,
                              std::string& why) {
    std::vector<const PointRecord*> fitting;
    for (const PointRecord* point : points_at(test, axes)) {
        if (point->kind == PointKind::point || point->kind == PointKind::threshold) fitting.push_back(point);
    }
    if (fitting.size() == 1) return fitting.front();
    why = fitting.empty() ? test + " has no point here"
                          : std::to_string(fitting.size()) + " points of " + test + " could be meant, " +
                                fitting[0]->label + " and " + fitting[1]->label + " among them";
    return nullptr;
}

FoundResult only_result(const std::string& test, const std::string& result, const TextPairs& axes,
                        const PointsAt& points_at) {
    FoundResult out;
    const PointRecord* point = only_point(test, axes, points_at, out.missing);
    if (!point) return out;
    if (const std::string why = why_invalid(*point); !why.empty())
        return {{}, point->label + " of " + test + " is not valid: " + why};
    const Result* there = point->find_result(result);
    if (!there) return {{}, point->label + " of " + test + " gives no " + result};
    return {*there, {}};
}

Circumstances around(const Test& test, const Instrument* instrument, const TextPairs& unit,
                     const TextPairs& axes, const PointsAt& points_at) {
    Circumstances out;
    for (const auto& [name, value] : axes) out.values["axis." + name] = value;
    for (const auto& [name, value] : unit) out.values["unit." + name] = value;
    if (instrument) {
        for (const auto& [name, value] : instrument->properties) out.values["instrument." + name] = value;
    }
    for (const auto& judging : test.judgings) {
        for (const auto& name : results_needed(*judging.rule.rule)) {
            const auto slash = name.find('/');
            out.results[name] = only_result(name.substr(0, slash), name.substr(slash + 1), axes, points_at);
        }
    }
    return out;
}

TextPairs unit_details(const RunRecord& run) {
    return {run.head.unit.begin(), run.head.unit.end()};
}

}  // namespace rt::lab
