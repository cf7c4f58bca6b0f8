#include "lab/formats/conclude_section.hpp"

#include <algorithm>
#include <array>

#include "core/base/error.hpp"
#include "core/base/text.hpp"
#include "core/catalogue/catalogue.hpp"
#include "lab/formats/input_section.hpp"
#include "lab/formats/test_section.hpp"
#include "lab/model/device_table.hpp"

namespace rt::lab {
namespace {

constexpr std::array conclude_keys{
    KeyInfo{"name", Key::text, true, "short name, unlike that of any test"},
    KeyInfo{"title", Key::text, false, "heading in the report"},
    KeyInfo{"procedure", Key::text, true, "how it is drawn: results.crossing, results.spread ..."},
    KeyInfo{"test", Key::text, false, "test, or earlier conclusion, whose results it is drawn from"},
    KeyInfo{"tests", Key::pairs, false,
            "the same for procedures with two inputs: a = \"NAME\", b = \"NAME\""},
    KeyInfo{"inputs", Key::pairs, false, "inputs that stand in files: { map = \"file:wafer.toml\" }"},
    KeyInfo{"over", Key::text, false,
            "axis that it runs over, or \"repeat\"; each combination of the other axes gets a conclusion of "
            "its own. "
            "Without it, one conclusion from all points"},
    KeyInfo{"parameters", Key::pairs, false, "parameters of the procedure; the rules preset the rest"},
    KeyInfo{"judge", Key::tables, false, "the rules"},
    KeyInfo{"provides", Key::text, false,
            "of results.gain-table and results.level-table: name by which later tests write the table to the "
            "unit or an "
            "instrument, \"unit.gain_table\" = \"calibration:NAME\""},
    KeyInfo{"note", Key::text, false, "remark for the report"},
};

bool draws_conclusions(const Procedure& procedure) {
    return std::string_view(procedure.name).starts_with("results.");
}

const Test& source_test(const ConfigSection& section, const char* key, const std::string& name,
                        const Campaign& campaign) {
    std::vector<std::string> names;
    for (const auto& test : campaign.tests) names.push_back(test.name);
    const Test* found = campaign.find(name);
    if (!found) section.fail(key, "no test " + in_quotes(name) + suggestion(name, names));
    return *found;
}

// The axes that are left when `over` is taken away: of all tests the same.
Sweep groups_of(const ConfigSection& section, const Test& test, const std::string& over) {
    Sweep out;
    if (over.empty()) return out;
    std::vector<std::string> names{"repeat"};
    for (const auto& axis : test.sweep.axes) names.push_back(axis.name);
    if (std::find(names.begin(), names.end(), over) == names.end())
        section.fail("over", "test " + in_quotes(test.name) + " has no axis " + in_quotes(over) +
                                 suggestion(over, names));
    bool with_over = false;  // axes coupled to the one that it runs over move with it
    for (const auto& axis : test.sweep.axes) {
        if (axis.name == over) {
            with_over = true;
            continue;
        }
        with_over = with_over && axis.coupled;
        if (with_over) continue;
        Axis group = axis;
        group.sets.clear(), group.prompt.clear(), group.slow = false;
        if (out.axes.empty()) group.coupled = false;
        out.axes.push_back(std::move(group));
    }
    for (const auto& skip : test.sweep.skips) {
        // Combinations of the groups' axes alone that are left out there are left out here.
        Condition kept;
        for (const auto& [number, value] : skip) {
            for (std::size_t i = 0; i < out.axes.size(); ++i) {
                if (out.axes[i].name == test.sweep.axes[number].name) kept.emplace_back(i, value);
            }
        }
        if (kept.size() == skip.size()) out.skips.push_back(std::move(kept));
    }
    return out;
}

bool alike(const Sweep& a, const Sweep& b) {
    return std::equal(
        a.axes.begin(), a.axes.end(), b.axes.begin(), b.axes.end(), [](const Axis& x, const Axis& y) {
            return x.name == y.name &&
                   std::equal(x.values.begin(), x.values.end(), y.values.begin(), y.values.end(),
                              [](const AxisValue& v, const AxisValue& w) { return v.text == w.text; });
        });
}

// What the points of a test have as results.
std::vector<std::string> results_of(const Test& test) {
    if (test.by_trials()) return test.gives();
    std::vector<std::string> out;
    for (const auto& product : test.procedure->results) out.emplace_back(product.name);
    return out;
}

}  // namespace

const SectionInfo conclude_section{
    "[[conclude]]",
    "A conclusion from the results of a test, drawn when its points are there, judged and "
    "reported as a test of its own.",
    conclude_keys};
const SectionInfo conclude_judge_section{"[[conclude.judge]]",
                                         "One rule that the conclusion is judged by: as [[test.judge]].",
                                         judge_section.keys};

Test read_conclusion(const ConfigSection& section, const Campaign& campaign, const RuleLibrary& library,
                     const InputFiles& files, std::vector<NamedFile>& named) {
    Test out;
    out.concludes = true;
    section.at("procedure", [&] { out.procedure = &find_procedure(section.text("procedure")); });
    if (!draws_conclusions(*out.procedure))
        section.fail("procedure", std::string(out.procedure->name) +
                                      " measures captures: write results.crossing, "
                                      "results.spread or another that concludes from results");
    out.name = section.text("name");
    if (campaign.find(out.name))
        section.fail("name", in_quotes(out.name) + " is the name of an earlier test or conclusion");
    out.title = section.has("title") ? section.text("title") : out.name;
    out.note = section.text("note");
    out.where = section.place();
    out.over = section.text("over");
    out.provides = section.text("provides");
    if (!out.provides.empty() && !makes_device_table(out))
        section.fail("provides",
                     "goes with results.gain-table and results.level-table: other conclusions make nothing "
                     "that is set");
    if (!out.provides.empty() && !out.over.empty())
        section.fail("provides", "one table is written: leave out \"over\"");
    out.parameters = Parameters(out.procedure->parameters);
    for (const auto& [name, from] : section.pairs("inputs")) {
        constexpr std::string_view mark = "file:";
        if (!from.starts_with(mark))
            section.fail("inputs", in_quotes(from) + " is no file: write \"file:NAME\"");
        read_file_input(section, name, from.substr(mark.size()), files, named, out);
    }
    // Those that tests give.
    std::vector<const InputInfo*> infos;
    for (const auto& input : out.procedure->inputs) {
        if (!out.given(input.name)) infos.push_back(&input);
    }
    for (const auto& file : out.files) {
        const auto known = [&](const InputInfo& input) { return input.named(file.input); };
        if (std::none_of(out.procedure->inputs.begin(), out.procedure->inputs.end(), known))
            section.fail("inputs",
                         std::string(out.procedure->name) + " has no input " + in_quotes(file.input));
    }
    const bool several = infos.size() > 1 && infos[1]->required;
    if (section.has("test") == section.has("tests"))
        section.fail("test",
                     !several ? "write test = \"NAME\"" : "write tests = { a = \"NAME\", b = \"NAME\" }");
    const char* key = section.has("test") ? "test" : "tests";
    if (section.has("tests") != several)
        section.fail(key, !several
                              ? "this procedure takes one test: write test = \"NAME\""
                              : "this procedure takes two: write tests = { a = \"NAME\", b = \"NAME\" }");
    if (section.has("test"))
        out.sources.push_back({infos.empty() ? "" : infos.front()->name, section.text("test")});
    for (const auto& [name, test] : section.pairs("tests")) out.sources.push_back({name, test});
    for (const auto& input : out.procedure->inputs) {
        if (input.required && !out.given(input.name))
            section.fail(out.source_of(out.procedure->inputs.front().name) ? "inputs" : key,
                         std::string("there is no ") + input.name + " (" + input.help + ")");
    }
    if (out.sources.size() > std::max<std::size_t>(1, out.procedure->inputs.size()))
        section.fail(key, "there are more tests than inputs");
    bool first = true;
    for (const auto& source : out.sources) {
        const Test& test = source_test(section, key, source.test, campaign);
        Sweep groups = groups_of(section, test, out.over);
        if (!first && !alike(groups, out.sweep))
            section.fail(
                key, "the tests have other axes beside " + in_quotes(out.over) + " or other values of them");
        if (std::exchange(first, false)) out.sweep = std::move(groups);
    }
    // An axis whose values are found during the run: it is the last one of the test, and here.
    if (!out.sweep.axes.empty() && out.sweep.axes.back().values.empty()) {
        const std::string& name = out.sources.front().test;
        out.found = FoundAxis{name, ""};
        out.found->axis = out.sweep.axes.back().name;
        if (const Test* test = campaign.find(name); test && test->found) out.found->most = test->found->most;
    }
    section.at("parameters", [&] {
        if (!out.over.empty() && out.over != "repeat" && out.parameters.find("over"))
            out.parameters.set("over", out.over);
        for (const auto& [name, value] : section.pairs("parameters")) out.parameters.set(name, value);
    });
    const std::string result = out.parameters.text("result");
    const auto known = results_of(*campaign.find(out.sources.front().test));
    if (!result.empty() && std::find(known.begin(), known.end(), result) == known.end())
        section.fail("parameters", "test " + in_quotes(out.sources.front().test) + " gives no result " +
                                       in_quotes(result) + suggestion(result, known));
    if (result.empty() && out.parameters.find("result") && known.size() != 1)
        section.fail("parameters", "test " + in_quotes(out.sources.front().test) +
                                       " gives several results: write parameters = { result = \"NAME\" }");
    for (const auto& judge : section.tables("judge", conclude_judge_section)) {
        for (auto& judging : read_judgings(judge, library, out, campaign.judging))
            out.judgings.push_back(std::move(judging));
    }
    for (const auto& judging : out.judgings)
        section.at("judge", [&] { out.procedure->preset(*judging.rule.rule, out.parameters); });
    out.parameters.fill_defaults();
    return out;
}

}  // namespace rt::lab
