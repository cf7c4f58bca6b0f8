#include "lab/formats/campaign_file.hpp"

#include <algorithm>
#include <array>

#include "core/base/error.hpp"
#include "core/base/text.hpp"
#include "lab/formats/files.hpp"

namespace rt {
namespace {

using enum KeyKind;

constexpr std::array campaign_keys{
    KeyInfo{"title", text, true, "name of the campaign, shown on the report"},
    KeyInfo{"customer", text, false, "who ordered the test"},
    KeyInfo{"operator", text, false, "who carries it out"},
    KeyInfo{"bench", text, false, "bench file, beside the campaign; --bench overrides it"},
    KeyInfo{"rulebooks", texts, false,
            "further rulebook files, beside the campaign; the shipped ones are known"},
    KeyInfo{"marginal", quantity, false, "levels with a smaller margin are MARGINAL; 3 dB without it",
            Unit::db},
    KeyInfo{"note", text, false, "remark for the report"},
};

constexpr std::array unit_keys{
    KeyInfo{"maker", text, true, "who makes the unit"},
    KeyInfo{"model", text, true, "its model"},
    KeyInfo{"serial", word, true, "serial number of this one"},
    KeyInfo{"hardware", word, false, "hardware version"},
    KeyInfo{"firmware", word, false, "firmware version"},
    KeyInfo{"description", text, false, "what it is"},
};

constexpr std::array test_keys{
    KeyInfo{"name", text, true, "short name, unique in the campaign"},
    KeyInfo{"title", text, false, "heading in the report"},
    KeyInfo{"procedure", text, true, "name of the procedure"},
    KeyInfo{"instrument", text, false,
            "role of the instrument that delivers the capture; analyser without it"},
    KeyInfo{"parameters", pairs, false, "parameters of the procedure; the rules preset the rest"},
    KeyInfo{"unit_settings", pairs, false, "what the unit is set to before the test"},
    KeyInfo{"judge", tables, false, "the rules"},
    KeyInfo{"sweep", tables, false, "the axes, the first one slowest"},
    KeyInfo{"skip", pairs_list, false, "axis values at which no point is measured; several mean all of them"},
    KeyInfo{"repeats", whole, false, "how often each point is measured; once without it"},
    KeyInfo{"repeat_whole", flag, false, "repeat the whole sweep instead of each point in place"},
    KeyInfo{"order", text, false, "nested (without it), serpentine or shuffled"},
    KeyInfo{"seed", whole, false, "of the shuffled order"},
    KeyInfo{"note", text, false, "remark for the report"},
    KeyInfo{"prompt", text, false, "what a person has to do before the test; waits for go, skip or stop"},
};

constexpr std::array judge_keys{
    KeyInfo{"rule", text, true, "rulebook and rule: \"cispr-32/mains-b-qp\""},
    KeyInfo{"when", pairs, false, "axis values for which the rule applies; all of the test without it"},
    KeyInfo{"marginal", quantity, false, "overrides the campaign's and the rule's"},
    KeyInfo{"allow_partial", flag, false, "judge traces that cover only a part of the limit"},
};

constexpr std::array root_keys{
    KeyInfo{"campaign", table, true, "the campaign itself"},
    KeyInfo{"unit", table, true, "the unit under test"},
    KeyInfo{"environment", pairs, false, "temperature, humidity and whatever else is to stand in the report"},
    KeyInfo{"question", tables, false, "asked before the run"},
    KeyInfo{"test", tables, true, "the tests, in order"},
};

constexpr SectionInfo root_section{"the file", "", root_keys};
constexpr SectionInfo campaign_section{"[campaign]", "The campaign as a whole.", campaign_keys};
constexpr SectionInfo unit_section{"[unit]", "The unit under test.", unit_keys};
constexpr SectionInfo test_section{"[[test]]", "One test: a procedure, swept and judged.", test_keys};
constexpr SectionInfo judge_section{"[[test.judge]]", "One rule that the test is judged by.", judge_keys};

constexpr std::array<const SectionInfo*, 9> sections{
    &root_section,  &campaign_section, &unit_section,  &question_section,   &test_section,
    &judge_section, &sweep_section,    &range_section, &values_from_section};

Sweep read_sweep(const ConfigSection& section, const SweepSources& sources) {
    Sweep sweep;
    for (const auto& axis : section.tables("sweep", sweep_section))
        sweep.axes.push_back(read_axis(axis, sources));
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
    const char* key = section.has("sweep") ? "sweep" : "name";
    section.at(key, [&] { point_count(sweep); });
    for (const auto& pairs : section.pairs_list("skip")) {
        sweep.skips.push_back(read_condition(section, "skip", pairs, sweep));
    }
    return sweep;
}

Judging read_judging(const ConfigSection& section, const RuleLibrary& library, const Sweep& sweep,
                     const Procedure& procedure, std::optional<double> campaign_marginal_db) {
    Judging judging;
    section.at("rule", [&] {
        judging.rule = library.find(section.text("rule"));
        require_applicable(procedure, judging.rule);
    });
    const Unit unit = judging.rule.rule->unit;
    if (const auto own = section.quantity_in("marginal", is_decibel(unit) ? Unit::db : unit)) {
        judging.options.marginal = own->value;
    } else if (is_decibel(unit)) {
        judging.options.marginal = campaign_marginal_db;
    }
    judging.options.allow_partial = section.flag("allow_partial");
    judging.when = read_condition(section, "when", section.pairs("when"), sweep);
    return judging;
}

// Every axis value must be usable where it goes; found before anything moves.
void require_settable(const ConfigSection& section, const Test& test) {
    for (std::size_t axis = 0; axis < test.sweep.axes.size(); ++axis) {
        const auto& sets = test.sweep.axes[axis].sets;
        const bool only_unit =
            std::all_of(sets.begin(), sets.end(), [](const auto& s) { return s == "unit"; });
        if (only_unit && axis > 0) continue;  // once is enough for values that no parameter takes
        for (std::size_t value = 0; value < test.sweep.axes[axis].values.size(); ++value) {
            Point point;
            point.settings.assign(test.sweep.axes.size(), 0);
            point.settings[axis] = static_cast<std::uint32_t>(value);
            section.at("sweep", [&] { test.procedure->setup(test.parameters_at(point)); });
        }
    }
    if (test.sweep.axes.empty()) section.at("name", [&] { test.procedure->setup(test.parameters); });
}

Test read_test(const ConfigSection& section, const SweepSources& sources, std::optional<double> marginal_db) {
    const Procedure* procedure = nullptr;
    section.at("procedure", [&] { procedure = &find_procedure(section.text("procedure")); });
    Test test{.name = section.text("name"),
              .title = section.has("title") ? section.text("title") : section.text("name"),
              .procedure = procedure,
              .instrument = section.has("instrument") ? section.text("instrument") : "analyser",
              .parameters = Parameters(procedure->parameters),
              .unit_settings = section.pairs("unit_settings"),
              .judgings = {},
              .sweep = read_sweep(section, sources),
              .note = section.text("note"),
              .prompt = section.text("prompt"),
              .place = section.place()};
    section.at("parameters", [&] {
        for (const auto& [name, value] : section.pairs("parameters")) test.parameters.set(name, value);
    });
    for (const auto& judge : section.tables("judge", judge_section)) {
        test.judgings.push_back(read_judging(judge, sources.library, test.sweep, *procedure, marginal_db));
        section.at("judge", [&] { procedure->preset(*test.judgings.back().rule.rule, test.parameters); });
    }
    test.parameters.fill_presets();
    require_settable(section, test);
    return test;
}

}  // namespace

const FileInfo campaign_file{"campaign", "What to test: the unit, the tests, their sweeps and rules.",
                             sections};

bool Judging::applies(const Sweep& sweep, const Point& point) const {
    return matches(when, sweep, point);
}

Parameters Test::parameters_at(const Point& point) const {
    Parameters out = parameters;
    constexpr std::string_view prefix = "parameter.";
    for (std::size_t i = 0; i < sweep.axes.size(); ++i) {
        const auto& value = point.value(sweep, i);
        for (const auto& target : sweep.axes[i].sets) {
            if (!target.starts_with(prefix)) continue;
            out.set(target.substr(prefix.size()),
                    value.quantity ? format_exact(*value.quantity) : value.text);
        }
    }
    return out;
}

std::string Campaign::unit_detail(std::string_view key) const {
    const auto at =
        std::find_if(unit.begin(), unit.end(), [&](const auto& entry) { return entry.first == key; });
    return at == unit.end() ? "" : at->second;
}

Campaign read_campaign(const std::filesystem::path& file, RuleLibrary& library, const InputFiles& files) {
    Campaign campaign;
    campaign.file = file;
    campaign.text = read_file(file);
    const ConfigNode node = parse_config(campaign.text, file.string());
    const ConfigSection root(node, file.string(), root_section);
    const ConfigSection head = *root.table("campaign", campaign_section);
    const ConfigSection unit = *root.table("unit", unit_section);
    campaign.title = head.text("title");
    campaign.customer = head.text("customer");
    campaign.person = head.text("operator");
    campaign.note = head.text("note");
    if (head.has("bench")) campaign.bench = files.find("bench", head.text("bench"), file);
    if (const auto marginal = head.quantity("marginal")) campaign.marginal_db = marginal->value;
    for (const auto& key : unit_keys) {
        if (unit.has(key.name)) campaign.unit.emplace_back(key.name, unit.text(key.name));
    }
    campaign.environment = root.pairs("environment");
    for (const auto& book : head.texts("rulebooks")) {
        head.at("rulebooks", [&] { library.add(files.find("rulebook", book, file), book); });
    }
    for (const auto& section : root.tables("question", question_section)) {
        campaign.questions.push_back(read_question(section));
        for (std::size_t i = 0; i + 1 < campaign.questions.size(); ++i) {
            if (campaign.questions[i].name == campaign.questions.back().name) {
                section.fail("name", "is the name of an earlier question");
            }
        }
    }
    for (const auto& section : root.tables("test", test_section)) {
        Test test = read_test(section, SweepSources{library, files, campaign.files}, campaign.marginal_db);
        const auto same = [&](const Test& other) { return other.name == test.name; };
        if (std::any_of(campaign.tests.begin(), campaign.tests.end(), same)) {
            section.fail("name", in_quotes(test.name) + " is the name of an earlier test");
        }
        for (const auto& judging : test.judgings) campaign.books.insert(judging.rule.book->id);
        for (const auto& axis : section.tables("sweep", sweep_section)) {
            const std::string plan = axis.text("plan");
            if (!plan.empty()) campaign.books.insert(plan.substr(0, plan.find('/')));
        }
        campaign.tests.push_back(std::move(test));
    }
    if (campaign.tests.empty()) root.fail("test", "the campaign has no tests");
    return campaign;
}

}  // namespace rt
