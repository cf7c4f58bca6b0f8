#include "lab/report/run_data.hpp"

#include <algorithm>
#include <set>

#include "core/base/error.hpp"
#include "core/measure/procedure.hpp"
#include "lab/formats/capture_file.hpp"
#include "lab/formats/files.hpp"

#include "lab/tally/tally.hpp"

namespace rt {

RunData::RunData(const std::filesystem::path& folder) : folder_(folder), record_(Tally::open(folder).read()) {
    for (const auto& file : record_.files) {
        if (file.kind == "rulebook") library_.add(folder / file.file);
    }
}

std::vector<RuleRef> RunData::cited_rules() const {
    std::set<std::string> ids;
    for (const auto& point : record_.points) {
        for (const auto& finding : point.findings) ids.insert(finding.rule);
    }
    std::vector<RuleRef> rules;
    for (const auto& id : ids) rules.push_back(library_.find(id));
    return rules;
}

Outcome RunData::outcome_of(const PointRecord& point) const {
    const auto test = std::find_if(record_.tests.begin(), record_.tests.end(),
                                   [&](const TestRecord& t) { return t.name == point.test; });
    if (test == record_.tests.end()) fail_input(folder_.string(), "the tally has no test " + point.test);
    const auto path = folder_ / point.capture.file;
    if (sha256(read_file(path)) != point.capture.sha256) {
        fail_input(path.string(), "was altered: its SHA-256 is not the one in the tally");
    }
    const Procedure& procedure = find_procedure(test->procedure);
    Parameters parameters(procedure.parameters);
    for (const auto& [name, value] : point.parameters) parameters.set(name, value);
    return measure(procedure, read_capture(path), parameters);
}

}  // namespace rt
