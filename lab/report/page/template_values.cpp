// What users' own templates find by name, besides the values of the report's page.
#include <algorithm>
#include <map>

#include "core/base/text.hpp"
#include "lab/report/axes.hpp"
#include "lab/report/page/values.hpp"
#include "lab/report/plain_text.hpp"
#include "lab/report/verdict_data.hpp"

namespace rt {
namespace {

using Points = std::vector<const PointRecord*>;

// Dots part names in templates.
std::string template_name(std::string name) {
    std::replace(name.begin(), name.end(), '.', '-');
    return name;
}

// The point that a reader wants to see first.
const PointRecord* worst_of(const Points& points) {
    const PointRecord* out = nullptr;
    const Finding* least = nullptr;
    for (const PointRecord* point : points) {
        for (const auto& finding : point->findings) {
            if (!least || reads_before(finding, *least)) least = &finding, out = point;
        }
    }
    return out ? out : points.empty() ? nullptr : points.front();
}

std::vector<std::vector<std::string>> table_rows(const Points& points) {
    std::vector<std::string> axes, results;
    const auto note = [](std::vector<std::string>& names, const std::string& name) {
        if (std::find(names.begin(), names.end(), name) == names.end()) names.push_back(name);
    };
    for (const PointRecord* point : points) {
        for (const auto& [name, value] : point->axes) note(axes, name);
        for (const auto& result : point->results) note(results, result.name);
    }
    std::vector<std::vector<std::string>> rows{{}};
    for (const auto& name : axes) rows.front().push_back(words(name));
    for (const auto& name : results) rows.front().push_back(words(name));
    rows.front().push_back("verdict");
    for (const PointRecord* point : points) {
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

std::string table_text(const Points& points, bool html) {
    const auto rows = table_rows(points);
    std::string out;
    if (!html) {
        std::vector<std::size_t> widths;
        for (const auto& row : rows) {
            widths.resize(std::max(widths.size(), row.size()));
            for (std::size_t i = 0; i < row.size(); ++i) widths[i] = std::max(widths[i], row[i].size());
        }
        for (const auto& row : rows) {
            std::string line;
            for (std::size_t i = 0; i < row.size(); ++i)
                line += plain_text(row[i]) + std::string(widths[i] - row[i].size() + 2, ' ');
            line.erase(line.find_last_not_of(' ') + 1);
            out += line + "\n";
        }
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

PageData named_test(const TestRecord& test, const Points& points, const std::vector<std::size_t>& parts,
                    const ReportFigures& figures, bool html) {
    PageData data;
    VerdictCounts counts;
    std::map<std::string, std::string> shown;
    for (const PointRecord* point : points) {
        for (const auto& finding : point->findings) counts.add(finding.verdict);
    }
    const PointRecord* worst = worst_of(points);
    const Verdict verdict = counts.fail       ? Verdict::fail
                            : counts.none     ? Verdict::none
                            : counts.marginal ? Verdict::marginal
                            : counts.pass     ? Verdict::pass
                                              : Verdict::none;
    data = verdict_data(verdict);
    data.set("title", test.title);
    data.set("procedure", test.procedure);
    data.set("points", std::to_string(points.size()));
    data.set("pass", std::to_string(counts.pass));
    data.set("marginal", std::to_string(counts.marginal));
    data.set("fail", std::to_string(counts.fail));
    data.set("none", std::to_string(counts.none));
    data.set("margin", "–");
    data.set("where", worst ? worst->label : "");
    data.set("figure", "");
    if (worst) {
        const auto least = std::min_element(worst->findings.begin(), worst->findings.end(), reads_before);
        if (least != worst->findings.end() && least->margin) data.set("margin", margin_text(*least));
        for (const auto& result : worst->results) data.set(template_name(result.name), format(result.value));
    }
    const DrawnFigure* figure = figures.sweep(test.name);
    if (!figure && worst) {
        const std::size_t part =
            parts[static_cast<std::size_t>(std::find(points.begin(), points.end(), worst) - points.begin())];
        const auto at = figures.points.find({part, worst->position});
        if (at != figures.points.end() && !at->second.empty()) figure = &at->second.front();
    }
    if (figure) data.set("figure", "data:image/svg+xml;base64," + figure->svg);
    data.set("table", table_text(points, html));
    return data;
}

}  // namespace

PageData template_values(const PageRuns& runs, const ReportFigures& figures, bool html) {
    PageData page = report_values(runs, figures);
    // "unit.serial", "environment.temperature", "report.company": groups of facts.
    std::map<std::string, PageData> groups;
    for (const auto& [name, value] : runs.front()->record().facts) {
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
    std::vector<std::string> known;
    for (const RunData* run : runs) {
        for (const auto& test : run->record().tests) {
            if (std::find(known.begin(), known.end(), test.name) != known.end()) continue;
            known.push_back(test.name);
            Points points;
            std::vector<std::size_t> parts;
            for (std::size_t part = 0; part < runs.size(); ++part) {
                for (const auto& point : runs[part]->record().points) {
                    const bool counts = point.kind == PointKind::point || point.kind == PointKind::threshold;
                    if (point.test == test.name && counts) points.push_back(&point), parts.push_back(part);
                }
            }
            tests.set(template_name(test.name), named_test(test, points, parts, figures, html));
        }
    }
    page.set("test", tests);
    page.set("started", page_time(runs.front()->record().fact("started")));
    page.set("ended", page_time(runs.back()->record().fact("ended")));
    return page;
}

}  // namespace rt
