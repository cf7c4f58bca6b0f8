#include "core/rules/judge.hpp"

#include <fmt/core.h>

#include <algorithm>
#include <cmath>
#include <limits>

#include "core/base/error.hpp"
#include "core/base/text.hpp"
#include "core/rules/conditions.hpp"

namespace rt {

std::vector<std::string> deviations_from(const Rule& rule, const Parameters& parameters) {
    std::vector<std::string> out;
    if (!rule.changed_from.empty())
        out.push_back("limit of the lab's own rulebook instead of " + rule.changed_from);
    for (const auto& [name, wanted] : rule.presets) {
        const auto at = parameters.texts().find(name);
        if (at == parameters.texts().end() || parameters.same(name, at->second, wanted)) continue;
        out.push_back(name + " " + at->second + " instead of " + wanted);
    }
    return out;
}
namespace {

Finding start(RuleRef ref, const Outcome& outcome) {
    Finding finding;
    finding.rule = ref.full_id();
    finding.title = ref.rule->title;
    finding.clause = ref.rule->clause;
    finding.unit = ref.rule->unit;
    finding.deviations = outcome.deviations;
    return finding;
}

Verdict verdict_of(double margin, double marginal) {
    if (!(margin >= 0)) return Verdict::fail;
    return margin < marginal ? Verdict::marginal : Verdict::pass;
}

double marginal_of(const Rule& rule, const JudgeOptions& options) {
    return options.marginal.value_or(rule.marginal.value_or(default_marginal(rule.unit)));
}

// What must be added to a level in `from` to state it in the rule's unit. Levels convert by a constant.
double unit_shift(const Rule& rule, const std::string& what, Unit from, std::optional<double> impedance_ohm) {
    if (from == rule.unit) return 0;
    const Quantity zero{0, from};
    const auto converted = is_decibel(from) && is_decibel(rule.unit)
                               ? (impedance_ohm ? convert(zero, rule.unit, {*impedance_ohm, Unit::ohm})
                                                : convert(zero, rule.unit))
                               : std::nullopt;
    if (converted) return converted->value;
    const bool impedance_helps = convert(zero, rule.unit, {50, Unit::ohm}).has_value();
    fail_input("rule " + rule.id + " is in " + symbol(rule.unit) + " but " + what + " is in " + symbol(from) +
               (impedance_helps ? ": state the impedance it was measured in" : ": these do not convert"));
}

// Farthest distance between neighbouring points inside the band where the rule has limits.
double widest_step(const std::vector<double>& x, double from, double to) {
    double widest = 0;
    for (std::size_t i = 1; i < x.size(); ++i) {
        if (x[i] > from && x[i - 1] < to) widest = std::max(widest, x[i] - x[i - 1]);
    }
    return widest;
}

// Why the trace cannot speak for the whole band `from` to `to`; empty if it can. Its ends may lie one step of
// its points inside: a sampled band ends so.
std::string lack_of_cover(const Trace& trace, double from, double to) {
    const auto& x = trace.x;
    const double rounding = 1e-9;
    const double first = x.size() > 1 ? x[1] - x[0] : 0, last = x.size() > 1 ? x.back() - x[x.size() - 2] : 0;
    if (x.front() <= from + std::abs(from) * rounding + first &&
        x.back() >= to - std::abs(to) * rounding - last)
        return {};
    return "the trace covers " + hz(x.front()) + " to " + hz(x.back()) + ", the limit " + hz(from) + " to " +
           hz(to);
}

// Why signals between the points may have been missed; empty if they cannot.
std::string lack_of_points(const Trace& trace, double from, double to) {
    const auto& x = trace.x;
    if (!trace.resolution_bandwidth_hz) {
        // Without a bandwidth nothing says how narrow a feature can be: so few points show no curve.
        constexpr std::ptrdiff_t fewest = 11;
        const auto inside =
            std::upper_bound(x.begin(), x.end(), to) - std::lower_bound(x.begin(), x.end(), from);
        if (inside >= fewest || trace.x_unit != Unit::hertz) return {};
        return fmt::format("only {} points of the trace lie where the limit is: measure at {} or more",
                           inside, fewest);
    }
    const double step = widest_step(x, from, to);
    if (step <= *trace.resolution_bandwidth_hz * 1.001) return {};
    return "points of the trace are up to " + hz(step) + " apart with a resolution bandwidth of " +
           hz(*trace.resolution_bandwidth_hz) + ": signals between them may be missed";
}

// Fills in what the worst point says.
Finding conclude(Finding finding, const Rule& rule, const Trace& trace, const LineComparison& seen,
                 double marginal, double shift, double centre) {
    const auto x_of = [&](std::size_t i) { return Quantity{trace.x[i] - centre, trace.x_unit}; };
    if (seen.judged == 0) return no_verdict(std::move(finding), "the limit covers no point of the trace");
    if (seen.not_a_number) {
        return no_verdict(std::move(finding), "the trace has no number at " +
                                                  format({trace.x[*seen.not_a_number], trace.x_unit}));
    }
    finding.points_judged = seen.judged;
    finding.points_beyond = seen.beyond;
    finding.limit = seen.worst_limit;
    finding.value = trace.y[seen.worst] + shift;
    finding.margin = seen.worst_margin;
    finding.at = x_of(seen.worst);
    finding.verdict = verdict_of(seen.worst_margin, marginal);
    weigh(rule, trace, seen.worst_margin, finding);
    return finding;
}

Finding judge_line(const LimitLine& line, const Rule& rule, const Trace& trace, Finding finding,
                   const JudgeOptions& options) {
    if (!options.allow_partial) {
        if (trace.x.back() < line.from() || trace.x.front() > line.to()) {
            return no_verdict(std::move(finding),
                              "the limit covers no point of the trace: the trace covers " +
                                  hz(trace.x.front()) + " to " + hz(trace.x.back()) + ", the limit " +
                                  hz(line.from()) + " to " + hz(line.to()));
        }
        if (auto lack = trace.spots ? std::string() : lack_of_cover(trace, line.from(), line.to());
            !lack.empty()) {
            return no_verdict(std::move(finding), std::move(lack));
        }
    }
    const bool look = !trace.spots && !options.points_known;
    if (auto lack = look ? lack_of_points(trace, line.from(), line.to()) : ""; !lack.empty())
        return no_verdict(std::move(finding), std::move(lack));
    const double marginal = marginal_of(rule, options);
    const double shift = unit_shift(rule, "trace " + trace.name, trace.y_unit, trace.impedance_ohm);
    const auto seen = compare(trace.x, trace.y, line, marginal, shift);
    return conclude(std::move(finding), rule, trace, seen, marginal, shift, 0);
}

struct Extent {
    double from, to;
};

// Offsets that the mask has levels for; an open outer end counts as far as the rule demands.
Extent extent_of(const Mask& mask, const Rule& rule) {
    Extent out{std::numeric_limits<double>::infinity(), -std::numeric_limits<double>::infinity()};
    for (const auto* part : {&mask.relative, &mask.absolute}) {
        if (!*part) continue;
        const double end =
            std::isinf((*part)->to()) ? rule.cover_to.value_or((*part)->from()) : (*part)->to();
        out.from = std::min(out.from, (*part)->from());
        out.to = std::max(out.to, end);
    }
    return out;
}

Finding judge_mask(const Mask& mask, const Rule& rule, const Trace& trace, Finding finding,
                   const JudgeOptions& options) {
    if (!trace.centre_hz) return no_verdict(std::move(finding), "no carrier frequency is known for the mask");
    if (mask.relative && !trace.reference_level) {
        return no_verdict(std::move(finding), "no reference level is known for the relative mask");
    }
    const double centre = *trace.centre_hz;
    const auto extent = extent_of(mask, rule);
    const double low = centre + (mask.symmetric ? -extent.to : extent.from);
    if (auto lack = options.points_known ? "" : lack_of_points(trace, low, centre + extent.to); !lack.empty())
        return no_verdict(std::move(finding), std::move(lack));
    if (!options.allow_partial) {
        if (auto lack = lack_of_cover(trace, low, centre + extent.to); !lack.empty()) {
            return no_verdict(std::move(finding), std::move(lack));
        }
    }
    const double marginal = marginal_of(rule, options);
    const double shift = unit_shift(rule, "trace " + trace.name, trace.y_unit, trace.impedance_ohm);
    const double reference = trace.reference_level.value_or(0) + shift;
    LineComparison seen;
    seen.worst_margin = std::numeric_limits<double>::infinity();
    bool by_relative = false;
    for (std::size_t i = 0; i < trace.x.size(); ++i) {
        const auto limit = mask.at(trace.x[i] - centre, reference);
        if (!limit) continue;
        ++seen.judged;
        if (!std::isfinite(trace.y[i]) && !seen.not_a_number) seen.not_a_number = i;
        const double margin = margin_to(limit->level, trace.y[i] + shift, Sense::upper);
        if (margin < 0) ++seen.beyond;
        if (margin >= 0 && margin < marginal) ++seen.close;
        if (margin < seen.worst_margin) {
            seen.worst = i;
            seen.worst_limit = limit->level;
            seen.worst_margin = margin;
            by_relative = limit->relative;
        }
    }
    finding.at_offset = true;
    finding = conclude(std::move(finding), rule, trace, seen, marginal, shift, centre);
    if (finding.verdict != Verdict::none && mask.relative && finding.reason.empty()) {
        finding.reason =
            by_relative ? "relative part: reference " + format({reference, rule.unit}) : "absolute part";
    }
    return finding;
}

// A value that is only known to be at least (at most) so much fails an upper (lower) limit, and meets the
// other.
Finding held_against_bound(const Bound& bound, const Result& result, Finding finding) {
    if (result.known == Known::exactly || finding.verdict == Verdict::none) return finding;
    const bool at_least = result.known == Known::at_least;
    const bool failed = finding.verdict == Verdict::fail;
    const bool by_max = bound.max && finding.limit == bound.max;
    const bool proven = failed ? at_least == by_max : (at_least ? !bound.max : !bound.min);
    if (!proven) {
        return no_verdict(std::move(finding), result.name + " is only known to be " + name(result.known) +
                                                  " " + format(result.value) +
                                                  ": the record does not show all of it");
    }
    finding.reason += (finding.reason.empty() ? "" : "; ") + std::string(name(result.known)) +
                      " so much: the record does not show all of it";
    return finding;
}

// The smaller distance to the bound's limits, and the limit that it is to.
struct Spare {
    double margin = 0, limit = 0;
};

Spare spare_of(const Bound& bound, double value) {
    const double far = std::numeric_limits<double>::infinity();
    const double above = bound.min ? margin_to(*bound.min, value, Sense::lower) : far;
    const double below = bound.max ? margin_to(*bound.max, value, Sense::upper) : far;
    return above < below ? Spare{above, *bound.min} : Spare{below, *bound.max};
}

// How many of the single values are beyond the bound, and where the worst of them stand.
void count_occurrences(const Bound& bound, const Rule& rule, const Occurrences& all, Unit unit,
                       Finding& finding) {
    constexpr std::size_t most_named = 5;
    std::string named;
    std::size_t beyond = 0;
    for (const auto& one : all.worst) {
        const auto value = convert({one.value, unit}, rule.unit);
        if (!value || spare_of(bound, value->value).margin >= 0) continue;
        if (beyond++ < most_named) named += "; " + format(*value) + " at " + one.place;
    }
    finding.points_judged = all.count;
    finding.points_beyond = beyond;
    if (beyond == 0) return;
    const bool more = beyond == all.worst.size() && all.count > beyond;
    finding.reason = fmt::format("{}{} of {} beyond the limit{}: {}", beyond, (more ? " or more" : ""),
                                 all.count, (beyond > most_named ? ", the worst" : ""), named.substr(2));
}

Finding judge_bound(const Bound& bound, const Rule& rule, const Outcome& outcome, Finding finding,
                    const JudgeOptions& options) {
    const Result* result = outcome.find_result(rule.applies_to);
    if (!result) {
        const auto why = outcome.lacking.find(rule.applies_to);
        return no_verdict(std::move(finding), why != outcome.lacking.end()
                                                  ? why->second
                                                  : "the capture gives no " + rule.applies_to);
    }
    auto value = convert(result->value, rule.unit);
    const Trace* conditions = conditions_of(rule, outcome);
    if (!value && conditions && conditions->impedance_ohm)
        value = convert(result->value, rule.unit, {*conditions->impedance_ohm, Unit::ohm});
    if (!value) {
        fail_input("rule " + rule.id + " is in " + symbol(rule.unit) + " but result " + result->name +
                   " is in " + symbol(result->value.unit));
    }
    if (!std::isfinite(value->value)) return no_verdict(std::move(finding), result->name + " has no value");
    if (result->decided_at) {
        const auto decided = convert({*result->decided_at, result->value.unit}, rule.unit);
        // Better than that limit is better than every higher one, worse than it is worse than every lower
        // one.
        const double rounding = decided ? 1e-9 * std::abs(decided->value) : 0;
        const bool says = decided && bound.max && !bound.min &&
                          (value->value <= decided->value ? *bound.max >= decided->value - rounding
                                                          : *bound.max <= decided->value + rounding);
        if (!says)
            return no_verdict(std::move(finding),
                              std::isnan(*result->decided_at)
                                  ? "counting ended when another ratio was decided: count all for this one"
                                  : "counting ended as soon as " +
                                        format({*result->decided_at, result->value.unit}) +
                                        " was decided: count again for this limit");
    }
    const Spare spare = spare_of(bound, value->value);
    finding.value = value->value;
    finding.margin = spare.margin;
    finding.limit = spare.limit;
    finding.points_judged = 1;
    finding.points_beyond = *finding.margin < 0 ? 1 : 0;
    if (const Occurrences* all = outcome.find_occurrences(rule.applies_to))
        count_occurrences(bound, rule, *all, result->value.unit, finding);
    finding.verdict = verdict_of(*finding.margin, marginal_of(rule, options));
    if (conditions) weigh(rule, *conditions, *finding.margin, finding);
    return held_against_bound(bound, *result, std::move(finding));
}

Finding compared(RuleRef ref, const Outcome& outcome, const JudgeOptions& options) {
    const Rule& rule = *ref.rule;
    Finding finding = start(ref, outcome);
    if (outcome.invalid) return no_verdict(std::move(finding), *outcome.invalid);
    const Trace* conditions = conditions_of(rule, outcome);
    for (auto& other : other_conditions(rule, outcome, conditions))
        finding.deviations.push_back(std::move(other));
    const auto missing = [&] { return missing_for(rule, outcome, conditions, options); };
    if (const auto* bound = rule.bound()) {
        if (outcome.find_result(rule.applies_to)) {
            if (auto lack = missing(); !lack.empty()) return no_verdict(std::move(finding), std::move(lack));
        }
        return judge_bound(*bound, rule, outcome, std::move(finding), options);
    }
    const Trace* trace = outcome.find_trace(rule.applies_to, rule.detector);
    if (!trace || trace->x.empty()) {
        return no_verdict(std::move(finding), "the capture gives no trace " + rule.applies_to);
    }
    if (auto lack = missing(); !lack.empty()) return no_verdict(std::move(finding), std::move(lack));
    if (const auto* line = rule.line()) return judge_line(*line, rule, *trace, std::move(finding), options);
    return judge_mask(*rule.mask(), rule, *trace, std::move(finding), options);
}

// The part of a trace that a budget is for.
std::optional<Trace> within(const Trace& trace, const Budget& budget) {
    if (trace.x_unit != Unit::hertz) return trace;
    const auto from = std::lower_bound(trace.x.begin(), trace.x.end(), budget.from_hz) - trace.x.begin();
    const auto to = std::upper_bound(trace.x.begin(), trace.x.end(), budget.to_hz) - trace.x.begin();
    if (from >= to) return std::nullopt;
    Trace out = trace;
    out.x.assign(trace.x.begin() + from, trace.x.begin() + to);
    out.y.assign(trace.y.begin() + from, trace.y.begin() + to);
    return out;
}

// Uncertainty, guard and what they make of the verdict.
void decide(const Rule& rule, const Budget& budget, const JudgeOptions& options, Finding& finding) {
    double expanded = budget.expanded();
    if (budget.unit == Unit::percent && finding.margin_unit() != Unit::percent)
        expanded *= std::abs(*finding.value) / 100;
    finding.uncertainty = expanded;
    double guard = 0;
    if (options.decision == Decision::guarded) guard = expanded;
    if (options.decision == Decision::cispr && rule.allowed_uncertainty)
        guard = std::max(0.0, expanded - *rule.allowed_uncertainty);
    if (options.decision != Decision::simple) finding.guard = guard;
    const bool inside = *finding.margin >= 0 && *finding.margin < guard;
    finding.verdict = verdict_of(*finding.margin - guard, marginal_of(rule, options));
    if (finding.verdict == Verdict::pass || finding.verdict == Verdict::marginal)
        finding.wrong_pass = chance_beyond(*finding.margin, expanded);
    if (inside) {
        finding.reason = "inside the guard band of " + format({guard, finding.margin_unit()}, 3) +
                         (finding.reason.empty() ? "" : "; " + finding.reason);
    }
}

}  // namespace

// What the user declared in place of the capture stays with the verdict.
static Finding declared(const Rule& rule, const Outcome& outcome, Finding finding) {
    const Trace* conditions = conditions_of(rule, outcome);
    if (conditions && !conditions->declared.empty() && finding.verdict != Verdict::none) {
        finding.reason += (finding.reason.empty() ? "" : "; ") +
                          std::string("declared, not stated by the capture: ") + conditions->declared;
    }
    return finding;
}

// By a rule whose bound is known.
static Finding judge_known(RuleRef ref, const Outcome& outcome, const JudgeOptions& options) {
    const Rule& rule = *ref.rule;
    Finding all = compared(ref, outcome, options);
    if (all.verdict == Verdict::none) return all;
    const Trace* trace = rule.bound() ? nullptr : outcome.find_trace(rule.applies_to, rule.detector);
    std::optional<Finding> worst;
    double worst_spare = std::numeric_limits<double>::infinity();
    // Where budgets differ over frequency, each part of the trace is held against its own guard.
    for (const Budget& budget : options.budgets) {
        if (!budget.speaks_for(rule.applies_to, all.margin_unit())) continue;
        Finding here = all;
        const bool whole = budget.from_hz <= 0 && std::isinf(budget.to_hz);
        if (trace && !whole) {
            const auto part = within(*trace, budget);
            if (!part) continue;
            Outcome partial = outcome;
            partial.traces = {*part};
            JudgeOptions some = options;
            some.allow_partial = some.points_known = true;
            here = compared(ref, partial, some);
            if (here.verdict == Verdict::none) continue;
            here.points_judged = all.points_judged, here.points_beyond = all.points_beyond;
        }
        decide(rule, budget, options, here);
        const double spare = *here.margin - here.guard.value_or(0);
        if (const Trace* conditions = conditions_of(rule, outcome)) weigh(rule, *conditions, spare, here);
        if (spare < worst_spare) worst_spare = spare, worst = std::move(here);
        if (whole) break;
    }
    if (worst) return declared(rule, outcome, std::move(*worst));
    if (options.decision == Decision::guarded ||
        (options.decision == Decision::cispr && rule.allowed_uncertainty)) {
        return no_verdict(std::move(all), "the decision " + std::string(name(options.decision)) +
                                              " needs an uncertainty: the bench declares none for " +
                                              rule.applies_to);
    }
    return declared(rule, outcome, std::move(all));
}

// What the rule requires, and its bound where that is looked up, before anything is compared.
static Finding judge_by_limit(RuleRef ref, const Outcome& outcome, const Parameters& parameters,
                              const JudgeOptions& options) {
    const Rule& rule = *ref.rule;
    const bool there = rule.bound() ? outcome.find_result(rule.applies_to) != nullptr
                                    : outcome.find_trace(rule.applies_to, rule.detector) != nullptr;
    if (outcome.invalid || !there) return judge_known(ref, outcome, options);
    if (auto lack = lacking(rule, outcome, parameters, options.around); !lack.empty())
        return no_verdict(start(ref, outcome), std::move(lack));
    if (!rule.looked_up()) return judge_known(ref, outcome, options);
    Resolved known = resolved(rule, outcome, parameters, options.around);
    if (!known.why.empty()) return no_verdict(start(ref, outcome), std::move(known.why));
    return judge_known({ref.book, &known.rule}, outcome, options);
}

template <typename Judging>
static Finding none_for_bad_input(RuleRef ref, const Outcome& outcome, const Judging& judging) {
    try {
        return judging();
    } catch (const Error& error) {
        if (error.kind() != ErrorKind::input) throw;
        return no_verdict(start(ref, outcome), "cannot be judged: " + error.message());
    }
}

// Where the limit itself is not met well: what the rule says is enough by itself.
static Finding judge_among(RuleRef ref, const Outcome& outcome, const Parameters& parameters,
                           const JudgeOptions& options) {
    const Rule& rule = *ref.rule;
    Finding by_limit = judge_by_limit(ref, outcome, parameters, options);
    if (!rule.enough || (by_limit.verdict != Verdict::fail && by_limit.verdict != Verdict::marginal))
        return by_limit;
    Rule other = rule;
    other.applies_to = rule.enough->result;
    other.unit = rule.enough->max.unit;
    other.limit = Bound{.min = {}, .max = rule.enough->max.value};
    other.rows.clear(), other.min_from.clear(), other.max_from.clear(), other.enough.reset();
    other.allowed_uncertainty.reset();
    if (!is_decibel(other.unit) || !is_decibel(rule.unit)) other.marginal.reset();
    const RuleRef its{ref.book, &other};
    Finding by_other =
        none_for_bad_input(its, outcome, [&] { return judge_by_limit(its, outcome, parameters, options); });
    const std::string what = rule.enough->result + " of at most " + format(rule.enough->max);
    const auto add = [](Finding& finding, const std::string& text) {
        finding.reason += (finding.reason.empty() ? "" : "; ") + text;
    };
    if (by_other.verdict == Verdict::none) {
        add(by_limit, what + " would be enough, which is not known: " + by_other.reason);
        return by_limit;
    }
    if (!(by_other.verdict < by_limit.verdict)) return by_limit;
    add(by_other, what + " is enough: " + rule.applies_to + " is " + value_text(by_limit) + ", limit " +
                      limit_text(by_limit));
    return by_other;
}

Finding judge(RuleRef ref, const Outcome& outcome, const JudgeOptions& options) {
    return judge_among(ref, outcome, Parameters({}), options);
}

Finding judge(RuleRef ref, Outcome& outcome, const Parameters& parameters, const JudgeOptions& options) {
    outcome.deviations = deviations_from(*ref.rule, parameters);
    return judge_among(ref, outcome, parameters, options);
}

Finding judge_or_none(RuleRef ref, Outcome& outcome, const Parameters& parameters,
                      const JudgeOptions& options) {
    return none_for_bad_input(ref, outcome, [&] { return judge(ref, outcome, parameters, options); });
}

}  // namespace rt
