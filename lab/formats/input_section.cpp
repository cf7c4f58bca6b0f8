#include "lab/formats/input_section.hpp"

#include <algorithm>
#include <array>

#include "core/base/error.hpp"
#include "core/base/text.hpp"

namespace rt::lab {
namespace {

constexpr std::array take_keys{
    KeyInfo{"input", Key::text, true, "name of the procedure's input that this capture is"},
    KeyInfo{"settings", Key::pairs, false,
            "what is set before it, besides and above the settings of the test"},
    KeyInfo{"instrument", Key::text, false,
            "role of the instrument that delivers it; that of the test without it"},
    KeyInfo{"prompt", Key::text, false, "what the operator has to do before it; waits for go, skip or stop"},
};

std::vector<std::string> names_of(const Procedure& procedure) {
    std::vector<std::string> out;
    for (const auto& input : procedure.inputs) out.emplace_back(input.name);
    return out;
}

}  // namespace

const SectionInfo take_section{
    "[[test.take]]",
    "One capture of a point, for procedures with several inputs: they are taken in the "
    "order of these sections.",
    take_keys};

void read_inputs(const ConfigSection& section, Test& test) {
    const auto names = names_of(*test.procedure);
    const auto require_name = [&](const ConfigSection& part, const char* key, const std::string& name) {
        if (names.empty())
            part.fail(key, std::string(test.procedure->name) + " takes one capture, which has no name");
        if (std::find(names.begin(), names.end(), name) == names.end())
            part.fail(key, std::string(test.procedure->name) + " has no input " + in_quotes(name) +
                               suggestion(name, names));
        if (test.take_of(name) || test.source_of(name))
            part.fail(key, "the input " + in_quotes(name) + " comes from two places");
    };
    for (const auto& part : section.tables("take", take_section)) {
        Take take{part.text("input"), part.pairs("settings"), part.text("instrument"), part.text("prompt")};
        require_name(part, "input", take.input);
        for (const auto& [name, value] : take.settings) {
            if (!setting_target(name, ""))
                part.fail("settings",
                          in_quotes(name) + " is no setting: write \"unit.state\", \"generator.level\" ...");
        }
        test.takes.push_back(std::move(take));
    }
    for (const auto& [name, from] : section.pairs("inputs")) {
        constexpr std::string_view mark = "test:";
        if (!from.starts_with(mark))
            section.fail(
                "inputs",
                in_quotes(from) + " is no source: write \"test:NAME\" for the captures of an earlier test");
        require_name(section, "inputs", name);
        test.sources.push_back({name, from.substr(mark.size())});
    }
    for (const auto& input : test.procedure->inputs) {
        const bool first = &input == &test.procedure->inputs.front();
        // Without any of these the first is the capture that every test has.
        if (!input.required || test.take_of(input.name) || test.source_of(input.name) || first) continue;
        section.fail("procedure", std::string(test.procedure->name) + " needs the input " +
                                      in_quotes(input.name) + " (" + input.help +
                                      "): add a [[test.take]] or inputs = { \"" + input.name +
                                      "\" = \"test:NAME\" }");
    }
}

}  // namespace rt::lab
