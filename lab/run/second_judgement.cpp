#include "lab/run/second_judgement.hpp"

#include <cmath>

#include "core/base/error.hpp"

namespace rt {
namespace {

bool same(const std::optional<double>& a, const std::optional<double>& b) {
    if (!a || !b) return a.has_value() == b.has_value();
    return std::abs(*a - *b) <= 1e-9 * std::max({std::abs(*a), std::abs(*b), 1e-15});
}

// Why the run itself took nothing of this point; empty when it did.
std::string declared_invalid(const PointRecord& point) {
    if (point.standing == Standing::voided) return "void: " + point.standing_reason;
    constexpr std::string_view mark = "not valid: ";
    for (const auto& note : point.notes) {
        if (note.starts_with(mark)) return note.substr(mark.size());
    }
    return "";
}

// How the campaign had this rule judged at this point.
JudgeOptions options_for(const Campaign& campaign, const PointRecord& point, const std::string& rule) {
    if (const Test* test = campaign.find(point.test)) {
        for (const auto& judging : test->judgings) {
            if (judging.rule.full_id() == rule) return judging.options;
        }
    }
    return {};
}

}  // namespace

bool SecondFinding::differs() const {
    return before->verdict != after.verdict || !same(before->limit, after.limit) ||
           !same(before->value, after.value) || !same(before->margin, after.margin);
}

std::vector<SecondFinding> judge_again(const RunData& run, const Campaign& campaign, const Bench& bench,
                                       const SecondJudgement& how) {
    std::vector<SecondFinding> out;
    for (const auto& point : run.record().points) {
        if (point.findings.empty()) continue;
        std::vector<RuleRef> rules;
        bool curves = false;
        for (const auto& finding : point.findings) {
            rules.push_back(how.rule_for(finding.rule));
            curves = curves || !rules.back().rule->bound();
        }
        Outcome outcome;
        const std::string invalid = declared_invalid(point);
        // What a search came to has no capture of its own.
        const bool measured = point.kind != PointKind::threshold && !point.capture.file.empty();
        if (!invalid.empty()) {
            outcome.invalid = invalid;
        } else if (measured && (curves || how.from_captures)) {
            outcome = run.outcome_of(point);
        }
        if (outcome.results.empty() && !outcome.invalid && !how.from_captures)
            outcome.results = point.results;
        if (!measured) outcome.results = point.results;
        for (std::size_t i = 0; i < rules.size(); ++i) {
            JudgeOptions options = options_for(campaign, point, point.findings[i].rule);
            options.budgets = bench.budgets;
            if (how.decision) options.decision = *how.decision;
            outcome.deviations = point.findings[i].deviations;
            SecondFinding second{&point, &point.findings[i], judge(rules[i], outcome, options)};
            if (!rules[i].rule->changed_from.empty() && second.before->rule != second.after.rule)
                second.after.deviations.push_back("limit of the lab's own rulebook instead of " +
                                                  rules[i].rule->changed_from);
            out.push_back(std::move(second));
        }
    }
    return out;
}

}  // namespace rt
