#include "lab/run/found_values.hpp"

#include <algorithm>
#include <cmath>

#include "core/base/error.hpp"
#include "core/base/text.hpp"
#include "core/measure/emission/candidates.hpp"
#include "lab/run/choice.hpp"
#include "lab/tally/measure_kept.hpp"

namespace rt::lab {
namespace {

// A cell of a table as a value of an axis.
AxisValue cell_value(const Table::Cell& cell, const Table::Column& column) {
    if (const auto* text = std::get_if<std::string>(&cell)) return word_value(*text);
    return quantity_value({std::get<double>(cell), column.unit});
}

std::optional<std::size_t> column_of(const Table& table, const std::string& name) {
    for (std::size_t i = 0; i < table.columns.size(); ++i) {
        if (table.columns[i].name == name) return i;
    }
    return std::nullopt;
}

// Whether a row has the cells asked for; a column that is not there has none of them.
bool fits(const Table& table, const std::vector<Table::Cell>& row, const TextPairs& where) {
    return std::all_of(where.begin(), where.end(), [&](const auto& wanted) {
        const auto column = column_of(table, wanted.first);
        return column && cell_value(row[*column], table.columns[*column]).text == wanted.second;
    });
}

void add_once(std::vector<AxisValue>& values, AxisValue value, std::size_t most) {
    const auto same = [&](const AxisValue& other) { return other.text == value.text; };
    if (values.size() < most && std::none_of(values.begin(), values.end(), same))
        values.push_back(std::move(value));
}

}  // namespace

std::vector<AxisValue> FoundValues::of(const Test& test) {
    const FoundAxis& from = *test.found;
    auto values = from.by_bench()       ? listed(test)
                  : !from.axis.empty()  ? of_axis(from)
                  : !from.trace.empty() ? candidates(from)
                  : !from.table.empty() ? rows(from)
                                        : results(from);
    if (!values.empty()) return from.ask ? chosen_of(test, std::move(values)) : values;
    const std::string who = from.by_bench() ? from.role : from.test;
    note_("nothing to measure", test.name + ": " + who + " has given no " +
                                    (from.by_bench()       ? from.list
                                     : !from.axis.empty()  ? "point at " + from.axis
                                     : !from.trace.empty() ? "peak of " + from.trace
                                     : !from.table.empty() ? from.column + " in a table " + from.table
                                                           : from.result));
    return values;
}

// What was chosen is kept: a run that is carried on keeps to it as long as the same values are found.
std::vector<AxisValue> FoundValues::chosen_of(const Test& test, std::vector<AxisValue> values) {
    const std::string& axis = test.sweep.axes.back().name;
    std::string found, text = "found " + axis + ":";
    for (std::size_t i = 0; i < values.size(); ++i) {
        found += values[i].text + "|";
        text += (i ? ", " : " ") + std::to_string(i + 1) + ") " + values[i].text;
    }
    text += "; Enter takes all, 1 3 takes these, -2 leaves one out, +VALUE adds one";
    const std::string name = test.name + "/chosen", mark = hex(fnv1a(found), 16);
    if (const auto known = earlier_.find(name); known != earlier_.end() && known->second.starts_with(mark)) {
        std::string_view reply = known->second;
        return chosen(values, reply.substr(mark.size()));
    }
    std::string why;
    for (;;) {
        const auto reply = ask_(test, (why.empty() ? "" : why + ". ") + text);
        if (!reply) {
            note_("chosen", test.name + ": nobody was there to choose; all " + std::to_string(values.size()) +
                                " are taken");
            return values;
        }
        try {
            auto out = chosen(values, *reply);
            std::string list;
            for (const auto& value : out) list += (list.empty() ? "" : ", ") + value.text;
            tally_.set_fact("found." + name, mark + *reply);
            note_("chosen", test.name + ": " + list + ", out of " + std::to_string(values.size()) + " found");
            return out;
        } catch (const Error& error) {
            if (error.kind() != ErrorKind::input) throw;
            why = error.message();
        }
    }
}

std::vector<AxisValue> FoundValues::results(const FoundAxis& from) const {
    std::vector<AxisValue> values;
    std::vector<double> taken;
    for (const PointRecord* record : measured_.of(from.test)) {
        // Trials lead to a conclusion: that counts.
        if (record->standing != Standing::valid || record->kind == PointKind::trial) continue;
        const Result* result = record->find_result(from.result);
        if (!result || values.size() == from.most) continue;
        const double apart = from.apart ? from.apart->value : 0;
        const bool near = std::any_of(taken.begin(), taken.end(), [&](double other) {
            return std::abs(other - result->value.value) <= apart;
        });
        if (near) continue;
        taken.push_back(result->value.value);
        values.push_back(quantity_value(result->value));
    }
    return values;
}

std::vector<AxisValue> FoundValues::of_axis(const FoundAxis& from) const {
    std::vector<AxisValue> values;
    for (const PointRecord* record : measured_.of(from.test)) {
        for (const auto& [name, text] : record->axes) {
            if (name != from.axis) continue;
            try {
                add_once(values, quantity_value(parse_quantity(text)), from.most);
            } catch (const Error&) {
                add_once(values, word_value(text), from.most);
            }
        }
    }
    return values;
}

std::vector<Outcome> FoundValues::outcomes(const FoundAxis& from) const {
    const PlannedTest& source = *plan_.find(from.test);
    const Procedure& procedure = *source.test->procedure;
    std::vector<Outcome> out;
    for (const PointRecord* record : measured_.of(from.test)) {
        const bool measured = record->kind == PointKind::point && record->invalid.empty();
        if (record->standing != Standing::valid || !measured) continue;
        Outcome outcome =
            measure_kept(run_, procedure, plan_.campaign->own_procedure(procedure.name), *record);
        if (!outcome.invalid) out.push_back(std::move(outcome));
    }
    return out;
}

// Peaks of what the points of the earlier test have in common, nearest to its limits first.
std::vector<AxisValue> FoundValues::candidates(const FoundAxis& from) const {
    std::vector<Trace> traces;
    for (auto& outcome : outcomes(from)) {
        for (auto& trace : outcome.traces) {
            if (trace.name == from.trace) traces.push_back(std::move(trace));
        }
    }
    std::vector<AxisValue> values;
    if (traces.empty()) return values;
    std::vector<const Rule*> rules;
    for (const auto& judging : plan_.find(from.test)->test->judgings) rules.push_back(judging.rule.rule);
    for (const auto& candidate : choose_candidates(held_maximum(std::move(traces)), rules, from.candidates)) {
        values.push_back(quantity_value({candidate.frequency_hz, Unit::hertz}));
        note_("candidate", format({candidate.frequency_hz, Unit::hertz}) +
                               (candidate.margin ? ", margin " + fixed(*candidate.margin, 2) + " dB" : "") +
                               (candidate.added ? ", added by the operator" : ""));
    }
    return values;
}

std::vector<AxisValue> FoundValues::rows(const FoundAxis& from) const {
    std::vector<AxisValue> values;
    for (const auto& outcome : outcomes(from)) {
        for (const auto& table : outcome.tables) {
            const auto column = table.name == from.table ? column_of(table, from.column) : std::nullopt;
            if (!column) continue;
            for (const auto& row : table.rows) {
                if (fits(table, row, from.where))
                    add_once(values, cell_value(row[*column], table.columns[*column]), from.most);
            }
        }
    }
    return values;
}

// Asked once in a run: what is carried on has the points that it began with.
std::vector<AxisValue> FoundValues::listed(const Test& test) {
    const FoundAxis& from = *test.found;
    if (const auto known = earlier_.find(test.name); known != earlier_.end()) {
        std::vector<AxisValue> values;
        for (const auto text : split(known->second, '\n')) values.push_back(word_value(std::string(text)));
        return values;
    }
    bench_.use(from.role);
    const auto list = bench_.role(from.role).list(from.list);
    std::vector<AxisValue> values;
    std::string kept;
    for (const auto& text : list) {
        if (text.find_first_of("\n\r") != std::string::npos)
            fail_bench(from.role + " lists one of its " + from.list + " with a line break");
        add_once(values, word_value(text), from.most);
    }
    for (const auto& value : values) kept += (kept.empty() ? "" : "\n") + value.text;
    if (values.empty()) return values;
    tally_.set_fact("found." + test.name, kept);
    std::replace(kept.begin(), kept.end(), '\n', ',');
    note_("found", test.name + ": " + from.role + " lists the " + from.list + " " + kept +
                       (list.size() > values.size() ? " and more, which are left out" : ""));
    return values;
}

}  // namespace rt::lab
