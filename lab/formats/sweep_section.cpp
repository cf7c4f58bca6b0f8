#include "lab/formats/sweep_section.hpp"

#include <algorithm>
#include <array>

#include "core/base/error.hpp"
#include "core/base/text.hpp"
#include "lab/formats/files.hpp"

namespace rt {
namespace {

using enum KeyKind;

constexpr std::array sweep_keys{
    KeyInfo{"axis", text, true, "name of the axis"},
    KeyInfo{"sets", texts, true, "where a value goes: \"unit\", \"parameter.NAME\", or both"},
    KeyInfo{"values", words, false, "the values, as words or, with unit, as quantities"},
    KeyInfo{"unit", text, false, "the values are quantities of this unit"},
    KeyInfo{"range", table, false, "from, to and step (or per_decade) instead of values"},
    KeyInfo{"values_from", table, false, "a column of a CSV file instead of values"},
    KeyInfo{"channels", wholes, false, "channel numbers instead of values"},
    KeyInfo{"channel_set", text, false, "\"all\" or \"low-middle-high\" of the plan instead of channels"},
    KeyInfo{"plan", text, false, "channel plan of a rulebook: \"ieee-802.15.4/oqpsk-2450\""},
    KeyInfo{"coupled", flag, false, "moves together with the axis before it, value by value"},
};

constexpr std::array range_keys{
    KeyInfo{"from", quantity, true, "lowest value"},
    KeyInfo{"to", quantity, true, "highest value, taken if a step lands on it"},
    KeyInfo{"step", quantity, false, "distance between values; dB between levels"},
    KeyInfo{"per_decade", whole, false, "values a decade of a logarithmic range, instead of step"},
};

constexpr std::array values_from_keys{
    KeyInfo{"file", text, true, "CSV with a heading, beside the campaign"},
    KeyInfo{"column", text, true,
            "heading of the column, without its unit; \"level [dBm]\" gives quantities"},
};

}  // namespace

const SectionInfo sweep_section{"[[test.sweep]]", "One axis. It has values, a range or channels.",
                                sweep_keys};
const SectionInfo range_section{"range", "Evenly spaced values of an axis, or a number of them a decade.",
                                range_keys};
const SectionInfo values_from_section{"values_from", "Values of an axis from a file.", values_from_keys};

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
    if (target == "unit" || target.starts_with("parameter.")) return;
    section.fail("sets", in_quotes(target) + " is nothing to set: write \"unit\" or \"parameter.NAME\"");
}

// The column's cells as words, or as quantities where its heading states a unit.
std::vector<AxisValue> column_values(const std::string& csv, const std::string& file,
                                     const std::string& column) {
    std::vector<AxisValue> values;
    std::vector<std::string> headings;
    std::size_t at = 0, row = 0;
    std::optional<Spelling> unit;
    for (const auto line : split(csv, '\n')) {
        ++row;
        if (trim(line).empty() || trim(line).front() == '#') continue;
        const auto cells = split(trim(line), ',');
        if (headings.empty()) {
            for (const auto cell : cells) headings.emplace_back(trim(cell.substr(0, cell.find('['))));
            at = static_cast<std::size_t>(std::find(headings.begin(), headings.end(), column) -
                                          headings.begin());
            if (at == headings.size())
                fail_input(file, "has no column " + in_quotes(column) + suggestion(column, headings));
            const auto open = cells[at].find('['), close = cells[at].find(']');
            if (open == std::string_view::npos || close == std::string_view::npos) continue;
            unit = parse_unit(trim(cells[at].substr(open + 1, close - open - 1)));
            if (!unit) fail_input(file, "column " + in_quotes(column) + " has an unknown unit");
            continue;
        }
        const std::string place =
            file + ", row " + std::to_string(row) + ", column " + std::to_string(at + 1);
        if (at >= cells.size() || trim(cells[at]).empty()) fail_input(place, "the cell is empty");
        const std::string text(trim(cells[at]));
        if (!unit) {
            values.push_back(word_value(text));
            continue;
        }
        const auto number = to_double(text + "e" + std::to_string(unit->exponent));
        if (!number) fail_input(place, in_quotes(text) + " is not a number");
        values.push_back(quantity_value({*number * unit->factor, unit->unit}));
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

Axis read_axis(const ConfigSection& section, const SweepSources& sources) {
    Axis axis{section.text("axis"), {}, section.texts("sets"), section.flag("coupled")};
    const int ways = section.has("values") + section.has("range") + section.has("channels") +
                     section.has("channel_set") + section.has("values_from");
    if (ways != 1) {
        section.fail("axis",
                     "give the axis exactly one of values, range, values_from, channels or channel_set");
    }
    if (section.has("values")) axis.values = read_values(section);
    if (const auto range = section.table("range", range_section)) axis.values = read_range(*range);
    if (section.has("channels") || section.has("channel_set"))
        axis.values = read_channels(section, sources.library);
    if (const auto from = section.table("values_from", values_from_section))
        axis.values = read_values_from(*from, sources);
    if (axis.values.empty())
        section.fail("axis", "the sweep is empty: axis " + in_quotes(axis.name) + " has no values");
    for (const auto& target : axis.sets) require_target(section, target);
    return axis;
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

}  // namespace rt
