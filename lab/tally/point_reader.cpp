#include "lab/tally/point_reader.hpp"

#include <algorithm>
#include <iterator>
#include <optional>

#include "lab/tally/read_run.hpp"

namespace rt::lab {
namespace {

template <class Enum, std::size_t n>
Enum parse(const char* const (&names)[n], const std::string& text) {
    const auto at = std::find(std::begin(names), std::end(names), text);
    return static_cast<Enum>((at == std::end(names) ? std::begin(names) : at) - std::begin(names));
}

std::string heads_of(long long schema) {
    // Schema 3 had neither parents nor reasons of its own.
    return std::string(
               "SELECT position, id, test, label, started, ended, capture_path, capture_kind, "
               "capture_sha256, "
               "capture_bytes, attempt, kind, standing, standing_reason") +
           (schema >= 4 ? ", parent, invalid" : ", '', ''") + (schema >= 5 ? ", standing_cause" : ", ''") +
           " FROM point ORDER BY position";
}

PointRecord head_of(const Statement& row) {
    PointRecord p;
    p.position = static_cast<std::size_t>(row.whole(0));
    p.id = row.text(1), p.test = row.text(2), p.label = row.text(3);
    p.started = row.text(4), p.ended = row.text(5);
    p.capture = {row.text(6), row.text(7), row.text(8), static_cast<std::uint64_t>(row.whole(9))};
    p.attempt = static_cast<std::size_t>(row.whole(10));
    p.kind = parse<PointKind>(kind_names, row.text(11));
    p.standing = parse<Standing>(standing_names, row.text(12));
    p.standing_reason = row.text(13);
    p.parent = row.text(14), p.invalid = row.text(15);
    p.standing_cause = parse<Cause>(cause_names, row.text(16));
    return p;
}

Result result_of(const Statement& row) {
    return {row.text(1),
            {row.number(2).value_or(0), unit_of_symbol(row.text(3))},
            row.number(4),
            row.text(5) == "at least"  ? Known::at_least
            : row.text(5) == "at most" ? Known::at_most
                                       : Known::exactly};
}

Finding finding_of(const Statement& row) {
    Finding f;
    f.rule = row.text(1), f.title = row.text(2), f.clause = row.text(3);
    f.unit = unit_of_symbol(row.text(4));
    f.limit = row.number(5), f.value = row.number(6), f.margin = row.number(7);
    f.verdict = parse_verdict(row.text(8)).value_or(Verdict::none);
    f.reason = row.text(9);
    if (const auto at = row.number(10)) f.at = Quantity{*at, unit_of_symbol(row.text(11))};
    f.points_judged = static_cast<std::size_t>(row.whole(12));
    f.points_beyond = static_cast<std::size_t>(row.whole(13));
    f.at_offset = row.whole(14) != 0;
    f.uncertainty = row.number(15), f.guard = row.number(16);
    f.wrong_pass = row.number(17);
    return f;
}

// Before schema 4 the reason stood among the notes alone.
void take_older_reason(PointRecord& point) {
    constexpr std::string_view mark = "not valid: ";
    for (const auto& note : point.notes) {
        if (point.invalid.empty() && note.starts_with(mark)) point.invalid = note.substr(mark.size());
    }
}

// Before schema 5 who took a verdict away stood in the reason alone.
void take_older_cause(PointRecord& point) {
    if (point.standing == Standing::valid || point.standing_cause != Cause::none) return;
    point.standing_cause = point.standing_reason.starts_with("recheck ") ? Cause::recheck
                           : point.standing == Standing::voided          ? Cause::watch
                                                                         : Cause::again;
}

}  // namespace

// Rows of a table in the order of their points, the first column of each.
class PointRows {
  public:
    PointRows(Database& database, const std::string& sql)
        : database_(&database), statement_(database, sql.c_str()), there_(statement_.step()) {}

    // Those of a point, one after another.
    template <typename Take>
    void of(long long position, const Take& take) {
        for (; there_ && statement_.whole(0) <= position; there_ = statement_.step()) {
            if (statement_.whole(0) < position) fail_strayed();
            take(statement_);
        }
    }
    void require_end() const {
        if (there_) fail_strayed();
    }

  private:
    [[noreturn]] void fail_strayed() const {
        database_->fail_damaged("a row belongs to point " + statement_.text(0) + ", which is not there");
    }
    Database* database_;
    Statement statement_;
    bool there_;
};

struct PointReader::State {
    Database& database;
    long long schema;
    Statement heads;
    PointRows settings, results, findings;
    std::optional<PointRows> inputs;
    PointRows attachments, remarks;

    explicit State(Database& db)
        : database(db),
          schema(schema_of(db)),
          heads(db, heads_of(schema).c_str()),
          settings(db, "SELECT point, kind, name, value FROM setting ORDER BY point, kind, number"),
          results(db, std::string("SELECT point, name, value, unit, uncertainty") +
                          (schema >= 4 ? ", known" : ", ''") + " FROM result ORDER BY point, number"),
          findings(
              db,
              "SELECT point, rule, title, clause, unit, limit_value, value, margin, verdict, reason, "
              "at_value, "
              "at_unit, points_judged, points_beyond, at_offset, uncertainty, guard, wrong_pass FROM finding "
              "ORDER BY point, number"),
          attachments(db, "SELECT point, path, kind, sha256, bytes FROM attachment ORDER BY point, number"),
          remarks(db, "SELECT point, finding, text FROM remark ORDER BY point, finding, number") {
        if (schema >= 5)
            inputs.emplace(
                db,
                "SELECT point, name, source, path, kind, sha256, bytes FROM input ORDER BY point, number");
    }

    void read_rows(long long position, PointRecord& p) {
        settings.of(position, [&](const Statement& row) {
            auto& list = row.text(1) == "axis" ? p.axes : p.parameters;
            list.emplace_back(row.text(2), row.text(3));
            if (row.text(1) == "preset") p.defaults.insert(row.text(2));
        });
        // By name, whoever stated them.
        std::sort(p.parameters.begin(), p.parameters.end());
        results.of(position, [&](const Statement& row) { p.results.push_back(result_of(row)); });
        findings.of(position, [&](const Statement& row) { p.findings.push_back(finding_of(row)); });
        if (inputs) {
            inputs->of(position, [&](const Statement& row) {
                p.inputs.push_back(
                    {row.text(1),
                     row.text(2),
                     {row.text(3), row.text(4), row.text(5), static_cast<std::uint64_t>(row.whole(6))}});
            });
        }
        attachments.of(position, [&](const Statement& row) {
            p.attachments.push_back(
                {row.text(1), row.text(2), row.text(3), static_cast<std::uint64_t>(row.whole(4))});
        });
        remarks.of(position, [&](const Statement& row) {
            const auto finding = static_cast<std::size_t>(row.whole(1));
            if (finding > p.findings.size())
                database.fail_damaged("a remark belongs to a finding of point " + row.text(0) +
                                      " that is not there");
            (finding == 0 ? p.notes : p.findings[finding - 1].deviations).push_back(row.text(2));
        });
    }

    void require_end() const {
        for (const PointRows* rows : {&settings, &results, &findings, &attachments, &remarks})
            rows->require_end();
        if (inputs) inputs->require_end();
    }
};

PointReader::PointReader(Database& database) : state_(std::make_unique<State>(database)) {}
PointReader::~PointReader() = default;

bool PointReader::next(PointRecord& point) {
    if (!state_->heads.step()) {
        state_->require_end();
        return false;
    }
    point = head_of(state_->heads);
    state_->read_rows(static_cast<long long>(point.position), point);
    take_older_reason(point);
    take_older_cause(point);
    if (point.standing == Standing::voided) withdraw(point);
    return true;
}

}  // namespace rt::lab
