// What users' own templates find by name, besides the values of the report's page.
#include <algorithm>
#include <map>

#include "core/base/text.hpp"
#include "lab/report/axes.hpp"
#include "lab/report/page/office_template.hpp"
#include "lab/report/page/values.hpp"
#include "lab/report/plain_text.hpp"
#include "lab/report/verdict_data.hpp"

namespace rt::lab {
namespace {

using Points = std::vector<PlacedPoint>;

// Dots part names in templates.
std::string template_name(std::string name) {
    std::replace(name.begin(), name.end(), '.', '-');
    return name;
}

// The point that a reader wants to see first.
PlacedPoint worst_of(const Points& points) {
    PlacedPoint out;
    const Finding* least = nullptr;
    for (const PlacedPoint& placed : points) {
        for (const auto& finding : placed.point->findings) {
            if (!least || reads_before(finding, *least)) least = &finding, out = placed;
        }
    }
    return least || points.empty() ? out : points.front();
}

std::vector<std::vector<std::string>> table_rows(const Points& points) {
    std::vector<std::string> axes, results;
    const auto note = [](std::vector<std::string>& names, const std::string& name) {
        if (std::find(names.begin(), names.end(), name) == names.end()) names.push_back(name);
    };
    for (const auto& [part, point] : points) {
        for (const auto& [name, value] : point->axes) note(axes, name);
        for (const auto& result : point->results) note(results, result.name);
    }
    std::vector<std::vector<std::string>> rows{{}};
    for (const auto& name : axes) rows.front().push_back(words(name));
    for (const auto& name : results) rows.front().push_back(words(name));
    rows.front().push_back("verdict");
    for (const auto& [part, point] : points) {
        std::vector<std::string> row;
        for (const auto& name : axes) {
            const auto at = std::find_if(point->axes.begin(), point->axes.end(),
                                         [&](const auto& axis) { return axis.first == name; });
            row.push_back(at == point->axes.end() ? "" : at->second);
        }
        for (const auto& name : results) {
            const Result* result = point->find_result(name);
            row.push_back(result ? format(result->value, 5) : "");
        }
        const auto worst = std::min_element(point->findings.begin(), point->findings.end(), reads_before);
        row.push_back(worst == point->findings.end() ? "" : name(worst->verdict));
        rows.push_back(std::move(row));
    }
    return rows;
}

std::string table_text(const Points& points, TemplateKind kind) {
    const auto rows = table_rows(points);
    std::string out;
    if (kind == TemplateKind::text) {
        for (const auto& line : aligned(rows, "")) out += plain_text(line) + "\n";
        return out;
    }
    out = "<table>\n";
    for (std::size_t r = 0; r < rows.size(); ++r) {
        const char* cell = r == 0 ? "th" : "td";
        out += "<tr>";
        for (const auto& text : rows[r])
            out += std::string("<") + cell + ">" + markup_text(text) + "</" + cell + ">";
        out += "</tr>\n";
    }
    return out + "</table>";
}

// The figure that speaks for a test: over its sweep, else of its worst point. Null for none.
const DrawnFigure* figure_of(const TestRecord& test, const Points& points, const ReportFigures& figures) {
    if (const DrawnFigure* figure = figures.sweep(test.name)) return figure;
    const auto [part, worst] = worst_of(points);
    if (!worst) return nullptr;
    const auto at = figures.points.find({part, worst->position});
    return at != figures.points.end() && !at->second.empty() ? &at->second.front() : nullptr;
}

// Each test with its points and what searches came to.
template <typename Work>
void each_test(const PageRuns& runs, const Work& work) {
    for (auto& [test, points] : joined_tests(runs)) {
        std::erase_if(points, [](const PlacedPoint& placed) {
            return placed.point->kind != PointKind::point && placed.point->kind != PointKind::threshold;
        });
        work(*test, points);
    }
}

PageData named_test(const TestRecord& test, const Points& points, const ReportFigures& figures,
                    TemplateKind kind) {
    VerdictCounts counts;
    for (const auto& [part, point] : points) {
        for (const auto& finding : point->findings) counts.add(finding.verdict);
    }
    const auto [part, worst] = worst_of(points);
    PageData data = verdict_data(counts.worst());
    data.set("title", test.title);
    data.set("procedure", test.procedure);
    data.set("points", std::to_string(points.size()));
    set_counts(data, counts);
    data.set("margin", "–");
    data.set("where", worst ? worst->label : "");
    data.set("figure", "");
    if (worst) {
        const auto least = std::min_element(worst->findings.begin(), worst->findings.end(), reads_before);
        if (least != worst->findings.end() && least->margin) data.set("margin", margin_text(*least));
        for (const auto& result : worst->results) data.set(template_name(result.name), format(result.value));
    }
    const DrawnFigure* figure = figure_of(test, points, figures);
    const bool office = kind == TemplateKind::office;
    if (figure)
        data.set("figure",
                 office ? marked_place("figure", test.name) : "data:image/svg+xml;base64," + figure->svg);
    data.set("table", office ? marked_place("table", test.name) : table_text(points, kind));
    return data;
}

}  // namespace

PageData template_values(PageData page, const PageRuns& runs, const ReportFigures& figures,
                         TemplateKind kind) {
    // "unit.serial", "environment.temperature", "report.company": groups of facts.
    std::map<std::string, PageData> groups;
    for (const auto& [name, value] : facts_of(runs.front()->record())) {
        const auto dot = name.find('.');
        if (dot == std::string::npos) {
            // A section of an empty text is passed over.
            page.set(name, value.empty() ? PageData{false} : PageData{value});
            continue;
        }
        const std::string group = name.substr(0, dot);
        const auto [at, fresh] = groups.try_emplace(group, PageData{PageData::type::object});
        at->second.set(template_name(name.substr(dot + 1)), value);
    }
    for (auto& [name, group] : groups) page.set(name, group);
    PageData tests{PageData::type::object};
    each_test(runs, [&](const TestRecord& test, const Points& points) {
        tests.set(template_name(test.name), named_test(test, points, figures, kind));
    });
    page.set("test", tests);
    page.set("started", page_time(runs.front()->record().head.started));
    page.set("ended", page_time(runs.back()->record().head.ended));
    return page;
}

OfficeParts office_parts(const PageRuns& runs, const ReportFigures& figures) {
    OfficeParts out;
    each_test(runs, [&](const TestRecord& test, const Points& points) {
        if (const DrawnFigure* figure = figure_of(test, points, figures))
            out.figures[test.name] = figure->file;
        out.tables[test.name] = table_rows(points);
    });
    return out;
}

}  // namespace rt::lab
