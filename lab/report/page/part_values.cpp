#include <algorithm>
#include <map>

#include "core/base/text.hpp"
#include "core/rules/uncertainty.hpp"
#include "lab/formats/files.hpp"
#include "lab/report/anomalies.hpp"
#include "lab/report/axes.hpp"
#include "lab/report/page/values.hpp"

namespace rt::lab {
namespace {

using Texts = std::initializer_list<std::pair<const char*, std::string>>;

PageData entry_of(Texts texts) {
    PageData entry;
    for (const auto& [name, text] : texts) entry.set(name, text);
    return entry;
}

PageData name_and_value(const std::string& name, const std::string& value) {
    return entry_of({{"name", name}, {"value", value}});
}

PageData pair_list(const RunHead::Texts& texts) {
    PageData out = page_list();
    for (const auto& [name, value] : texts) {
        if (!value.empty()) out << name_and_value(name, value);
    }
    return out;
}

// The unit's details, those that name it first.
PageData unit_list(const RunRecord& run) {
    PageData out = page_list();
    const std::vector<std::string> first{"maker", "model", "serial", "hardware", "firmware", "description"};
    const auto add = [&](const std::string& name) {
        const std::string value = run.head.detail(name);
        if (value.empty()) return;
        PageData entry = name_and_value(name, value);
        // Details that every unit has are named in the language of the page.
        const bool known = std::find(first.begin(), first.end(), name) != first.end();
        for (const auto& one : first) entry.set("is_" + one, known && one == name);
        entry.set("is_known", known);
        out << entry;
    };
    for (const auto& name : first) add(name);
    // What was filled in afterwards, or set by an answer.
    for (const auto& [name, value] : run.head.unit) {
        if (std::find(first.begin(), first.end(), name) == first.end()) add(name);
    }
    return out;
}

PageData equipment_list(const RunRecord& run) {
    PageData out = page_list();
    for (const auto& i : run.instruments) {
        out << entry_of({{"role", i.role},
                         {"name", i.name},
                         {"serial", i.serial.empty() ? "–" : i.serial},
                         {"identity", i.identity},
                         {"due", i.calibration_due.empty() ? "not stated" : i.calibration_due},
                         {"connected_to", i.connected_to.empty() ? "–" : i.connected_to}});
    }
    return out;
}

PageData calibration_list(const RunRecord& run) {
    PageData out = page_list();
    for (const auto& c : run.calibrations) {
        PageData entry =
            entry_of({{"name", c.name},
                      {"test", c.test},
                      {"taken", page_time(c.taken)},
                      {"valid_until", c.valid_until.empty() ? "end of the run" : page_time(c.valid_until)},
                      {"file", c.file.empty() ? "–" : c.file},
                      {"invalid", c.invalid}});
        entry.set("is_invalid", !c.invalid.empty());
        out << entry;
    }
    return out;
}

PageData set_aside_list(const RunRecord& run) {
    PageData out = page_list();
    for (const auto& point : run.superseded) {
        out << entry_of({{"number", std::to_string(point.position)},
                         {"test", point.test},
                         {"label", point.label},
                         {"results", result_words(point)},
                         {"reason", point.standing_reason}});
    }
    return out;
}

PageData event_list(const RunRecord& run) {
    PageData out = page_list();
    for (const auto& e : run.events) {
        out << entry_of({{"time", page_time(e.time)},
                         {"kind", e.kind},
                         {"text", e.text},
                         {"lasted", e.seconds > 0 ? duration_text(e.seconds) : ""}});
    }
    return out;
}

const char* decision_words(const RunRecord& run) {
    switch (run.head.decision) {
        case Decision::guarded:
            return "guarded: the limit is tightened by the expanded uncertainty";
        case Decision::cispr:
            return "CISPR rule: the limit is tightened by what the uncertainty exceeds the standard's own";
        case Decision::simple:
            break;
    }
    return "simple: the value against the limit, uncertainty stated beside it";
}

PageData one_part(const PageRuns& runs, std::size_t part, const ReportFigures& figures) {
    const RunRecord& run = runs[part]->record();
    PageData data;
    data.set("number", std::to_string(part + 1));
    data.set("folder", runs[part]->folder().filename().string());
    const RunHead& head = run.head;
    const std::pair<const char*, std::string> texts[] = {
        {"title", head.title},     {"customer", head.customer}, {"operator", head.operator_name},
        {"note", head.note},       {"bench", head.bench},       {"state", name(head.state)},
        {"profile", head.profile}, {"defaults", head.defaults}};
    for (const auto& [name, text] : texts) {
        data.set(name, text);
        data.set(std::string("has_") + name, !text.empty());
    }
    data.set("started", page_time(head.started));
    data.set("ended", page_time(head.ended));
    data.set("incomplete", !run.complete());
    data.set("software", head.version);
    data.set("seal", runs[part]->seal());
    const auto put = [&](const std::string& name, PageData list) {
        data.set("has_" + name, !list.is_empty_list());
        data.set(name, std::move(list));
    };
    put("details", unit_list(run));
    put("environment", pair_list(head.environment));
    put("budgets", pair_list(head.budgets));
    put("answers", pair_list(head.answers));
    data.set("decision_text", decision_words(run));
    data.set("decision_guarded", head.decision == Decision::guarded);
    data.set("decision_cispr", head.decision == Decision::cispr);
    data.set("decision_simple", head.decision == Decision::simple);
    put("equipment", equipment_list(run));
    put("calibrations", calibration_list(run));
    put("set_aside", set_aside_list(run));
    put("events", event_list(run));
    PageData watches = page_list(), files = page_list();
    for (const auto& figure : figures.watches[part])
        watches << figure_entry(figure, "Readings of a watch through the run");
    put("watches", std::move(watches));
    const auto diagram = runs[part]->folder() / "connections.svg";
    data.set("has_diagram", std::filesystem::exists(diagram));
    if (std::filesystem::exists(diagram)) data.set("diagram", base64(read_file(diagram)));
    for (const auto& f : run.files) files << entry_of({{"file", f.file}, {"sha256", f.sha256}});
    data.set("files", files);
    return data;
}

}  // namespace

PageData part_values(const PageRuns& runs, const ReportFigures& figures) {
    PageData out = page_list();
    for (std::size_t part = 0; part < runs.size(); ++part) out << one_part(runs, part, figures);
    return out;
}

std::map<std::string, RuleRef> cited_rules(const PageRuns& runs) {
    std::map<std::string, RuleRef> out;
    for (const RunData* run : runs) {
        for (const auto& ref : run->cited_rules()) out.emplace(ref.full_id(), ref);
    }
    return out;
}

PageData rule_values(const std::map<std::string, RuleRef>& cited) {
    PageData rules = page_list();
    for (const auto& [id, ref] : cited) {
        const Rule& rule = *ref.rule;
        PageData data;
        data.set("id", id);
        data.set("title", rule.title);
        data.set("standard", ref.book->standard);
        data.set("edition", ref.book->edition);
        data.set("clause", rule.clause);
        std::string conditions;
        const auto add = [&](const std::string& text) {
            conditions += (conditions.empty() ? "" : ", ") + text;
        };
        for (const auto& [name, value] : rule.conditions) add(name + " " + value);
        if (rule.detector) add(std::string(name(*rule.detector)) + " detector");
        if (rule.bandwidth) add("RBW " + format(*rule.bandwidth));
        data.set("conditions", conditions);
        data.set("basis", rule.basis);
        data.set("confidence", name(rule.confidence));
        data.set("unsure", rule.confidence != Confidence::sure);
        data.set("signed", rule.sign_off.has_value());
        if (rule.sign_off) {
            data.set("sign_off",
                     rule.sign_off->by + ", " + rule.sign_off->on + ", " + rule.sign_off->document);
        }
        data.set("lapsed", rule.lapsed_sign_off);
        data.set("has_lapsed", !rule.lapsed_sign_off.empty());
        rules << data;
    }
    return rules;
}

PageData anomaly_values(const PageRuns& runs) {
    PageData out = page_list();
    for (std::size_t part = 0; part < runs.size(); ++part) {
        for (const auto& a : anomalies_of(runs[part]->record())) {
            PageData entry;
            entry.set("place", page_place(runs, part, a.position));
            entry.set("has_point", a.position > 0);
            entry.set("test", a.test);
            entry.set("curve", a.curve + (a.curve.empty() || a.at.empty() ? "" : ", ") + a.at);
            entry.set("result", words(a.result));
            entry.set("kind", a.kind);
            entry.set("reason", a.reason);
            out << entry;
        }
    }
    return out;
}

}  // namespace rt::lab
