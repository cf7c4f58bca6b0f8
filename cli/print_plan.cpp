#include <algorithm>
#include <map>
#include <set>

#include "cli/campaign_options.hpp"
#include "core/base/text.hpp"
#include "lab/captures/kind.hpp"
#include "lab/report/connection_diagram.hpp"
#include "lab/run/movements.hpp"
#include "lab/run/soaks.hpp"

namespace rt::cli {
namespace {

std::string setup_text(const CaptureSetup& setup) {
    return kind_of(setup).describe(setup);
}

std::string rules_text(const Test& test, const Point& point) {
    std::string rules;
    if (test.selects_only) return "selects candidates only";
    const TextPairs axes = axes_of(test.sweep, point);
    for (const auto& judging : test.judgings) {
        if (judging.applies(test.sweep, axes)) rules += (rules.empty() ? "" : ", ") + judging.rule.full_id();
    }
    if (!rules.empty()) return rules;
    return test.provides.empty() ? "not judged" : "provides " + test.provides;
}

std::string count_text(std::size_t count, const char* one, const char* many) {
    return std::to_string(count) + " " + (count == 1 ? one : many);
}

// Where the values of an axis come from that show during the run only.
std::string found_text(const FoundAxis& found) {
    const std::string most = std::to_string(found.most);
    if (!found.axis.empty()) return most + " values, those of " + found.test;
    if (found.by_bench()) return most + " " + found.list + " that the " + found.role + " lists";
    if (!found.table.empty())
        return most + " values, the " + found.column + " of the table " + found.table + " of " + found.test;
    if (found.trace.empty()) return most + " values, the " + found.result + " of " + found.test;
    const std::size_t parts = found.candidates.split_at_hz.size() + 1;
    return most + " peaks of " + found.test + " nearest to its limits" +
           (parts == 1 ? "" : " in each of " + std::to_string(parts) + " sub-ranges");
}

// What the test does besides its points: where they come from, what must come first.
std::vector<std::string> remarks_of(const Test& test) {
    std::vector<std::string> out;
    if (!test.prompt.empty()) out.push_back("first, the operator: " + test.prompt);
    if (!test.look.empty()) out.push_back("the operator looks: " + test.look);
    if (!test.power_cycle.empty()) out.push_back("the unit's supply is switched off and on first");
    for (const auto& need : test.needs) out.push_back("needs the calibration " + need);
    for (const auto& take : test.takes) {
        std::string settings;
        for (const auto& [name, value] : take.settings) settings += ", " + name + " " + value;
        out.push_back("takes " + take.input +
                      (take.instrument.empty() ? "" : " with the " + take.instrument) + settings);
        if (!take.prompt.empty()) out.push_back("before it, the operator: " + take.prompt);
    }
    for (const auto& source : test.sources) {
        if (!test.concludes)
            out.push_back(source.input + " comes from " + source.test + ", where axes are the same");
    }
    if (!test.provides.empty()) {
        out.push_back("provides the calibration " + test.provides +
                      (test.valid_for_s ? ", valid for " + duration_text(*test.valid_for_s) : ""));
    }
    if (test.search) {
        const Search& s = *test.search;
        out.push_back("at each, a search of " + s.axis + " between " + format(s.fails_at) + " and " +
                      format(s.holds_at) + " in steps of " + format(s.resolution) + ", at most " +
                      std::to_string(ThresholdSearch(s, confirmations(test)).most_trials()) + " trials");
    }
    if (test.adjust) {
        const Adjust& a = *test.adjust;
        out.push_back("at each, " + a.axis + " from " + format(a.from) + " to " + format(a.to) + " until " +
                      a.result + " is " + format({a.target, test.procedure->result(a.result).unit}) +
                      ", in at most " + std::to_string(a.trials) + " trials");
    }
    if (test.maximise) {
        std::string axes;
        for (const auto& axis : test.maximise->axes) {
            axes += (axes.empty() ? "" : " and ") + axis.name + " (" + format(axis.from) + " to " +
                    format(axis.to) + ", steps of " + format(axis.coarse) + " then " + format(axis.fine) +
                    ")";
        }
        out.push_back("at each, the highest " + test.maximise->result + " over " + axes + ", at most " +
                      std::to_string(MaximumSearch(*test.maximise).most_trials()) + " trials");
    }
    if (test.found) out.push_back(test.sweep.axes.back().name + ": at most " + found_text(*test.found));
    if (test.duration_s) out.push_back("repeated for " + duration_text(*test.duration_s));
    if (test.until_stopped) out.push_back("repeated until the operator ends it: Ctrl-C, then skip");
    for (const auto& axis : test.sweep.axes) {
        if (!axis.prompt.empty())
            out.push_back("the operator at each change of " + axis.name + ": " + axis.prompt);
        if (axis.soak_s > 0)
            out.push_back("soaks " + duration_text(axis.soak_s) + " at each change of " + axis.name);
    }
    return out;
}

void print_test(const Console& console, const PlannedTest& planned, std::size_t& number, std::size_t width,
                std::size_t most) {
    const Test& test = *planned.test;
    console.out("");
    console.out(console.tinted(printable(test.name), Tone::strong) + "  " + test.procedure->name + ", " +
                printable(test.origin()) + ", " + (planned.at_most ? "at most " : "") +
                (test.concludes ? count_text(planned.captures, "conclusion", "conclusions")
                                : count_text(planned.captures, "point", "points")) +
                (planned.instrument ? ", " + duration_text(planned.seconds) : ""));
    for (const auto& remark : remarks_of(test)) console.out("  " + printable(remark));
    std::vector<std::vector<std::string>> rows;
    for (const auto& point : planned.points) {
        if (++number > most) continue;
        rows.push_back({padded(std::to_string(number), width), label(test.sweep, point),
                        setup_text(test.setup_at(point)), rules_text(test, point)});
    }
    for (const auto& line : aligned(rows, "  ")) console.out(line);
    if (number > most && rows.size() < planned.points.size()) {
        console.out("  ... and " + std::to_string(planned.points.size() - rows.size()) +
                    " more (--all shows them)");
    }
}

void print_left_out(const Console& console, const Campaign& campaign) {
    if (campaign.left_out.empty()) return;
    console.out("");
    console.out(console.tinted("left out", Tone::strong));
    for (const auto& [name, why] : campaign.left_out)
        console.out("  " + printable(name) + ": " + printable(why));
}

void print_rules(const Console& console, const Plan& plan) {
    std::set<std::string> cited;
    std::vector<std::vector<std::string>> rows;
    for (const auto& planned : plan.tests) {
        for (const auto& judging : planned.test->judgings) {
            if (!cited.insert(judging.rule.full_id()).second) continue;
            const auto& [book, rule] = judging.rule;
            rows.push_back({judging.rule.full_id(),
                            book->standard + ", " + book->edition + ", " + rule->clause,
                            name(rule->confidence),
                            rule->sign_off ? "signed off by " + rule->sign_off->by : "not signed off"});
        }
    }
    if (rows.empty()) return;
    console.out("");
    console.out(console.tinted("rules", Tone::strong));
    for (const auto& line : aligned(rows, "  ")) console.out(line);
}

void print_watches(const Console& console, const Campaign& campaign) {
    if (campaign.watches.empty() && campaign.rechecks.empty()) return;
    console.out("");
    console.out(console.tinted("watched", Tone::strong));
    constexpr const char* actions[] = {"an event only", "pauses the run", "voids the point", "stops the run"};
    for (const auto& watch : campaign.watches) {
        console.out("  " + printable(watch.name) + "  " + watch.limits_text() + ", every " +
                    duration_text(watch.every_s) + "; outside: " + actions[static_cast<int>(watch.action)]);
    }
    for (const auto& recheck : campaign.rechecks) {
        console.out("  " + printable(recheck.test.name) + "  " + recheck.result + " stays within " +
                    decimal(recheck.within, 4) + " of its first value, checked every " +
                    (recheck.every_points ? count_text(recheck.every_points, "point", "points")
                                          : duration_text(recheck.every_s)));
    }
}

// Tests in the order in which they are carried out, with everything that the operator does: told where there
// is more to it than one test after the other.
// Returns how often somebody is asked.
std::size_t print_order(const Console& console, const Plan& plan) {
    std::vector<std::string> lines;
    const PlannedTest* in_place = nullptr;
    std::set<const PlannedTest*> cycled;
    std::map<std::string, std::string> set_by_hand;
    bool operator_asked = false;
    for (const auto& stretch : plan.order) {
        const PlannedTest& planned = plan.tests[stretch.test];
        const Test& test = *planned.test;
        if (!test.prompt.empty() && in_place != &planned) {
            lines.push_back("the operator: " + test.prompt);
            in_place = &planned;
            cycled.clear();
            operator_asked = true;
        }
        if (!test.power_cycle.empty() && cycled.insert(&planned).second)
            lines.push_back("the " + test.power_cycle + " is switched off and on");
        std::size_t points = 0;
        const auto flush = [&] {
            if (points > 0) lines.push_back(test.name + ", " + count_text(points, "point", "points"));
            points = 0;
        };
        for (const std::size_t i : stretch.points) {
            for (std::size_t a = 0; a < test.sweep.axes.size(); ++a) {
                const Axis& axis = test.sweep.axes[a];
                const std::string& value = planned.points[i].value(test.sweep, a).text;
                if ((axis.prompt.empty() && axis.soak_s <= 0) || set_by_hand[axis.name] == value) continue;
                flush();
                std::string text = axis.prompt;
                if (const auto hole = text.find("{value}"); hole != std::string::npos)
                    text.replace(hole, 7, value);
                if (!text.empty()) lines.push_back("the operator: " + text);
                if (axis.soak_s > 0)
                    lines.push_back("soak of " + duration_text(axis.soak_s) + " at " + axis.name + " " +
                                    value);
                set_by_hand[axis.name] = value;
                operator_asked = true;
            }
            ++points;
        }
        flush();
        if (stretch.points.empty()) lines.push_back(test.name);
    }
    const auto asked =
        static_cast<std::size_t>(std::count_if(lines.begin(), lines.end(), [](const std::string& line) {
            return line.starts_with("the operator: ");
        }));
    if (!operator_asked && plan.order.size() <= plan.tests.size()) return asked;
    console.out("");
    console.out(console.tinted("order", Tone::strong));
    constexpr std::size_t most = 60;
    for (std::size_t i = 0; i < lines.size() && i < most; ++i) console.out("  " + printable(lines[i]));
    if (lines.size() > most) console.out("  ... and " + std::to_string(lines.size() - most) + " more steps");
    return asked;
}

double untimed_most(const Plan& plan, const Movements& moves) {
    double longest = 0;
    for (const auto& instrument : plan.bench->instruments)
        if (instrument.is("positioner")) longest = std::max(longest, instrument.longest_move_s);
    return 0.1 * longest * static_cast<double>(moves.untimed);
}

// People take between half a minute and three for what they are asked; searches may end after half their
// trials; instruments need up to a third more than what is known of them. A movement whose speed nobody
// states takes from no time to a tenth of the longest.
std::string estimate(const Plan& plan, std::size_t asked) {
    const Movements moves = movements_of(plan);
    const double measuring = plan.seconds(), prompts = static_cast<double>(asked);
    const bool instant = rehearsed(*plan.bench);
    const double moving = instant ? 0 : moves.seconds, maybe = instant ? 0 : untimed_most(plan, moves);
    const double least = (plan.at_most() ? 0.5 : 1) * (measuring + moving) + 30 * prompts;
    const double most = 1.33 * (measuring + moving) + maybe + 180 * prompts;
    const bool counted = moves.count > 0 && !instant;
    if (asked == 0 && !plan.at_most() && !counted)
        return "estimated measuring time " + duration_text(measuring);
    std::string out = "estimated time " + duration_text(least) + " to " + duration_text(most) +
                      ": measuring " + (plan.at_most() ? "at most " : "") + duration_text(measuring);
    if (asked > 0) out += ", " + count_text(asked, "prompt", "prompts");
    if (!counted) return out;
    out += ", " + count_text(moves.count, "movement", "movements");
    if (moves.seconds > 0) out += " (" + duration_text(moves.seconds) + ")";
    if (moves.untimed > 0)
        out += ", how long they take is not known: state turn_time and lift_time in the bench";
    return out;
}

}  // namespace

void print_plan(const Call& call, const LoadedCampaign& loaded, std::size_t most) {
    const Console& console = call.console;
    const Plan& plan = loaded.plan;
    const Campaign& campaign = loaded.campaign;
    console.out(console.tinted(printable(campaign.title), Tone::strong));
    console.out("unit " +
                printable(campaign.unit_detail("model") + ", serial " + campaign.unit_detail("serial")) +
                "; bench " + printable(loaded.bench.name));
    console.out("");
    console.out(console.tinted("connections", Tone::strong));
    for (const auto& line : diagram_text(connections(loaded.bench, plan.roles)))
        console.out("  " + printable(line));
    std::size_t number = 0;
    const std::size_t width = std::to_string(plan.captures()).size();
    for (const auto& planned : plan.tests) print_test(console, planned, number, width, most);
    const std::size_t asked = print_order(console, plan);
    print_watches(console, campaign);
    print_left_out(console, *plan.campaign);
    print_rules(console, plan);
    console.out("");
    for (const auto* all : {&plan.warnings, &plan.hints})
        for (const auto& warning : *all) console.out("attention: " + printable(warning));
    console.out((plan.at_most() ? "at most " : "") + count_text(plan.captures(), "point", "points") + ", " +
                estimate(plan, asked));
}

}  // namespace rt::cli
