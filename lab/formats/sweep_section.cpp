#include "lab/formats/sweep_section.hpp"

#include <algorithm>
#include <array>
#include <cmath>

#include "core/base/error.hpp"
#include "core/base/text.hpp"
#include "lab/formats/carrier_section.hpp"
#include "lab/formats/csv_table.hpp"
#include "lab/formats/files.hpp"
#include "lab/formats/wafer_map_file.hpp"

namespace rt::lab {
namespace {

constexpr std::array sweep_keys{
    KeyInfo{"axis", Key::text, true, "name of the axis"},
    KeyInfo{"sets", Key::texts, false,
            "needed but with carriers: where a value goes: \"unit\" (its setting of the axis's name), "
            "\"ROLE.SETTING\" of an instrument, "
            "\"parameter.NAME\", \"operator\" (the operator, by the prompt), or several"},
    KeyInfo{"values", Key::words, false, "the values, as words or, with unit, as quantities"},
    KeyInfo{"unit", Key::text, false, "the values are quantities of this unit"},
    KeyInfo{"range", Key::table, false, "from, to and step (or per_decade) instead of values"},
    KeyInfo{"values_from", Key::table, false, "a column of a CSV file instead of values"},
    KeyInfo{"channels", Key::wholes, false, "channel numbers instead of values"},
    KeyInfo{"channel_set", Key::text, false,
            "\"all\" or \"low-middle-high\" of the plan instead of channels"},
    KeyInfo{"plan", Key::text, false, "channel plan of a rulebook: \"ieee-802.15.4/oqpsk-2450\""},
    KeyInfo{"carriers", Key::table, false, "carriers of cellular bands instead of values"},
    KeyInfo{"from_test", Key::table, false, "what an earlier test has found instead of values"},
    KeyInfo{"from_bench", Key::table, false, "what an instrument or the unit lists instead of values"},
    KeyInfo{"search", Key::table, false, "a search for a threshold instead of values; only of the last axis"},
    KeyInfo{"dies_of", Key::text, false,
            "a wafer map: its tested dies, in a path of least movement, instead of values"},
    KeyInfo{"devices_of", Key::text, false, "a wafer map: its devices instead of values"},
    KeyInfo{"coupled", Key::flag, false, "moves together with the axis before it, value by value"},
    KeyInfo{"slow", Key::flag, false,
            "changed as seldom as possible, over all tests with an axis of this name"},
    KeyInfo{"prompt", Key::text, false,
            "what the operator does at each change, with {value}; makes the axis slow"},
    KeyInfo{"soak", Key::quantity, false,
            "what is waited at each change, once the value is set: \"10 min\"; makes the axis slow",
            Unit::second},
};

// The same with a name.
constexpr auto named_sweep_keys = [] {
    std::array<KeyInfo, sweep_keys.size() + 1> out{
        KeyInfo{"name", Key::text, true, "what tests call it under \"sweeps\""}};
    for (std::size_t i = 0; i < sweep_keys.size(); ++i) out[i + 1] = sweep_keys[i];
    return out;
}();

constexpr std::array from_test_keys{
    KeyInfo{"test", Key::text, true, "name of an earlier test"},
    KeyInfo{"result", Key::text, false, "its result that gives the values"},
    KeyInfo{"trace", Key::text, false,
            "instead of a result: its curve whose peaks, held over all points of the test, give the values"},
    KeyInfo{"table", Key::text, false,
            "instead of a result: its table whose rows, of all points of the test, give the values"},
    KeyInfo{"column", Key::text, false, "table: the column with the values"},
    KeyInfo{"where", Key::pairs, false, "table: only rows with these cells, { connectable = \"yes\" }"},
    KeyInfo{"most", Key::whole, false,
            "at most this many values (of peaks: in each sub-range); 10 without it"},
    KeyInfo{"apart", Key::quantity, false, "values closer together than this are one"},
    KeyInfo{"prominence", Key::quantity, false, "peaks: how much one must stand out, 6 dB without it",
            Unit::db},
    KeyInfo{"within", Key::quantity, false, "peaks: only those that come this close to a limit of the test",
            Unit::db},
    KeyInfo{"split_at", Key::words, false, "peaks: frequencies that part the band into sub-ranges"},
    KeyInfo{"add", Key::words, false, "peaks: further frequencies, chosen by the operator"},
    KeyInfo{"drop", Key::words, false, "peaks: frequencies that the operator leaves out"},
    KeyInfo{
        "ask", Key::flag, false,
        "the operator takes, drops and adds values when they are shown; all are taken where nobody is there"},
};

constexpr std::array from_bench_keys{
    KeyInfo{"role", Key::text, true, "who is asked: \"unit\""},
    KeyInfo{"list", Key::text, true, "for what: list_NAME of its dialect"},
    KeyInfo{"most", Key::whole, false, "at most this many values; 10 without it"},
    KeyInfo{"ask", Key::flag, false, "the operator takes and drops values when they are shown"},
};

constexpr std::array adjust_keys{
    KeyInfo{"axis", Key::text, true, "name of what is moved, for labels"},
    KeyInfo{"sets", Key::texts, true, "what a value goes to: \"generator.level\" ..."},
    KeyInfo{"from", Key::quantity, true, "where it begins, the safe end"},
    KeyInfo{"to", Key::quantity, true, "the other bound"},
    KeyInfo{"result", Key::text, true, "the result that is to meet the target"},
    KeyInfo{"target", Key::quantity, true, "its wanted value"},
    KeyInfo{"tolerance", Key::quantity, true, "how far from it the result may stay"},
    KeyInfo{"method", Key::text, false,
            "secant (without it: small steps from the safe end, then straight lines) or bisection (tries "
            "both bounds first)"},
    KeyInfo{"step", Key::quantity, false,
            "secant: first move away from the safe end; a tenth of the range without it"},
    KeyInfo{"trials", Key::whole, false, "at most so many; 12 without it"},
    KeyInfo{"gives", Key::text, false, "name of the value found, as a result; setting without it"},
};

constexpr std::array maximise_keys{
    KeyInfo{"axis", Key::text, true, "name, as findings show it"},
    KeyInfo{"sets", Key::words, true, "where a value goes, as for a sweep"},
    KeyInfo{"from", Key::quantity, true, "lowest value"},
    KeyInfo{"to", Key::quantity, true, "highest value"},
    KeyInfo{"coarse", Key::quantity, true, "step of the grid over all axes"},
    KeyInfo{"fine", Key::quantity, true, "step around the best place, up to one coarse step to each side"},
};

constexpr std::array search_keys{
    KeyInfo{"holds_at", Key::quantity, true, "end at which the criterion should hold"},
    KeyInfo{"fails_at", Key::quantity, true, "end at which it should not"},
    KeyInfo{"resolution", Key::quantity, true, "distance between neighbouring values; dB between levels"},
    KeyInfo{"result", Key::text, true, "result of the procedure that the criterion looks at"},
    KeyInfo{"at_most", Key::quantity, false, "the criterion holds up to this"},
    KeyInfo{"at_least", Key::quantity, false, "the criterion holds from this"},
    KeyInfo{"gives", Key::text, false, "name of the result that rules judge; threshold without it"},
    KeyInfo{"alive_at", Key::quantity, false,
            "an easier value than holds_at, tried when nothing holds there: whoever answers at it fails by a "
            "number, whoever does not gets no verdict"},
};

constexpr std::array range_keys{
    KeyInfo{"from", Key::quantity, true, "lowest value"},
    KeyInfo{"to", Key::quantity, true, "highest value, taken if a step lands on it"},
    KeyInfo{"step", Key::quantity, false, "distance between values; dB between levels"},
    KeyInfo{"per_decade", Key::whole, false, "values a decade of a logarithmic range, instead of step"},
};

constexpr std::array values_from_keys{
    KeyInfo{"file", Key::text, true, "CSV with a heading, beside the campaign"},
    KeyInfo{"column", Key::text, true,
            "heading of the column, without its unit; \"level [dBm]\" gives quantities"},
};

}  // namespace

const SectionInfo sweep_section{"[[test.sweep]]", "One axis. It has values, a range or channels.",
                                sweep_keys};
const SectionInfo named_sweep_section{"[[sweep]]", "An axis that several tests share: sweeps = [\"NAME\"].",
                                      named_sweep_keys};
const SectionInfo range_section{"range", "Evenly spaced values of an axis, or a number of them a decade.",
                                range_keys};
const SectionInfo values_from_section{"values_from", "Values of an axis from a file.", values_from_keys};
const SectionInfo from_test_section{"from_test", "Values of an axis from what an earlier test found.",
                                    from_test_keys};
const SectionInfo from_bench_section{
    "from_bench", "Values of an axis that the bench lists when the test begins: lanes, devices, dies.",
    from_bench_keys};
const SectionInfo search_section{
    "search", "The last value of the axis at which a criterion holds, found by bisection.", search_keys};

const SectionInfo adjust_section{
    "[[test.adjust]]",
    "One setting is moved until a result meets its target. Each trial is a kept point; the value found is "
    "the result of the point, and with provides a calibration that later tests set by: \"generator.level\" = "
    "\"calibration:NAME\".",
    adjust_keys};
const SectionInfo maximise_section{
    "[[test.maximise]]",
    "An axis over which the highest result is looked for, such as the angle of a "
    "turntable. The point is then measured at the best place.",
    maximise_keys};

namespace {

std::vector<AxisValue> read_range(const ConfigSection& range) {
    const Quantity from = *range.quantity("from");
    const Quantity to = *range.quantity_in("to", from.unit);
    if (range.has("step") == range.has("per_decade"))
        range.fail("from", "give the range either step or per_decade");
    std::vector<AxisValue> values;
    if (const auto per_decade = range.whole("per_decade")) {
        range.at("from", [&] { values = log_range_values(from, to, static_cast<int>(*per_decade)); });
        return values;
    }
    const Quantity step = *range.quantity_in("step", is_decibel(from.unit) ? Unit::db : from.unit);
    range.at("from", [&] { values = range_values(from, to, step); });
    return values;
}

std::vector<AxisValue> read_values(const ConfigSection& section) {
    std::vector<AxisValue> values;
    std::optional<Spelling> unit;
    if (section.has("unit")) {
        unit = parse_unit(section.text("unit"));
        if (!unit) section.fail("unit", "unknown unit " + in_quotes(section.text("unit")));
    }
    section.at("values", [&] {
        for (auto& text : section.texts("values")) {
            values.push_back(unit ? quantity_value(parse_quantity(text, unit->unit)) : word_value(text));
        }
    });
    return values;
}

void require_target(const ConfigSection& section, const std::string& target) {
    if (target == "unit" || target == "operator" || target.find('.') != std::string::npos) return;
    section.fail("sets", in_quotes(target) +
                             " is nothing to set: write \"unit\", \"ROLE.SETTING\", \"parameter.NAME\" or "
                             "\"operator\"");
}

// The column's cells as words, or as quantities where its heading states a unit.
std::vector<AxisValue> column_values(const std::string& text, const std::string& file,
                                     const std::string& name) {
    const CsvTable csv(text, file);
    const CsvColumn& column = csv.required(name);
    std::vector<AxisValue> values;
    for (std::size_t row = 0; row < csv.rows(); ++row) {
        if (column.cells[row].empty()) fail_input(csv.place(column, row), "the cell is empty");
        values.push_back(column.unit ? quantity_value({csv.number(column, row), column.unit->unit})
                                     : word_value(column.cells[row]));
    }
    return values;
}

std::vector<AxisValue> read_channels(const ConfigSection& section, const RuleLibrary& library) {
    const char* key = section.has("channels") ? "channels" : "channel_set";
    if (!section.has("plan")) section.fail(key, "channel numbers need a plan to have frequencies");
    std::vector<AxisValue> values;
    section.at("plan", [&] { library.find_plan(section.text("plan")); });
    section.at(key, [&] {
        const ChannelPlan& plan = library.find_plan(section.text("plan"));
        std::vector<int> channels = section.wholes("channels");
        const std::string set = section.text("channel_set");
        if (set == "low-middle-high") channels = low_middle_high(plan);
        for (int k = plan.first; set == "all" && k <= plan.last; ++k) channels.push_back(k);
        if (!set.empty() && channels.empty()) {
            fail_input("unknown set " + in_quotes(set) + suggestion(set, {"all", "low-middle-high"}));
        }
        values = channel_values(plan, channels);
    });
    return values;
}

std::vector<AxisValue> read_values_from(const ConfigSection& section, const SweepSources& sources) {
    const std::string reference = section.text("file");
    const auto path = sources.files.find("values", reference, section.file());
    std::string text;
    section.at("file", [&] { text = read_file(path); });
    sources.named.push_back({"values", reference, text});
    return column_values(text, path.string(), section.text("column"));
}

}  // namespace

std::vector<ConfigSection> sweep_sections(const ConfigSection& test, const SweepSources& sources) {
    std::vector<ConfigSection> out;
    for (const auto& name : test.texts("sweeps")) {
        std::vector<std::string> names;
        for (const auto& [known, section] : sources.shared ? *sources.shared : NamedSweeps{})
            names.push_back(known);
        if (std::find(names.begin(), names.end(), name) == names.end())
            test.fail("sweeps", "no [[sweep]] is called " + in_quotes(name) + suggestion(name, names));
        out.push_back(sources.shared->at(name));
    }
    for (auto& section : test.tables("sweep", sweep_section)) out.push_back(std::move(section));
    return out;
}

static std::vector<AxisValue> read_from_map(const ConfigSection& section, const char* key,
                                            const SweepSources& sources) {
    const std::string reference = section.text(key);
    const auto path = sources.files.find("capture", reference, section.file());
    std::string text;
    section.at(key, [&] { text = read_file(path); });
    const WaferMap map = parse_wafer_map(text, path);
    sources.named.push_back({"capture", reference, text});
    std::vector<AxisValue> values;
    if (std::string_view(key) == "dies_of") {
        for (const auto& name : map.path()) values.push_back(word_value(name));
    } else {
        for (const auto& device : map.devices) values.push_back(word_value(device.name));
    }
    return values;
}

std::vector<Axis> read_axes(const ConfigSection& section, const SweepSources& sources) {
    Axis axis{section.text("axis"), {}, section.texts("sets"), section.flag("coupled")};
    axis.prompt = section.text("prompt");
    if (const auto soak = section.quantity("soak")) {
        axis.soak_s = soak->value;
        if (!(axis.soak_s > 0)) section.fail("soak", "must be above 0 s");
    }
    axis.slow = section.flag("slow") || !axis.prompt.empty() || axis.soak_s > 0;
    if (axis.sets.empty() && !section.has("carriers"))
        section.fail("axis",
                     "say by sets where its values go: \"unit\", \"ROLE.SETTING\", \"parameter.NAME\"");
    for (const auto& target : axis.sets) {
        require_target(section, target);
        if (target == "operator" && axis.prompt.empty())
            section.fail("sets", "\"operator\" needs a prompt that says what to do");
    }
    const int ways = section.has("values") + section.has("range") + section.has("channels") +
                     section.has("channel_set") + section.has("values_from") + section.has("from_test") +
                     section.has("from_bench") + section.has("dies_of") + section.has("devices_of") +
                     section.has("carriers");
    if (ways != 1) {
        section.fail("axis",
                     "give the axis exactly one of values, range, values_from, channels, channel_set, "
                     "carriers, from_test, from_bench, dies_of, devices_of or search");
    }
    if (section.has("from_test") || section.has("from_bench")) return {axis};
    if (section.has("carriers")) return carrier_axes(section, std::move(axis));
    if (section.has("values")) axis.values = read_values(section);
    if (const auto range = section.table("range", range_section)) axis.values = read_range(*range);
    if (section.has("channels") || section.has("channel_set"))
        axis.values = read_channels(section, sources.library);
    if (const auto from = section.table("values_from", values_from_section))
        axis.values = read_values_from(*from, sources);
    for (const char* key : {"dies_of", "devices_of"}) {
        if (section.has(key)) axis.values = read_from_map(section, key, sources);
    }
    if (axis.values.empty())
        section.fail("axis", "the sweep is empty: axis " + in_quotes(axis.name) + " has no values");
    return {axis};
}

Search read_search(const ConfigSection& section, const Procedure& procedure) {
    const ConfigSection table = *section.table("search", search_section);
    Search search;
    search.axis = section.text("axis");
    search.sets = section.texts("sets");
    for (const auto& target : search.sets) require_target(section, target);
    search.holds_at = *table.quantity("holds_at");
    search.fails_at = *table.quantity_in("fails_at", search.holds_at.unit);
    search.resolution =
        *table.quantity_in("resolution", is_decibel(search.holds_at.unit) ? Unit::db : search.holds_at.unit);
    search.result = table.text("result");
    const Product* product = nullptr;
    table.at("result", [&] { product = &procedure.result(search.result); });
    if (const auto most = table.quantity_in("at_most", product->unit)) search.at_most = most->value;
    if (const auto least = table.quantity_in("at_least", product->unit)) search.at_least = least->value;
    if (!search.at_most && !search.at_least) table.fail("result", "needs at_most or at_least");
    if (table.has("gives")) search.gives = table.text("gives");
    search.alive_at = table.quantity_in("alive_at", search.holds_at.unit);
    table.at("holds_at", [&] { ThresholdSearch{search}; });
    return search;
}

std::size_t read_most(const ConfigSection& table) {
    const auto most = table.whole("most").value_or(10);
    if (most < 1 || most > 10000) table.fail("most", "must be 1 to 10000");
    return static_cast<std::size_t>(most);
}

FoundAxis read_from_bench(const ConfigSection& section) {
    const ConfigSection table = *section.table("from_bench", from_bench_section);
    FoundAxis from{"", ""};
    from.role = table.text("role"), from.list = table.text("list"), from.most = read_most(table);
    from.ask = table.flag("ask");
    return from;
}

FoundAxis read_from_test(const ConfigSection& section) {
    const ConfigSection table = *section.table("from_test", from_test_section);
    FoundAxis from{table.text("test"), table.text("result")};
    from.trace = table.text("trace"), from.table = table.text("table"), from.column = table.text("column");
    from.where = table.pairs("where");
    if (table.has("result") + table.has("trace") + table.has("table") != 1)
        table.fail("test", "give from_test one of result, trace and table");
    if (from.table.empty() != from.column.empty())
        table.fail(from.table.empty() ? "column" : "table", "table and column go together");
    if (from.table.empty() && !from.where.empty()) table.fail("where", "goes with table and column");
    from.most = read_most(table);
    from.ask = table.flag("ask");
    from.apart = table.quantity("apart");
    if (from.apart && !from.table.empty()) table.fail("apart", "goes with result or trace");
    CandidateSettings& peaks = from.candidates;
    const auto frequencies = [&](const char* key) {
        std::vector<double> out;
        table.at(key, [&] {
            for (const auto& text : table.texts(key)) out.push_back(parse_quantity(text, Unit::hertz).value);
        });
        return out;
    };
    if (from.trace.empty()) {
        for (const char* key : {"prominence", "within", "split_at", "add", "drop"}) {
            if (table.has(key)) table.fail(key, "goes with trace");
        }
        return from;
    }
    if (const auto prominence = table.quantity("prominence")) peaks.prominence_db = prominence->value;
    if (const auto within = table.quantity("within")) peaks.within_db = within->value;
    if (table.has("split_at")) peaks.split_at_hz = frequencies("split_at");
    if (table.has("add")) peaks.add_hz = frequencies("add");
    if (table.has("drop")) peaks.drop_hz = frequencies("drop");
    peaks.apart_hz = from.apart ? from.apart->value : 0;
    peaks.most = from.most;
    return from;
}

MaximisedAxis read_maximised(const ConfigSection& section) {
    MaximisedAxis axis;
    axis.name = section.text("axis");
    axis.sets = section.texts("sets");
    for (const auto& target : axis.sets) require_target(section, target);
    axis.from = *section.quantity("from");
    axis.to = *section.quantity_in("to", axis.from.unit);
    axis.coarse = *section.quantity_in("coarse", axis.from.unit);
    axis.fine = *section.quantity_in("fine", axis.from.unit);
    return axis;
}

Adjust read_adjust(const ConfigSection& section, const Procedure& procedure) {
    Adjust out;
    out.axis = section.text("axis");
    out.sets = section.texts("sets");
    for (const auto& target : out.sets) require_target(section, target);
    out.from = *section.quantity("from");
    out.to = *section.quantity_in("to", out.from.unit);
    out.result = section.text("result");
    const Product* product = nullptr;
    section.at("result", [&] { product = &procedure.result(out.result); });
    out.target = section.quantity_in("target", product->unit)->value;
    const Unit difference = is_decibel(product->unit) ? Unit::db : product->unit;
    out.tolerance = section.quantity_in("tolerance", difference)->value;
    const std::string method = section.has("method") ? section.text("method") : "secant";
    if (method != "secant" && method != "bisection")
        section.fail("method", "unknown word " + in_quotes(method) + ": write secant or bisection");
    out.method = method == "secant" ? AdjustMethod::secant : AdjustMethod::bisection;
    const Unit step = is_decibel(out.from.unit) ? Unit::db : out.from.unit;
    out.step = section.quantity_in("step", step)
                   .value_or(Quantity{std::abs(out.to.value - out.from.value) / 10, step});
    const auto trials = section.whole("trials").value_or(12);
    if (trials < 2 || trials > 1000) section.fail("trials", "must be 2 to 1000");
    out.trials = static_cast<std::size_t>(trials);
    if (section.has("gives")) out.gives = section.text("gives");
    section.at("from", [&] { Adjustment{out}; });
    return out;
}

Condition read_condition(const ConfigSection& section, const char* key,
                         const std::vector<std::pair<std::string, std::string>>& pairs, const Sweep& sweep) {
    Condition condition;
    for (const auto& [name, wanted] : pairs) {
        std::vector<std::string> names, values;
        std::size_t axis = sweep.axes.size();
        for (std::size_t i = 0; i < sweep.axes.size(); ++i) {
            names.push_back(sweep.axes[i].name);
            if (sweep.axes[i].name == name) axis = i;
        }
        if (axis == sweep.axes.size())
            section.fail(key, "no axis " + in_quotes(name) + suggestion(name, names));
        for (const auto& value : sweep.axes[axis].values) values.push_back(value.text);
        if (std::find(values.begin(), values.end(), wanted) == values.end()) {
            section.fail(key,
                         "axis " + name + " has no value " + in_quotes(wanted) + suggestion(wanted, values));
        }
        condition.emplace_back(axis, wanted);
    }
    return condition;
}

}  // namespace rt::lab
