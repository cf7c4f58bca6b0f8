#include "lab/report/report.hpp"
#include "lab/report/anomalies.hpp"

#include <algorithm>
#include <kainjow/mustache.hpp>
#include <map>

#include "core/base/error.hpp"
#include "core/base/text.hpp"
#include "core/rules/uncertainty.hpp"
#include "lab/clock.hpp"
#include "lab/formats/files.hpp"
#include "lab/report/report_figures.hpp"
#include "lab/report/tables.hpp"
#include "lab/report/verdict_data.hpp"
#include "lab/tally/tally.hpp"
#include "report_template.hpp"

namespace rt {
namespace {

using Mustache = kainjow::mustache::mustache;
using Data = kainjow::mustache::data;

Data list() {
    return Data{Data::type::list};
}

// Numbers with a true minus sign, so that -3 does not look like a dash.
std::string shown(std::optional<double> value, int decimals = 2) {
    if (!value) return "–";
    std::string text = fixed(*value, decimals);
    if (text[0] == '-') text.replace(0, 1, "−");
    return text;
}

struct Row {
    const PointRecord* point;
    const Finding* finding;
};

std::vector<Row> sorted_findings(const RunRecord& run) {
    std::vector<Row> rows;
    for (const auto& point : run.points) {
        for (const auto& finding : point.findings) rows.push_back({&point, &finding});
    }
    std::stable_sort(rows.begin(), rows.end(),
                     [](const Row& a, const Row& b) { return reads_before(*a.finding, *b.finding); });
    return rows;
}

std::string value_text(const Finding& f, std::optional<double> value) {
    return is_decibel(f.unit) || !info(f.unit).prefixed ? shown(value)
           : value                                      ? format({*value, f.unit})
                                                        : "–";
}

Data finding_data(const Row& row) {
    const Finding& f = *row.finding;
    Data data = verdict_data(f.verdict);
    data.set("test", row.point->test);
    data.set("point", row.point->label);
    data.set("position", std::to_string(row.point->position));
    data.set("rule", f.rule);
    data.set("rule_title", f.title);
    data.set("clause", f.clause);
    data.set("value", value_text(f, f.value));
    data.set("limit", value_text(f, f.limit));
    data.set("margin", value_text(f, f.margin));
    // Values with a prefix carry their unit themselves.
    data.set("unit", info(f.unit).prefixed ? "" : pretty(f.unit));
    data.set("margin_unit", info(f.margin_unit()).prefixed ? "" : pretty(f.margin_unit()));
    data.set("at", f.at ? place_text(f) : "–");
    std::string reason = f.reason;
    if (f.wrong_pass) {
        reason += (reason.empty() ? "" : "; ") + std::string("beyond the limit in truth: ") +
                  format({100 * *f.wrong_pass, Unit::percent}, 2);
    }
    data.set("reason", reason);
    data.set("has_reason", !reason.empty());
    data.set("uncertainty", f.uncertainty ? "± " + value_text(f, f.uncertainty) : "");
    data.set("guard", f.guard && *f.guard > 0 ? value_text(f, f.guard) : "");
    data.set("guarded", f.guard && *f.guard > 0);
    // A bar from the limit to the margin: full at 12 dB, of other quantities at half the limit.
    const double span = is_decibel(f.unit) ? 12 : std::abs(f.limit.value_or(1)) / 2;
    const double part = f.margin && span > 0 ? std::clamp(*f.margin / span, -1.0, 1.0) : 0;
    data.set("has_bar", f.margin.has_value());
    data.set("bar_x", fixed(part < 0 ? 40 + 40 * part : 40.0, 1));
    data.set("bar_width", fixed(std::max(std::abs(part) * 40, 1.0), 1));
    Data deviations = list();
    for (const auto& text : f.deviations) deviations << Data{"text", text};
    data.set("deviations", deviations);
    data.set("changed", !f.deviations.empty());
    return data;
}

Data pair_list(const RunRecord& run, const std::string& prefix) {
    Data out = list();
    for (const auto& [name, value] : run.facts) {
        if (!name.starts_with(prefix) || value.empty()) continue;
        Data entry;
        entry.set("name", name.substr(prefix.size()));
        entry.set("value", value);
        out << entry;
    }
    return out;
}

// The unit's details, those that name it first.
Data unit_list(const RunRecord& run) {
    Data out = list();
    const std::vector<std::string> first{"maker", "model", "serial", "hardware", "firmware", "description"};
    const auto add = [&](const std::string& name) {
        const std::string value = run.fact("unit." + name);
        if (value.empty()) return;
        Data entry;
        entry.set("name", name);
        entry.set("value", value);
        out << entry;
    };
    for (const auto& name : first) add(name);
    // What was filled in afterwards, or set by an answer.
    for (const auto& [name, value] : run.facts) {
        const bool further =
            name.starts_with("unit.") && std::find(first.begin(), first.end(), name.substr(5)) == first.end();
        if (further) add(name.substr(5));
    }
    return out;
}

std::string readable_time(const std::string& iso) {
    return iso.size() < 19 ? iso : iso.substr(0, 10) + " " + iso.substr(11, 8) + " UTC";
}

// Pictures of the instrument's screen, as browsers show them.
Data pictures_of(const PointRecord& point, const std::filesystem::path& folder) {
    Data pictures = list();
    for (const auto& attachment : point.attachments) {
        const std::string ending = std::filesystem::path(attachment.file).extension().string();
        if (ending != ".png" && ending != ".bmp") continue;
        Data picture;
        picture.set("type", ending.substr(1));
        picture.set("data", base64(read_file(folder / attachment.file)));
        picture.set("file", attachment.file);
        pictures << picture;
    }
    return pictures;
}

Data point_data(const PointRecord& point, const ReportFigures& figures, const std::filesystem::path& folder) {
    Data data;
    data.set("label", point.label);
    data.set("position", std::to_string(point.position));
    data.set("started", readable_time(point.started));
    data.set("capture", point.capture.file);
    data.set("sha256", point.capture.sha256);
    Data findings = list(), results = list(), notes = list();
    for (const auto& finding : point.findings) findings << finding_data({&point, &finding});
    for (const auto& result : point.results) {
        Data entry;
        std::string words = result.name;
        std::replace(words.begin(), words.end(), '_', ' ');
        entry.set("name", words);
        entry.set("value", format(result.value));
        results << entry;
    }
    for (const auto& note : point.notes) notes << Data{"text", note};
    data.set("findings", findings);
    data.set("results", results);
    data.set("has_results", !point.results.empty());
    data.set("notes", notes);
    data.set("pictures", pictures_of(point, folder));
    data.set("again", point.attempt > 1);
    data.set("attempt", std::to_string(point.attempt));
    const auto svg = figures.svg.find(point.position);
    Data drawn{Data::type::list};
    if (svg != figures.svg.end()) {
        for (const auto& each : svg->second) drawn << Data{"svg", each};
    }
    data.set("figures", drawn);
    std::string alt = "Measured trace of " + point.test + ", " + point.label;
    for (const auto& f : point.findings) {
        alt += "; " + f.rule + ": " + name(f.verdict);
        if (f.margin) alt += ", margin " + margin_text(f);
    }
    data.set("alt", alt);
    return data;
}

std::string result_words(const PointRecord& point) {
    std::string text;
    for (const auto& result : point.results) {
        std::string words = result.name;
        std::replace(words.begin(), words.end(), '_', ' ');
        text += (text.empty() ? "" : "; ") + words + " " + format(result.value, 4);
    }
    return text;
}

// A line for points that are one number or a few.
Data row_data(const PointRecord& point) {
    Data data, findings = list();
    data.set("position", std::to_string(point.position));
    data.set("label", point.label);
    data.set("results", result_words(point));
    std::string notes = point.attempt > 1 ? "attempt " + std::to_string(point.attempt) : "";
    for (const auto& note : point.notes) notes += (notes.empty() ? "" : "; ") + note;
    data.set("notes", notes);
    data.set("capture", point.capture.file);
    for (const auto& finding : point.findings) findings << finding_data({&point, &finding});
    data.set("findings", findings);
    data.set("kind", point.kind == PointKind::trial       ? "trial"
                     : point.kind == PointKind::threshold ? "threshold"
                     : point.kind == PointKind::check     ? "check"
                                                          : "");
    return data;
}

Data test_data(const TestRecord& test, const std::vector<const PointRecord*>& all,
               const ReportFigures& figures, const std::filesystem::path& folder) {
    Data data, points = list(), rows = list();
    VerdictCounts counts;
    std::size_t captures = 0, lines = 0;
    for (const auto* point : all) {
        captures += point->kind != PointKind::threshold;
        for (const auto& finding : point->findings) counts.add(finding.verdict);
        // Each spectrum is shown by itself; of other captures those with figures, besides the table of all.
        const bool spectrum = point->capture.kind == "spectrum" && point->kind == PointKind::point;
        if (spectrum || figures.svg.contains(point->position)) points << point_data(*point, figures, folder);
        if (!spectrum) {
            rows << row_data(*point);
            ++lines;
        }
    }
    data.set("name", test.name);
    data.set("title", test.title);
    data.set("procedure", test.procedure);
    data.set("instrument", test.instrument);
    data.set("note", test.note);
    data.set("has_note", !test.note.empty());
    data.set("done", std::to_string(captures));
    data.set("points", points);
    data.set("rows", rows);
    data.set("has_rows", lines > 0);
    data.set("pass", std::to_string(counts.pass));
    data.set("marginal", std::to_string(counts.marginal));
    data.set("fail", std::to_string(counts.fail));
    data.set("none", std::to_string(counts.none));
    const auto left_out = figures.left_out.find(test.name);
    data.set("has_left_out", left_out != figures.left_out.end());
    if (left_out != figures.left_out.end()) data.set("left_out", std::to_string(left_out->second));
    const auto sweep = figures.sweeps.find(test.name);
    data.set("has_sweep", sweep != figures.sweeps.end());
    if (sweep != figures.sweeps.end()) data.set("sweep", sweep->second);
    return data;
}

Data tests_data(const RunRecord& run, const ReportFigures& figures, const std::filesystem::path& folder) {
    std::map<std::string, std::vector<const PointRecord*>> by_test;
    for (const auto& point : run.points) by_test[point.test].push_back(&point);
    Data tests = list();
    for (const auto& test : run.tests) tests << test_data(test, by_test[test.name], figures, folder);
    return tests;
}

Data rules_data(const RunData& run) {
    Data rules = list();
    for (const auto& [book, rule] : run.cited_rules()) {
        Data data;
        data.set("id", book->id + "/" + rule->id);
        data.set("title", rule->title);
        data.set("standard", book->standard);
        data.set("edition", book->edition);
        data.set("clause", rule->clause);
        std::string conditions;
        for (const auto& [name, value] : rule->conditions)
            conditions += (conditions.empty() ? "" : ", ") + name + " " + value;
        if (rule->detector)
            conditions += (conditions.empty() ? "" : ", ") + std::string(name(*rule->detector)) + " detector";
        if (rule->bandwidth)
            conditions += (conditions.empty() ? "" : ", ") + ("RBW " + format(*rule->bandwidth));
        data.set("conditions", conditions);
        data.set("basis", rule->basis);
        data.set("confidence", name(rule->confidence));
        data.set("unsure", rule->confidence != Confidence::sure);
        data.set("signed", rule->sign_off.has_value());
        if (rule->sign_off) {
            data.set("sign_off",
                     rule->sign_off->by + ", " + rule->sign_off->on + ", " + rule->sign_off->document);
        }
        rules << data;
    }
    return rules;
}

Data equipment_data(const RunRecord& run) {
    Data out = list();
    for (const auto& i : run.instruments) {
        Data data;
        data.set("role", i.role);
        data.set("name", i.name);
        data.set("serial", i.serial.empty() ? "–" : i.serial);
        data.set("identity", i.identity);
        data.set("due", i.calibration_due.empty() ? "not stated" : i.calibration_due);
        data.set("connected_to", i.connected_to.empty() ? "–" : i.connected_to);
        out << data;
    }
    return out;
}

std::string page(const RunData& data, const ReportFigures& figures) {
    const RunRecord& run = data.record();
    const VerdictCounts counts = run.counts();
    Data page;
    for (const char* name : {"title", "customer", "operator", "note", "bench", "version", "state"}) {
        page.set(name, run.fact(name));
        page.set(std::string("has_") + name, !run.fact(name).empty());
    }
    page.set("model", run.fact("unit.model"));
    page.set("serial", run.fact("unit.serial"));
    page.set("started", readable_time(run.fact("started")));
    page.set("ended", readable_time(run.fact("ended")));
    const bool complete = run.fact("state") == "complete";
    page.set("incomplete", !complete);
    page.set("overall", verdict_data(overall_verdict(run)));
    page.set("pass", std::to_string(counts.pass));
    page.set("marginal", std::to_string(counts.marginal));
    page.set("fail", std::to_string(counts.fail));
    page.set("none", std::to_string(counts.none));
    page.set("total", std::to_string(counts.total()));
    page.set("unit", unit_list(run));
    page.set("environment", pair_list(run, "environment."));
    const auto decision = parse_decision(run.fact("decision")).value_or(Decision::simple);
    Data budgets = pair_list(run, "budget.");
    page.set("has_budgets", !budgets.is_empty_list());
    page.set("budgets", budgets);
    page.set("decision_text", decision == Decision::guarded
                                  ? "guarded: the limit is tightened by the expanded uncertainty"
                              : decision == Decision::cispr
                                  ? "CISPR rule: the limit is tightened by what the uncertainty exceeds "
                                    "the standard's own"
                                  : "simple: the value against the limit, uncertainty stated beside it");
    Data answers = pair_list(run, "answer.");
    page.set("has_answers", !answers.is_empty_list());
    page.set("answers", answers);
    Data findings = list();
    bool changed = false;
    for (const auto& row : sorted_findings(run)) {
        findings << finding_data(row);
        changed = changed || !row.finding->deviations.empty();
    }
    page.set("changed", changed);
    page.set("findings", findings);
    page.set("tests", tests_data(run, figures, data.folder()));
    page.set("rules", rules_data(data));
    page.set("equipment", equipment_data(run));
    Data events = list(), files = list();
    for (const auto& e : run.events) {
        Data entry;
        entry.set("time", readable_time(e.time));
        entry.set("kind", e.kind);
        entry.set("text", e.text);
        entry.set("lasted", e.seconds > 0 ? duration_text(e.seconds) : "");
        events << entry;
    }
    Data calibrations = list(), set_aside = list(), watches = list();
    for (const auto& c : run.calibrations) {
        Data entry;
        entry.set("name", c.name);
        entry.set("test", c.test);
        entry.set("taken", readable_time(c.taken));
        entry.set("valid_until", c.valid_until.empty() ? "end of the run" : readable_time(c.valid_until));
        entry.set("file", c.file.empty() ? "–" : c.file);
        entry.set("invalid", c.invalid);
        calibrations << entry;
    }
    for (const auto& point : run.superseded) {
        Data entry;
        entry.set("position", std::to_string(point.position));
        entry.set("test", point.test);
        entry.set("label", point.label);
        entry.set("results", result_words(point));
        entry.set("reason", point.standing_reason);
        set_aside << entry;
    }
    for (const auto& svg : figures.watches) watches << Data{"svg", svg};
    page.set("calibrations", calibrations);
    page.set("has_calibrations", !run.calibrations.empty());
    page.set("set_aside", set_aside);
    page.set("has_set_aside", !run.superseded.empty());
    page.set("watches", watches);
    page.set("has_watches", !figures.watches.empty());
    const auto diagram = data.folder() / "connections.svg";
    page.set("has_diagram", std::filesystem::exists(diagram));
    if (std::filesystem::exists(diagram)) page.set("diagram", base64(read_file(diagram)));
    for (const auto& f : run.files) {
        Data entry;
        entry.set("file", f.file);
        entry.set("sha256", f.sha256);
        files << entry;
    }
    Data anomalies = list();
    for (const auto& a : anomalies_of(run)) {
        Data entry;
        entry.set("position", std::to_string(a.position));
        entry.set("has_point", a.position > 0);
        entry.set("test", a.test);
        entry.set("curve", a.curve + (a.curve.empty() || a.at.empty() ? "" : ", ") + a.at);
        std::string result = a.result;
        std::replace(result.begin(), result.end(), '_', ' ');
        entry.set("result", result);
        entry.set("kind", a.kind);
        entry.set("reason", a.reason);
        anomalies << entry;
    }
    page.set("has_anomalies", !anomalies.is_empty_list());
    page.set("anomalies", anomalies);
    page.set("events", events);
    page.set("has_events", !run.events.empty());
    page.set("files", files);
    page.set("made", readable_time(utc_now()));
    Mustache mustache{std::string(report_template)};
    if (!mustache.is_valid()) throw Error(ErrorKind::internal, "report template", mustache.error_message());
    return mustache.render(page);
}

}  // namespace

std::vector<std::filesystem::path> write_report(const RunData& run, const std::filesystem::path& folder,
                                                const ReportOptions& options) {
    make_folder(folder);
    const ReportFigures figures = draw_figures(run, folder, options.figures_per_test);
    const std::filesystem::path html = folder / "report.html", csv = folder / "results.csv",
                                json = folder / "results.json";
    write_file(html, page(run, figures));
    write_file(csv, findings_csv(run.record()));
    write_file(json, run_json(run.record()));
    std::vector<std::filesystem::path> written{html, csv, json};
    written.insert(written.end(), figures.files.begin(), figures.files.end());
    return written;
}

}  // namespace rt
