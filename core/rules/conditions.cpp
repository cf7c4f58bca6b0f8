#include "core/rules/conditions.hpp"

#include <algorithm>
#include <cmath>

#include "core/base/text.hpp"
#include "core/rules/judge.hpp"

namespace rt {
namespace {

bool other_bandwidth(const Rule& rule, const Trace& trace) {
    return rule.bandwidth && trace.resolution_bandwidth_hz &&
           std::abs(*trace.resolution_bandwidth_hz - rule.bandwidth->value) > 1e-6 * rule.bandwidth->value;
}

// The reading goes into a density or a width: the bandwidth has no simple say in it.
bool scales_by_bandwidth(const Rule& rule) {
    return is_decibel(rule.unit) && rule.unit != Unit::dbm_per_hz && rule.unit != Unit::dbfs_per_hz;
}

// A rule with an upper limit, a lower one, or both.
bool limits_above(const Rule& rule) {
    if (const auto* line = rule.line()) return line->sense() == Sense::upper;
    if (const auto* bound = rule.bound()) return bound->max.has_value();
    return true;
}
bool limits_below(const Rule& rule) {
    if (const auto* line = rule.line()) return line->sense() == Sense::lower;
    if (const auto* bound = rule.bound()) return bound->min.has_value();
    return false;
}

void bandwidth_leanings(const Rule& rule, const Trace& trace, std::vector<Leaning>& out) {
    if (!other_bandwidth(rule, trace) || rule.unit == Unit::dbm_per_hz || rule.unit == Unit::dbfs_per_hz)
        return;
    const double used = *trace.resolution_bandwidth_hz, asked = rule.bandwidth->value;
    const std::string with =
        "readings with a resolution bandwidth of " + hz(used) + " instead of " + format(*rule.bandwidth);
    const std::string remedy = ": measure with " + format(*rule.bandwidth);
    if (!scales_by_bandwidth(rule)) {
        for (const bool high : {false, true})
            out.push_back({high, std::numeric_limits<double>::infinity(), "",
                           with + " cannot show that a limit is met or not" + remedy});
        return;
    }
    const double decades = std::abs(std::log10(used / asked));
    const double most = trace.detector == Detector::rms ? 10 * decades : 20 * decades;
    const auto lean = [&](bool high) {
        out.push_back({high, most, "",
                       with + " may be up to " + format({most, Unit::db}, 3) +
                           (high ? " too high" : " too low") + remedy});
    };
    // Summed powers count each point by its bandwidth: there another one is no more than a deviation.
    if (rule.bound()) return;
    const bool wider = used > asked;
    const Mask* mask = rule.mask();
    if (!mask || mask->absolute) lean(wider);
    if (mask && mask->relative) lean(!wider);
}

void detector_leanings(const Rule& rule, const Trace& trace, const std::string& place,
                       std::vector<Leaning>& out) {
    if (!rule.detector || !trace.detector || *trace.detector == *rule.detector) return;
    const std::string used = name(*trace.detector), asked = name(*rule.detector);
    const double unbounded = std::numeric_limits<double>::infinity();
    if (never_below(*trace.detector, *rule.detector)) {
        out.push_back({true, unbounded, used + " reading: the " + asked + " reading cannot be higher",
                       used + " reading " + place + " is above the " + asked +
                           " limit: measure there with the " + asked + " detector"});
        return;
    }
    const std::string text = used + " readings cannot show that a " + asked + " limit is met";
    out.push_back({false, unbounded, "", text});
    // A reading that the other detector cannot undercut is beyond the limit for that one too.
    if (!never_below(*rule.detector, *trace.detector)) out.push_back({true, unbounded, "", text});
}

}  // namespace

bool absolute(Unit unit) {
    const bool relative = unit == Unit::db || unit == Unit::dbfs || unit == Unit::dbfs_per_hz;
    return (is_decibel(unit) && !relative) || unit == Unit::volt || unit == Unit::volt_per_second ||
           unit == Unit::ampere || unit == Unit::watt;
}

const Trace* conditions_of(const Rule& rule, const Outcome& outcome) {
    if (!rule.bound()) return outcome.find_trace(rule.applies_to, rule.detector);
    for (const auto& trace : outcome.traces) {
        if (trace.detector || trace.resolution_bandwidth_hz) return &trace;
    }
    return nullptr;
}

std::string missing_for(const Rule& rule, const Outcome& outcome, const Trace* conditions,
                        const JudgeOptions& options) {
    if (outcome.unscaled && (outcome.by_volts || absolute(rule.unit))) {
        return "the record does not say how many volts a unit of it is: give --volts-per-unit, or "
               "tally:volts_per_unit in its description";
    }
    if (rule.least_observation_s) {
        const double least = *rule.least_observation_s;
        if (!outcome.observed_s)
            return "the rule asks for an observation of " + format({least, Unit::second}) +
                   ", how long this was observed is not known: give a record against time";
        const double enough = std::min(least, options.least_observation_s.value_or(least));
        if (*outcome.observed_s < enough * (1 - 1e-6)) {
            return "observed for " + format({*outcome.observed_s, Unit::second}) + ", the rule asks for " +
                   format({least, Unit::second}) +
                   ": record longer, or state least_observation where a shorter time is meant";
        }
    }
    const bool bandwidth = conditions && conditions->resolution_bandwidth_hz;
    if (rule.bandwidth && !bandwidth) {
        return "the capture states no resolution bandwidth, the limit is for " + format(*rule.bandwidth) +
               ": write # bandwidth: " + format(*rule.bandwidth) +
               " into the file, or state the parameter bandwidth";
    }
    if (rule.detector && !(conditions && conditions->detector)) {
        const std::string asked = name(*rule.detector);
        return "the capture states no detector, the limit is for " + asked + ": write # detector: " + asked +
               " into the file, or state the parameter detector";
    }
    return {};
}

std::vector<std::string> other_conditions(const Rule& rule, const Outcome& outcome, const Trace* conditions) {
    std::vector<std::string> out;
    if (conditions && other_bandwidth(rule, *conditions)) {
        out.push_back("resolution bandwidth " + hz(*conditions->resolution_bandwidth_hz) + " instead of " +
                      format(*rule.bandwidth));
    }
    // A detector that never reads lower is the customary quick way to show that a limit is met.
    if (conditions && rule.detector && conditions->detector &&
        !never_below(*conditions->detector, *rule.detector)) {
        out.push_back(std::string("detector ") + name(*conditions->detector) + " instead of " +
                      name(*rule.detector));
    }
    if (rule.least_observation_s && outcome.observed_s &&
        *outcome.observed_s < *rule.least_observation_s * (1 - 1e-6)) {
        out.push_back("observed for " + format({*outcome.observed_s, Unit::second}) + " instead of " +
                      format({*rule.least_observation_s, Unit::second}));
    }
    return out;
}

std::vector<Leaning> leanings(const Rule& rule, const Trace& trace, const std::string& place) {
    std::vector<Leaning> out;
    detector_leanings(rule, trace, place, out);
    bandwidth_leanings(rule, trace, out);
    return out;
}

void weigh(const Rule& rule, const Trace& trace, double spare, Finding& finding) {
    if (finding.verdict == Verdict::none) return;
    std::string place;
    if (finding.value && finding.at && !finding.at_offset)
        place = format({*finding.value, rule.unit}) + " at " + format(*finding.at);
    const bool above = limits_above(rule), below = limits_below(rule);
    for (const auto& lean : leanings(rule, trace, place)) {
        const bool failed = finding.verdict == Verdict::fail;
        // Too high: what fails an upper limit, or meets a lower one, may be the other in truth.
        const bool against = failed ? (lean.high ? above : below) : (lean.high ? below : above);
        if (against && std::abs(spare) <= lean.by_db) {
            finding = no_verdict(std::move(finding), lean.doubtful);
            return;
        }
        if (!failed && finding.reason.find(lean.settled) == std::string::npos)
            finding.reason += (finding.reason.empty() ? "" : "; ") + lean.settled;
    }
}

Finding no_verdict(Finding finding, std::string reason) {
    finding.verdict = Verdict::none;
    finding.reason = std::move(reason);
    finding.limit = finding.value = finding.margin = std::nullopt;
    finding.uncertainty = finding.guard = finding.wrong_pass = std::nullopt;
    finding.at.reset();
    return finding;
}

}  // namespace rt
