#include <algorithm>
#include <cmath>
#include <map>
#include <span>

#include "core/base/text.hpp"
#include "lab/report/page/values.hpp"
#include "lab/report/verdict_data.hpp"

namespace rt::lab {
namespace {

// With a true minus sign, so that -3 does not look like a dash.
std::string with_minus(std::string text) {
    if (text.starts_with('-')) text.replace(0, 1, "−");
    return text;
}

struct PlacedFinding {
    std::size_t part = 0;
    const PointRecord* point = nullptr;
    const Finding* finding = nullptr;
};

std::vector<PlacedFinding> sorted_findings(const PageRuns& runs) {
    std::vector<PlacedFinding> rows;
    for (std::size_t part = 0; part < runs.size(); ++part) {
        for (const auto& point : runs[part]->record().points) {
            for (const auto& finding : point.findings) rows.push_back({part, &point, &finding});
        }
    }
    std::stable_sort(rows.begin(), rows.end(), [](const PlacedFinding& a, const PlacedFinding& b) {
        return reads_before(*a.finding, *b.finding);
    });
    return rows;
}

struct Summary {
    VerdictCounts counts;
    const Finding* worst = nullptr;
    std::string place;  // of the worst
    std::string title, clause;
};

void take(Summary& summary, const PlacedFinding& row, const PageRuns& runs) {
    summary.counts.add(row.finding->verdict);
    // Rows come with those to read first first; margins count where there is one.
    if (!summary.worst || (!summary.worst->margin && row.finding->margin)) {
        summary.worst = row.finding;
        summary.place = page_place(runs, row.part, row.point->position);
    }
}

PageData summary_data(const std::string& name, const Summary& s) {
    PageData data = verdict_data(s.counts.worst());
    data.set("name", name);
    data.set("title", s.title);
    data.set("clause", s.clause);
    data.set("judged", s.counts.total() > 0);
    set_counts(data, s.counts);
    const bool margin = s.worst && s.worst->margin;
    data.set("has_margin", margin);
    data.set("place", s.place);
    data.set("margin", margin ? with_minus(margin_text(*s.worst)) : "–");
    if (s.worst) set_margin_bar(data, *s.worst);
    return data;
}

}  // namespace

std::string page_place(const PageRuns& runs, std::size_t part, std::size_t position) {
    return (runs.size() > 1 ? std::to_string(part + 1) + "-" : "") + std::to_string(position);
}

PageData page_list() {
    return PageData{PageData::type::list};
}

std::string page_time(const std::string& iso) {
    return iso.size() < 19 ? iso : iso.substr(0, 10) + " " + iso.substr(11, 8) + " UTC";
}

std::string page_number(std::optional<double> value, int decimals) {
    return value ? with_minus(fixed(*value, decimals)) : "–";
}

std::string page_value(const Finding& f, std::optional<double> value) {
    // Of small plain numbers, such as vector differences, two decimals would leave nothing.
    const bool plain = f.unit == Unit::none && value && std::abs(*value) < 1;
    if (plain) return with_minus(format({*value, f.unit}, 3));
    if (!value) return "–";
    if (f.unit == Unit::count && *value == std::round(*value)) return page_number(value, 0);
    return is_decibel(f.unit) || !info(f.unit).prefixed ? page_number(value)
                                                        : with_minus(format({*value, f.unit}, digits_of(f)));
}

void set_margin_bar(PageData& data, const Finding& f) {
    // Full at 12 dB, of other quantities at half the limit.
    const double span = is_decibel(f.unit) ? 12 : std::abs(f.limit.value_or(1)) / 2;
    const double part = f.margin && span > 0 ? std::clamp(*f.margin / span, -1.0, 1.0) : 0;
    data.set("has_bar", f.margin.has_value());
    data.set("bar_x", fixed(part < 0 ? 40 + 40 * part : 40.0, 1));
    data.set("bar_width", fixed(std::max(std::abs(part) * 40, 1.0), 1));
}

PageData finding_values(const PageRuns& runs, std::size_t part, const PointRecord& point, const Finding& f) {
    PageData data = verdict_data(f.verdict);
    for (const Verdict each : {Verdict::pass, Verdict::marginal, Verdict::fail, Verdict::none})
        data.set(std::string("verdict_is_") + lower(name(each)), f.verdict == each);
    data.set("test", point.test);
    data.set("point", point.label);
    data.set("place", page_place(runs, part, point.position));
    data.set("rule", f.rule);
    data.set("rule_title", f.title);
    data.set("clause", f.clause);
    data.set("value", page_value(f, f.value));
    data.set("limit", page_value(f, f.limit));
    data.set("margin", page_value(f, f.margin));
    // Values with a prefix carry their unit themselves.
    data.set("unit", info(f.unit).prefixed ? "" : pretty(f.unit));
    data.set("margin_unit", info(f.margin_unit()).prefixed ? "" : pretty(f.margin_unit()));
    data.set("at", f.at ? place_text(f) : "–");
    std::string reason = f.reason;
    if (f.wrong_pass) {
        // Smaller ones rest on tails that no budget knows.
        constexpr double least = 1e-4;
        reason += (reason.empty() ? "" : "; ") + std::string("chance of being beyond the limit: ") +
                  (*f.wrong_pass < least ? "below " : "") +
                  format({100 * std::max(least, *f.wrong_pass), Unit::percent}, 2);
    }
    data.set("reason", reason);
    data.set("has_reason", !reason.empty());
    data.set("uncertainty", f.uncertainty ? "± " + page_value(f, f.uncertainty) : "");
    data.set("has_uncertainty", f.uncertainty.has_value());
    data.set("guard", f.guard && *f.guard > 0 ? page_value(f, f.guard) : "");
    data.set("guarded", f.guard && *f.guard > 0);
    set_margin_bar(data, f);
    PageData deviations = page_list();
    for (const auto& text : f.deviations) deviations << PageData{"text", text};
    data.set("deviations", deviations);
    data.set("changed", !f.deviations.empty());
    return data;
}

namespace {

PageData test_summary(const std::vector<PlacedFinding>& sorted, const PageRuns& runs) {
    std::vector<std::string> order;
    std::map<std::string, Summary> by_test;
    for (const RunData* run : runs) {
        for (const auto& test : run->record().tests) {
            const auto [at, fresh] = by_test.try_emplace(test.name);
            if (fresh) order.push_back(test.name);
            at->second.title = test.title;
        }
    }
    for (const auto& row : sorted) take(by_test[row.point->test], row, runs);
    PageData out = page_list();
    for (const auto& name : order) out << summary_data(name, by_test[name]);
    return out;
}

// Titles end in what they hold for, behind commas: what two have in common, from the beginning.
std::string common_title(const std::string& a, const std::string& b) {
    std::size_t end = 0;
    for (std::size_t k = 0;; ++k) {
        const bool ends_a = k == a.size() || a.compare(k, 2, ", ") == 0;
        const bool ends_b = k == b.size() || b.compare(k, 2, ", ") == 0;
        if (ends_a && ends_b) end = k;
        if (k == a.size() || k == b.size() || a[k] != b[k]) break;
    }
    return end > 0 ? a.substr(0, end) : a;
}

PageData rule_summary(const std::vector<PlacedFinding>& sorted, const PageRuns& runs) {
    std::map<std::string, Summary> by_rule;
    for (const auto& row : sorted) {
        const auto [at, fresh] = by_rule.try_emplace(row.finding->rule);
        Summary& summary = at->second;
        summary.title = fresh ? row.finding->title : common_title(summary.title, row.finding->title);
        summary.clause = row.finding->clause;
        take(summary, row, runs);
    }
    PageData out = page_list();
    for (const auto& [name, summary] : by_rule) out << summary_data(name, summary);
    return out;
}

}  // namespace

bool summarised(const PageRuns& runs) {
    constexpr std::size_t most_findings = 10'000, most_points = 20'000;
    std::size_t findings = 0, points = 0;
    for (const RunData* run : runs) {
        points += run->record().points.size();
        for (const auto& point : run->record().points) findings += point.findings.size();
    }
    return findings > most_findings || points > most_points;
}

void set_findings(PageData& page, const PageRuns& runs) {
    constexpr std::size_t most_of_summary = 2'000;
    PageData all = page_list();
    std::map<std::string, std::string> titles;
    for (const RunData* run : runs) {
        for (const auto& test : run->record().tests)
            titles[test.name] = test.title.empty() ? test.name : test.title;
    }
    std::vector<std::pair<std::string, PageData>> groups;
    const auto sorted = sorted_findings(runs);
    const std::size_t listed = summarised(runs) ? std::min(most_of_summary, sorted.size()) : sorted.size();
    VerdictCounts left_out;
    for (std::size_t i = listed; i < sorted.size(); ++i) left_out.add(sorted[i].finding->verdict);
    PageData unlisted;
    set_counts(unlisted, left_out);
    unlisted.set("total", std::to_string(left_out.total()));
    PageData further = page_list();
    if (left_out.total() > 0) further << unlisted;
    page.set("further_findings", further);
    for (const auto& row : std::span(sorted).first(listed)) {
        const auto same = [&](const auto& group) { return group.first == row.point->test; };
        auto at = std::find_if(groups.begin(), groups.end(), same);
        if (at == groups.end()) at = groups.insert(groups.end(), {row.point->test, page_list()});
        const PageData values = finding_values(runs, row.part, *row.point, *row.finding);
        all << values;
        at->second << values;
    }
    PageData out = page_list();
    for (auto& [test, findings] : groups) {
        PageData group;
        group.set("name", test);
        group.set("title", titles[test]);
        group.set("findings", findings);
        out << group;
    }
    page.set("findings", all);
    page.set("findings_by_test", out);
    page.set("by_test", test_summary(sorted, runs));
    page.set("by_rule", rule_summary(sorted, runs));
}

}  // namespace rt::lab
