#include "lab/tally/run_data.hpp"

#include <algorithm>
#include <set>

#include "core/base/error.hpp"
#include "core/catalogue/catalogue.hpp"
#include "core/measure/procedure.hpp"
#include "lab/formats/files.hpp"
#include "lab/tally/chain.hpp"
#include "lab/tally/measure_kept.hpp"
#include "lab/tally/tally.hpp"

namespace rt::lab {

RunData::RunData(const std::filesystem::path& folder, Altered altered) : folder_(folder) {
    Tally::look_at(folder, [&](Database& database) {
        Transaction one_state(database, "BEGIN");
        Verification seen = verify_chain(database, folder);
        seal_ = seen.seal;
        altered_ = std::move(seen.altered);
    });
    if (altered == Altered::mark || altered_.empty()) record_ = Tally::open(folder).read();
    std::vector<std::filesystem::path> books;
    for (const auto& file : record_.files) {
        if (file.kind != "rulebook") continue;
        const auto path = folder / file.file;
        if (!stays_inside(file.file) || sha256(read_file(path)) != file.sha256) {
            altered_.push_back(file.file + " was altered");
            if (!stays_inside(file.file)) continue;
        }
        books.push_back(path);
    }
    if (altered == Altered::refuse && !altered_.empty()) {
        fail_input(folder.string(), "is not as it was written (" + altered_.front() +
                                        "): rare-tally verify " + folder.string() + " lists everything");
    }
    library_.add_all(books);
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

bool RunData::concluded(const PointRecord& point) const {
    return !record_.fact("drawn." + point.test).empty();
}

Outcome RunData::outcome_of(const PointRecord& point) const {
    const auto test = std::find_if(record_.tests.begin(), record_.tests.end(),
                                   [&](const TestRecord& t) { return t.name == point.test; });
    if (test == record_.tests.end()) fail_input(folder_.string(), "the tally has no test " + point.test);
    return measure_kept(folder_, find_procedure(test->procedure), point);
}

}  // namespace rt::lab
