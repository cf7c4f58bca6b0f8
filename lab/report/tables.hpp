// Results and findings as CSV and JSON. The JSON is described in docs/json.md.
#pragma once

#include <functional>
#include <string>
#include <string_view>
#include <vector>

#include "core/outcome/outcome.hpp"
#include "core/rules/finding.hpp"
#include "lab/model/record.hpp"

namespace rt::lab {

// Takes a text piece by piece, so that those of long runs need not be held.
using TakeText = std::function<void(std::string_view)>;

// A run: results, findings and notes of all points, each with its test and point.
void put_run_json(const RunRecord& run, const TakeText& take);
std::string run_json(const RunRecord& run);

// One point on one line: test, label, axes, results, findings, why it is not valid.
std::string point_json(const PointRecord& point);

// A single measurement; the same schema without test and point, with its tables.
std::string measurement_json(const Outcome& outcome, const std::vector<Finding>& findings,
                             const std::vector<std::string>& notes);

// All curves below each other: "trace,x,y" with the units in remarks.
std::string traces_csv(const std::vector<Trace>& traces);

// One row a finding, in the order of the run.
void put_findings_csv(const RunRecord& run, const TakeText& take);
std::string findings_csv(const RunRecord& run);

}  // namespace rt::lab
