// Inputs of a point that come from other tests: their captures, or all their results in a table.
#pragma once

#include <filesystem>
#include <optional>
#include <string>
#include <vector>

#include "core/signal/capture.hpp"
#include "lab/run/measured.hpp"

namespace rt::lab {

struct Given {
    std::string input;               // name; "" for the only one
    std::string source;              // id of the point that the capture is of; "" for a table
    CaptureRecord kept;              // of that capture; empty for a table, which is kept with the point
    std::optional<Capture> capture;  // nothing when there is none to be had
    std::string doubt;               // why nothing may be judged by it; "" when it may
};

// Of each source of the test at a point. The order is that of the sources. Throws Error(input) for a kept
// capture that was altered.
std::vector<Given> given_inputs(const Plan& plan, const Measured& measured, const std::filesystem::path& run,
                                const Test& test, const Sweep& sweep, const Point& point);

// Results of the points of `test` at these values of its axes (name and text), as a table.
ResultTable gathered(const Plan& plan, const Measured& measured, const Test& test, const std::string& over,
                     const TextPairs& group);

}  // namespace rt::lab
