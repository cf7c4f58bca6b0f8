#include "lab/report/field_results.hpp"

#include <fmt/core.h>

#include <algorithm>

#include "core/base/text.hpp"
#include "lab/formats/files.hpp"
#include "lab/report/axes.hpp"
#include "lab/report/figure.hpp"
#include "lab/report/plain_text.hpp"
#include "lab/report/tables.hpp"

namespace rt::lab {
namespace {

std::string heading(const RunRecord& run) {
    std::string out = run.head.title + "\n" + std::string(letters(run.head.title), '=') + "\n\n";
    const auto line = [&](const char* what, const std::string& value) {
        if (!value.empty() && value != "not stated") out += fmt::format("{:<12}{}\n", what, value);
    };
    line("site", run.head.detail("model"));
    line("number", run.head.detail("serial"));
    line("owner", run.head.detail("maker"));
    const std::string asked = run.head.detail("technician");
    line("measured by", run.head.operator_name.empty() ? asked : run.head.operator_name);
    line("begun", run.head.started);
    line("ended", run.head.ended);
    if (!run.complete()) out += "\nNOT COMPLETE: the list was left before its end.\n";
    return out;
}

std::string point_text(const PointRecord& point, bool several) {
    std::string out;
    if (several) out += "  " + point.label + "\n";
    const std::string why = point.standing == Standing::voided ? point.standing_reason : point.invalid;
    if (!why.empty()) out += "    not valid: " + why + "\n";
    std::vector<std::vector<std::string>> rows;
    for (const auto& result : point.results) {
        const std::string bound = name(result.known);
        rows.push_back({words(result.name), (bound.empty() ? "" : bound + " ") + shown(result.value)});
    }
    for (const auto& row : aligned(rows, "    ")) out += row + "\n";
    for (const auto& finding : point.findings) {
        out += fmt::format("    {} against {}", name(finding.verdict), finding.rule);
        if (finding.limit) out += ", limit " + format({*finding.limit, finding.unit});
        if (finding.margin) out += ", margin " + margin_text(finding);
        out += (finding.reason.empty() ? "" : "; " + finding.reason) + "\n";
    }
    for (const auto& note : point.notes) out += "    note: " + note + "\n";
    return out;
}

}  // namespace

std::vector<std::filesystem::path> write_field_results(const RunData& run,
                                                       const std::filesystem::path& folder) {
    const RunRecord& record = run.record();
    std::vector<std::filesystem::path> out{folder / "readings.txt", folder / "results.csv"};
    std::string text = heading(record);
    std::optional<Plotter> plotter;
    for (const auto& test : record.tests) {
        std::vector<const PointRecord*> points;
        for (const auto& point : record.points)
            if (point.test == test.name && point.standing != Standing::superseded &&
                point.kind != PointKind::trial)
                points.push_back(&point);
        text += "\n" + test.title + "\n" + std::string(letters(test.title), '-') + "\n";
        if (points.empty()) text += "    not measured\n";
        for (const PointRecord* point : points) {
            text += point_text(*point, points.size() > 1);
            if (point->capture.file.empty()) continue;
            const Outcome outcome = run.outcome_of(*point);
            if (outcome.traces.empty()) continue;
            std::vector<RuleRef> rules;
            for (const auto& finding : point->findings) rules.push_back(run.rules().find(finding.rule));
            const std::string stem = test.name + (points.size() > 1 ? "-" + slug(point->label) : "");
            if (!plotter) plotter.emplace();
            plotter->draw(trace_figure(outcome.traces.front(), test.title, rules, point->findings),
                          folder / (stem + ".png"));
            write_file(folder / (stem + ".csv"), traces_csv(outcome.traces));
            out.push_back(folder / (stem + ".png"));
            out.push_back(folder / (stem + ".csv"));
            text += "    picture " + stem + ".png, curves " + stem + ".csv\n";
        }
    }
    if (plotter) plotter->finish();
    write_file(out[0], plain_text(text));
    write_file(out[1], findings_csv(record));
    return out;
}

}  // namespace rt::lab
