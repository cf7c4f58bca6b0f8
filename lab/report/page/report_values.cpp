#include <algorithm>
#include <set>

#include "core/base/text.hpp"
#include "lab/clock.hpp"
#include "lab/formats/files.hpp"
#include "lab/report/page/values.hpp"
#include "lab/report/tables.hpp"
#include "lab/report/verdict_data.hpp"
#include "lab/version.hpp"

namespace rt::lab {
namespace {

Verdict overall_of(const PageRuns& runs) {
    // In the order in which a reader must hear of them.
    Verdict out = Verdict::pass;
    for (const Verdict worse : {Verdict::marginal, Verdict::none, Verdict::fail}) {
        for (const RunData* run : runs) {
            if (overall_verdict(run->record()) == worse) out = worse;
        }
    }
    return out;
}

PageData lines_of(const std::string& text) {
    PageData out = page_list();
    if (text.empty()) return out;
    for (const auto& line : split(std::string_view(text), '\n')) out << PageData{"text", std::string(line)};
    return out;
}

// What the campaign's [report] says, and its logo.
void put_head(PageData& page, const RunData& run) {
    const RunRecord& record = run.record();
    const auto fact = [&](const char* name) {
        const auto at = record.head.report.find(name);
        return at == record.head.report.end() ? std::string() : at->second;
    };
    for (const char* name : {"company", "contact", "accreditation", "introduction", "closing"}) {
        page.set(name, fact(name));
        page.set(std::string("has_") + name, !fact(name).empty());
    }
    page.set("own_heading", !fact("heading").empty());
    page.set("heading", fact("heading").empty() ? "Test report" : fact("heading"));
    page.set("address", lines_of(fact("address")));
    page.set("signatures", lines_of(fact("signatures")));
    page.set("has_signatures", !fact("signatures").empty());
    bool logo = false;
    for (const auto& file : record.files) {
        if (file.kind != "logo") continue;
        page.set("logo_type", file.file.ends_with(".png") ? "png" : "svg+xml");
        page.set("logo", base64(read_file(run.folder() / file.file)));
        logo = true;
    }
    page.set("has_logo", logo);
    page.set("has_letterhead", logo || !fact("company").empty());
}

// The units of all parts, each once: "Skerry-2, serial 0007".
std::set<std::string> units_of(const PageRuns& runs) {
    std::set<std::string> out;
    for (const RunData* run : runs)
        out.insert(run->record().head.detail("model") + ", serial " + run->record().head.detail("serial"));
    return out;
}

}  // namespace

PageData report_values(const PageRuns& runs, const ReportFigures& figures) {
    const RunRecord& first = runs.front()->record();
    PageData page;
    put_head(page, *runs.front());
    const RunHead& head = first.head;
    const std::pair<const char*, std::string> texts[] = {
        {"title", head.title}, {"customer", head.customer}, {"operator", head.operator_name}};
    for (const auto& [name, text] : texts) {
        page.set(name, text);
        page.set(std::string("has_") + name, !text.empty());
    }
    page.set("has_version", true);
    page.set("version", version());
    page.set("model", head.detail("model"));
    page.set("serial", head.detail("serial"));
    page.set("started", page_time(head.started));
    page.set("ended", page_time(runs.back()->record().head.ended));
    page.set("made", page_time(utc_now()));
    const auto units = units_of(runs);
    page.set("several_units", units.size() > 1);
    std::string named;
    for (const auto& unit : units) named += (named.empty() ? "" : "; ") + unit;
    page.set("units", named);
    page.set("several_parts", runs.size() > 1);
    page.set("part_count", std::to_string(runs.size()));
    VerdictCounts counts;
    bool changed = false, incomplete = false;
    for (const RunData* run : runs) {
        counts.add(run->record().counts());
        incomplete = incomplete || !run->record().complete();
        for (const auto& point : run->record().points) {
            for (const auto& finding : point.findings) changed = changed || !finding.deviations.empty();
        }
    }
    page.set("incomplete", incomplete);
    page.set("was_altered", std::any_of(runs.begin(), runs.end(),
                                        [](const RunData* run) { return !run->altered().empty(); }));
    page.set("state", name(head.state));
    page.set("run_folder", runs.front()->folder().string());
    page.set("overall", verdict_data(overall_of(runs)));
    set_counts(page, counts);
    page.set("total", std::to_string(counts.total()));
    page.set("changed", changed);
    set_findings(page, runs);
    page.set("tests", test_values(runs, figures));
    const auto rules = cited_rules(runs);
    page.set("rules", rule_values(rules));
    const bool all_signed = std::all_of(rules.begin(), rules.end(), [](const auto& cited) {
        return cited.second.rule->sign_off.has_value();
    });
    page.set("unsigned_rules", !all_signed);
    PageData anomalies = anomaly_values(runs);
    page.set("has_anomalies", !anomalies.is_empty_list());
    page.set("anomalies", std::move(anomalies));
    page.set("parts", part_values(runs, figures));
    page.set("appendix", true);
    page.set("has_further_tests", true);
    return page;
}

}  // namespace rt::lab
