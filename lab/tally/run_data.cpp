#include "lab/tally/run_data.hpp"

#include <algorithm>
#include <set>

#include "core/base/error.hpp"
#include "core/measure/procedure.hpp"
#include "lab/formats/files.hpp"
#include "lab/tally/chain.hpp"
#include "lab/tally/measure_kept.hpp"
#include "lab/tally/point_reader.hpp"
#include "lab/tally/read_run.hpp"
#include "lab/tally/tally.hpp"

namespace rt::lab {

namespace {

// What numbers and verdicts are made by.
bool judges(const FileRecord& file) {
    return file.kind == "rulebook" || file.kind == "analysis";
}

}  // namespace

std::vector<std::string> altered_inputs(const RunRecord& run, const std::filesystem::path& folder) {
    std::vector<std::string> out;
    for (const auto& file : run.files) {
        if (!judges(file)) continue;
        if (!stays_inside(file.file) || sha256_of_file(folder / file.file) != file.sha256)
            out.push_back(file.file + " was altered");
    }
    return out;
}

RunData::RunData(const std::filesystem::path& folder, Altered altered, Held held)
    : folder_(folder), held_(held) {
    Tally::look_at(folder, [&](Database& database) {
        Transaction one_state(database, "BEGIN");
        Verification seen = verify_chain(database, folder);
        seal_ = seen.seal;
        altered_ = std::move(seen.altered);
        if (altered == Altered::mark || altered_.empty())
            record_ = held == Held::whole ? read_all(database) : read_frame(database);
    });
    for (auto& what : altered_inputs(record_, folder)) altered_.push_back(std::move(what));
    if (altered == Altered::refuse && !altered_.empty()) fail_altered(folder, altered_.front());
    std::vector<std::filesystem::path> books, analyses;
    for (const auto& file : record_.files) {
        if (!judges(file) || !stays_inside(file.file)) continue;
        (file.kind == "analysis" ? analyses : books).push_back(folder / file.file);
    }
    library_.add_all(books);
    for (const auto& file : analyses) procedures_.add(file, "", DiskFiles({}));
}

void RunData::each_point(const std::function<void(const PointRecord&)>& take) const {
    if (held_ == Held::whole) {
        for (const auto& point : record_.points) take(point);
        return;
    }
    Tally::look_at(folder_, [&](Database& database) {
        Transaction one_state(database, "BEGIN");
        if (chain_seal(database) != seal_)
            fail_input(folder_.string(), "the run was written to while it was read: once more, please");
        PointReader points(database);
        for (PointRecord point; points.next(point);) {
            if (point.standing != Standing::superseded) take(point);
        }
    });
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
    const TestRecord* test = record_.find_test(point.test);
    return test && !test->origin.empty();
}

Outcome RunData::outcome_of(const PointRecord& point) const {
    const TestRecord* test = record_.find_test(point.test);
    if (!test) fail_input(folder_.string(), "the tally has no test " + point.test);
    return measure_kept(folder_, procedures_.find(test->procedure), procedures_.find_own(test->procedure),
                        point);
}

}  // namespace rt::lab
