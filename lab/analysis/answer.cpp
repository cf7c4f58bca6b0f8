#include "lab/analysis/answer.hpp"

#include <algorithm>
#include <cmath>
#include <nlohmann/json.hpp>

#include "core/base/error.hpp"
#include "core/base/text.hpp"

namespace rt::lab {
namespace {

using Json = nlohmann::ordered_json;

// One answer, line by line.
class AnswerReader {
  public:
    AnswerReader(const Analysis& analysis, std::string_view text) : analysis_(analysis), text_(text) {}

    Outcome read() {
        for (const auto line : split(text_, '\n')) {
            ++number_;
            if (trim(line).empty()) continue;
            if (done_) fail("stands behind the line that ends the answer");
            take(parse(line));
        }
        if (!done_)
            fail_signal(analysis_.name +
                        ": the answer is not complete: its last line is not {\"done\": true}");
        return std::move(out_);
    }

  private:
    [[noreturn]] void fail(const std::string& what) const {
        fail_signal(analysis_.name + ": line " + std::to_string(number_) + " of the answer " + what);
    }

    Json parse(std::string_view line) const {
        Json json = Json::parse(line, nullptr, false);
        if (!json.is_object()) fail("is no JSON object");
        return json;
    }

    void take(const Json& line) {
        if (line.contains("done")) return finish(line);
        if (line.contains("result")) return take_result(line);
        if (line.contains("trace")) return take_trace(line);
        if (line.contains("table")) return take_table(line);
        if (line.contains("note")) return out_.notes.push_back(text(line, "note"));
        if (line.contains("invalid")) return void(out_.invalid = text(line, "invalid"));
        if (line.contains("observed_s"))
            return void(out_.observed_s = number(line.at("observed_s"), "observed_s"));
        fail("has none of result, trace, table, note, invalid, observed_s, done");
    }

    void finish(const Json& line) {
        const auto protocol = line.find("protocol");
        if (line.at("done") != true) fail("ends the answer with something else than true");
        if (protocol == line.end() || *protocol != analysis_protocol)
            fail("does not say \"protocol\": " + std::to_string(analysis_protocol) +
                 ", which is all that is spoken here");
        done_ = true;
    }

    std::string text(const Json& line, const char* key) const {
        const auto at = line.find(key);
        if (at == line.end() || !at->is_string()) fail(std::string("needs a text as ") + key);
        return at->get<std::string>();
    }

    double number(const Json& value, const std::string& what) const {
        if (!value.is_number()) fail("gives no number as " + what);
        const double out = value.get<double>();
        if (!std::isfinite(out)) fail("gives no finite number as " + what);
        return out;
    }

    // Values in the declared unit, whatever unit of the same dimension they were answered in.
    void into_unit(std::vector<double>& values, const Json& line, const char* key, Unit declared,
                   const std::string& what) const {
        const std::string answered = line.contains(key) ? text(line, key) : std::string();
        const auto spelling = parse_unit(answered);
        if (answered.empty() && declared == Unit::none) return;
        if (!spelling)
            fail("gives " + what + " in " + in_quotes(answered) + "; " + symbol(declared) + " was declared");
        const double scale = spelling->factor * std::pow(10.0, spelling->exponent);
        for (double& value : values) {
            const auto converted = convert({value * scale, spelling->unit}, declared);
            if (!converted)
                fail("gives " + what + " in " + answered + "; " +
                     (declared == Unit::none ? "a number without a unit" : symbol(declared)) +
                     " was declared");
            value = converted->value;
        }
    }

    void take_result(const Json& line) {
        const std::string name = text(line, "result");
        const auto declared = std::find_if(analysis_.results.begin(), analysis_.results.end(),
                                           [&](const AnswerColumn& c) { return c.name == name; });
        if (declared == analysis_.results.end())
            fail("gives the result " + in_quotes(name) + ", which the analysis file does not declare");
        if (out_.find_result(name)) fail("gives the result " + in_quotes(name) + " a second time");
        if (!line.contains("value")) fail("gives the result " + in_quotes(name) + " without a value");
        std::vector<double> value{number(line.at("value"), name)};
        into_unit(value, line, "unit", declared->unit, name);
        Known known = Known::exactly;
        if (line.contains("known")) {
            const std::string word = text(line, "known");
            known = word == "at least"  ? Known::at_least
                    : word == "at most" ? Known::at_most
                                        : Known::exactly;
            if (word != rt::name(known) || known == Known::exactly)
                fail("says known = " + in_quotes(word) + ": write \"at least\" or \"at most\"");
        }
        out_.results.push_back({name, {value.front(), declared->unit}, {}, known});
    }

    std::vector<double> numbers(const Json& line, const char* key, const std::string& what) const {
        const auto at = line.find(key);
        if (at == line.end() || !at->is_array()) fail("needs a list as " + std::string(key) + " of " + what);
        std::vector<double> out;
        out.reserve(at->size());
        for (const auto& value : *at) out.push_back(number(value, what));
        return out;
    }

    void take_trace(const Json& line) {
        const std::string name = text(line, "trace");
        const auto declared = std::find_if(analysis_.traces.begin(), analysis_.traces.end(),
                                           [&](const AnswerTrace& t) { return t.name == name; });
        if (declared == analysis_.traces.end())
            fail("gives the trace " + in_quotes(name) + ", which the analysis file does not declare");
        if (out_.find_trace(name)) fail("gives the trace " + in_quotes(name) + " a second time");
        Trace trace;
        trace.name = name, trace.title = declared->title;
        trace.x_title = declared->x_unit == Unit::hertz ? "" : "x";
        trace.x_unit = declared->x_unit, trace.y_unit = declared->unit;
        trace.log_x = declared->log_x, trace.shape = declared->dots ? Shape::dots : Shape::line;
        trace.x = numbers(line, "x", name), trace.y = numbers(line, "y", name);
        if (trace.x.size() != trace.y.size() || trace.x.empty())
            fail("gives x and y of " + name + " in unequal numbers, or none");
        if (!declared->dots && !std::is_sorted(trace.x.begin(), trace.x.end(), std::less_equal<>()))
            fail("gives x of " + name + " not in ascending order");
        into_unit(trace.x, line, "x_unit", declared->x_unit, "x of " + name);
        into_unit(trace.y, line, "unit", declared->unit, name);
        out_.traces.push_back(std::move(trace));
    }

    void take_table(const Json& line) {
        Table table;
        table.name = text(line, "table");
        table.title = line.contains("title") ? text(line, "title") : table.name;
        const auto columns = line.find("columns"), rows = line.find("rows");
        if (columns == line.end() || !columns->is_array() || rows == line.end() || !rows->is_array())
            fail("needs lists as columns and rows of the table " + in_quotes(table.name));
        for (const auto& column : *columns) {
            if (!column.is_string()) fail("has a column of " + table.name + " whose name is no text");
            table.columns.push_back({column.get<std::string>(), Unit::none});
        }
        for (const auto& row : *rows) {
            if (!row.is_array() || row.size() != table.columns.size())
                fail("has a row of " + table.name + " that has not " + std::to_string(table.columns.size()) +
                     " cells");
            auto& cells = table.rows.emplace_back();
            for (const auto& cell : row) {
                if (cell.is_string())
                    cells.emplace_back(cell.get<std::string>());
                else
                    cells.emplace_back(number(cell, table.name));
            }
        }
        out_.tables.push_back(std::move(table));
    }

    const Analysis& analysis_;
    std::string_view text_;
    std::size_t number_ = 0;
    bool done_ = false;
    Outcome out_;
};

}  // namespace

Outcome read_answer(const Analysis& analysis, std::string_view text) {
    return AnswerReader(analysis, text).read();
}

std::string answer_text(const Outcome& outcome) {
    std::string out;
    const auto put = [&](const Json& line) {
        out += line.dump(-1, ' ', false, Json::error_handler_t::replace) + "\n";
    };
    for (const auto& result : outcome.results) {
        Json line{{"result", result.name}, {"value", result.value.value}};
        if (result.value.unit != Unit::none) line["unit"] = symbol(result.value.unit);
        if (result.known != Known::exactly) line["known"] = name(result.known);
        put(line);
    }
    for (const auto& trace : outcome.traces) {
        Json line{{"trace", trace.name}, {"x", trace.x}, {"y", trace.y}};
        if (trace.x_unit != Unit::none) line["x_unit"] = symbol(trace.x_unit);
        if (trace.y_unit != Unit::none) line["unit"] = symbol(trace.y_unit);
        put(line);
    }
    for (const auto& table : outcome.tables) {
        Json line{{"table", table.name},
                  {"title", table.title},
                  {"columns", Json::array()},
                  {"rows", Json::array()}};
        for (const auto& column : table.columns) line["columns"].push_back(column.name);
        for (const auto& row : table.rows) {
            Json cells = Json::array();
            for (const auto& cell : row) std::visit([&](const auto& value) { cells.push_back(value); }, cell);
            line["rows"].push_back(std::move(cells));
        }
        put(line);
    }
    for (const auto& note : outcome.notes) put({{"note", note}});
    if (outcome.observed_s) put({{"observed_s", *outcome.observed_s}});
    if (outcome.invalid) put({{"invalid", *outcome.invalid}});
    put({{"done", true}, {"protocol", analysis_protocol}});
    return out;
}

}  // namespace rt::lab
