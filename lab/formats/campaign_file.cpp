#include "lab/formats/campaign_file.hpp"

#include <algorithm>
#include <array>

#include "core/base/error.hpp"
#include "core/base/text.hpp"
#include "lab/formats/campaign_parts.hpp"
#include "lab/formats/carrier_section.hpp"
#include "lab/formats/conclude_section.hpp"
#include "lab/formats/files.hpp"
#include "lab/formats/gathered.hpp"
#include "lab/formats/input_section.hpp"
#include "lab/formats/link_section.hpp"
#include "lab/formats/question_section.hpp"
#include "lab/formats/report_section.hpp"
#include "lab/formats/sweep_section.hpp"
#include "lab/formats/table_section.hpp"
#include "lab/formats/test_section.hpp"
#include "lab/formats/watch_section.hpp"
#include "lab/model/device_table.hpp"

namespace rt::lab {
namespace {

constexpr std::array campaign_keys{
    KeyInfo{"title", Key::text, true, "name of the campaign, shown on the report"},
    KeyInfo{"customer", Key::text, false, "who ordered the test"},
    KeyInfo{"operator", Key::text, false, "who carries it out"},
    KeyInfo{"bench", Key::text, false, "bench file, beside the campaign; --bench overrides it"},
    KeyInfo{"rulebooks", Key::texts, false,
            "further rulebook files, beside the campaign; the shipped ones are known"},
    KeyInfo{"analyses", Key::texts, false,
            "analyses of one's own that tests may name as procedures, as files beside the campaign"},
    KeyInfo{"marginal", Key::quantity, false, "levels with a smaller margin are MARGINAL; 3 dB without it",
            Unit::db},
    KeyInfo{"decision", Key::text, false,
            "how uncertainty enters verdicts: simple (not at all, without this key), guarded (the limit is "
            "tightened "
            "by it) or cispr (by what exceeds the standard's own)"},
    KeyInfo{"note", Key::text, false, "remark for the report"},
    KeyInfo{"settings", Key::pairs, false,
            "what is set for every test that does not set it otherwise: \"supply.output\" = \"ON\""},
    KeyInfo{"include", Key::texts, false,
            "further campaign files, beside this one, whose tests, sweeps, conclusions, questions, watches "
            "and rechecks come first"},
    KeyInfo{"confirm_connections", Key::flag, false,
            "the operator confirms that everything is connected as drawn before anything is measured"},
};

constexpr std::array unit_keys{
    KeyInfo{"maker", Key::text, true,
            "who makes the unit; this and the next two unless it is asked (said_by)"},
    KeyInfo{"model", Key::text, true, "its model"},
    KeyInfo{"serial", Key::word, true, "serial number of this one"},
    KeyInfo{"hardware", Key::word, false, "hardware version"},
    KeyInfo{"firmware", Key::word, false, "firmware version"},
    KeyInfo{"description", Key::text, false, "what it is"},
    KeyInfo{"details", Key::pairs, false,
            "whatever else limits and tests depend on: { lanes = \"4\", class = \"B\" }"},
    KeyInfo{
        "said_by", Key::text, false,
        "the role that says who the unit is: a module by its registers, a unit by its dialect's "
        "query_serial, query_model ...; what is left out is taken from it, what is stated must be what it "
        "says"},
};

constexpr std::array campaign_root_keys{
    KeyInfo{"campaign", Key::table, true, "the campaign itself"},
    KeyInfo{"unit", Key::table, true, "the unit under test"},
    KeyInfo{"environment", Key::pairs, false,
            "temperature, humidity and whatever else is to stand in the report"},
    KeyInfo{"question", Key::tables, false, "asked before the run"},
    KeyInfo{"sweep", Key::tables, false, "axes with a name, for tests that share them"},
    KeyInfo{"test", Key::tables, false, "the tests, in order; needed unless they are included"},
    KeyInfo{"conclude", Key::tables, false, "conclusions from the results of tests"},
    KeyInfo{"watch", Key::tables, false, "side quantities watched through the run"},
    KeyInfo{"recheck", Key::tables, false, "measurements repeated to see that nothing has drifted"},
    KeyInfo{"table", Key::table, false, "a table that grows by one row a run"},
    KeyInfo{"report", Key::table, false, "what stands around the results in the report"},
};

// What a campaign may include of another.
constexpr std::array campaign_part_keys{
    KeyInfo{"sweep", Key::tables, false, "axes with a name"},
    KeyInfo{"test", Key::tables, false, "tests"},
    KeyInfo{"conclude", Key::tables, false, "conclusions"},
    KeyInfo{"question", Key::tables, false, "questions"},
    KeyInfo{"watch", Key::tables, false, "watches"},
    KeyInfo{"recheck", Key::tables, false, "rechecks"},
};

constexpr SectionInfo campaign_root_section{"the file", "", campaign_root_keys};
constexpr SectionInfo campaign_part_section{
    "an included file", "What a campaign includes: the same campaign_sections as in the campaign itself.",
    campaign_part_keys};
constexpr SectionInfo campaign_section{"[campaign]", "The campaign as a whole.", campaign_keys};
constexpr SectionInfo unit_section{"[unit]", "The unit under test.", unit_keys, "said_by"};

constexpr std::array<const SectionInfo*, 27> campaign_sections{
    &campaign_root_section,  &campaign_section,   &unit_section,   &question_section,    &test_section,
    &judge_section,          &sweep_section,      &range_section,  &values_from_section, &carriers_section,
    &from_test_section,      &from_bench_section, &search_section, &maximise_section,    &watch_section,
    &recheck_section,        &table_section,      &column_section, &report_section,      &take_section,
    &hand_key_section,       &during_section,     &adjust_section, &named_sweep_section, &conclude_section,
    &conclude_judge_section, &association_section};

// The campaign's settings, where a test has none of its own.
void inherit(Test& test, const TextPairs& settings) {
    TextPairs own = std::move(test.settings);
    test.settings.clear();
    for (const auto& entry : settings) {
        const auto same = [&](const auto& o) { return o.first == entry.first; };
        if (std::none_of(own.begin(), own.end(), same)) test.settings.push_back(entry);
    }
    test.settings.insert(test.settings.end(), own.begin(), own.end());
}

// Throws Error(input) for a test that is made, through others, from itself.
void require_no_circle(const Campaign& campaign, const Test& start) {
    std::vector<std::string> open = builds_on(campaign, start);
    std::set<std::string> seen;
    while (!open.empty()) {
        const std::string name = open.back();
        open.pop_back();
        if (name == start.name)
            fail_input(start.where,
                       "test " + in_quotes(start.name) + " builds, through other tests, on itself");
        if (!seen.insert(name).second) continue;
        for (const auto& next : builds_on(campaign, *campaign.find(name))) open.push_back(next);
    }
}

// The captures that a test takes of others: their points must be told by the axes that both have.
void require_sources(const Campaign& campaign, const Test& test) {
    std::vector<std::string> names;
    for (const auto& other : campaign.tests) names.push_back(other.name);
    for (const auto& name : test.settings_from()) {
        std::vector<std::string> provided;
        const Test* provider = nullptr;
        for (const auto& other : campaign.tests) {
            if ((other.adjust || makes_device_table(other)) && !other.provides.empty())
                provided.push_back(other.provides);
            if (other.provides == name) provider = &other;
        }
        if (!provider || !(provider->adjust || makes_device_table(*provider))) {
            fail_input(test.where,
                       "settings: no test with an adjustment, and no table, provides the calibration " +
                           in_quotes(name) + suggestion(name, provided));
        }
    }
    for (const auto& judging : test.judgings) {
        for (const auto& name : results_needed(*judging.rule.rule)) {
            const auto slash = name.find('/');
            if (!campaign.find(name.substr(0, slash)))
                fail_input(test.where, "rule " + judging.rule.full_id() +
                                           " takes its limit from the result " + in_quotes(name) +
                                           ": the campaign has no test " + in_quotes(name.substr(0, slash)) +
                                           suggestion(name.substr(0, slash), names));
        }
    }
    for (const auto& source : test.sources) {
        const Test* other = campaign.find(source.test);
        if (!other)
            fail_input(test.where,
                       "inputs: no test " + in_quotes(source.test) + suggestion(source.test, names));
        if (test.concludes) continue;
        const auto fail = [&](const std::string& why) {
            fail_input(test.where, "inputs: " + in_quotes(source.input) + " comes from " +
                                       in_quotes(source.test) + ", " + why);
        };
        if (other->by_trials() || other->concludes || other->repeats_whole() || other->found ||
            other->maximise)
            fail("which has no capture for each combination of its axes: take it from a plain sweep");
        if (other->sweep.repeats > 1 && other->sweep.repeats != test.sweep.repeats)
            fail("which is repeated: which repeat is meant? Give both the same repeats");
        for (const auto& axis : other->sweep.axes) {
            const auto same = [&](const Axis& own) { return own.name == axis.name; };
            if (axis.values.size() > 1 && std::none_of(test.sweep.axes.begin(), test.sweep.axes.end(), same))
                fail("whose axis " + in_quotes(axis.name) + " this test does not have: which of its " +
                     std::to_string(axis.values.size()) + " values is meant?");
            for (const auto& own : test.sweep.axes) {
                if (own.name != axis.name) continue;
                for (const auto& value : own.values) {
                    const auto equal = [&](const AxisValue& v) { return v.text == value.text; };
                    if (std::none_of(axis.values.begin(), axis.values.end(), equal))
                        fail("which has no point at " + axis.name + " " + value.text);
                }
            }
        }
    }
}

// What the trials of a search, an adjustment or a maximisation come to, besides the results of the procedure.
static bool concluded_by_trials(const Test& test, const std::string& result) {
    if (test.search && result == test.search->gives) return true;
    if (test.adjust && result == test.adjust->gives) return true;
    if (!test.maximise) return false;
    const auto& axes = test.maximise->axes;
    return result == "highest_" + test.maximise->result ||
           std::any_of(axes.begin(), axes.end(),
                       [&](const MaximisedAxis& axis) { return axis.name == result; });
}

// What a test refers to of other tests: calibrations that are provided, tests that stand before it.
void require_known(const Campaign& campaign, const Test& test, const std::vector<std::string>& provided,
                   const std::vector<std::string>& earlier) {
    require_sources(campaign, test);
    require_no_circle(campaign, test);
    for (const auto& need : test.needs) {
        if (std::find(provided.begin(), provided.end(), need) == provided.end()) {
            fail_input(test.where, "test " + in_quotes(test.name) + " needs " + in_quotes(need) +
                                       ", which no test provides" + suggestion(need, provided));
        }
        if (need == test.provides) fail_input(test.where, "test " + in_quotes(test.name) + " needs itself");
    }
    if (!test.found || test.found->by_bench() || test.concludes) return;
    const Test* source = campaign.find(test.found->test);
    // Conclusions stand behind all tests in the file, and are drawn as soon as they can be.
    if (std::find(earlier.begin(), earlier.end(), test.found->test) == earlier.end() &&
        !(source && source->concludes)) {
        fail_input(test.where, "from_test: no earlier test " + in_quotes(test.found->test) +
                                   suggestion(test.found->test, earlier));
    }
    if (const auto& wanted = test.found->trace; !wanted.empty()) {
        const auto& traces = source->procedure->traces;
        const auto named = [&](const Product& p) { return wanted == p.name; };
        if (std::none_of(traces.begin(), traces.end(), named)) {
            fail_input(test.where, "from_test: " + std::string(source->procedure->name) + " gives no curve " +
                                       in_quotes(wanted));
        }
        return;
    }
    if (!test.found->table.empty()) {
        if (source->by_trials() || source->concludes)
            fail_input(test.where, "from_test: " + in_quotes(source->name) + " has no tables");
        return;
    }
    const auto gives = [&](const Product& p) { return test.found->result == p.name; };
    const auto& results = source->procedure->results;
    if (std::none_of(results.begin(), results.end(), gives) &&
        !concluded_by_trials(*source, test.found->result)) {
        fail_input(test.where, "from_test: " + std::string(source->procedure->name) + " gives no result " +
                                   in_quotes(test.found->result));
    }
}

void require_known(const Campaign& campaign) {
    Gathered errors;
    std::vector<std::string> provided, earlier;
    for (const auto& test : campaign.tests) {
        if (!test.provides.empty()) provided.push_back(test.provides);
    }
    for (const auto& test : campaign.tests) {
        errors.at([&] { require_known(campaign, test, provided, earlier); });
        earlier.push_back(test.name);
    }
    for (const auto& recheck : campaign.rechecks) {
        errors.at([&] {
            if (campaign.find(recheck.test.name))
                fail_input(recheck.test.where,
                           "recheck " + in_quotes(recheck.test.name) + " has the name of a test");
            for (const auto& name : recheck.covers) {
                if (!campaign.find(name))
                    fail_input(recheck.test.where,
                               "covers: no test " + in_quotes(name) + suggestion(name, earlier));
            }
        });
    }
    errors.finish();
}

}  // namespace

const FileInfo campaign_file{"campaign", "What to test: the unit, the tests, their sweeps and rules.",
                             campaign_sections};

Campaign read_campaign(const std::filesystem::path& file, RuleLibrary& library, ProcedureLibrary& procedures,
                       const InputFiles& files, Profile profile) {
    Campaign campaign;
    campaign.profile = std::move(profile);
    campaign.file = file;
    campaign.text = read_file(file);
    const ConfigNode node = parse_config(campaign.text, file.string());
    const ConfigSection root(node, file.string(), campaign_root_section);
    const ConfigSection head = *root.table("campaign", campaign_section);
    const ConfigSection unit = *root.table("unit", unit_section);
    campaign.title = head.text("title");
    campaign.customer = head.text("customer");
    campaign.operator_name = head.text("operator");
    campaign.note = head.text("note");
    campaign.confirm_connections = head.flag("confirm_connections");
    if (head.has("bench")) campaign.bench = files.find("bench", head.text("bench"), file);
    if (const auto marginal = head.quantity("marginal")) campaign.judging.marginal_db = marginal->value;
    campaign.judging.decision = read_decision(head, Decision::simple);
    campaign.unit_says = unit.text("said_by");
    campaign.unit_says_where = unit.place("said_by");
    for (const auto& key : unit_keys) {
        const std::string_view name = key.name;
        if (name == "said_by" || key.kind == Key::pairs) continue;
        if (unit.has(name)) campaign.unit.emplace_back(name, unit.text(name));
    }
    for (const auto& [name, value] : unit.pairs("details")) {
        if (!campaign.unit_detail(name).empty()) unit.fail("details", in_quotes(name) + " is stated twice");
        campaign.unit.emplace_back(name, value);
    }
    campaign.environment = root.pairs("environment");
    for (const auto& book : head.texts("rulebooks")) {
        head.at("rulebooks", [&] { library.add(files.find("rulebook", book, file), book); });
    }
    for (const auto& analysis : head.texts("analyses")) {
        head.at("analyses", [&] {
            campaign.analyses.push_back(
                procedures.add(files.find("analysis", analysis, file), analysis, files));
        });
    }
    CampaignParts parts(library, procedures, files, campaign);
    for (const auto& part : head.texts("include")) {
        std::filesystem::path path;
        head.at("include", [&] { path = files.find("campaign part", part, file); });
        std::string text;
        head.at("include", [&] { text = read_file(path); });
        campaign.files.push_back({"campaign part", part, text});
        parts.read(parse_config(text, path.string()), path.string(), campaign_part_section);
    }
    parts.read(node, file.string(), campaign_root_section);
    parts.finish();
    if (campaign.tests.empty()) root.fail("test", parts.none_left());
    if (const auto section = root.table("table", table_section)) {
        campaign.table = read_growing_table(*section, file);
        for (const auto& column : campaign.table->columns) {
            if (!column.test.empty() && !campaign.find(column.test))
                section->fail("column", "there is no test " + in_quotes(column.test));
        }
    }
    if (const auto section = root.table("report", report_section))
        campaign.report = read_report_head(*section, file, files, campaign.files);
    const TextPairs settings = head.pairs("settings");
    for (const auto& [name, value] : settings) {
        if (!setting_target(name, ""))
            head.fail("settings",
                      in_quotes(name) + " is no setting: write \"supply.output\", \"unit.state\" ...");
    }
    for (auto& test : campaign.tests) {
        if (!test.concludes) inherit(test, settings);
    }
    for (auto& recheck : campaign.rechecks) inherit(recheck.test, settings);
    require_known(campaign);
    for (const auto& [name, parameters] : campaign.profile.parameters) {
        std::vector<std::string> names;
        for (const auto& test : campaign.tests) names.push_back(test.name);
        if (!campaign.find(name))
            fail_input("the profile names a test " + in_quotes(name) + suggestion(name, names));
    }
    return campaign;
}

}  // namespace rt::lab
