#include "lab/model/record.hpp"

#include <algorithm>

namespace rt::lab {

std::string RunRecord::fact(const std::string& name) const {
    const auto facts = facts_of(*this);
    const auto at = facts.find(name);
    return at == facts.end() ? "" : at->second;
}

const TestRecord* RunRecord::find_test(const std::string& name) const {
    const auto at =
        std::find_if(tests.begin(), tests.end(), [&](const TestRecord& t) { return t.name == name; });
    return at == tests.end() ? nullptr : &*at;
}

const Result* PointRecord::find_result(const std::string& name) const {
    for (const auto& result : results) {
        if (result.name == name) return &result;
    }
    return nullptr;
}

const CaptureRecord& PointRecord::handed_on() const {
    const auto made = std::find_if(attachments.begin(), attachments.end(),
                                   [](const CaptureRecord& a) { return a.kind == made_attachment; });
    return made == attachments.end() ? capture : *made;
}

void withdraw(PointRecord& point) {
    for (auto& finding : point.findings) {
        finding.verdict = Verdict::none;
        finding.reason = "void: " + point.standing_reason;
        finding.limit.reset();
        finding.value.reset();
        finding.margin.reset();
        finding.at.reset();
        finding.uncertainty.reset(), finding.guard.reset(), finding.wrong_pass.reset();
    }
    point.notes.push_back("void: " + point.standing_reason);
}

VerdictCounts RunRecord::counts() const {
    VerdictCounts counts;
    for (const auto& point : points) {
        for (const auto& finding : point.findings) counts.add(finding.verdict);
    }
    return counts;
}

Verdict overall_verdict(const RunRecord& run) {
    const Verdict worst = run.counts().worst();
    return worst == Verdict::fail || run.complete() ? worst : Verdict::none;
}

}  // namespace rt::lab
