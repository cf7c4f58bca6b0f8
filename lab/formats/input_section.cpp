#include "lab/formats/input_section.hpp"

#include <algorithm>
#include <array>

#include "core/base/error.hpp"
#include "core/base/text.hpp"
#include "lab/formats/files.hpp"
#include "lab/formats/kit_file.hpp"
#include "lab/formats/touchstone.hpp"
#include "lab/formats/wafer_map_file.hpp"

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

// A text that needs no other file: kits name those of measured standards.
static std::string whole_text(const std::filesystem::path& path, const std::string& reference) {
    std::string text = read_file(path);
    const std::string ending = lower(std::filesystem::path(reference).extension().string());
    if (ending == ".toml" && holds_wafer_map(text, path.string())) return text;
    if (ending == ".toml") return kit_text(parse_kit(text, path));
    if (ending != ".csv" && !names_touchstone(reference))
        fail_input(in_quotes(reference) +
                   " is no capture in one file: name a Touchstone file, a table (.csv) or a "
                   "calibration kit (.toml)");
    return text;
}

// "file:NAME": read, and remembered for the copies of a run.
void read_file_input(const ConfigSection& section, const std::string& input, const std::string& reference,
                     const InputFiles& files, std::vector<NamedFile>& named, Test& test) {
    FileSource file{input, reference, {}, {}};
    section.at("inputs",
               [&] { file.text = whole_text(files.find("capture", reference, section.file()), reference); });
    file.sha256 = sha256(file.text);
    named.push_back({"capture", reference, file.text});
    test.files.push_back(std::move(file));
}

// An input that the procedure has and that comes from nowhere else yet.
static void require_name(const ConfigSection& part, const char* key, const std::string& name,
                         const Test& test) {
    const auto names = names_of(*test.procedure);
    if (names.empty())
        part.fail(key, std::string(test.procedure->name) + " takes one capture, which has no name");
    const auto& infos = test.procedure->inputs;
    if (std::none_of(infos.begin(), infos.end(), [&](const InputInfo& info) { return info.named(name); }))
        part.fail(key, std::string(test.procedure->name) + " has no input " + in_quotes(name) +
                           suggestion(name, names));
    if (test.take_of(name) || test.given(name))
        part.fail(key, "the input " + in_quotes(name) + " comes from two places");
}

void read_given(const ConfigSection& section, const InputFiles& files, std::vector<NamedFile>& named,
                Test& test) {
    for (const auto& [name, from] : section.pairs("inputs")) {
        constexpr std::string_view mark = "test:", file_mark = "file:";
        if (from.starts_with(file_mark)) {
            require_name(section, "inputs", name, test);
            read_file_input(section, name, from.substr(file_mark.size()), files, named, test);
            continue;
        }
        if (!from.starts_with(mark))
            section.fail("inputs", in_quotes(from) +
                                       " is no source: write \"test:NAME\" for the captures of an earlier "
                                       "test, \"file:NAME\" for a "
                                       "file beside the campaign");
        require_name(section, "inputs", name, test);
        test.sources.push_back({name, from.substr(mark.size())});
    }
}

void read_inputs(const ConfigSection& section, const InputFiles& files, std::vector<NamedFile>& named,
                 Test& test) {
    for (const auto& part : section.tables("take", take_section)) {
        Take take{part.text("input"), part.pairs("settings"), part.text("instrument"), part.text("prompt")};
        require_name(part, "input", take.input, test);
        for (const auto& [name, value] : take.settings) {
            if (!setting_target(name, ""))
                part.fail("settings",
                          in_quotes(name) + " is no setting: write \"unit.state\", \"generator.level\" ...");
        }
        test.takes.push_back(std::move(take));
    }
    read_given(section, files, named, test);
    for (const auto& input : test.procedure->inputs) {
        const bool first = &input == &test.procedure->inputs.front();
        // Without any of these the first is the capture that every test has.
        if (!input.required || test.take_of(input.name) || test.given(input.name) || first) continue;
        section.fail("procedure", std::string(test.procedure->name) + " needs the input " +
                                      in_quotes(input.name) + " (" + input.help +
                                      "): add a [[test.take]] or inputs = { \"" + input.name +
                                      "\" = \"test:NAME\" }");
    }
}

}  // namespace rt::lab
