#include "cli/command.hpp"
#include "cli/look.hpp"
#include "cli/measure_table.hpp"
#include "cli/parameter_options.hpp"
#include "core/base/text.hpp"
#include "core/catalogue/catalogue.hpp"
#include "core/measure/procedure.hpp"
#include "core/rules/judge.hpp"
#include "core/rules/stated_limit.hpp"
#include "lab/analysis/ask.hpp"
#include "lab/captures/capture_file.hpp"
#include "lab/formats/files.hpp"
#include "lab/formats/layout_file.hpp"
#include "lab/formats/procedure_library.hpp"
#include "lab/report/figure.hpp"
#include "lab/report/tables.hpp"

namespace rt::cli {
namespace {

using Texts = std::vector<std::string>;

void explain(const Console& console, const Procedure& procedure) {
    console.out(console.tinted(procedure.name, Tone::strong) + "  " + procedure.title);
    console.out(std::string("  ") + procedure.about);
    std::vector<std::vector<std::string>> rows;
    for (const auto& input : procedure.inputs)
        rows.push_back({input.name, input.required ? "" : "may be missing", input.help});
    if (!rows.empty()) console.out("  inputs, by name: NAME=FILE");
    for (const auto& line : aligned(rows, "    ")) console.out(line);
    console.out("  parameters (name, default, meaning)");
    for (const auto& line : aligned(parameter_rows(procedure.parameters), "    ")) console.out(line);
    rows.clear();
    for (const auto& p : procedure.traces) rows.push_back({p.name, "trace", p.help});
    for (const auto& p : procedure.results) rows.push_back({p.name, "result", p.help});
    console.out("  gives");
    for (const auto& line : aligned(rows, "    ")) console.out(line);
}

std::optional<double> hint(const Call& call, const char* option, Unit unit) {
    if (!call.flag(option)) return std::nullopt;
    return parse_quantity(call.text(option), unit).value;
}

// How an exported file is laid out, by a file and what the command line says above it.
bool stated_layout(const Call& call, SpectrumLayout& out) {
    if (call.flag("layout")) out = rt::lab::read_layout(call.text("layout"));
    if (call.flag("frequency"))
        rt::lab::take_column(call.text("frequency"), out.frequency_column, out.frequency_unit);
    if (call.flag("level")) rt::lab::take_column(call.text("level"), out.level_column, out.level_unit);
    if (const auto block = call.text("block"); !block.empty()) {
        const auto number = to_double(block);
        if (!number || *number < 1 || *number > 1e6 || *number != static_cast<int>(*number))
            fail_input("--block " + block + ": write its number, counted from 1");
        out.block = static_cast<int>(*number);
    }
    return call.flag("layout") || call.flag("frequency") || call.flag("level") || call.flag("block");
}

// The file, with what the command line knows beyond it.
Capture read_capture(const Call& call, const std::string& file, const Parameters& stated) {
    CaptureHints hints;
    hints.sample_rate_hz = hint(call, "sample-rate", Unit::hertz);
    hints.centre_hz = hint(call, "centre", Unit::hertz);
    hints.reference_level_dbm = hint(call, "reference-level", Unit::dbm);
    hints.volts_per_unit = hint(call, "volts-per-unit", Unit::volt);
    hints.resample_step_s = hint(call, "resample", Unit::second);
    hints.sample_type = call.text("sample-type");
    SpectrumLayout layout, used;
    if (stated_layout(call, layout)) hints.layout = &layout;
    if (call.flag("keep-layout")) hints.layout_used = &used;
    Capture capture = rt::lab::read_capture(file, hints);
    if (call.flag("keep-layout") && used != SpectrumLayout{}) {
        write_file(call.text("keep-layout"), rt::lab::layout_text(used));
        call.console.progress("wrote " + call.text("keep-layout") + ": for files like this one, --layout");
    }
    complete(capture, stated);
    if (!call.flag("impedance")) return capture;
    const double ohm = parse_quantity(call.text("impedance"), Unit::ohm).value;
    if (auto* spectrum = std::get_if<Spectrum>(&capture)) spectrum->impedance_ohm = ohm;
    return capture;
}

std::string cell_text(const Table::Cell& cell, Unit unit) {
    if (const auto* text = std::get_if<std::string>(&cell)) return printable(*text);
    return shown({std::get<double>(cell), unit});
}

void print_table(const Console& console, const Table& table) {
    constexpr std::size_t most = 40;
    console.out(table.title + (table.rows.empty() ? ": none" : ""));
    if (table.rows.empty()) return;
    std::vector<std::vector<std::string>> rows(1);
    for (const auto& column : table.columns) rows[0].push_back(column.name);
    for (const auto& row : table.rows) {
        if (rows.size() > most) break;
        auto& line = rows.emplace_back();
        for (std::size_t i = 0; i < row.size(); ++i) line.push_back(cell_text(row[i], table.columns[i].unit));
    }
    for (const auto& line : aligned(rows, "  ")) console.out(line);
    if (table.rows.size() > most) {
        console.out("  ... " + std::to_string(table.rows.size()) + " rows in all; --json gives them");
    }
}

// The marginal distance counts for levels only, as in a campaign.
JudgeOptions judge_options(const Call& call, const Rule& rule) {
    JudgeOptions options;
    for (const auto& text : call.texts("given")) {
        const auto equals = text.find('=');
        if (equals == std::string::npos || equals == 0)
            fail_input(
                "--given " + text +
                ": write it as unit.NAME=VALUE, instrument.NAME=VALUE, axis.NAME=VALUE or TEST/RESULT=VALUE");
        const std::string name(trim(text.substr(0, equals))), value(trim(text.substr(equals + 1)));
        if (name.find('/') != std::string::npos) {
            options.around.results[name] = {Result{name, parse_quantity(value), {}}, {}};
        } else if (name.starts_with("unit.") || name.starts_with("instrument.") ||
                   name.starts_with("axis.")) {
            options.around.values[name] = value;
        } else {
            fail_input(
                "--given " + text +
                ": unknown kind of name; write unit.NAME, instrument.NAME, axis.NAME or TEST/RESULT, and "
                "parameters with --set");
        }
    }
    options.allow_partial = call.flag("allow-partial");
    options.least_observation_s = hint(call, "least-observation", Unit::second);
    if (call.flag("uncertainty")) {
        Budget budget{.name = "stated", .applies_to = {}, .contributions = {}};
        budget.unit = is_decibel(rule.unit) ? Unit::db : rule.unit;
        budget.contributions.push_back(
            {.name = "stated", .value = parse_quantity(call.text("uncertainty"), budget.unit).value});
        options.budgets.push_back(std::move(budget));
    }
    if (call.flag("decision")) {
        const auto decision = parse_decision(call.text("decision"));
        if (!decision) fail_input("--decision " + call.text("decision") + ": simple, guarded or cispr");
        options.decision = *decision;
    }
    if (call.flag("marginal")) {
        const double marginal = parse_quantity(call.text("marginal"), Unit::db).value;
        if (is_decibel(rule.unit)) options.marginal = marginal;
    }
    return options;
}

void print_measurement(const Console& console, const Outcome& outcome, const std::vector<Finding>& findings) {
    if (outcome.invalid) console.out("not valid: " + printable(*outcome.invalid));
    std::vector<std::vector<std::string>> rows;
    for (const auto& result : outcome.results)
        rows.push_back(
            {result.name, (result.known == Known::exactly ? "" : name(result.known) + std::string(" ")) +
                              shown(result.value)});
    for (const auto& line : aligned(rows, "")) console.out(line);
    for (const auto& table : outcome.tables) print_table(console, table);
    for (const auto& f : findings) {
        std::string line = console.verdict(f.verdict) + "  " + f.rule;
        if (f.margin) {
            line += "  value " + format({*f.value, f.unit}) + ", limit " + format({*f.limit, f.unit}) +
                    ", margin " + margin_text(f);
        }
        if (f.at) line += " at " + place_text(f);
        if (f.uncertainty) line += ", uncertainty " + format({*f.uncertainty, f.margin_unit()}, 3);
        if (f.wrong_pass) line += ", wrong by chance " + format({100 * *f.wrong_pass, Unit::percent}, 2);
        if (!f.reason.empty()) line += "; " + f.reason;
        console.out(printable(line));
        for (const auto& text : f.deviations)
            console.out("          not per the standard: " + printable(text));
    }
    for (const auto& note : outcome.notes) console.out("note: " + printable(note));
}

// What --figure draws: the curve or picture named, else the first picture, else the first curve.
Figure chosen_figure(const Outcome& outcome, const std::string& wanted, const std::string& title,
                     const std::vector<RuleRef>& rules, const std::vector<Finding>& findings) {
    std::vector<std::string> names;
    for (const auto& raster : outcome.rasters) {
        if (wanted.empty() || wanted == raster.name) return raster_figure(raster, title);
        names.push_back(raster.name);
    }
    for (const auto& map : outcome.maps) {
        if (wanted.empty() || wanted == map.name) return rt::lab::die_figure(map, title);
        names.push_back(map.name);
    }
    for (const auto& trace : outcome.traces) {
        if (wanted.empty() || wanted == trace.name) return trace_figure(trace, title, rules, findings);
        names.push_back(trace.name);
    }
    fail_input("--trace " + wanted + ": no such curve" + suggestion(wanted, names));
}

// All files that are named, as one capture.
Capture read_captures(const Call& call, const Procedure& procedure, std::span<const std::string> files,
                      const Parameters& stated, Texts& notes) {
    if (files.size() == 1) return read_capture(call, files[0], stated);
    if (!procedure.several_records) {
        std::string others;
        for (const auto& other : procedures()) {
            if (other.several_records) others += (others.empty() ? "" : ", ") + std::string(other.name);
        }
        fail_input(std::string(procedure.name) +
                   " takes one capture file; several count together for procedures on frames: " + others);
    }
    if (stated.has("from") || stated.has("to"))
        fail_input("parameters from and to name a part of one record, not of several");
    std::vector<IqRecord> records;
    double seconds = 0;
    for (const auto& file : files) {
        const Capture capture = read_capture(call, file, stated);
        const auto* record = std::get_if<IqRecord>(&capture);
        if (!record) fail_input(file, "several files must all hold complex samples");
        notes.push_back(file + " begins at " + format({seconds, Unit::second}));
        seconds += record->seconds();
        records.push_back(*record);
    }
    return joined(records);
}

// "open=FILE": an input with its name. A file that is called so in whole is no such thing.
std::optional<std::pair<std::string, std::string>> named_input(const std::string& word) {
    const auto equals = word.find('=');
    if (equals == std::string::npos || equals == 0 || std::filesystem::exists(word)) return std::nullopt;
    const std::string name = word.substr(0, equals);
    if (name.find_first_not_of("abcdefghijklmnopqrstuvwxyz0123456789_-") != std::string::npos)
        return std::nullopt;
    return std::pair{name, word.substr(equals + 1)};
}

// What the words behind the procedure name: one file, files of frames, or inputs by name.
Inputs read_inputs(const Call& call, const Procedure& procedure, std::span<const std::string> words,
                   const Parameters& stated, Texts& notes) {
    std::vector<Input> named;
    std::vector<std::string> plain;
    for (const auto& word : words) {
        if (const auto input = named_input(word)) {
            named.push_back({input->first, read_capture(call, input->second, stated)});
        } else {
            plain.push_back(word);
        }
    }
    if (named.empty() && (procedure.inputs.empty() || procedure.several_records))
        return Inputs(read_captures(call, procedure, plain, stated, notes));
    if (plain.size() > 1) {
        std::string list;
        for (const auto& input : procedure.inputs)
            list += std::string(" ") + (input.required ? "" : "[") + input.name + "=FILE" +
                    (input.required ? "" : "]");
        fail_input(std::string(procedure.name) + " takes its captures by name: rare-tally measure " +
                   procedure.name + list);
    }
    for (const auto& file : plain) named.insert(named.begin(), {"", read_capture(call, file, stated)});
    return Inputs(std::move(named));
}

// A line for each procedure, under its family; all families without one.
ExitCode list_family(const Call& call, const ProcedureLibrary& library, const std::string& family) {
    std::vector<const Procedure*> all;
    for (const auto& procedure : procedures()) all.push_back(&procedure);
    for (const auto& own : library.own()) all.push_back(&own->procedure);
    Texts families;
    std::vector<std::vector<std::string>> rows;
    for (const Procedure* procedure : all) {
        const std::string name = procedure->name, its = name.substr(0, name.find('.'));
        if (families.empty() || families.back() != its) families.push_back(its);
        if (family.empty() || family == its) rows.push_back({name, procedure->title});
    }
    if (rows.empty())
        fail_input("no family of procedures is called " + in_quotes(family) + suggestion(family, families));
    std::sort(rows.begin(), rows.end());
    for (const auto& line : aligned(rows, "")) call.console.out(line);
    call.console.progress("rare-tally measure --list NAME explains one, with its parameters and results");
    return ExitCode::passed;
}

// The catalogue, or one procedure of it; analyses that were named too.
ExitCode list_procedures(const Call& call, const ProcedureLibrary& library, const Texts& words) {
    if (!words.empty() && words.front().find('.') != std::string::npos) {
        explain(call.console, library.find(words.front()));
        return ExitCode::passed;
    }
    if (!words.empty()) return list_family(call, library, words.front());
    return list_family(call, library, "");
}

// What it makes for later tests (corrected data, error terms), under the name given and the ending of its
// kind.
void write_made(const Call& call, const Procedure& procedure, const Outcome& outcome) {
    const std::filesystem::path wanted = call.text("made");
    if (!outcome.made) {
        if (outcome.invalid) return;  // which is said
        fail_input("--made " + wanted.string() + ": " + procedure.name + " makes no capture for later tests");
    }
    std::filesystem::path stem = wanted;
    stem.replace_extension();
    const auto written = rt::lab::write_capture(stem, *outcome.made);
    call.console.progress("made: " + written.file.string());
}

// A file of many points: counts with settings, or results with more axes than the one concluded over.
std::optional<PointTable> many_points(const Call& call, const Procedure& procedure, const std::string& file,
                                      const Parameters& stated) {
    if (named_input(file)) return std::nullopt;
    if (auto counts = read_count_table(file)) return counts;
    const std::string over = stated.text("over");
    if (!std::string_view(procedure.name).starts_with("results.") || over.empty()) return std::nullopt;
    const Capture capture = read_capture(call, file, stated);
    const auto* results = std::get_if<ResultTable>(&capture);
    return results ? grouped(*results, over) : std::nullopt;
}

ExitCode perform_measure(const Call& call) {
    const auto words = call.texts("words");
    ProcedureLibrary analyses(ask_program);
    for (const auto& file : call.texts("analysis")) analyses.add(file, "", DiskFiles({}));
    if (call.flag("list")) return list_procedures(call, analyses, words);
    if (words.size() < 2) {
        fail_input(
            "measure needs a procedure and a capture file: rare-tally measure PROCEDURE FILE; --list shows "
            "the procedures");
    }
    const Procedure& procedure = analyses.find(words[0]);
    const std::string figure = call.text("figure");
    if (!figure.empty()) require_figure_name("figure", figure);
    const RuleLibrary library = load_rules(call);
    std::vector<RuleRef> rules;
    Parameters parameters(procedure.parameters);
    set_parameters(parameters, call.texts("set"));
    Texts joins;
    const auto table = words.size() == 2 ? many_points(call, procedure, words[1], parameters) : std::nullopt;
    Inputs inputs = table ? Inputs(Capture(Counts{}))
                          : read_inputs(call, procedure, std::span(words).subspan(1), parameters, joins);
    for (const auto& id : call.texts("rule")) {
        rules.push_back(library.find(id));
        require_applicable(procedure, rules.back());
        procedure.preset(*rules.back().rule, parameters);
    }
    const Rulebook own = stated_limits(call.texts("limit"));
    for (const auto& rule : own.rules) {
        procedure.result(rule.applies_to);
        rules.push_back({&own, &rule});
    }
    parameters.fill_defaults();
    if (table) {
        if (!figure.empty() || call.flag("made") || call.flag("traces"))
            fail_input(words[1] +
                       ": a table of points has no curve of its own: write --results FILE, and "
                       "measure results.curve FILE");
        return measure_table(call, procedure, *table, parameters,
                             {rules, &own, [&](const Rule& rule) { return judge_options(call, rule); }});
    }
    if (call.flag("results")) fail_input("--results is for files of many points: --traces writes curves");
    Outcome outcome = measure(procedure, std::move(inputs), parameters);
    outcome.notes.insert(outcome.notes.end(), joins.begin(), joins.end());
    std::vector<Finding> findings;
    VerdictCounts counts;
    for (const auto& rule : rules) {
        findings.push_back(judge(rule, outcome, parameters, judge_options(call, *rule.rule)));
        if (rule.book == &own)
            findings.back().deviations.emplace_back("limit of the user's own, not of a rulebook");
        counts.add(findings.back().verdict);
    }
    const std::string title = std::filesystem::path(words[1]).filename().string();
    if (call.flag("plot") && !call.flag("json") && !outcome.traces.empty()) {
        // A quick look is one at a curve.
        Outcome curves;
        curves.traces = outcome.traces;
        for (const auto& line :
             plot_lines(call.console, chosen_figure(curves, call.text("trace"), title, rules, findings)))
            call.console.out(line);
    }
    if (!figure.empty() && (!outcome.traces.empty() || !outcome.rasters.empty())) {
        const Figure drawn = chosen_figure(outcome, call.text("trace"), title, rules, findings);
        Plotter plotter;
        plotter.draw(drawn, figure);
        plotter.finish();
    }
    if (call.flag("made")) write_made(call, procedure, outcome);
    if (call.flag("traces")) write_file(call.text("traces"), traces_csv(outcome.traces));
    if (call.flag("json")) {
        auto notes = outcome.notes;
        if (outcome.invalid) notes.push_back("not valid: " + *outcome.invalid);
        call.console.out(measurement_json(outcome, findings, notes));
    } else {
        print_measurement(call.console, outcome, findings);
    }
    return exit_code(counts, !outcome.invalid);
}

}  // namespace

Command measure_command() {
    return {
        "measure",
        "PROCEDURE [NAME=]FILE... [--rule ID]",
        "a capture file, or several by the names of the procedure's inputs, through a procedure, judged if a "
        "rule is named; "
        "frames of several files count together",
        "rare-tally measure emission.scan scan.csv --rule cispr-32/mains-b-av --figure scan.png",
        {{"rule", "ID", "judge by this rule (book/rule); may be given more than once"},
         {"limit", "LIMIT",
          "judge by a limit of your own: \"level <= -30 dBm\", \"0.9 V <= high_level <= 1.1 V\"; may be "
          "given "
          "more than once"},
         {"given", "NAME=VALUE",
          "what the rule looks up: unit.NAME, instrument.NAME, axis.NAME, TEST/RESULT; may be given more "
          "than once"},
         {"analysis", "FILE",
          "a file with an analysis of your own, whose name is a procedure then; may be given more than once"},
         {"set", "NAME=VALUE", "parameter of the procedure; may be given more than once"},
         {"sample-rate", "RATE", "of a record that does not state it"},
         {"centre", "FREQUENCY", "what 0 Hz of complex samples stands for, where the file does not say"},
         {"reference-level", "LEVEL", "power of a complex tone with |x| = 1, where the file does not say"},
         {"volts-per-unit", "VOLTAGE", "of a waveform that does not state it"},
         {"resample", "STEP", "time between samples wanted of a CSV waveform with uneven times"},
         {"sample-type", "TYPE", "of a file of bare samples: cf32_le, ci16_le, ci8, rf32_le, ri16_le"},
         {"impedance", "VALUE", "what the levels were measured in, where the file does not say"},
         {"frequency", "COLUMN[:UNIT]", "of a spectrum that another program wrote: number or heading, 1:MHz"},
         {"level", "COLUMN[:UNIT]", "the same of its level: \"Trace 2:dBuV\""},
         {"block", "NUMBER", "which of several blocks of rows in such a file"},
         {"layout", "FILE", "how such a file is laid out, as --keep-layout wrote it"},
         {"keep-layout", "FILE", "write how it is laid out, for the next ones"},
         {"marginal", "LEVEL", "levels with a smaller margin are MARGINAL; 3 dB without it"},
         {"uncertainty", "VALUE", "expanded uncertainty (k = 2) of what is judged"},
         {"decision", "WORD", "how it enters the verdict: simple, guarded or cispr"},
         {"least-observation", "TIME",
          "a shorter time of observation than the rule's is meant (not per the standard)"},
         {"allow-partial", "", "judge a trace that covers only a part of the limit"},
         rulebook_option,
         {"figure", "FILE", "draw the trace with its limits, as .svg or .png"},
         {"plot", "", "draw a quick curve on the terminal"},
         {"trace", "NAME", "which curve --figure and --plot draw; the first without it"},
         {"traces", "FILE", "write the curves as CSV"},
         {"made", "FILE",
          "write what it makes for later tests (corrected data, error terms); the ending is that of its "
          "kind"},
         {"results", "FILE",
          "write the results of all points of a table of counts, for results.curve, results.crossing ..."},
         {"list", "", "list the procedures, those of a family (emission), or explain the one named"}},
        "words",
        perform_measure};
}

}  // namespace rt::cli
