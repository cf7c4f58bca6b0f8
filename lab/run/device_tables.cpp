#include "lab/run/device_tables.hpp"

#include <algorithm>

#include "core/base/error.hpp"
#include "core/measure/inputs.hpp"
#include "core/measure/procedure.hpp"
#include "lab/run/given.hpp"

namespace rt::lab {

DeviceTableText device_table_text(const Plan& plan, const Measured& measured,
                                  const std::filesystem::path& run, const PlannedTest& provider) {
    DeviceTableText out;
    const Test& test = *provider.test;
    const auto& points = measured.of(test.name);
    if (points.size() != 1) {
        out.missing = points.empty() ? "it was not made" : "there are several of it";
        return out;
    }
    const PointRecord& point = *points.front();
    if (!point.invalid.empty() || point.standing != Standing::valid) {
        out.missing = point.invalid.empty() ? point.standing_reason : point.invalid;
        return out;
    }
    for (const auto& finding : point.findings) {
        if (finding.verdict == Verdict::fail || finding.verdict == Verdict::none) {
            out.missing = "its rule " + finding.rule + " did not pass";
            return out;
        }
    }
    // The same numbers as the conclusion had: drawn from the same results.
    std::vector<Input> inputs;
    for (auto& given : given_inputs(plan, measured, run, test, test.sweep, provider.points.front())) {
        if (!given.capture || !given.doubt.empty()) {
            out.missing = given.doubt.empty() ? "its results are not there" : given.doubt;
            return out;
        }
        inputs.push_back({given.input, std::move(*given.capture)});
    }
    const Outcome outcome = measure(*test.procedure, Inputs(std::move(inputs)), test.parameters);
    const auto at = std::find_if(outcome.tables.begin(), outcome.tables.end(),
                                 [](const Table& table) { return table.name == "device_table"; });
    if (outcome.invalid || at == outcome.tables.end()) {
        out.missing = outcome.invalid.value_or("it has no table");
        return out;
    }
    const std::string join = test.parameters.text("join");
    for (const auto& row : at->rows) {
        const auto& text = std::get<std::string>(row.back());
        if (join == "rows" || out.parts.empty()) {
            out.parts.push_back(text);
        } else {
            out.parts.front() += join + text;
        }
    }
    return out;
}

}  // namespace rt::lab
