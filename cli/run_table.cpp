#include "cli/run_table.hpp"

#include <algorithm>
#include <set>

#include "core/base/text.hpp"
#include "core/quantity/quantity.hpp"
#include "lab/report/axes.hpp"

namespace rt::cli {
namespace {

constexpr std::size_t number_width = 5, verdict_width = 9, value_width = 12, limit_width = 13,
                      margin_width = 10;
constexpr std::size_t before_text =
    number_width + 2 + verdict_width + 1 + value_width + 1 + limit_width + 1 + margin_width + 2;

// What a search or an adjustment goes by stands in the line of its trials, else the first result.
const Result* shown_result(const PointRecord& point, const Test* test) {
    if (point.kind == PointKind::trial && test) {
        const Result* wanted = test->search   ? point.find_result(test->search->result)
                               : test->adjust ? point.find_result(test->adjust->result)
                                              : nullptr;
        if (wanted) return wanted;
    }
    return point.results.empty() ? nullptr : &point.results.front();
}

std::string result_text(const Result& result) {
    const auto [value, unit] = result.value;
    const std::string bound = result.known == Known::at_least  ? "≥ "
                              : result.known == Known::at_most ? "≤ "
                                                               : "";
    if (unit == Unit::count) return bound + decimal(value, 3);
    if (is_decibel(unit)) return bound + format_fixed(result.value, 2);
    return bound + format(result.value, unit == Unit::hertz ? 6 : 4);
}

const char* word_for(const PointRecord& point, const Test* test) {
    if (!point.invalid.empty()) return "not valid";
    switch (point.kind) {
        case PointKind::trial:
            return "trial";
        case PointKind::check:
            return "check";
        case PointKind::threshold:
        case PointKind::maximum:
            return "found";
        case PointKind::point:
            break;
    }
    return test && test->concludes ? "concluded" : "measured";
}

std::string rule_name(const std::string& id) {
    return id.substr(id.find('/') + 1);
}

}  // namespace

void RunTable::heading(const PointRecord& point) {
    if (test_ == point.test) return;
    test_ = point.test;
    result_.clear();
    const Test* test = plan_.campaign->find(point.test);
    std::set<std::string> rules;
    std::string title = point.test, about;
    if (test) {
        title = test->title.empty() ? test->name : test->title;
        about = test->name == title ? "" : test->name + "  ";
        about += test->procedure->name;
        for (const auto& judging : test->judgings) rules.insert(judging.rule.full_id());
    } else {
        about = "recheck";
    }
    std::set<std::string> books;
    for (const auto& rule : rules) books.insert(rule.substr(0, rule.find('/')));
    several_rules_ = rules.size() > 1, several_books_ = books.size() > 1;
    if (several_rules_ && !several_books_) about += "  rules of " + *books.begin();
    if (rules.size() == 1) about += "  " + *rules.begin();
    console_.out("");
    console_.out(console_.tinted(printable(title), Tone::strong));
    console_.out("  " + console_.tinted(printable(about), Tone::soft));
    const auto columns = padded("point", number_width) + "  " + filled("verdict", verdict_width) + " " +
                         padded("value", value_width) + " " + padded("limit", limit_width) + " " +
                         padded("margin", margin_width) + "  at";
    console_.out(console_.tinted(columns, Tone::soft));
}

void RunTable::print(const Row& row) const {
    const std::size_t width = console_.width();
    // Where little room is left, the text has lines of its own.
    constexpr std::size_t least_room = 20;
    const bool beside = width == 0 || width >= before_text + least_room;
    const std::size_t indent = beside ? before_text : number_width + 2;
    const auto text = wrapped(printable(row.text), width == 0 ? 0 : std::max(width - indent, least_room));
    const std::string head = padded(row.number, number_width) + "  " +
                             console_.tinted(filled(row.verdict, verdict_width), row.tone) + " " +
                             padded(row.value, value_width) + " " + padded(row.limit, limit_width) + " " +
                             padded(row.margin, margin_width);
    std::size_t first = 0;
    if (beside) {
        console_.out(text.front().empty() ? head : head + "  " + text.front());
        first = 1;
    } else {
        console_.out(head);
    }
    for (std::size_t i = first; i < text.size(); ++i) {
        if (!text[i].empty()) console_.out(std::string(indent, ' ') + text[i]);
    }
}

// Checks stand among the rows of the tests that they watch over.
void RunTable::reading(const PointRecord& point) {
    const bool check = point.kind == PointKind::check;
    if (!check) heading(point);
    const Test* test = plan_.campaign->find(point.test);
    const Result* result = shown_result(point, test);
    Row row;
    row.number = std::to_string(point.position);
    row.verdict = word_for(point, test);
    if (!point.invalid.empty()) row.tone = Tone::strong;
    if (check) row.text = point.test;
    if (point.label != "single point") row.text += (row.text.empty() ? "" : ", ") + point.label;
    for (const auto& recheck : plan_.campaign->rechecks) {
        if (check && recheck.test.name == point.test) result = point.find_result(recheck.result);
    }
    row.value = result ? result_text(*result) : "-";
    // Which result it is is said when it changes.
    if (result && (check || std::exchange(result_, result->name) != result->name))
        row.text += (row.text.empty() ? "" : ", ") + words(result->name);
    if (!point.invalid.empty()) row.text += (row.text.empty() ? "" : ": ") + point.invalid;
    print(row);
}

void RunTable::point(const PointRecord& point) {
    if (point.findings.empty()) return reading(point);
    heading(point);
    std::string label = point.label == "single point" ? "" : point.label;
    Row row;
    row.number = std::to_string(point.position);
    for (const auto& finding : point.findings) {
        row.verdict = name(finding.verdict);
        row.tone = tone_of(finding.verdict);
        row.value = value_text(finding), row.limit = limit_text(finding), row.margin = margin_text(finding);
        row.text = label;
        const auto add = [&](const std::string& more) { row.text += (row.text.empty() ? "" : ", ") + more; };
        if (finding.at) add("at " + place_text(finding));
        if (several_rules_ || finding.rule.starts_with("recheck"))
            add(several_books_ ? finding.rule : rule_name(finding.rule));
        if (!finding.margin && !finding.reason.empty())
            row.text += (row.text.empty() ? "" : ": ") + finding.reason;
        print(row);
        row.number.clear(), label.clear();  // one point, several findings
    }
}

void RunTable::event(const EventRecord& event) {
    std::string text = event.kind + ": " + printable(event.text) +
                       (event.seconds > 0 ? ", for " + duration_text(event.seconds) : "");
    // Whole in the tally and in the report.
    constexpr std::size_t most = 240;
    if (const auto lines = wrapped(text, most); !console_.verbose() && lines.size() > 1) {
        text = lines[0];
        // A table of hundreds of places is one word: as many of its places as fit.
        if (text.size() < most / 2) text += " " + lines[1].substr(0, lines[1].rfind(',', most - text.size()));
        text += " ...";
    }
    constexpr std::size_t indent = number_width + 2;
    const std::size_t width = console_.width();
    for (const auto& line : wrapped(text, width == 0 ? 0 : std::max<std::size_t>(width - indent, 20)))
        console_.progress(std::string(indent, ' ') + line);
}

void print_summary(const Console& console, const RunRecord& run) {
    struct Sum {
        VerdictCounts counts;
        const Finding* smallest = nullptr;
    };
    std::vector<std::pair<std::string, Sum>> tests;
    for (const auto& test : run.tests) tests.emplace_back(test.name, Sum{});
    for (const auto& point : run.points) {
        const auto at =
            std::find_if(tests.begin(), tests.end(), [&](const auto& t) { return t.first == point.test; });
        if (at == tests.end()) continue;
        for (const auto& finding : point.findings) {
            at->second.counts.add(finding.verdict);
            if (!at->second.smallest || reads_before(finding, *at->second.smallest))
                at->second.smallest = &finding;
        }
    }
    std::erase_if(tests, [](const auto& t) { return t.second.counts.total() == 0; });
    if (tests.size() < 2) return;
    std::size_t widest = 4;
    for (const auto& [test, sum] : tests) widest = std::max(widest, letters(test));
    widest = std::min<std::size_t>(widest, 30);
    console.out(console.tinted(filled("test", widest) + "  " + padded("PASS", 6) + padded("MARGINAL", 10) +
                                   padded("FAIL", 6) + padded("NONE", 6) + "  " + padded("margin", 11) +
                                   "  nearest to its limit",
                               Tone::soft));
    const auto cell = [&](std::size_t n, std::size_t width, Tone tone) {
        const std::string text = padded(n ? std::to_string(n) : "-", width);
        return n ? console.tinted(text, tone) : text;
    };
    for (const auto& [test, sum] : tests) {
        const VerdictCounts& c = sum.counts;
        const std::size_t before = widest + 2 + 28 + 2 + 11 + 2, width = console.width();
        const std::string rule =
            wrapped(printable(rule_name(sum.smallest->rule)), width > before ? width - before : 0).front();
        console.out(filled(printable(test), widest) + "  " + cell(c.pass, 6, Tone::good) +
                    cell(c.marginal, 10, Tone::warning) + cell(c.fail, 6, Tone::bad) +
                    cell(c.none, 6, Tone::strong) + "  " + padded(margin_text(*sum.smallest), 11) +
                    (sum.smallest->margin ? "  " + rule : ""));
    }
    console.out("");
}

}  // namespace rt::cli
