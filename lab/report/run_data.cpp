#include "lab/report/run_data.hpp"

#include <algorithm>
#include <set>

#include "core/base/error.hpp"
#include "core/measure/procedure.hpp"
#include "lab/tally/chain.hpp"
#include "lab/tally/measure_kept.hpp"
#include "lab/tally/tally.hpp"

namespace rt {

RunData::RunData(const std::filesystem::path& folder) : folder_(folder), record_(Tally::open(folder).read()) {
    std::vector<std::filesystem::path> books;
    for (const auto& file : record_.files) {
        if (file.kind == "rulebook") books.push_back(folder / file.file);
    }
    library_.add_all(books);
    Tally::look_at(folder, [&](Database& database) { seal_ = chain_seal(database); });
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
    return measure_kept(folder_, find_procedure(test->procedure), point);
}

}  // namespace rt
