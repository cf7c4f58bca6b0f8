#include "lab/formats/test_section.hpp"

#include <algorithm>
#include <array>

#include "core/base/error.hpp"
#include "core/base/text.hpp"
#include "core/sweep/one_axis.hpp"
#include "lab/formats/input_section.hpp"
#include "lab/formats/link_section.hpp"

namespace rt::lab {
namespace {

constexpr std::array test_keys{
    KeyInfo{"name", Key::text, true, "short name, unique in the campaign"},
    KeyInfo{"title", Key::text, false, "heading in the report"},
    KeyInfo{"procedure", Key::text, true, "name of the procedure"},
    KeyInfo{"instrument", Key::text, false,
            "role of the instrument that delivers the capture; analyser without it"},
    KeyInfo{"parameters", Key::pairs, false, "parameters of the procedure; the rules preset the rest"},
    KeyInfo{
        "settings", Key::pairs, false,
        "what is set before the test: \"unit.state\" = \"transmitting\", \"generator.level\" = \"-30 dBm\""},
    KeyInfo{"take", Key::tables, false,
            "captures of a point under settings of their own, for procedures with several inputs"},
    KeyInfo{"key", Key::tables, false,
            "single keys that step settings by hand, before the points of the test"},
    KeyInfo{"during", Key::tables, false, "what is switched while a record runs, such as an interferer"},
    KeyInfo{"association", Key::tables, false, "links that must stand before a point is measured"},
    KeyInfo{"reads", Key::pairs, false,
            "parameters that an instrument or the unit is asked for behind each capture: { reported_level = "
            "\"unit.rssi\" }"},
    KeyInfo{
        "inputs", Key::pairs, false,
        "inputs that come from an earlier test, its point with the same values on the axes that both have: "
        "{ open = \"test:dummy-open\" }"},
    KeyInfo{"judge", Key::tables, false, "the rules"},
    KeyInfo{"selects_only", Key::flag, false,
            "its rules choose candidates for a later test (nearest the limit), nothing is judged by them"},
    KeyInfo{"like", Key::text, false,
            "an earlier test: what this one leaves out is as there, parameters and settings one by one"},
    KeyInfo{"applies", Key::pairs, false,
            "for which units the test is: { \"unit.lanes\" = \"2 or 4\" }; for others it is left out"},
    KeyInfo{"sweeps", Key::texts, false,
            "axes that are shared, by the names of their [[sweep]]: before its own"},
    KeyInfo{"sweep", Key::tables, false, "the axes, the first one slowest"},
    KeyInfo{"maximise", Key::tables, false, "axes over which each point looks for the highest result first"},
    KeyInfo{"adjust", Key::tables, false, "a setting that is moved until a result meets its target; one"},
    KeyInfo{"maximise_result", Key::text, false, "the result that is to be highest"},
    KeyInfo{"trial_parameters", Key::pairs, false,
            "parameters of the trials of maximise only, such as a quicker detector"},
    KeyInfo{"skip", Key::pairs_list, false,
            "axis values at which no point is measured; several mean all of them"},
    KeyInfo{"repeats", Key::whole, false, "how often each point is measured; once without it"},
    KeyInfo{"repeat_whole", Key::flag, false, "repeat the whole sweep instead of each point in place"},
    KeyInfo{"duration", Key::quantity, false, "repeat the whole sweep for this long", Unit::second},
    KeyInfo{
        "until_stopped", Key::flag, false,
        "repeat the whole sweep until the operator ends it (Ctrl-C, then skip); once where nobody is there"},
    KeyInfo{"order", Key::text, false, "nested (without it), serpentine or shuffled"},
    KeyInfo{"seed", Key::whole, false, "of the shuffled order"},
    KeyInfo{"note", Key::text, false, "remark for the report"},
    KeyInfo{"trend", Key::text, false,
            "how the first result goes over the last axis: rising or falling; what does not is shown as an "
            "anomaly"},
    KeyInfo{"prompt", Key::text, false,
            "what the operator has to do before the test; waits for go, skip or stop"},
    KeyInfo{
        "prompt_after", Key::text, false,
        "what the operator reads after the test, with what it came to; waits for go, redo (all of the test "
        "again), skip or stop"},
    KeyInfo{
        "bell", Key::flag, false,
        "the terminal's bell rings when the capture of a point is there: for signals that are waited for"},
    KeyInfo{
        "look", Key::text, false,
        "what the operator looks at before a capture counts: needles, planarity. Redo lifts and touches down "
        "again; without anybody there is no verdict"},
    KeyInfo{"power_cycle", Key::text, false, "role of a supply that is switched off and on before the test"},
    KeyInfo{"provides", Key::text, false, "name of the calibration that this test makes"},
    KeyInfo{"provides_result", Key::text, false,
            "result that the calibration tabulates over the axis that sets a frequency; without it the "
            "calibration only has to be made"},
    KeyInfo{"valid_for", Key::quantity, false, "how long the calibration holds; for the whole run without it",
            Unit::second},
    KeyInfo{"needs", Key::texts, false, "calibrations that must be in force; one that lapses is made again"},
    KeyInfo{
        "redo", Key::whole, false,
        "how often a point with an unexpected signal is measured again when nobody is there; 1 without it"},
};

constexpr std::array hand_key_keys{
    KeyInfo{"sets", Key::text, true,
            "what it steps: \"generator.deviation\"; the test's settings say where from"},
    KeyInfo{"up", Key::text, true, "the key, one character"},
    KeyInfo{"down", Key::text, false, "the key for the other way"},
    KeyInfo{"step", Key::quantity, false, "by how much"},
    KeyInfo{"values", Key::texts, false, "words in turn, instead of a step"},
};
constexpr std::array during_keys{
    KeyInfo{"after", Key::quantity, true, "so long after the record was begun", Unit::second},
    KeyInfo{"settings", Key::pairs, true,
            "what is switched then: { \"interferer.output\" = \"ON\" }; what it is before and behind stands "
            "in the settings of the test"},
};

constexpr std::array judge_keys{
    KeyInfo{"rule", Key::text, false, "rulebook and rule: \"cispr-32/mains-b-qp\""},
    KeyInfo{"rules", Key::texts, false, "several of them, with the same keys below"},
    KeyInfo{"when", Key::pairs, false, "axis values for which the rule applies; all of the test without it"},
    KeyInfo{"marginal", Key::quantity, false, "overrides the campaign's and the rule's"},
    KeyInfo{"allow_partial", Key::flag, false, "judge traces that cover only a part of the limit"},
    KeyInfo{"decision", Key::text, false, "overrides the campaign's"},
    KeyInfo{"least_observation", Key::quantity, false,
            "a time of observation shorter than the rule's, by choice: reported as not per the standard",
            Unit::second},
};

Sweep read_sweep(const ConfigSection& section, const SweepSources& sources, const Procedure& procedure,
                 std::optional<Search>& search, std::optional<FoundAxis>& found) {
    Sweep sweep;
    const auto axes = sweep_sections(section, sources);
    for (std::size_t i = 0; i < axes.size(); ++i) {
        const bool last = i + 1 == axes.size();
        if (axes[i].has("search") || axes[i].has("from_test") || axes[i].has("from_bench")) {
            if (!last) axes[i].fail("axis", "only the last axis can have search, from_test or from_bench");
        }
        if (axes[i].has("search")) {
            search = read_search(axes[i], procedure);
            continue;
        }
        if (axes[i].has("from_test")) found = read_from_test(axes[i]);
        if (axes[i].has("from_bench")) found = read_from_bench(axes[i]);
        for (auto& axis : read_axes(axes[i], sources)) sweep.axes.push_back(std::move(axis));
    }
    const auto repeats = section.whole("repeats").value_or(1);
    if (repeats < 1 || repeats > static_cast<long long>(most_points)) {
        section.fail("repeats", "must be 1 to " + std::to_string(most_points));
    }
    sweep.repeats = static_cast<std::uint32_t>(repeats);
    sweep.repeat_whole = section.flag("repeat_whole");
    sweep.seed = static_cast<std::uint64_t>(section.whole("seed").value_or(1));
    const std::string order = section.has("order") ? section.text("order") : "nested";
    const std::vector<std::string> orders{"nested", "serpentine", "shuffled"};
    const auto at = std::find(orders.begin(), orders.end(), order);
    if (at == orders.end())
        section.fail("order", "unknown order " + in_quotes(order) + suggestion(order, orders));
    sweep.order = static_cast<Order>(at - orders.begin());
    const char* key = section.has("sweep") ? "sweep" : section.has("sweeps") ? "sweeps" : "name";
    if (!found) section.at(key, [&] { point_count(sweep); });
    for (const auto& pairs : section.pairs_list("skip")) {
        sweep.skips.push_back(read_condition(section, "skip", pairs, sweep));
    }
    return sweep;
}

// Every axis value must be usable where it goes; found before anything moves.
void require_settable(const ConfigSection& section, const Test& test) {
    if (test.found) return;  // the values are not known yet
    if (test.search) {
        for (const auto& end : {test.search->holds_at, test.search->fails_at}) {
            Point first;
            first.settings.assign(test.sweep.axes.size(), 0);
            const Trial trial = trial_of(test.name, test.sweep, first, *test.search, end);
            section.at("sweep", [&] { test.procedure->setup(test.parameters_at(trial.sweep, trial.point)); });
        }
    }
    if (test.adjust) {
        for (const auto& end : {test.adjust->from, test.adjust->to}) {
            Point first;
            first.settings.assign(test.sweep.axes.size(), 0);
            const Trial trial = trial_of(test.name, test.sweep, first, *test.adjust, end);
            section.at("adjust",
                       [&] { test.procedure->setup(test.parameters_at(trial.sweep, trial.point)); });
        }
        return;
    }
    for (std::size_t axis = 0; axis < test.sweep.axes.size(); ++axis) {
        // Once is enough for values that no parameter takes.
        if (!sets_parameter(test.sweep.axes[axis]) && axis > 0) continue;
        for (std::size_t value = 0; value < test.sweep.axes[axis].values.size(); ++value) {
            section.at("sweep", [&] { test.setup_at(point_with(test.sweep, axis, value)); });
        }
    }
    if (test.sweep.axes.empty() && !test.search)
        section.at("name", [&] { test.procedure->setup(test.parameters); });
}

// What is switched goes back to what the test sets once the record is over.
std::vector<HandKey> read_hand_keys(const ConfigSection& section, const Test& test) {
    std::vector<HandKey> out;
    std::string taken = "\n\r ";
    for (const auto& part : section.tables("key", hand_key_section)) {
        HandKey key;
        key.setting = part.text("sets");
        const auto known = std::find_if(test.settings.begin(), test.settings.end(),
                                        [&](const auto& pair) { return pair.first == key.setting; });
        if (known == test.settings.end())
            part.fail("sets",
                      in_quotes(key.setting) + " has no value in the settings of the test to step from");
        const auto one = [&](const char* name) {
            const std::string text = part.text(name);
            if (text.size() != 1 || text[0] < ' ' || text[0] > '~')
                part.fail(name, "must be one character of the keyboard");
            if (taken.find(text[0]) != std::string::npos)
                part.fail(name, in_quotes(text) + " is taken: choose another key");
            taken += text[0];
            return text[0];
        };
        key.up = one("up");
        if (part.has("down")) key.down = one("down");
        key.step = part.quantity("step");
        key.values = part.texts("values");
        if (key.step.has_value() == !key.values.empty()) part.fail("sets", "needs either a step or values");
        if (!key.values.empty() && key.values.size() < 2) part.fail("values", "needs two and more");
        if (key.step) part.at("step", [&] { parse_quantity(known->second, key.step->unit); });
        out.push_back(std::move(key));
    }
    return out;
}

std::vector<During> read_during(const ConfigSection& section) {
    std::vector<During> out;
    for (const auto& part : section.tables("during", during_section)) {
        During during{part.quantity("after")->value, part.pairs("settings")};
        if (!(during.after_s > 0) || (!out.empty() && during.after_s <= out.back().after_s))
            part.fail("after", "must be above 0 s, and later than the one before");
        if (during.settings.empty()) part.fail("settings", "is empty: name what is switched");
        for (const auto& [name, value] : during.settings) {
            const auto target = setting_target(name, "");
            if (!target || target->role == "unit")
                part.fail("settings", in_quotes(name) +
                                          " is no setting of an instrument: write "
                                          "\"interferer.output\" = \"ON\"");
        }
        out.push_back(std::move(during));
    }
    return out;
}

void read_calibration(const ConfigSection& section, Test& test) {
    test.provides = section.text("provides");
    test.provides_result = section.text("provides_result");
    if (const auto valid = section.quantity("valid_for")) test.valid_for_s = valid->value;
    test.needs = section.texts("needs");
    if (test.provides.empty() && (!test.provides_result.empty() || test.valid_for_s)) {
        section.fail(test.provides_result.empty() ? "valid_for" : "provides_result",
                     "belongs to a test that provides something: add provides = \"NAME\"");
    }
    if (test.provides_result.empty()) return;
    const auto gives = test.gives();
    if (std::find(gives.begin(), gives.end(), test.provides_result) != gives.end()) return;
    section.at("provides_result", [&] { test.procedure->result(test.provides_result); });
}

// The campaign's parameters, those of the profile above them. A profile of published values leaves out what a
// rule presets.
void read_parameters(const ConfigSection& section, Test& test, const Profile& profile) {
    const auto preset = [&](const std::string& name) {
        return profile.published &&
               std::any_of(test.judgings.begin(), test.judgings.end(), [&](const Judging& judging) {
                   const auto& presets = judging.rule.rule->presets;
                   return (name == "bandwidth" && judging.rule.rule->bandwidth) ||
                          (name == "detector" && judging.rule.rule->detector) ||
                          std::any_of(presets.begin(), presets.end(),
                                      [&](const auto& p) { return p.first == name; });
               });
    };
    section.at("parameters", [&] {
        const auto own = profile.parameters.find(test.name);
        if (own != profile.parameters.end()) {
            for (const auto& [name, value] : own->second) {
                if (!preset(name)) test.parameters.set(name, value);
            }
        }
        for (const auto& [name, value] : section.pairs("parameters")) {
            if (!test.parameters.find(name) || (!test.parameters.has(name) && !preset(name)))
                test.parameters.set(name, value);
        }
    });
    for (const auto& judging : test.judgings) {
        section.at("judge", [&] { test.procedure->preset(*judging.rule.rule, test.parameters); });
    }
    test.parameters.fill_defaults();
}

}  // namespace

const SectionInfo test_section{"[[test]]", "One test: a procedure, swept and judged.", test_keys};
const SectionInfo hand_key_section{
    "[[test.key]]",
    "A key that steps a setting by hand while the signal runs; each step is an event of the run.",
    hand_key_keys};
const SectionInfo during_section{"[[test.during]]",
                                 "What is switched while a record of complex samples runs.", during_keys};
const SectionInfo judge_section{"[[test.judge]]", "One rule that the test is judged by.", judge_keys};

Decision read_decision(const ConfigSection& section, Decision otherwise) {
    if (!section.has("decision")) return otherwise;
    const std::string word = section.text("decision");
    if (const auto decision = parse_decision(word)) return *decision;
    section.fail("decision",
                 "unknown word " + in_quotes(word) + suggestion(word, {"simple", "guarded", "cispr"}));
}

// Throws Error(input) for a rule that is not there, or judges nothing that the test gives.
static RuleRef applicable_rule(const RuleLibrary& library, const std::string& id, const Test& test) {
    const RuleRef rule = library.find(id);
    // What a search gives is judged, not its trials.
    const auto gives = test.gives();
    if (!test.by_trials()) {
        require_applicable(*test.procedure, rule);
    } else if (std::find(gives.begin(), gives.end(), rule.rule->applies_to) == gives.end()) {
        fail_input("rule " + rule.full_id() + " judges " + in_quotes(rule.rule->applies_to) + ", but the " +
                   (test.search ? "search" : "adjustment") + " gives " + in_quotes(gives.front()));
    }
    return rule;
}

std::vector<Judging> read_judgings(const ConfigSection& section, const RuleLibrary& library, const Test& test,
                                   const JudgingDefaults& defaults) {
    if (section.has("rule") == section.has("rules")) section.fail("rule", "give one of rule and rules");
    const char* key = section.has("rule") ? "rule" : "rules";
    std::vector<std::string> ids = section.texts("rules");
    if (section.has("rule")) ids = {section.text("rule")};
    if (ids.empty()) section.fail("rules", "is an empty list: name the rules");
    std::vector<Judging> out;
    for (const auto& id : ids) {
        Judging& judging = out.emplace_back();
        section.at(key, [&] { judging.rule = applicable_rule(library, id, test); });
        const Unit unit = judging.rule.rule->unit;
        if (const auto own = section.quantity_in("marginal", is_decibel(unit) ? Unit::db : unit)) {
            judging.options.marginal = own->value;
        } else if (is_decibel(unit)) {
            judging.options.marginal = defaults.marginal_db;
        }
        judging.options.allow_partial = section.flag("allow_partial");
        if (const auto least = section.quantity("least_observation"))
            judging.options.least_observation_s = least->value;
        judging.options.decision = read_decision(section, defaults.decision);
        judging.when = read_condition(section, "when", section.pairs("when"), test.sweep);
    }
    return out;
}

Test read_test(const ConfigSection& section, const SweepSources& sources, const JudgingDefaults& defaults,
               const Profile& profile) {
    const Procedure* procedure = nullptr;
    section.at("procedure", [&] { procedure = &sources.procedures.find(section.text("procedure")); });
    Test test;
    test.name = section.text("name");
    test.title = section.has("title") ? section.text("title") : test.name;
    test.procedure = procedure;
    test.instrument = section.has("instrument") ? section.text("instrument") : "analyser";
    test.parameters = Parameters(procedure->parameters);
    test.settings = section.pairs("settings");
    test.note = section.text("note");
    test.trend = section.text("trend");
    if (!test.trend.empty() && test.trend != "rising" && test.trend != "falling")
        section.fail("trend", "is " + in_quotes(test.trend) + ": write rising or falling");
    test.prompt = section.text("prompt");
    test.prompt_after = section.text("prompt_after");
    test.bell = section.flag("bell");
    test.look = section.text("look");
    test.power_cycle = section.text("power_cycle");
    test.redo = static_cast<int>(section.whole("redo").value_or(1));
    test.selects_only = section.flag("selects_only");
    test.where = section.place();
    if (std::string_view(procedure->name).starts_with("results."))
        section.fail("procedure", "concludes from results of other tests: write it as [[conclude]]");
    read_inputs(section, sources.files, sources.named, test);
    test.sweep = read_sweep(section, sources, *procedure, test.search, test.found);
    const auto maximised = section.tables("maximise", maximise_section);
    if (!maximised.empty()) {
        Maximise what;
        for (const auto& axis : maximised) what.axes.push_back(read_maximised(axis));
        what.result = section.text("maximise_result");
        if (what.result.empty()) section.fail("maximise", "needs maximise_result: the result to be highest");
        section.at("maximise_result", [&] { procedure->result(what.result); });
        what.parameters = section.pairs("trial_parameters");
        section.at("trial_parameters", [&] {
            Parameters trial(procedure->parameters);
            for (const auto& [name, value] : what.parameters) trial.set(name, value);
        });
        section.at("maximise", [&] { MaximumSearch{what}; });
        if (test.search) section.fail("maximise", "goes with no search");
        test.maximise = std::move(what);
    } else if (section.has("maximise_result") || section.has("trial_parameters")) {
        section.fail(section.has("maximise_result") ? "maximise_result" : "trial_parameters",
                     "goes with [[test.maximise]]");
    }
    const auto adjusted = section.tables("adjust", adjust_section);
    if (adjusted.size() > 1)
        section.fail("adjust",
                     "one setting can be adjusted at a time: let another test provide the other first");
    if (!adjusted.empty()) {
        test.adjust = read_adjust(adjusted.front(), *procedure);
        if (test.search || test.maximise || test.found || test.sweep.repeats > 1)
            section.fail("adjust", "goes with no search, maximise, from_test, from_bench or repeats");
    }
    if (test.selects_only && test.maximise)
        section.fail("selects_only", "goes with a pre-scan, not with a test that maximises");
    if (const auto duration = section.quantity("duration")) {
        test.duration_s = duration->value;
        if (!(*test.duration_s > 0)) section.fail("duration", "must be above 0 s");
    }
    test.until_stopped = section.flag("until_stopped");
    if (test.until_stopped && test.duration_s) section.fail("until_stopped", "goes with no duration");
    if (test.repeats_whole() && (test.sweep.repeats > 1 || test.by_trials() || test.found || test.maximise)) {
        section.fail(test.until_stopped ? "until_stopped" : "duration",
                     "goes with neither repeats nor a search nor from_test nor from_bench nor maximise");
    }
    if (test.redo < 0 || test.redo > 100) section.fail("redo", "must be 0 to 100");
    for (const auto& [name, value] : test.settings) {
        if (!setting_target(name, ""))
            section.fail("settings",
                         in_quotes(name) + " is no setting: write \"unit.state\", \"generator.level\" ...");
    }
    test.during = read_during(section);
    read_link(section, test);
    test.hand_keys = read_hand_keys(section, test);
    read_calibration(section, test);
    for (const auto& judge : section.tables("judge", judge_section)) {
        for (auto& judging : read_judgings(judge, sources.library, test, defaults))
            test.judgings.push_back(std::move(judging));
    }
    read_parameters(section, test, profile);
    require_settable(section, test);
    return test;
}

}  // namespace rt::lab
