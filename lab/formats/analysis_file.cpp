#include "lab/formats/analysis_file.hpp"

#include <algorithm>
#include <array>
#include <set>

#include "core/base/error.hpp"
#include "core/base/text.hpp"
#include "core/catalogue/catalogue.hpp"
#include "lab/formats/files.hpp"

namespace rt::lab {
namespace {

constexpr std::array analysis_keys{
    KeyInfo{"name", Key::text, true,
            "what it is called, in lower case, digits and -: tests name it own.NAME as their procedure"},
    KeyInfo{"title", Key::text, true, "what it measures, for the report"},
    KeyInfo{"about", Key::text, true, "definition and source, and when it gives no verdict"},
    KeyInfo{"taken_like", Key::text, true,
            "the procedure whose captures it takes: the bench is asked in the same way, by the same "
            "parameters"},
    KeyInfo{"program", Key::text, true, "the program to start, beside this file"},
    KeyInfo{"arguments", Key::texts, false, "what stands behind the program on its command line"},
    KeyInfo{"timeout", Key::quantity, false, "longest time for one point; 60 s without it", Unit::second},
};

constexpr std::array analysis_parameter_keys{
    KeyInfo{"name", Key::text, true, "its name, in lower case, digits and _"},
    KeyInfo{"unit", Key::text, false, "a value in this unit; without it a number, unless there are choices"},
    KeyInfo{"choices", Key::texts, false, "one of these words"},
    KeyInfo{"default", Key::text, false, "value where neither campaign nor rule states one"},
    KeyInfo{"help", Key::text, true, "one sentence"},
};

constexpr std::array analysis_input_keys{
    KeyInfo{"name", Key::text, true, "its name, in lower case, digits and _"},
    KeyInfo{"help", Key::text, true, "one sentence"},
    KeyInfo{"optional", Key::flag, false, "it may be missing"},
};

constexpr std::array analysis_result_keys{
    KeyInfo{"name", Key::text, true, "its name, in lower case, digits and _: what a rule applies to"},
    KeyInfo{"unit", Key::text, false, "unit without prefix: V, Hz, dBm; without it a plain number"},
    KeyInfo{"help", Key::text, true, "one sentence"},
};

constexpr std::array analysis_trace_keys{
    KeyInfo{"name", Key::text, true, "its name, in lower case, digits and _"},
    KeyInfo{"title", Key::text, true, "what stands beside its axis"},
    KeyInfo{"unit", Key::text, false, "of its values"},
    KeyInfo{"x_unit", Key::text, false, "of what it runs over"},
    KeyInfo{"log_x", Key::flag, false, "drawn over a logarithmic axis"},
    KeyInfo{"dots", Key::flag, false, "drawn as dots, in any order"},
};

constexpr std::array analysis_root_keys{
    KeyInfo{"analysis", Key::table, true, "the analysis"},
    KeyInfo{"parameter", Key::tables, false, "parameters besides those of taken_like"},
    KeyInfo{"input", Key::tables, false, "captures by name, where it needs several"},
    KeyInfo{"result", Key::tables, false, "values that it answers"},
    KeyInfo{"trace", Key::tables, false, "curves that it answers"},
};

constexpr SectionInfo analysis_root{"the file", "", analysis_root_keys};
constexpr SectionInfo analysis_section{"[analysis]", "The analysis and its program.", analysis_keys};
constexpr SectionInfo analysis_parameter_section{"[[parameter]]", "A parameter of its own.",
                                                 analysis_parameter_keys};
constexpr SectionInfo analysis_input_section{"[[input]]", "A capture by name.", analysis_input_keys};
constexpr SectionInfo analysis_result_section{"[[result]]", "A value that it answers.", analysis_result_keys};
constexpr SectionInfo analysis_trace_section{"[[trace]]", "A curve that it answers.", analysis_trace_keys};
constexpr std::array<const SectionInfo*, 6> analysis_sections{
    &analysis_root,          &analysis_section,        &analysis_parameter_section,
    &analysis_input_section, &analysis_result_section, &analysis_trace_section};

std::string name_of(const ConfigSection& section, const char* more, std::set<std::string>& taken) {
    std::string name = section.text("name");
    const std::string allowed = std::string("abcdefghijklmnopqrstuvwxyz0123456789") + more;
    if (name.empty() || name.find_first_not_of(allowed) != std::string::npos)
        section.fail("name", in_quotes(name) + ": write lower-case letters, digits and " + more);
    if (!taken.insert(name).second) section.fail("name", in_quotes(name) + " is taken");
    return name;
}

Unit unit_of(const ConfigSection& section, const char* key) {
    const std::string text = section.text(key);
    if (text.empty()) return Unit::none;
    const auto spelling = parse_unit(text);
    if (!spelling) section.fail(key, "unknown unit " + in_quotes(text));
    if (spelling->exponent != 0 || spelling->factor != 1)
        section.fail(key, in_quotes(text) + ": write the unit without a prefix, " + symbol(spelling->unit));
    return spelling->unit;
}

std::string words_of(const ConfigSection& section, const char* key) {
    std::string out;
    for (const auto& word : section.texts(key)) {
        if (word.empty() || word.find(' ') != std::string::npos)
            section.fail(key, in_quotes(word) + " is not one word");
        out += (out.empty() ? "" : " ") + lower(word);
    }
    return out;
}

ParameterInfo read_parameter(const ConfigSection& section, std::set<std::string>& taken, OwnProcedure& own) {
    const std::string choices = words_of(section, "choices");
    const Unit unit = unit_of(section, "unit");
    if (!choices.empty() && unit != Unit::none) section.fail("unit", "goes with no choices");
    const ParameterKind kind = choices.empty() ? ParameterKind::quantity : ParameterKind::choice;
    ParameterInfo out{own.keep(name_of(section, "_", taken)),
                      kind,
                      unit,
                      own.keep(section.text("default")),
                      own.keep(section.text("help")),
                      own.keep(choices)};
    section.at("default", [&] {
        const std::array known{out};
        Parameters(known).fill_defaults();
    });
    return out;
}

// Parameters of the procedure whose captures it takes come first.
void read_parameters(const ConfigSection& root, OwnProcedure& own) {
    const auto& base = own.analysis.taken_like->parameters;
    own.parameters.assign(base.begin(), base.end());
    std::set<std::string> taken;
    for (const auto& info : base) taken.insert(info.name);
    for (const auto& section : root.tables("parameter", analysis_parameter_section)) {
        own.parameters.push_back(read_parameter(section, taken, own));
        own.analysis.own_parameters.emplace_back(own.parameters.back().name);
    }
}

void read_products(const ConfigSection& root, OwnProcedure& own) {
    std::set<std::string> taken;
    for (const auto& section : root.tables("result", analysis_result_section)) {
        const AnswerColumn result{name_of(section, "_", taken), section.text("help"),
                                  unit_of(section, "unit")};
        own.results.push_back({own.keep(result.name), result.unit, own.keep(result.help)});
        own.analysis.results.push_back(result);
    }
    for (const auto& section : root.tables("trace", analysis_trace_section)) {
        const AnswerTrace trace{name_of(section, "_", taken), section.text("title"), unit_of(section, "unit"),
                                unit_of(section, "x_unit"),   section.flag("log_x"), section.flag("dots")};
        own.traces.push_back({own.keep(trace.name), trace.unit, own.keep(trace.title)});
        own.analysis.traces.push_back(trace);
    }
    if (own.results.empty() && own.traces.empty())
        root.fail("result", "the analysis answers nothing: declare a [[result]] or a [[trace]]");
}

void read_analysis_inputs(const ConfigSection& root, OwnProcedure& own) {
    std::set<std::string> taken;
    for (const auto& section : root.tables("input", analysis_input_section)) {
        own.inputs.push_back({own.keep(name_of(section, "_", taken)), own.keep(section.text("help")),
                              !section.flag("optional")});
    }
    if (!own.inputs.empty() && !own.inputs.front().required)
        root.fail("input", "the first one cannot be optional");
}

}  // namespace

const FileInfo analysis_file{
    "analysis", "A measurement of one's own, made by a program: docs/own-analysis.md.", analysis_sections};

std::shared_ptr<OwnProcedure> read_analysis(const std::filesystem::path& file, const InputFiles& files,
                                            bool starts) {
    auto own = std::make_shared<OwnProcedure>();
    Analysis& analysis = own->analysis;
    analysis.file = file;
    analysis.text = read_file(file);
    const ConfigNode node = parse_config(analysis.text, file.string());
    const ConfigSection root(node, file.string(), analysis_root);
    const ConfigSection head = *root.table("analysis", analysis_section);
    std::set<std::string> none;
    analysis.name = "own." + name_of(head, "-", none);
    analysis.title = head.text("title");
    head.at("taken_like", [&] { analysis.taken_like = &find_procedure(head.text("taken_like")); });
    if (std::string_view(analysis.taken_like->name).starts_with("results."))
        head.fail("taken_like", "takes no captures: name a procedure that measures");
    analysis.program_reference = head.text("program");
    analysis.arguments = head.texts("arguments");
    analysis.timeout_s = head.quantity_or("timeout", analysis.timeout_s);
    if (!(analysis.timeout_s > 0 && analysis.timeout_s <= 86400))
        head.fail("timeout", "must be above 0 s and at most a day");
    if (starts) {
        analysis.program = files.find("outside", analysis.program_reference, file);
        if (!std::filesystem::is_regular_file(analysis.program))
            head.fail("program", "there is no program " + analysis.program.string());
        analysis.digest = sha256(read_file(analysis.program));
    }
    read_parameters(root, *own);
    read_analysis_inputs(root, *own);
    read_products(root, *own);
    Procedure& out = own->procedure;
    out.name = own->keep(analysis.name);
    out.title = own->keep(analysis.title);
    out.about = own->keep(head.text("about"));
    out.parameters = own->parameters;
    out.traces = own->traces;
    out.results = own->results;
    out.inputs = own->inputs;
    out.setup = analysis.taken_like->setup;
    out.preset = analysis.taken_like->preset;
    out.by_program = true;
    return own;
}

}  // namespace rt::lab
