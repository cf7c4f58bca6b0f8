#include "lab/report/report_figures.hpp"

#include <algorithm>
#include <utility>

#include "core/base/text.hpp"
#include "core/measure/emission/candidates.hpp"
#include "lab/formats/files.hpp"
#include "lab/report/figure.hpp"
#include "lab/report/maximum_figure.hpp"
#include "lab/report/sweep_figure.hpp"

namespace rt {
namespace {

// The points that get a figure: in every test those that a reader wants to see first.
std::vector<const PointRecord*> points_to_draw(const RunRecord& run, std::size_t most,
                                               ReportFigures& figures) {
    std::map<std::string, std::vector<const PointRecord*>> by_test;
    std::vector<const PointRecord*> chosen;
    for (const auto& point : run.points) {
        const bool drawn = point.capture.kind == "spectrum" || point.capture.kind == "iq" ||
                           point.capture.kind == "waveform" || point.capture.kind == "network";
        if (drawn && point.kind == PointKind::point) by_test[point.test].push_back(&point);
    }
    const auto worst = [](const PointRecord& p) {
        Finding unjudged;
        unjudged.verdict = Verdict::pass;
        const auto at = std::min_element(p.findings.begin(), p.findings.end(), reads_before);
        return at == p.findings.end() ? unjudged : *at;
    };
    for (auto& [test, points] : by_test) {
        std::stable_sort(points.begin(), points.end(), [&](const PointRecord* a, const PointRecord* b) {
            return reads_before(worst(*a), worst(*b));
        });
        // Captures of samples make several figures each: the first few speak for the others.
        const std::size_t own =
            points.front()->capture.kind == "spectrum" ? most : std::min<std::size_t>(most, 2);
        if (points.size() > own) {
            figures.left_out[test] = points.size() - own;
            points.resize(own);
        }
        chosen.insert(chosen.end(), points.begin(), points.end());
    }
    return chosen;
}

// Curves over the sweep of each test whose captures are no figures of their own, or are many.
std::map<std::string, Figure> sweep_figures(const RunRecord& run) {
    std::map<std::string, std::vector<const PointRecord*>> by_test;
    for (const auto& point : run.points) {
        if (point.kind != PointKind::check) by_test[point.test].push_back(&point);
    }
    std::map<std::string, Figure> out;
    for (const auto& [test, points] : by_test) {
        if (auto figure = sweep_figure(points, test)) out.emplace(test, std::move(*figure));
    }
    return out;
}

}  // namespace

namespace {

// Final readings of a test over what the pre-scans of the run have held, with the limits of both.
std::optional<Figure> finals_figure(const RunData& run, const std::string& test, std::optional<Trace>& held) {
    std::vector<const PointRecord*> finals;
    std::vector<Trace> scans;
    for (const auto& point : run.record().points) {
        if (point.kind != PointKind::point || point.standing != Standing::valid) continue;
        if (point.test == test && point.find_result("frequency") && point.find_result("level")) {
            finals.push_back(&point);
        } else if (!held && point.find_result("highest_level_frequency") &&
                   point.capture.kind == "spectrum") {
            Outcome outcome = run.outcome_of(point);
            const bool alike = scans.empty() || outcome.traces.front().x == scans.front().x;
            if (!outcome.invalid && alike) scans.push_back(std::move(outcome.traces.front()));
        }
    }
    if (finals.empty() || (!held && scans.empty())) return std::nullopt;
    if (!held) held = held_maximum(std::move(scans));
    std::vector<RuleRef> rules;
    for (const PointRecord* point : finals) {
        for (const auto& finding : point->findings) {
            const RuleRef rule = run.rules().find(finding.rule);
            const auto same = [&](const RuleRef& known) { return known.rule == rule.rule; };
            if (std::none_of(rules.begin(), rules.end(), same)) rules.push_back(rule);
        }
    }
    Trace scan = *held;
    scan.title = "Pre-scan, highest of all points";
    Figure figure = trace_figure(scan, test + ": final readings over the pre-scan", rules, {});
    Curve dots{"Final readings", CurveRole::spots, {}, {}};
    // The figure's own scale, from its first point.
    const double factor =
        figure.curves.front().x.front() != 0 ? held->x.front() / figure.curves.front().x.front() : 1;
    for (const PointRecord* point : finals) {
        dots.x.push_back(point->find_result("frequency")->value.value / factor);
        dots.y.push_back(point->find_result("level")->value.value);
    }
    figure.y_label = held->title + " in " + pretty(held->y_unit);
    figure.curves.push_back(std::move(dots));
    return figure;
}

// The result that the worst finding of a point judges; "" when it is not a result.
std::string worst_result(const std::vector<Finding>& findings, const RuleLibrary& rules) {
    const auto at = std::min_element(findings.begin(), findings.end(), reads_before);
    return at == findings.end() ? "" : rules.find(at->rule).rule->applies_to;
}

}  // namespace

ReportFigures draw_figures(const RunData& run, const std::filesystem::path& folder, std::size_t most) {
    ReportFigures figures;
    const auto chosen = points_to_draw(run.record(), most, figures);
    auto sweeps = sweep_figures(run.record());
    std::optional<Trace> held;
    for (const auto& test : run.record().tests) {
        if (test.procedure != "emission.final") continue;
        if (auto figure = finals_figure(run, test.name, held)) sweeps[test.name] = std::move(*figure);
    }
    const auto watches = watch_figures(run.record().samples);
    if (chosen.empty() && sweeps.empty() && watches.empty()) return figures;
    make_folder(folder / "figures");
    Plotter plotter;
    const auto further = [&](const Figure& figure, const std::string& name) {
        figures.files.push_back(folder / "figures" / (slug(name) + ".svg"));
        plotter.draw(figure, figures.files.back());
    };
    for (const auto& [test, figure] : sweeps) further(figure, "sweep-" + test);
    for (std::size_t i = 0; i < watches.size(); ++i) further(watches[i], "watch-" + std::to_string(i + 1));
    std::map<std::size_t, std::vector<std::filesystem::path>> files;
    for (const PointRecord* point : chosen) {
        const Outcome outcome = run.outcome_of(*point);
        std::vector<RuleRef> rules;
        for (const auto& finding : point->findings) rules.push_back(run.rules().find(finding.rule));
        const auto stem = std::filesystem::path(point->capture.file).stem().string();
        const auto searched = maximum_figures(run.record().points, *point);
        for (std::size_t i = 0; i < searched.size(); ++i) {
            files[point->position].push_back(folder / "figures" /
                                             (stem + "-maximum-" + std::to_string(i + 1) + ".svg"));
            plotter.draw(searched[i], files[point->position].back());
        }
        // Single readings stand in the figure of their test.
        for (const auto& trace : outcome.traces) {
            if (trace.x.empty() || trace.spots) continue;
            if (!trace.shows.empty() && trace.shows != worst_result(point->findings, run.rules())) continue;
            const bool first = &trace == &outcome.traces.front();
            const auto file = folder / "figures" / (stem + (first ? "" : "-" + slug(trace.name)) + ".svg");
            plotter.draw(trace_figure(trace, point->test + ": " + point->label, rules, point->findings),
                         file);
            files[point->position].push_back(file);
        }
        for (const auto& raster : outcome.rasters) {
            files[point->position].push_back(folder / "figures" / (stem + "-" + slug(raster.name) + ".svg"));
            plotter.draw(raster_figure(raster, point->test + ": " + point->label),
                         files[point->position].back());
        }
    }
    plotter.finish();
    std::size_t next = 0;
    for (const auto& [test, figure] : sweeps) figures.sweeps[test] = base64(read_file(figures.files[next++]));
    for (std::size_t i = 0; i < watches.size(); ++i)
        figures.watches.push_back(base64(read_file(figures.files[next++])));
    for (const auto& [position, drawn] : files) {
        for (const auto& file : drawn) {
            figures.svg[position].push_back(base64(read_file(file)));
            figures.files.push_back(file);
        }
    }
    return figures;
}

}  // namespace rt
