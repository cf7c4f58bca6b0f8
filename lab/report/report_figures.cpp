#include "lab/report/report_figures.hpp"

#include <algorithm>
#include <cmath>
#include <utility>

#include "core/base/error.hpp"
#include "core/base/text.hpp"
#include "core/measure/emission/candidates.hpp"
#include "lab/captures/kind.hpp"
#include "lab/formats/files.hpp"
#include "lab/report/figure.hpp"
#include "lab/report/figure_values.hpp"
#include "lab/report/maximum_figure.hpp"
#include "lab/report/sweep_figure.hpp"

namespace rt::lab {
namespace {

struct PointOfPart {
    std::size_t part = 0;
    const PointRecord* point = nullptr;
};

// The points that get a figure: in every test those that a reader wants to see first.
std::vector<PointOfPart> points_to_draw(const std::vector<const RunData*>& runs, std::size_t most,
                                        ReportFigures& figures) {
    std::map<std::string, std::vector<PointOfPart>> by_test;
    std::vector<PointOfPart> chosen;
    for (std::size_t part = 0; part < runs.size(); ++part) {
        for (const auto& point : runs[part]->record().points) {
            if (figures_of(point) != Figures::none && point.kind == PointKind::point)
                by_test[point.test].push_back({part, &point});
        }
    }
    const auto worst = [](const PointRecord& p) {
        Finding unjudged;
        unjudged.verdict = Verdict::pass;
        const auto at = std::min_element(p.findings.begin(), p.findings.end(), reads_before);
        return at == p.findings.end() ? unjudged : *at;
    };
    for (auto& [test, points] : by_test) {
        std::stable_sort(points.begin(), points.end(), [&](const PointOfPart& a, const PointOfPart& b) {
            return reads_before(worst(*a.point), worst(*b.point));
        });
        // Captures of samples make several figures each: the first few speak for the others.
        const std::size_t own =
            figures_of(*points.front().point) == Figures::each ? most : std::min<std::size_t>(most, 2);
        if (points.size() > own) {
            figures.left_out[test] = points.size() - own;
            points.resize(own);
        }
        chosen.insert(chosen.end(), points.begin(), points.end());
    }
    return chosen;
}

// What a search goes by: named in the table of its trials.
std::string criterion_of(const std::vector<const PointRecord*>& points,
                         const std::vector<const RunData*>& runs) {
    for (const auto* point : points) {
        if (point->kind != PointKind::threshold || point->capture.file.empty()) continue;
        for (const RunData* run : runs) {
            const auto file = run->folder() / point->capture.file;
            if (!std::filesystem::exists(file)) continue;
            const std::string text = read_file(file);
            const auto cells = split(std::string_view(text).substr(0, text.find('\n')), ',');
            for (const auto cell : cells) {
                const bool there = std::any_of(points.begin(), points.end(), [&](const auto* other) {
                    return other->kind == PointKind::trial && other->find_result(std::string(cell));
                });
                if (there) return std::string(cell);
            }
        }
    }
    return {};
}

// People know a test by its title.
std::string title_of(const std::vector<const RunData*>& runs, const std::string& test) {
    for (const RunData* run : runs) {
        const TestRecord* record = run->record().find_test(test);
        if (record && !record->title.empty()) return record->title;
    }
    return test;
}

// Curves over the sweep of each test whose captures are no figures of their own, or are many.
std::map<std::string, std::vector<Figure>> sweep_figures(const std::vector<const RunData*>& runs) {
    std::map<std::string, std::vector<const PointRecord*>> by_test;
    std::map<std::string, std::vector<const RuleLibrary*>> rules;
    for (const RunData* run : runs) {
        for (const auto& point : run->record().points) {
            if (point.kind == PointKind::check) continue;
            by_test[point.test].push_back(&point);
            auto& known = rules[point.test];
            if (known.empty() || known.back() != &run->rules()) known.push_back(&run->rules());
        }
    }
    std::map<std::string, std::vector<Figure>> out;
    for (const auto& [test, points] : by_test) {
        const std::string title = title_of(runs, test);
        // Of runs that have tests of the same name each has its own rules.
        const FindRule find = [&libraries = rules[test]](const std::string& id) {
            for (std::size_t i = 0; i + 1 < libraries.size(); ++i) {
                try {
                    return libraries[i]->find(id);
                } catch (const Error&) {
                    continue;
                }
            }
            return libraries.back()->find(id);
        };
        // The first result, and those that a bound judges.
        constexpr std::size_t most_results = 4;
        std::vector<std::string> results{""};
        for (const auto* point : points) {
            for (const auto& finding : point->findings) {
                const Rule& rule = *find(finding.rule).rule;
                const bool first = !point->results.empty() && point->results.front().name == rule.applies_to;
                const bool known =
                    std::find(results.begin(), results.end(), rule.applies_to) != results.end();
                if (rule.bound() && !first && !known && results.size() < most_results)
                    results.push_back(rule.applies_to);
            }
        }
        if (auto figure = sweep_figure(points, title, find, "", Swept::thresholds)) {
            out[test].push_back(std::move(*figure));
            // Of the trials what they were decided by.
            results.front() = criterion_of(points, runs);
        }
        if (auto figure = pattern_figure(points, title)) out[test].push_back(std::move(*figure));
        for (const auto& result : results) {
            if (auto figure = sweep_figure(points, title, find, result))
                out[test].push_back(std::move(*figure));
        }
    }
    return out;
}

// Final readings of a test over what its pre-scan has held, with the limits of the test. Of a test that does
// not say which that was nothing is drawn: another port's scan would look as good.
std::optional<Figure> finals_figure(const RunData& run, const std::string& test,
                                    std::map<std::string, std::optional<Trace>>& all_held) {
    const TestRecord* record = run.record().find_test(test);
    if (!record || record->found_by.empty()) return std::nullopt;
    const std::string& source = record->found_by;
    auto& held = all_held[source];
    std::vector<const PointRecord*> finals;
    std::vector<Trace> scans;
    for (const auto& point : run.record().points) {
        if (point.kind != PointKind::point || point.standing != Standing::valid) continue;
        if (point.test == test && point.find_result("frequency") && point.find_result("level")) {
            finals.push_back(&point);
        } else if (!held && point.test == source && point.find_result("highest_level_frequency") &&
                   figures_of(point) == Figures::each) {
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
    Figure figure =
        trace_figure(scan, title_of({&run}, test) + ": final readings over the pre-scan", rules, {});
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

// Draws into one folder and remembers what each figure says.
class FigureFolder {
  public:
    explicit FigureFolder(std::filesystem::path folder) : folder_(std::move(folder)) {}

    DrawnFigure draw(const Figure& figure, const std::string& name) {
        if (!plotter_) {
            make_folder(folder_);
            plotter_.emplace();
        }
        const auto file = folder_ / (name + ".svg");
        plotter_->draw(figure, file);
        return {file, "", figure_values(figure)};
    }
    void finish() {
        if (plotter_) plotter_->finish();
    }

  private:
    std::filesystem::path folder_;
    std::optional<Plotter> plotter_;
};

// The peaks of a trace that come nearest to a limit line, by their margin; numbered in the figure.
std::vector<ReportFigures::Peak> peaks_of(const Trace& trace, const RuleRef& rule, const PointRecord& point) {
    const LimitLine* line = rule.rule->line();
    if (!line || rule.rule->applies_to != trace.name || rule.rule->unit != trace.y_unit || trace.spots)
        return {};
    const Rule* const only = rule.rule;
    CandidateSettings settings;
    settings.apart_hz = 3 * trace.resolution_bandwidth_hz.value_or(0);
    std::vector<ReportFigures::Peak> out;
    for (const auto& peak : choose_candidates(trace, std::span(&only, 1), settings)) {
        if (!peak.margin) continue;
        ReportFigures::Peak one;
        one.rule = rule.full_id(), one.place = point.label;
        one.detector = trace.detector ? name(*trace.detector) : "";
        one.frequency_hz = peak.frequency_hz, one.level = peak.level, one.margin = *peak.margin;
        one.limit = line->sense() == Sense::upper ? peak.level + *peak.margin : peak.level - *peak.margin;
        one.unit = trace.y_unit, one.position = point.position;
        out.push_back(std::move(one));
    }
    std::stable_sort(out.begin(), out.end(),
                     [](const auto& a, const auto& b) { return a.margin < b.margin; });
    return out;
}

// Also gives what the procedure lists of the point.
std::vector<Table> draw_point(const RunData& run, const PointRecord& point, const std::string& stem,
                              FigureFolder& folder, std::vector<DrawnFigure>& out,
                              std::vector<ReportFigures::Peak>& peaks) {
    Outcome outcome = run.outcome_of(point);
    std::vector<RuleRef> rules;
    for (const auto& finding : point.findings) rules.push_back(run.rules().find(finding.rule));
    const auto searched = maximum_figures(run.record().points, point);
    for (std::size_t i = 0; i < searched.size(); ++i)
        out.push_back(folder.draw(searched[i], stem + "-maximum-" + std::to_string(i + 1)));
    const TestRecord* test = run.record().find_test(point.test);
    const std::string title = (test && !test->title.empty() ? test->title : point.test) +
                              (point.label == "single point" ? "" : ": " + point.label);
    for (const auto& map : outcome.maps)
        out.push_back(folder.draw(die_figure(map, title), stem + "-" + slug(map.name)));
    // Single readings stand in the figure of their test.
    for (const auto& trace : outcome.traces) {
        if (trace.x.empty() || trace.spots) continue;
        if (!trace.shows.empty() && trace.shows != worst_result(point.findings, run.rules())) continue;
        const bool first = &trace == &outcome.traces.front();
        Figure figure = trace_figure(trace, title, rules, point.findings);
        std::size_t number = 0;
        for (const auto& rule : rules) {
            if (outcome.invalid) break;
            // The figure's own scale, by the end that is farther from 0.
            const bool last = std::abs(trace.x.back()) > std::abs(trace.x.front());
            const auto& shown = figure.curves.front().x;
            const double scale = last ? shown.back() / trace.x.back() : shown.front() / trace.x.front();
            for (auto& peak : peaks_of(trace, rule, point)) {
                peak.number = ++number;
                figure.labels.push_back({peak.frequency_hz * scale, peak.level, std::to_string(number)});
                peaks.push_back(std::move(peak));
            }
        }
        // A curve of single points: each is marked.
        if (run.concluded(point) && figure.curves.front().role == CurveRole::trace)
            figure.curves.front().role = CurveRole::sweep;
        out.push_back(folder.draw(std::move(figure), stem + (first ? "" : "-" + slug(trace.name))));
    }
    for (const auto& raster : outcome.rasters)
        out.push_back(folder.draw(raster_figure(raster, title), stem + "-" + slug(raster.name)));
    return std::move(outcome.tables);
}

}  // namespace

const DrawnFigure* ReportFigures::sweep(const std::string& test) const {
    const auto at = sweeps.find(test);
    return at == sweeps.end() || at->second.empty() ? nullptr : &at->second.front();
}

std::vector<std::filesystem::path> ReportFigures::files() const {
    std::vector<std::filesystem::path> out;
    for (const auto& [test, drawn] : sweeps) {
        for (const auto& figure : drawn) out.push_back(figure.file);
    }
    for (const auto& part : watches) {
        for (const auto& figure : part) out.push_back(figure.file);
    }
    for (const auto& [place, drawn] : points) {
        for (const auto& figure : drawn) out.push_back(figure.file);
    }
    return out;
}

ReportFigures draw_figures(const std::vector<const RunData*>& runs, const std::filesystem::path& target,
                           std::size_t most) {
    ReportFigures figures;
    const auto chosen = points_to_draw(runs, most, figures);
    auto sweeps = sweep_figures(runs);
    for (const RunData* run : runs) {
        std::map<std::string, std::optional<Trace>> held;
        for (const auto& test : run->record().tests) {
            if (test.procedure != "emission.final") continue;
            if (auto figure = finals_figure(*run, test.name, held)) sweeps[test.name] = {std::move(*figure)};
        }
    }
    FigureFolder folder(target / "figures");
    const auto prefix = [&](std::size_t part) {
        return runs.size() > 1 ? "part" + std::to_string(part + 1) + "-" : std::string();
    };
    for (const auto& [test, all] : sweeps) {
        for (std::size_t i = 0; i < all.size(); ++i)
            figures.sweeps[test].push_back(
                folder.draw(all[i], slug("sweep-" + test + (i ? "-" + std::to_string(i + 1) : ""))));
    }
    figures.watches.resize(runs.size());
    for (std::size_t part = 0; part < runs.size(); ++part) {
        const auto watches = watch_figures(runs[part]->record().samples);
        for (std::size_t i = 0; i < watches.size(); ++i)
            figures.watches[part].push_back(
                folder.draw(watches[i], prefix(part) + "watch-" + std::to_string(i + 1)));
    }
    for (const auto& [part, point] : chosen) {
        const auto stem = std::filesystem::path(point->capture.file).stem().string();
        const std::pair place{part, point->position};
        std::vector<ReportFigures::Peak> peaks;
        figures.tables[place] =
            draw_point(*runs[part], *point, prefix(part) + stem, folder, figures.points[place], peaks);
        for (auto& peak : peaks) {
            peak.part = part;
            figures.peaks[point->test].push_back(std::move(peak));
        }
    }
    for (auto& [test, peaks] : figures.peaks)
        std::stable_sort(peaks.begin(), peaks.end(),
                         [](const auto& a, const auto& b) { return a.margin < b.margin; });
    folder.finish();
    const auto take_in = [](DrawnFigure& figure) { figure.svg = base64(read_file(figure.file)); };
    for (auto& [test, drawn] : figures.sweeps) std::for_each(drawn.begin(), drawn.end(), take_in);
    for (auto& part : figures.watches) std::for_each(part.begin(), part.end(), take_in);
    for (auto& [place, drawn] : figures.points) std::for_each(drawn.begin(), drawn.end(), take_in);
    return figures;
}

}  // namespace rt::lab
