// The values of a report, as templates name them.
#pragma once

#include <kainjow/mustache.hpp>
#include <map>
#include <optional>
#include <string>
#include <vector>

#include "lab/report/report_figures.hpp"
#include "lab/tally/run_data.hpp"

namespace rt::lab {

struct OfficeParts;
using PageData = kainjow::mustache::data;
using PageRuns = std::vector<const RunData*>;

// Where a point stands on a page over one or several runs: "12", or "2-12" for number 12 of part 2.
std::string page_place(const PageRuns& runs, std::size_t part, std::size_t position);

struct PlacedPoint {
    std::size_t part = 0;
    const PointRecord* point = nullptr;
};
// Tests of one name are one test, measured in parts; in the order in which they first stand.
struct JoinedTest {
    const TestRecord* test = nullptr;
    std::vector<PlacedPoint> points;
};
std::vector<JoinedTest> joined_tests(const PageRuns& runs);

PageData page_list();
std::string page_time(const std::string& iso);  // "2026-05-31 14:05:09 UTC"
// A number with a true minus sign; a dash for none.
std::string page_number(std::optional<double> value, int decimals = 2);
// Value of a finding in its unit, without the unit's name where that has a column of its own.
std::string page_value(const Finding& finding, std::optional<double> value);
// x, width and class of a bar from the limit to the margin.
void set_margin_bar(PageData& data, const Finding& finding);

PageData finding_values(const PageRuns& runs, std::size_t part, const PointRecord& point,
                        const Finding& finding);
// A run of so many findings or points that a page of all of them would help nobody: it is reported as a
// summary.
bool summarised(const PageRuns& runs);
// Sets `findings`, those to read first first, and `findings_by_test`, the same under their tests, the test
// with the worst finding first. Of a summary only so many of them, and how many more there are. Sets
// `by_test` and `by_rule`: counts and least margin of each.
void set_findings(PageData& page, const PageRuns& runs);

// Each test with its figures, points and tables.
PageData test_values(const PageRuns& runs, const ReportFigures& figures);
PageData figure_entry(const DrawnFigure& figure, const std::string& alt);
// What a point came to: "level 40 dBm; loss 2 dB".
std::string result_words(const PointRecord& point);

// Each run: unit, conditions, equipment, events, what was set aside, inputs.
PageData part_values(const PageRuns& runs, const ReportFigures& figures);
// Rules that findings of any run cite, by id.
std::map<std::string, RuleRef> cited_rules(const PageRuns& runs);
PageData rule_values(const std::map<std::string, RuleRef>& rules);
PageData anomaly_values(const PageRuns& runs);

// The page as a whole.
PageData report_values(const PageRuns& runs, const ReportFigures& figures);
// What a template of the user's own makes: a text, HTML, or a document of an office program.
enum class TemplateKind { text, markup, office };
// `page`, and the values of each test by its name: test.NAME.RESULT ..., for users' own templates. Tables are
// written as the kind wants them; in office documents they and figures are marked places, filled by the
// parts.
PageData template_values(PageData page, const PageRuns& runs, const ReportFigures& figures,
                         TemplateKind kind);
OfficeParts office_parts(const PageRuns& runs, const ReportFigures& figures);

}  // namespace rt::lab
