#include "lab/report/tables.hpp"
#include "lab/report/json_number.hpp"

#include <cmath>
#include <nlohmann/json.hpp>

#include "core/base/text.hpp"
#include "lab/formats/csv_table.hpp"
#include "lab/report/anomalies.hpp"
#include "lab/version.hpp"

namespace rt::lab {
namespace {

using Json = nlohmann::ordered_json;

constexpr int json_schema = 1;

void tag(Json& entry, const PointRecord* point) {
    if (!point) return;
    entry["test"] = point->test;
    entry["point"] = point->label;
    entry["id"] = point->id;
    entry["position"] = point->position;
    entry["attempt"] = point->attempt;
}

Json to_json(const Result& result, const PointRecord* point) {
    Json entry{{"name", result.name},
               {"value", json_number(result.value.value)},
               {"unit", symbol(result.value.unit)},
               {"uncertainty", json_number(result.uncertainty)}};
    if (result.known != Known::exactly) entry["known"] = name(result.known);
    tag(entry, point);
    return entry;
}

Json to_json(const Table& table) {
    Json entry{
        {"name", table.name}, {"title", table.title}, {"columns", Json::array()}, {"rows", Json::array()}};
    for (const auto& column : table.columns) {
        entry["columns"].push_back({{"name", column.name}, {"unit", symbol(column.unit)}});
    }
    for (const auto& row : table.rows) {
        Json cells = Json::array();
        for (const auto& cell : row) {
            if (const auto* text = std::get_if<std::string>(&cell)) {
                cells.push_back(*text);
            } else {
                cells.push_back(json_number(std::get<double>(cell)));
            }
        }
        entry["rows"].push_back(std::move(cells));
    }
    return entry;
}

Json to_json(const Finding& f, const PointRecord* point) {
    Json at = nullptr;
    if (f.at)
        at = Json{{"value", json_number(f.at->value)},
                  {"unit", symbol(f.at->unit)},
                  {"from", f.at_offset ? "carrier" : "zero"}};
    Json entry{{"rule", f.rule},
               {"title", f.title},
               {"clause", f.clause},
               {"limit", json_number(f.limit)},
               {"value", json_number(f.value)},
               {"unit", symbol(f.unit)},
               {"margin", json_number(f.margin)},
               {"margin_unit", symbol(f.margin_unit())},
               {"uncertainty", json_number(f.uncertainty)},
               {"guard", json_number(f.guard)},
               {"wrong_pass", json_number(f.wrong_pass)},
               {"verdict", name(f.verdict)},
               {"reason", f.reason},
               {"at", at},
               {"points_judged", f.points_judged},
               {"points_beyond", f.points_beyond},
               {"deviations", f.deviations}};
    tag(entry, point);
    return entry;
}

Json counts_json(const VerdictCounts& counts) {
    return {
        {"PASS", counts.pass}, {"MARGINAL", counts.marginal}, {"FAIL", counts.fail}, {"NONE", counts.none}};
}

Json head() {
    return {{"schema", json_schema}, {"version", version()}};
}

// Invalid UTF-8 from an instrument or a file must not break the document.
std::string text_of(const Json& json) {
    return json.dump(2, ' ', false, Json::error_handler_t::replace) + "\n";
}

// An object whose lists may be long: written member by member, as text_of() would.
class ObjectWriter {
  public:
    explicit ObjectWriter(const TakeText& take) : take_(take) {}

    void member(const std::string& name, const Json& value) {
        begin_member(name);
        take_(indented(value, "\n  "));
    }
    void begin_list(const std::string& name) {
        begin_member(name);
        take_("[");
        entries_ = 0;
    }
    void entry(const Json& value) {
        take_(entries_++ == 0 ? "\n    " : ",\n    ");
        take_(indented(value, "\n    "));
    }
    void end_list() { take_(entries_ > 0 ? "\n  ]" : "]"); }
    void end() { take_("\n}\n"); }

  private:
    void begin_member(const std::string& name) {
        take_(members_++ == 0 ? "{\n  " : ",\n  ");
        take_(Json(name).dump() + ": ");
    }
    static std::string indented(const Json& value, std::string_view line) {
        const std::string text = value.dump(2, ' ', false, Json::error_handler_t::replace);
        std::string out;
        out.reserve(2 * text.size());
        for (std::size_t at = 0; at < text.size();) {
            const std::size_t end = std::min(text.find('\n', at), text.size());
            out.append(text, at, end - at);
            if (end < text.size()) out += line;
            at = end + 1;
        }
        return out;
    }
    const TakeText& take_;
    std::size_t members_ = 0, entries_ = 0;
};

// Four decimals say all of a level; times and voltages need their own digits.
std::string cell(std::optional<double> value, Unit unit) {
    if (!value) return "";
    return is_decibel(unit) ? fixed(*value, 4) : exact(*value);
}

}  // namespace

void put_run_json(const RunRecord& run, const TakeText& take) {
    ObjectWriter out(take);
    const Json first = head();
    for (const auto& [name, value] : first.items()) out.member(name, value);
    out.member("run", facts_of(run));
    out.member("counts", counts_json(run.counts()));
    const auto each_point = [&](const char* name, const auto& put) {
        out.begin_list(name);
        for (const auto& point : run.points) put(point);
        out.end_list();
    };
    each_point("results", [&](const PointRecord& point) {
        for (const auto& result : point.results) out.entry(to_json(result, &point));
    });
    each_point("findings", [&](const PointRecord& point) {
        for (const auto& finding : point.findings) out.entry(to_json(finding, &point));
    });
    each_point("invalid", [&](const PointRecord& point) {
        if (!point.invalid.empty())
            out.entry(
                {{"test", point.test}, {"point", point.label}, {"id", point.id}, {"reason", point.invalid}});
    });
    each_point("notes", [&](const PointRecord& point) {
        for (const auto& note : point.notes) out.entry(point.test + ", " + point.label + ": " + note);
    });
    out.begin_list("events");
    for (const auto& e : run.events)
        out.entry({{"time", e.time}, {"kind", e.kind}, {"text", e.text}, {"seconds", e.seconds}});
    out.end_list();
    out.begin_list("calibrations");
    for (const auto& c : run.calibrations) {
        out.entry({{"name", c.name},
                   {"test", c.test},
                   {"taken", c.taken},
                   {"valid_until", c.valid_until},
                   {"file", c.file},
                   {"invalid", c.invalid}});
    }
    out.end_list();
    out.begin_list("anomalies");
    for (const auto& a : anomalies_of(run)) {
        Json entry{{"test", a.test}, {"result", a.result},  {"kind", a.kind},    {"curve", a.curve},
                   {"at", a.at},     {"position", nullptr}, {"reason", a.reason}};
        if (a.position > 0) entry["position"] = a.position;
        out.entry(entry);
    }
    out.end_list();
    out.member("superseded", run.superseded.size());
    out.end();
}

std::string run_json(const RunRecord& run) {
    std::string out;
    put_run_json(run, [&](std::string_view text) { out += text; });
    return out;
}

std::string point_json(const PointRecord& point) {
    Json json{{"test", point.test},         {"point", point.label},      {"id", point.id},
              {"position", point.position}, {"attempt", point.attempt},  {"axes", Json::object()},
              {"results", Json::array()},   {"findings", Json::array()}, {"invalid", nullptr},
              {"notes", point.notes}};
    for (const auto& [name, value] : point.axes) json["axes"][name] = value;
    for (const auto& result : point.results) json["results"].push_back(to_json(result, nullptr));
    for (const auto& finding : point.findings) json["findings"].push_back(to_json(finding, nullptr));
    if (!point.invalid.empty()) json["invalid"] = point.invalid;
    return json.dump(-1, ' ', false, Json::error_handler_t::replace);
}

std::string measurement_json(const Outcome& outcome, const std::vector<Finding>& findings,
                             const std::vector<std::string>& notes) {
    Json json = head();
    json["results"] = json["findings"] = Json::array();
    VerdictCounts counts;
    for (const auto& result : outcome.results) json["results"].push_back(to_json(result, nullptr));
    json["tables"] = Json::array();
    for (const auto& table : outcome.tables) json["tables"].push_back(to_json(table));
    for (const auto& finding : findings) {
        json["findings"].push_back(to_json(finding, nullptr));
        counts.add(finding.verdict);
    }
    json["counts"] = counts_json(counts);
    json["invalid"] = nullptr;
    if (outcome.invalid) json["invalid"] = *outcome.invalid;
    json["notes"] = notes;
    return text_of(json);
}

std::string traces_csv(const std::vector<Trace>& traces) {
    std::string out;
    for (const auto& trace : traces) {
        out += "# " + trace.name + ": x in " + symbol(trace.x_unit) + ", y in " + symbol(trace.y_unit) + "\n";
    }
    out += "trace,x,y\n";
    for (const auto& trace : traces) {
        for (std::size_t i = 0; i < trace.x.size(); ++i) {
            out += trace.name + "," + exact(trace.x[i]) + "," + exact(trace.y[i]) + "\n";
        }
    }
    return out;
}

void put_findings_csv(const RunRecord& run, const TakeText& take) {
    take(
        "position,test,point,rule,clause,verdict,value,limit,margin,unit,at,at_unit,at_from,reason,"
        "deviations,"
        "capture,capture_sha256\n");
    for (const auto& point : run.points) {
        for (const auto& f : point.findings) {
            std::string deviations;
            for (const auto& d : f.deviations) deviations += (deviations.empty() ? "" : "; ") + d;
            const std::string cells[] = {std::to_string(point.position),
                                         point.test,
                                         point.label,
                                         f.rule,
                                         f.clause,
                                         name(f.verdict),
                                         cell(f.value, f.unit),
                                         cell(f.limit, f.unit),
                                         cell(f.margin, f.margin_unit()),
                                         symbol(f.unit),
                                         f.at ? exact(f.at->value) : "",
                                         f.at ? symbol(f.at->unit) : "",
                                         f.at_offset ? "carrier" : "",
                                         f.reason,
                                         deviations,
                                         point.capture.file,
                                         point.capture.sha256};
            std::string row;
            for (std::size_t i = 0; i < std::size(cells); ++i) row += (i ? "," : "") + csv_cell(cells[i]);
            take(row + "\n");
        }
    }
}

std::string findings_csv(const RunRecord& run) {
    std::string out;
    put_findings_csv(run, [&](std::string_view text) { out += text; });
    return out;
}

}  // namespace rt::lab
