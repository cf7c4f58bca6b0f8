#include "lab/report/comparison.hpp"

#include <limits>
#include <map>
#include <tuple>

namespace rt::lab {

double ComparedFinding::change() const {
    const Finding *first = nullptr, *last = nullptr;
    for (const Finding* f : findings) {
        if (!f || !f->margin) continue;
        if (!first) {
            first = f;
        } else {
            last = f;
        }
    }
    return first && last ? *last->margin - *first->margin : std::numeric_limits<double>::quiet_NaN();
}

bool ComparedFinding::verdicts_differ() const {
    const Finding* first = nullptr;
    for (const Finding* f : findings) {
        if (!f) return true;
        if (first && f->verdict != first->verdict) return true;
        first = f;
    }
    return false;
}

Repeatability ComparedFinding::values() const {
    std::vector<double> all;
    for (const Finding* f : findings) {
        if (f && f->value) all.push_back(*f->value);
    }
    return all.size() < 2 ? Repeatability{} : repeatability(all);
}

Unit ComparedFinding::unit() const {
    for (const Finding* f : findings) {
        if (f) return f->unit;
    }
    return Unit::none;
}

std::vector<ComparedFinding> compare_runs(const std::vector<const RunData*>& runs) {
    std::vector<ComparedFinding> out;
    using SameFinding = std::tuple<std::string, std::string, std::string, std::size_t>;
    std::map<SameFinding, std::size_t> known;
    for (std::size_t r = 0; r < runs.size(); ++r) {
        std::map<SameFinding, std::size_t> seen;  // repeats of a point
        for (const auto& point : runs[r]->record().points) {
            for (const auto& finding : point.findings) {
                const std::size_t repeat = seen[{point.test, point.label, finding.rule, 0}]++;
                const auto [at, fresh] =
                    known.try_emplace({point.test, point.label, finding.rule, repeat}, out.size());
                if (fresh) {
                    ComparedFinding compared{point.test, point.label, finding.rule, {}, {}};
                    compared.findings.resize(runs.size());
                    compared.points.resize(runs.size());
                    out.push_back(std::move(compared));
                }
                out[at->second].findings[r] = &finding;
                out[at->second].points[r] = &point;
            }
        }
    }
    return out;
}

std::optional<Figure> overlay_figure(const ComparedFinding& compared, const std::vector<const RunData*>& runs,
                                     const std::vector<std::string>& names) {
    std::optional<Figure> out;
    std::size_t drawn = 0;
    constexpr std::size_t most = 20;
    for (std::size_t r = 0; r < runs.size() && drawn < most; ++r) {
        if (!compared.points[r] || compared.points[r]->capture.file.empty()) continue;
        const RuleRef rule = runs[r]->rules().find(compared.rule);
        if (rule.rule->bound()) return std::nullopt;
        const Outcome outcome = runs[r]->outcome_of(*compared.points[r]);
        const Trace* trace = outcome.find_trace(rule.rule->applies_to, rule.rule->detector);
        if (!trace || trace->x.size() < 2) continue;
        // The first run's figure carries the limit; the others lay their curves beside it.
        Figure one = trace_figure(*trace, compared.test + ": " + compared.point,
                                  drawn == 0 ? std::vector{rule} : std::vector<RuleRef>{}, {});
        one.curves.front().name = names[r];
        if (!out) {
            out = std::move(one);
        } else {
            one.curves.front().role = CurveRole::companion;
            out->curves.push_back(std::move(one.curves.front()));
        }
        ++drawn;
    }
    return drawn > 1 ? out : std::nullopt;
}

}  // namespace rt::lab
