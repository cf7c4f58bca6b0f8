#include <algorithm>
#include <map>
#include <set>

#include "core/base/text.hpp"
#include "lab/captures/kind.hpp"
#include "lab/clock.hpp"
#include "lab/formats/files.hpp"
#include "lab/report/axes.hpp"
#include "lab/report/page/values.hpp"
#include "lab/report/verdict_data.hpp"
#include "lab/tally/read_run.hpp"

namespace rt::lab {
namespace {

// Pictures of the instrument's screen, as browsers show them.
PageData pictures_of(const PointRecord& point, const std::filesystem::path& folder) {
    PageData pictures = page_list();
    for (const auto& attachment : point.attachments) {
        const std::string ending = std::filesystem::path(attachment.file).extension().string();
        if (ending != ".png" && ending != ".bmp") continue;
        PageData picture;
        picture.set("type", ending.substr(1));
        picture.set("data", base64(read_file(folder / attachment.file)));
        picture.set("file", attachment.file);
        pictures << picture;
    }
    return pictures;
}

// What a procedure lists: the first rows of each table, and how many more there are.
PageData tables_of(const std::vector<Table>& all) {
    constexpr std::size_t most_rows = 40;
    PageData tables = page_list();
    for (const auto& table : all) {
        if (table.rows.empty()) continue;
        PageData columns = page_list(), rows = page_list();
        for (const auto& column : table.columns) columns << PageData{"name", words(column.name)};
        for (std::size_t i = 0; i < std::min(most_rows, table.rows.size()); ++i) {
            PageData cells = page_list();
            for (std::size_t k = 0; k < table.rows[i].size(); ++k) {
                const auto& cell = table.rows[i][k];
                const auto* number = std::get_if<double>(&cell);
                cells << PageData{
                    "text", number ? shown({*number, table.columns[k].unit}) : std::get<std::string>(cell)};
            }
            PageData row;
            row.set("cells", cells);
            rows << row;
        }
        PageData data;
        data.set("title", table.title);
        data.set("columns", columns);
        data.set("rows", rows);
        const bool more = table.rows.size() > most_rows;
        data.set("has_more", more);
        if (more) data.set("more", std::to_string(table.rows.size() - most_rows));
        tables << data;
    }
    return tables;
}

PageData findings_of(const PageRuns& runs, const PlacedPoint& placed) {
    PageData findings = page_list();
    for (const auto& finding : placed.point->findings)
        findings << finding_values(runs, placed.part, *placed.point, finding);
    return findings;
}

PageData point_values(const PageRuns& runs, const PlacedPoint& placed, const ReportFigures& figures) {
    const PointRecord& point = *placed.point;
    PageData data;
    data.set("label", point.label);
    data.set("number", std::to_string(point.position));
    data.set("place", page_place(runs, placed.part, point.position));
    data.set("started", page_time(point.started));
    data.set("capture", point.capture.file);
    data.set("sha256", point.capture.sha256);
    PageData results = page_list(), notes = page_list();
    for (const auto& result : point.results) {
        PageData entry;
        entry.set("name", words(result.name));
        const std::string bound = rt::name(result.known);
        entry.set("value", (bound.empty() ? "" : bound + " ") + shown(result.value));
        entry.set("uncertainty",
                  result.uncertainty ? "± " + format({*result.uncertainty, result.value.unit}, 3) : "");
        results << entry;
    }
    for (const auto& note : point.notes) notes << PageData{"text", note};
    data.set("findings", findings_of(runs, placed));
    data.set("results", results);
    data.set("has_results", !point.results.empty());
    data.set("notes", notes);
    data.set("pictures", pictures_of(point, runs[placed.part]->folder()));
    data.set("again", point.attempt > 1);
    data.set("attempt", std::to_string(point.attempt));
    std::string alt = "Measured trace of " + point.test + ", " + point.label;
    for (const auto& f : point.findings) {
        alt += "; " + f.rule + ": " + name(f.verdict);
        if (f.margin) alt += ", margin " + margin_text(f);
    }
    PageData drawn = page_list();
    const auto at = figures.points.find({placed.part, point.position});
    if (at != figures.points.end()) {
        for (const auto& each : at->second) drawn << figure_entry(each, alt);
    }
    data.set("figures", drawn);
    const auto listed = figures.tables.find({placed.part, point.position});
    data.set("tables", listed != figures.tables.end() ? tables_of(listed->second) : page_list());
    return data;
}

// What a report without its appendix says of a point: what was judged; of others the first results.
std::string few_words(const PageRuns& runs, const PlacedPoint& placed) {
    const PointRecord& point = *placed.point;
    std::set<std::string> judged;
    for (const auto& finding : point.findings)
        judged.insert(runs[placed.part]->rules().find(finding.rule).rule->applies_to);
    constexpr std::size_t first = 2;
    PointRecord few;
    for (const auto& result : point.results)
        if (judged.contains(result.name)) few.results.push_back(result);
    if (few.results.empty())
        few.results.assign(
            point.results.begin(),
            point.results.begin() + static_cast<std::ptrdiff_t>(std::min(first, point.results.size())));
    return result_words(few) + (few.results.size() < point.results.size() ? "; …" : "");
}

// A line for points that are one number or a few.
PageData row_values(const PageRuns& runs, const PlacedPoint& placed, bool drawn) {
    const PointRecord& point = *placed.point;
    PageData data;
    data.set("number", std::to_string(point.position));
    data.set("place", page_place(runs, placed.part, point.position));
    data.set("label", point.label);
    data.set("results", result_words(point));
    data.set("few", few_words(runs, placed));
    std::string notes = point.attempt > 1 ? "attempt " + std::to_string(point.attempt) : "";
    for (const auto& note : point.notes) notes += (notes.empty() ? "" : "; ") + note;
    data.set("notes", notes);
    data.set("capture", point.capture.file);
    data.set("findings", findings_of(runs, placed));
    data.set("drawn", drawn);  // the figure has the anchor
    data.set("has_kind", point.kind != PointKind::point);
    data.set("kind", point.kind == PointKind::point ? "" : kind_names[static_cast<std::size_t>(point.kind)]);
    return data;
}

// The worst peaks of all scans of a test that have figures.
void set_peaks(PageData& data, const PageRuns& runs, const std::string& test, const ReportFigures& figures) {
    constexpr std::size_t most = 15;
    PageData rows = page_list();
    const auto at = figures.peaks.find(test);
    const std::size_t count = at == figures.peaks.end() ? 0 : std::min(most, at->second.size());
    for (std::size_t i = 0; i < count; ++i) {
        const auto& peak = at->second[i];
        PageData row;
        row.set("frequency", format({peak.frequency_hz, Unit::hertz}, 6));
        row.set("level", page_number(peak.level));
        row.set("limit", page_number(peak.limit));
        row.set("unit", pretty(peak.unit));
        row.set("margin", page_number(peak.margin));
        row.set("detector", peak.detector);
        row.set("rule", peak.rule);
        row.set("point", peak.place);
        row.set("place", page_place(runs, peak.part, peak.position));
        row.set("number", std::to_string(peak.number));
        row.set("beyond", peak.margin < 0);
        rows << row;
    }
    data.set("has_peaks", count > 0);
    data.set("peaks", rows);
}

// What a reader wants to see of a test at once, and what stands in the appendix.
class Parted {
  public:
    void add(PageData entry, bool first) {
        (first ? first_ : further_) << std::move(entry);
        (first ? firsts_ : furthers_) += 1;
    }
    std::size_t firsts() const { return firsts_; }
    std::size_t furthers() const { return furthers_; }
    PageData& first() { return first_; }
    PageData& further() { return further_; }

  private:
    PageData first_ = page_list(), further_ = page_list();
    std::size_t firsts_ = 0, furthers_ = 0;
};

// The sections that stand in the body: of what is not passed the first few, else the point nearest to its
// limit.
std::set<const PointRecord*> points_first(const std::vector<PlacedPoint>& all) {
    constexpr std::size_t most = 3;
    const auto worst = [](const PointRecord& point) {
        return std::min_element(point.findings.begin(), point.findings.end(), reads_before);
    };
    std::vector<const PointRecord*> points;
    for (const auto& placed : all) {
        if (!placed.point->findings.empty()) points.push_back(placed.point);
    }
    std::stable_sort(points.begin(), points.end(), [&](const PointRecord* a, const PointRecord* b) {
        return reads_before(*worst(*a), *worst(*b));
    });
    std::set<const PointRecord*> out;
    for (const auto* point : points) {
        if (out.size() == most || (!out.empty() && worst(*point)->verdict == Verdict::pass)) break;
        out.insert(point);
    }
    // Of what nobody judges the first one.
    if (out.empty() && !all.empty()) out.insert(all.front().point);
    return out;
}

PageData one_test(const PageRuns& runs, const TestRecord& test, const std::vector<PlacedPoint>& all,
                  const ReportFigures& figures, bool summary) {
    PageData data, points = page_list(), rows = page_list();
    Parted sections, lines_parted;
    const auto first = points_first(all);
    constexpr std::size_t most_lines = 30;
    VerdictCounts counts;
    std::size_t captures = 0, lines = 0, unlisted = 0;
    double seconds = 0;
    for (const auto& placed : all) {
        const PointRecord& point = *placed.point;
        if (!made_of_trials(point.kind)) seconds += seconds_between(point.started, point.ended);
        captures += !made_of_trials(point.kind);
        for (const auto& finding : point.findings) counts.add(finding.verdict);
        // Each spectrum is shown by itself; of other captures those with figures, besides the table of all.
        // Of very many spectra only those with figures: the others are lines too.
        const bool drawn = figures.points.contains({placed.part, point.position});
        const bool each = figures_of(point) == Figures::each;
        const bool shown = each && point.kind == PointKind::point && all.size() <= 200;
        const bool passed = std::all_of(point.findings.begin(), point.findings.end(),
                                        [](const Finding& f) { return f.verdict == Verdict::pass; });
        const bool early = point.kind != PointKind::trial && lines_parted.firsts() < most_lines &&
                           (all.size() <= most_lines || !passed);
        if (summary && !drawn && !early && !first.contains(&point)) {
            ++unlisted;
            continue;
        }
        if (shown || drawn) {
            PageData section = point_values(runs, placed, figures);
            points << section;
            sections.add(std::move(section), first.contains(&point));
        }
        if (!shown && !(drawn && each)) {
            PageData line = row_values(runs, placed, drawn);
            rows << line;
            lines_parted.add(std::move(line), early);
            ++lines;
        }
    }
    const auto list = [](PageData& entries) {
        PageData out;
        out.set("rows", entries);
        return out;
    };
    data.set("first_points", sections.first());
    data.set("further_points", sections.further());
    data.set("first_list", list(lines_parted.first()));
    data.set("further_list", list(lines_parted.further()));
    data.set("has_unlisted", unlisted > 0);
    data.set("unlisted", std::to_string(unlisted));
    data.set("has_first_rows", lines_parted.firsts() > 0);
    data.set("has_further_rows", lines_parted.furthers() > 0);
    data.set("has_further", sections.furthers() + lines_parted.furthers() > 0);
    data.set("name", test.name);
    data.set("title", test.title);
    data.set("procedure", test.procedure);
    // Conclusions have no instrument, but tests that they are drawn from.
    data.set("instrument", test.origin.empty() ? test.instrument : test.origin);
    data.set("what", test.origin.empty() ? "measurements" : "conclusions");
    // How long the test took, and each of its steps.
    data.set("has_took", test.origin.empty() && seconds > 0);
    data.set("took", format({seconds, Unit::second}, 3));
    data.set("took_each",
             format({seconds / static_cast<double>(std::max<std::size_t>(1, captures)), Unit::second}, 3));
    data.set("note", test.note);
    data.set("has_note", !test.note.empty());
    data.set("done", std::to_string(captures));
    data.set("points", points);
    data.set("rows", rows);
    data.set("has_rows", lines > 0);
    set_counts(data, counts);
    const auto left_out = figures.left_out.find(test.name);
    data.set("has_left_out", left_out != figures.left_out.end());
    if (left_out != figures.left_out.end()) data.set("left_out", std::to_string(left_out->second));
    PageData sweep = page_list();
    if (const auto at = figures.sweeps.find(test.name); at != figures.sweeps.end()) {
        for (const auto& figure : at->second)
            sweep << figure_entry(figure, "Results of " + test.name + " over its sweep");
    }
    data.set("sweep", sweep);
    set_peaks(data, runs, test.name, figures);
    return data;
}

}  // namespace

PageData figure_entry(const DrawnFigure& figure, const std::string& alt) {
    PageData data;
    data.set("svg", figure.svg);
    data.set("values", figure.values);
    data.set("readable", !figure.values.empty());
    data.set("alt", alt);
    return data;
}

std::string result_words(const PointRecord& point) {
    std::string text;
    for (const auto& result : point.results)
        text += (text.empty() ? "" : "; ") + words(result.name) + " " + shown(result.value, 4);
    return text;
}

std::vector<JoinedTest> joined_tests(const PageRuns& runs) {
    std::vector<JoinedTest> out;
    std::map<std::string, std::size_t> places;
    for (std::size_t part = 0; part < runs.size(); ++part) {
        for (const auto& test : runs[part]->record().tests) {
            if (places.try_emplace(test.name, out.size()).second) out.push_back({&test, {}});
        }
        for (const auto& point : runs[part]->record().points) {
            const auto place = places.find(point.test);
            if (place != places.end()) out[place->second].points.push_back({part, &point});
        }
    }
    return out;
}

PageData test_values(const PageRuns& runs, const ReportFigures& figures) {
    PageData tests = page_list();
    const bool summary = summarised(runs);
    for (const auto& [test, points] : joined_tests(runs))
        tests << one_test(runs, *test, points, figures, summary);
    return tests;
}

}  // namespace rt::lab
