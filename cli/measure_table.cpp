#include "cli/measure_table.hpp"

#include <fmt/core.h>

#include <nlohmann/json.hpp>

#include "core/base/text.hpp"
#include "lab/captures/result_table.hpp"
#include "lab/formats/files.hpp"
#include "lab/report/tables.hpp"

namespace rt::cli {
namespace {

using rt::lab::PointTable;

struct Done {
    const PointTable::Point* point;
    Outcome outcome;
    std::vector<Finding> findings;
};

Done measured(const Procedure& procedure, const PointTable::Point& point,
              const std::vector<ResultTable::Column>& axes, const Parameters& parameters,
              const TableJudging& judging) {
    Done out{&point, measure(procedure, Inputs(point.capture), parameters), {}};
    if (point.rows > 1)
        out.outcome.notes.push_back(fmt::format("{} rows with these values are added up", point.rows));
    for (const auto& rule : judging.rules) {
        JudgeOptions options = judging.options(*rule.rule);
        for (std::size_t i = 0; i < axes.size(); ++i)
            options.around.values["axis." + axes[i].name] = point.axes[i].text;
        out.findings.push_back(judge(rule, out.outcome, parameters, options));
        if (rule.book == judging.own)
            out.findings.back().deviations.emplace_back("limit of the user's own, not of a rulebook");
    }
    return out;
}

// All results of all points, for conclusions.
ResultTable results_of(const PointTable& table, const std::vector<Done>& all,
                       const std::vector<RuleRef>& rules) {
    ResultTable out;
    out.axes = table.axes;
    for (const auto& rule : rules) out.rules.push_back(rule.full_id());
    for (const auto& done : all) rt::lab::add_columns(out, done.outcome.results);
    for (const auto& done : all) {
        VerdictCounts counts;
        ResultTable::Row row{
            table.label(*done.point), "", done.outcome.invalid.value_or(""), {}, done.point->axes, {}, {}};
        for (const auto& finding : done.findings) {
            counts.add(finding.verdict);
            row.verdicts.emplace_back(name(finding.verdict));
        }
        if (!done.findings.empty()) row.verdict = name(counts.worst());
        for (const auto& column : out.results)
            row.cells.push_back(rt::lab::cell_of(column, done.outcome.find_result(column.name)));
        out.rows.push_back(std::move(row));
    }
    return out;
}

// What is judged, or what says most of counts; else the first few results that there are.
std::vector<std::string> shown_of(const std::vector<Done>& all, const std::vector<RuleRef>& rules) {
    const auto has = [&](const std::string& name) {
        return std::any_of(all.begin(), all.end(),
                           [&](const Done& done) { return done.outcome.find_result(name) != nullptr; });
    };
    std::vector<std::string> out;
    for (const char* name : {"packets_sent", "packet_error_ratio", "packet_error_at_most", "bits",
                             "bit_error_ratio", "bit_error_at_most"}) {
        if (has(name)) out.emplace_back(name);
    }
    for (const auto& rule : rules) {
        const std::string& name = rule.rule->applies_to;
        if (has(name) && std::find(out.begin(), out.end(), name) == out.end()) out.push_back(name);
    }
    constexpr std::size_t most = 4;
    for (const Done& done : all) {
        for (const auto& result : done.outcome.results) {
            if (out.size() < most && std::find(out.begin(), out.end(), result.name) == out.end())
                out.push_back(result.name);
        }
    }
    return out;
}

std::string value_text(const Result* result) {
    if (!result) return "";
    return (result->known == Known::exactly ? "" : std::string(name(result->known)) + " ") +
           format(result->value, 4);
}

void print(const Console& console, const PointTable& table, const std::vector<Done>& all,
           const std::vector<RuleRef>& rules) {
    const auto columns = shown_of(all, rules);
    const bool judged = !all.empty() && !all.front().findings.empty();
    std::vector<std::vector<std::string>> rows(1);
    if (judged) rows[0].emplace_back("verdict");
    for (const auto& axis : table.axes) rows[0].push_back(axis.name);
    rows[0].insert(rows[0].end(), columns.begin(), columns.end());
    if (judged) rows[0].insert(rows[0].end(), {"limit", "margin"});
    std::vector<std::string> below;
    for (const auto& done : all) {
        std::vector<std::string> values;
        for (std::size_t i = 0; i < table.axes.size(); ++i) values.push_back(table.text(*done.point, i));
        for (const auto& name : columns) values.push_back(value_text(done.outcome.find_result(name)));
        if (!judged) rows.push_back(values);
        for (const auto& finding : done.findings) {
            auto& row = rows.emplace_back();
            row.push_back(console.verdict(finding.verdict));
            row.insert(row.end(), values.begin(), values.end());
            row.push_back(finding.limit ? format({*finding.limit, finding.unit}) : "");
            row.push_back(finding.margin ? margin_text(finding) : printable(finding.reason));
        }
        if (done.outcome.invalid && !judged)
            below.push_back(table.label(*done.point) + ": not valid: " + *done.outcome.invalid);
        for (const auto& note : done.outcome.notes) below.push_back(table.label(*done.point) + ": " + note);
    }
    for (const auto& line : aligned(rows, "")) console.out(line);
    for (const auto& note : below) console.out("note: " + printable(note));
}

}  // namespace

ExitCode measure_table(const Call& call, const Procedure& procedure, const PointTable& table,
                       const Parameters& parameters, const TableJudging& judging) {
    std::vector<Done> all;
    VerdictCounts counts;
    bool valid = true;
    for (const auto& point : table.points) {
        all.push_back(measured(procedure, point, table.axes, parameters, judging));
        for (const auto& finding : all.back().findings) counts.add(finding.verdict);
        valid = valid && !all.back().outcome.invalid;
    }
    if (call.flag("results"))
        rt::lab::write_file(call.text("results"), rt::lab::table_text(results_of(table, all, judging.rules)));
    if (call.flag("json")) {
        nlohmann::ordered_json out = nlohmann::ordered_json::array();
        for (const auto& done : all) {
            nlohmann::ordered_json one;
            one["point"] = table.label(*done.point);
            for (std::size_t i = 0; i < table.axes.size(); ++i)
                one["axes"][table.axes[i].name] = done.point->axes[i].text;
            one["measurement"] = nlohmann::ordered_json::parse(
                rt::lab::measurement_json(done.outcome, done.findings, done.outcome.notes));
            out.push_back(std::move(one));
        }
        call.console.out(out.dump(2));
    } else {
        print(call.console, table, all, judging.rules);
        if (!judging.rules.empty()) call.console.out(call.console.counts(counts));
    }
    return exit_code(counts, valid);
}

}  // namespace rt::cli
