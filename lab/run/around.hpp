// What stands around a point, for limits and requirements that are looked up: axis values, details of the
// unit, properties of the instrument, results of other tests.
#pragma once

#include <functional>
#include <set>
#include <string>
#include <vector>

#include "core/rules/circumstances.hpp"
#include "lab/model/bench.hpp"
#include "lab/model/record.hpp"
#include "lab/model/test.hpp"

namespace rt::lab {

// Points of a test that stand and have these values on the axes that both have, wherever they are kept.
using PointsAt =
    std::function<std::vector<const PointRecord*>(const std::string& test, const TextPairs& axes)>;

// `unit` are the details of the unit by name, `axes` names and values of the point. A result of another test
// is that of its only point, or of the one with the same values on the axes that both have.
Circumstances around(const Test& test, const Instrument* instrument, const TextPairs& unit,
                     const TextPairs& axes, const PointsAt& points_at);

// Why nothing of a point counts: void, or not valid from the start; empty when it does.
std::string why_invalid(const PointRecord& point);

// The only point of a test, or the one with the same values on the axes that both have; null, and `why`, when
// there is none or more than one.
const PointRecord* only_point(const std::string& test, const TextPairs& axes, const PointsAt& points_at,
                              std::string& why);

// The result of the only point of a test, or of the one with the same values on the axes that both have.
FoundResult only_result(const std::string& test, const std::string& result, const TextPairs& axes,
                        const PointsAt& points_at);

// Details of the unit as a run has them: facts that begin with "unit.".
TextPairs unit_details(const RunRecord& run);

}  // namespace rt::lab
