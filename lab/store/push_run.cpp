#include "lab/store/push_run.hpp"

#include "lab/store/row_stream.hpp"
#include "lab/tally/point_reader.hpp"
#include "lab/tally/read_run.hpp"

namespace rt::lab {
namespace {

const std::vector<std::string> finding_columns{"run",     "position",    "rule",     "clause",
                                               "unit",    "limit_value", "value",    "margin",
                                               "verdict", "reason",      "judgement"};

void put_finding(RowStream& rows, long long run, std::size_t position, const Finding& f,
                 long long judgement) {
    rows.row(run, position, f.rule, f.clause, symbol(f.unit), f.limit, f.value, f.margin, name(f.verdict),
             f.reason, judgement);
}

void put_frame(pqxx::work& work, long long run, const RunRecord& record) {
    RowStream facts(work, "fact", {"run", "name", "value"});
    for (const auto& [name, value] : facts_of(record)) facts.row(run, name, value);
    facts.finish();
    RowStream files(work, "file", {"run", "path", "kind", "sha256"});
    for (const auto& f : record.files) files.row(run, f.file, f.kind, f.sha256);
    files.finish();
    RowStream instruments(work, "instrument",
                          {"run", "role", "name", "serial", "identity", "calibration_due"});
    for (const auto& i : record.instruments)
        instruments.row(run, i.role, i.name, i.serial, i.identity, i.calibration_due);
    instruments.finish();
    RowStream tests(work, "test", {"run", "name", "title", "procedure"});
    for (const auto& t : record.tests) tests.row(run, t.name, t.title, t.procedure);
    tests.finish();
    RowStream events(work, "event", {"run", "time", "kind", "text"});
    for (const auto& e : record.events) events.row(run, e.time, e.kind, e.text);
    events.finish();
}

void put_captures(pqxx::work& work, long long run, const std::vector<PointRecord>& points) {
    RowStream rows(work, "capture", {"run", "position", "role", "path", "kind", "sha256", "bytes"});
    const auto put = [&](std::size_t position, const char* role, const CaptureRecord& c) {
        if (!c.sha256.empty())
            rows.row(run, position, role, c.file, c.kind, c.sha256, static_cast<long long>(c.bytes));
    };
    for (const auto& p : points) {
        put(p.position, "capture", p.capture);
        for (const auto& input : p.inputs)
            if (input.capture.file != p.capture.file) put(p.position, "input", input.capture);
        for (const auto& attachment : p.attachments) put(p.position, "attachment", attachment);
    }
    rows.finish();
}

void put_points(pqxx::work& work, long long run, const std::vector<PointRecord>& points) {
    RowStream heads(work, "point",
                    {"run", "position", "id", "attempt", "kind", "standing", "test", "label", "started",
                     "ended", "capture", "sha256"});
    for (const auto& p : points) {
        heads.row(run, p.position, p.id, p.attempt, kind_names[static_cast<std::size_t>(p.kind)],
                  standing_names[static_cast<std::size_t>(p.standing)], p.test, p.label, p.started, p.ended,
                  p.capture.file, p.capture.sha256);
    }
    heads.finish();
    RowStream axes(work, "axis", {"run", "position", "name", "value"});
    for (const auto& p : points)
        for (const auto& [name, value] : p.axes) axes.row(run, p.position, name, value);
    axes.finish();
    RowStream results(work, "result", {"run", "position", "name", "value", "unit", "uncertainty"});
    for (const auto& p : points) {
        for (const auto& r : p.results)
            results.row(run, p.position, r.name, std::optional<double>(r.value.value), symbol(r.value.unit),
                        r.uncertainty);
    }
    results.finish();
    RowStream findings(work, "finding", finding_columns);
    for (const auto& p : points)
        for (const auto& f : p.findings) put_finding(findings, run, p.position, f, 0);
    findings.finish();
    put_captures(work, run, points);
}

}  // namespace

std::size_t put_rows(pqxx::work& work, long long run, const RunRecord& frame, Database& tally) {
    put_frame(work, run, frame);
    // One COPY at a time goes over a connection: rows are gathered and go table by table.
    constexpr std::size_t most_rows = 50'000;
    std::vector<PointRecord> gathered;
    std::size_t rows = 0, all = 0;
    PointReader points(tally);
    for (PointRecord point; points.next(point);) {
        rows += 1 + point.findings.size() + point.results.size() + point.axes.size();
        gathered.push_back(std::move(point));
        if (rows < most_rows) continue;
        put_points(work, run, gathered);
        gathered.clear(), all += rows, rows = 0;
    }
    put_points(work, run, gathered);
    return all + rows;
}

void put_findings(pqxx::work& work, long long run, long long judgement,
                  const std::vector<JudgedFinding>& findings) {
    RowStream rows(work, "finding", finding_columns);
    for (const auto& f : findings) put_finding(rows, run, f.position, f.finding, judgement);
    rows.finish();
}

}  // namespace rt::lab
