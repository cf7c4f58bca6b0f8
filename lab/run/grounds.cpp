#include "lab/run/grounds.hpp"

#include <algorithm>
#include <cstdlib>
#include <set>

#include "core/base/text.hpp"
#include "lab/captures/result_table.hpp"
#include "lab/formats/files.hpp"
#include "lab/run/device_tables.hpp"

namespace rt::lab {

PointJob Grounds::job_of(const PlannedTest& planned, const Sweep& sweep, const Point& point, PointKind kind,
                         const std::string& parent) const {
    const Test& test = *planned.test;
    const TextPairs axes = axes_of(sweep, point);
    PointJob job{&test, planned.instrument, &sweep, &point, kind, parent};
    job.blocked = adjusted_settings(test, axes, job.adjusted, job.tables);
    if (!made_of_trials(kind)) job.given = given_inputs(plan_, measured_, folder_, test, sweep, point);
    job.around = around(test, planned.instrument, unit_, axes,
                        [&](const std::string& name, const TextPairs& at) { return measured_.at(name, at); });
    return job;
}

std::string Grounds::adjusted_settings(
    const Test& test, const TextPairs& axes, TextPairs& out,
    std::vector<std::pair<std::string, std::vector<std::string>>>& tables) const {
    for (const auto& name : test.settings_from()) {
        const PlannedTest* provider = plan_.provider(name);
        if (!provider) return "the calibration " + in_quotes(name) + " was not made";
        if (!provider->test->adjust) {
            DeviceTableText table = device_table_text(plan_, measured_, folder_, *provider);
            if (!table.missing.empty()) return "the table " + in_quotes(name) + ": " + table.missing;
            tables.emplace_back(name, std::move(table.parts));
            continue;
        }
        const std::string& gives = provider->test->adjust->gives;
        const auto found =
            only_result(provider->test->name, gives, axes,
                        [&](const std::string& of, const TextPairs& at) { return measured_.at(of, at); });
        if (!found.result)
            return "the setting from the calibration " + in_quotes(name) + ": " + found.missing;
        if (auto lapse = calibrations_.knows(name) ? calibrations_.lapse(name) : "";
            !lapse.empty() && provider->test->valid_for_s)
            return lapse;
        out.emplace_back(name, format_exact(found.result->value));
    }
    return {};
}

// Every input that a kept point has from another test is still the capture of a point that counts.
bool Grounds::inputs_stand(const PointRecord& record) const {
    const Test* test = plan_.campaign->find(record.test);
    return std::all_of(record.inputs.begin(), record.inputs.end(), [&](const InputRecord& input) {
        if (input.source.empty()) return true;
        const Source* source = test ? test->source_of(input.name) : nullptr;
        if (!source) return true;
        const PointRecord* now =
            measured_.find(source->test, std::strtoull(input.source.c_str(), nullptr, 16));
        return now && now->standing == Standing::valid && now->handed_on().sha256 == input.capture.sha256;
    });
}

// Every point that this one has its limits or settings from was measured before it, and still counts if it
// was judged by it.
bool Grounds::limits_stand(const PointRecord& record) const {
    const PlannedTest* planned = plan_.find(record.test);
    if (!planned || record.kind == PointKind::check) return true;
    const bool judged = std::any_of(record.findings.begin(), record.findings.end(),
                                    [](const Finding& f) { return f.verdict != Verdict::none; });
    std::set<std::string> sources = planned->test->limits_from();
    for (const auto& name : planned->test->settings_from()) {
        if (const PlannedTest* provider = plan_.provider(name)) sources.insert(provider->test->name);
    }
    return std::all_of(sources.begin(), sources.end(), [&](const std::string& name) {
        std::string why;
        const PointRecord* source = only_point(
            name, record.axes,
            [&](const std::string& of, const TextPairs& at) { return measured_.at(of, at); }, why);
        if (!source) return !judged;
        return source->position < record.position && !(judged && source->standing == Standing::voided);
    });
}

// Whether the tables that a conclusion would be drawn from now are those that it was drawn from.
bool Grounds::still_drawn_from(const PlannedTest& planned, const Sweep& sweep, const Point& point,
                               const PointRecord& kept) const {
    for (const auto& given : given_inputs(plan_, measured_, folder_, *planned.test, sweep, point)) {
        const auto named = [&](const InputRecord& i) { return i.name == given.input; };
        const auto at = std::find_if(kept.inputs.begin(), kept.inputs.end(), named);
        const std::string& known = at == kept.inputs.end() ? kept.capture.sha256 : at->capture.sha256;
        const auto* table = std::get_if<ResultTable>(&*given.capture);
        if ((table ? sha256(table_text(*table)) : given.kept.sha256) != known) return false;
    }
    return true;
}

}  // namespace rt::lab
