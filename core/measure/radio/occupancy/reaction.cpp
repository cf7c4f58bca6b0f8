#include "core/measure/radio/occupancy/reaction.hpp"

#include <fmt/core.h>

#include <algorithm>
#include <cmath>

#include "core/base/error.hpp"
#include "core/measure/radio/occupancy/interference.hpp"

namespace rt {
namespace {

constexpr double seen_db = 1;   // of times that are given
constexpr double found_db = 3;  // of a rise that nobody has told

std::string in_seconds(double s) {
    return format({s, Unit::second});
}

void lack_all(Outcome& outcome, const std::string& why) {
    for (const auto& product : reaction_products) outcome.lacking.emplace(product.name, why);
}

// The largest time on and the most bursts within any window of [from, to).
struct Busiest {
    double on_s = 0;
    std::size_t count = 0;
};

Busiest busiest(const std::vector<Burst>& after, double to, double window) {
    Busiest out;
    std::size_t first = 0, open = 0;
    double on = 0;
    // The time of this burst before `end`.
    const auto until = [](const Burst& burst, double end) {
        return std::min(burst.stop_s, end) - burst.start_s;
    };
    for (std::size_t last = 0; last < after.size(); ++last) {
        // A window that holds most begins with a burst or ends with one.
        on += until(after[last], to);
        const double stop = std::min(after[last].stop_s, to);
        while (stop - after[first].stop_s > window) on -= until(after[first++], to);
        out.on_s = std::max(out.on_s, on - std::max(0.0, stop - window - after[first].start_s));
        double forward = 0;
        const double close = std::min(to, after[last].start_s + window);
        for (std::size_t k = last; k < after.size() && after[k].start_s < close; ++k)
            forward += until(after[k], close);
        out.on_s = std::max(out.on_s, forward);
        while (after[open].start_s <= after[last].start_s - window) ++open;
        out.count = std::max(out.count, last - open + 1);
    }
    return out;
}

// When interference was there: as given, as seen, or why that is not known.
struct When {
    double start_s = 0, stop_s = 0;
    bool ends = false;
    std::optional<double> power;  // what it adds, |x|^2
    std::string trouble;
};

double given_time(const IqRecord& record, const char* name, double value) {
    const double at = value - record.from_s;
    if (at < 0 || at >= record.seconds()) {
        fail_input("parameter " + std::string(name) + ": what is measured lasts from " +
                   in_seconds(record.from_s) + " to " + in_seconds(record.from_s + record.seconds()));
    }
    return at;
}

When when_given(const IqRecord& record, const std::vector<Burst>& bursts, double start, const Parameters& p,
                Outcome& outcome) {
    When out;
    out.start_s = given_time(record, "interference_start", start);
    out.stop_s = record.seconds();
    if (const auto stop = p.number("interference_stop")) {
        out.stop_s = given_time(record, "interference_stop", *stop);
        out.ends = true;
        if (out.stop_s <= out.start_s) fail_input("parameter interference_stop: must be after its start");
    }
    const auto before = power_outside(record, bursts, 0, out.start_s);
    const auto during = power_outside(record, bursts, out.start_s, out.stop_s);
    if (before && during && *during >= *before * std::pow(10, seen_db / 10)) {
        out.power = *during - *before;
        if (out.ends) return out;
        // It may end before the record does.
        if (const auto seen = find_interference(record, bursts, found_db);
            seen && seen->ends && seen->stop_s > out.start_s) {
            out.stop_s = seen->stop_s;
            out.ends = true;
        }
        return out;
    }
    const std::string unseen =
        "no interference is seen in the record: outside of bursts its power does not rise by 1 dB at "
        "interference_start";
    if (p.text("interference") == "recorded") {
        out.trouble = unseen;
    } else {
        outcome.lacking["interference_power"] = unseen;
        outcome.notes.push_back(unseen);
    }
    return out;
}

When when_seen(const IqRecord& record, const std::vector<Burst>& bursts, Outcome& outcome) {
    When out;
    const auto seen = find_interference(record, bursts, found_db);
    if (!seen) {
        out.trouble =
            "no interference is seen in the record: the power between bursts does not rise by 3 dB; where it "
            "cannot be seen, state interference_start";
        return out;
    }
    out.start_s = seen->start_s, out.stop_s = seen->stop_s, out.ends = seen->ends;
    out.power = seen->during - seen->before;
    outcome.notes.push_back(
        fmt::format("interference from {} to {}{}", in_seconds(out.start_s + record.from_s),
                    out.ends ? in_seconds(out.stop_s + record.from_s) : "the end of the record",
                    seen->again ? "; it comes again after that, which is not looked at" : ""));
    if (seen->start_hidden_s > 0) {
        outcome.notes.push_back(fmt::format(
            "a burst hides when it began: up to {} later; the earliest instant counts, which makes the "
            "reaction slower, never faster",
            in_seconds(seen->start_hidden_s)));
    }
    return out;
}

// Why the trigger cannot tell the unit from the interference; "" when it can.
std::string mixed(const IqRecord& record, const BurstList& list, const When& when, double hysteresis_db) {
    constexpr double apart_db = 3, weaker_db = 6, longer = 3;
    const double trigger = std::pow(10, list.level_db / 10);
    if (when.power &&
        10 * std::log10(std::max(1e-30, *when.power)) > list.level_db - hysteresis_db - apart_db) {
        return fmt::format(
            "the interference of {} comes too close to the trigger level of {} to tell it from the unit: "
            "couple less of it into the record, or set trigger_power",
            format(level_of(record, *when.power), 4), format(level_of(record, trigger), 4));
    }
    // Bursts that were over before it began are the unit's.
    double weakest = 1e300, longest = 0;
    for (const auto& burst : list.bursts) {
        if (burst.stop_s > when.start_s) break;
        weakest = std::min(weakest, burst.power);
        longest = std::max(longest, burst.length_s());
    }
    if (longest == 0) return {};
    for (const auto& burst : list.bursts) {
        if (burst.stop_s <= when.start_s || burst.start_s >= when.stop_s) continue;
        const auto at = in_seconds(burst.start_s + record.from_s);
        if (burst.power < weakest * std::pow(10, -weaker_db / 10)) {
            return fmt::format(
                "at {} something of {} crosses the trigger level, all before it had {} or more: if it is the "
                "interference, set trigger_power above it",
                at, format(level_of(record, burst.power), 4), format(level_of(record, weakest), 4));
        }
        if (burst.length_s() > longer * longest) {
            return fmt::format(
                "from {} on something is on for {} without a pause, before it for {} at most: whether it is "
                "the "
                "unit or the interference cannot be told; couple less of the interference into the record",
                at, in_seconds(burst.length_s()), in_seconds(longest));
        }
    }
    return {};
}

// The longest gap between bursts that begin before this; 0 without two.
double longest_gap(const std::vector<Burst>& bursts, double before_s) {
    double longest = 0;
    for (std::size_t i = 1; i < bursts.size() && bursts[i].start_s < before_s; ++i)
        longest = std::max(longest, bursts[i].start_s - bursts[i - 1].stop_s);
    return longest;
}

// Why nobody can say that it was the interference that kept the unit quiet; "" when it was at work before.
std::string idle_before(const std::vector<Burst>& bursts, double start_s) {
    double last = -1;
    std::size_t before = 0;
    for (const auto& burst : bursts) {
        if (burst.start_s >= start_s) break;
        ++before;
        last = burst.stop_s;
    }
    const double longest = longest_gap(bursts, start_s);
    if (before == 0) return "the unit did not transmit before the interference began";
    if (last >= start_s) return {};
    const double quiet = start_s - last;
    if (before > 1 && quiet <= 2 * longest) return {};
    return fmt::format(
        "the unit had been quiet for {} when the interference began{}: nothing shows that it "
        "would have transmitted",
        in_seconds(quiet), before > 1 ? ", its longest gap before was " + in_seconds(longest) : "");
}

void add_control(const std::vector<Burst>& bursts, double from, double to, double window, Outcome& outcome) {
    std::vector<Burst> after;
    for (const auto& burst : bursts)
        if (burst.start_s >= from && burst.start_s < to) after.push_back(burst);
    const Busiest most = busiest(after, to, window);
    // Of less than a window what was seen is a least share.
    const Known known = to - from < window * (1 - 1e-9) ? Known::at_least : Known::exactly;
    if (known == Known::at_least) {
        outcome.notes.push_back(
            fmt::format("only {} of interference were recorded after the reaction: {} are "
                        "needed for short control signalling",
                        in_seconds(to - from), in_seconds(window)));
    }
    outcome.add("control_share", 100 * most.on_s / window, Unit::percent, known);
    outcome.add("control_count", static_cast<double>(most.count), Unit::count, known);
}

}  // namespace

void add_reaction(const IqRecord& record, const BurstList& list, const Parameters& p, Outcome& outcome) {
    const auto& bursts = list.bursts;
    const double window = p.required("control_window"), control = p.required("control_length");
    if (!(window > 0)) fail_input("parameter control_window: must be above 0 s");
    const auto stated = p.number("interference_start");
    if (!stated && p.number("interference_stop"))
        fail_input("parameter interference_stop: give interference_start as well");
    When when = stated ? when_given(record, bursts, *stated, p, outcome) : when_seen(record, bursts, outcome);
    const bool there = when.trouble.empty();
    if (when.trouble.empty()) when.trouble = mixed(record, list, when, p.required("hysteresis"));
    if (when.trouble.empty()) when.trouble = idle_before(bursts, when.start_s);
    if (!when.trouble.empty()) {
        lack_all(outcome, when.trouble);
        // Who measures occupancies alone wants nothing of this.
        if (there || stated) outcome.notes.push_back("reaction: " + when.trouble);
        return;
    }
    if (when.power) outcome.results.push_back({"interference_power", level_of(record, *when.power), {}});
    outcome.add("interference_time", when.stop_s - when.start_s, Unit::second,
                when.ends ? Known::exactly : Known::at_least);
    double last = when.start_s;
    bool open = false;
    for (const auto& burst : bursts) {
        if (burst.stop_s <= when.start_s) continue;
        if (burst.start_s >= when.stop_s) break;
        if (burst.start_s > when.start_s && burst.length_s() <= control) continue;
        last = burst.stop_s;
        open = !burst.whole && burst.stop_s >= record.seconds() - 1 / record.sample_rate_hz;
    }
    if (open || last > when.stop_s) {
        const std::string why = open ? "the transmitter is still on at the end of the record"
                                     : "the transmitter is still on when the interference ends";
        outcome.notes.push_back(why + ": no reaction was seen");
        outcome.add("reaction_time", std::min(last, when.stop_s) - when.start_s, Unit::second,
                    Known::at_least);
        for (const char* name : {"control_share", "control_count", "quiet_time"})
            outcome.lacking.emplace(name, why);
        return;
    }
    const bool stopped = last == when.start_s || when.stop_s - last > 2 * longest_gap(bursts, when.start_s);
    if (!stopped) {
        outcome.notes.push_back(
            "what the unit was quiet for before the interference ended is no more than a gap "
            "of its own: no reaction was seen");
    }
    outcome.add("reaction_time", last - when.start_s, Unit::second,
                stopped ? Known::exactly : Known::at_least);
    add_control(bursts, last, when.stop_s, window, outcome);
    const auto next = std::find_if(bursts.begin(), bursts.end(),
                                   [&](const Burst& burst) { return burst.start_s >= when.stop_s; });
    outcome.add("quiet_time", (next != bursts.end() ? next->start_s : record.seconds()) - last, Unit::second,
                next != bursts.end() ? Known::exactly : Known::at_least);
    if (next == bursts.end()) outcome.notes.push_back("the unit was not seen to transmit again");
}

}  // namespace rt
