// A file of many points through a procedure: each measured and judged by itself.
#pragma once

#include <functional>
#include <vector>

#include "cli/command.hpp"
#include "core/measure/procedure.hpp"
#include "core/rules/judge.hpp"
#include "lab/captures/point_table.hpp"

namespace rt::cli {

struct TableJudging {
    std::vector<RuleRef> rules;
    const Rulebook* own = nullptr;  // limits of the command line
    std::function<JudgeOptions(const Rule&)> options;
};

// Prints a line a point, or JSON; writes the results where the option "results" names a file. Values of the
// columns are axes for rules that look up their limits (axis.rate).
ExitCode measure_table(const Call& call, const Procedure& procedure, const rt::lab::PointTable& table,
                       const Parameters& parameters, const TableJudging& judging);

}  // namespace rt::cli
