#include "lab/store/shared_store.hpp"

#include <cmath>
#include <optional>
#include <pqxx/pqxx>
#include <pqxx/stream_to>

#include "core/base/error.hpp"
#include "core/base/text.hpp"
#include "lab/formats/files.hpp"
#include "lab/report/plain_text.hpp"
#include "lab/store/shared_schema.hpp"
#include "lab/tally/read_run.hpp"
#include "lab/tally/tally.hpp"

namespace rt::lab {
namespace {

// What the database says, in one line.
std::string one_line(const char* what) {
    std::string out;
    for (const char c : std::string(what)) out += c == '\n' || c == '\t' ? ' ' : c;
    while (!out.empty() && out.back() == ' ') out.pop_back();
    return out;
}

// Runs `work`; what the database reports becomes our error.
template <typename Work>
auto reported(const Work& work) {
    try {
        return work();
    } catch (const pqxx::failure& error) {
        throw Error(ErrorKind::output, "shared store", one_line(error.what()));
    }
}

std::optional<double> finite(std::optional<double> value) {
    return value && std::isfinite(*value) ? value : std::nullopt;
}

// The same run, whatever was added to it since: what it began with.
std::string identity_of(const RunData& run) {
    std::string first;
    Tally::look_at(run.folder(), [&](Database& database) {
        Statement begin(database, "SELECT hash FROM chain ORDER BY number LIMIT 1");
        if (begin.step()) first = begin.text(0);
    });
    return sha256(first + "\n" + run.record().head.started);
}

// Rows of one table by COPY: the quick way in.
class RowStream {
  public:
    RowStream(pqxx::work& work, const char* table, const std::vector<std::string>& columns)
        : stream_(work, table, columns) {}
    ~RowStream() = default;
    template <typename... Values>
    void row(const Values&... values) {
        stream_ << std::make_tuple(field(values)...);
    }
    void finish() { stream_.complete(); }

  private:
    static std::string field(const std::string& text) { return plain_text(text); }
    static std::string field(const char* text) { return text; }
    static long long field(std::size_t value) { return static_cast<long long>(value); }
    static long long field(long long value) { return value; }
    static std::optional<std::string> field(const std::optional<double>& value) {
        return finite(value) ? std::optional<std::string>(exact(*value)) : std::nullopt;
    }
    pqxx::stream_to stream_;
};

void put_points(pqxx::work& work, long long number, const std::vector<const PointRecord*>& points) {
    RowStream rows(work, "point",
                   {"run", "position", "id", "attempt", "kind", "standing", "test", "label", "started",
                    "ended", "capture", "sha256"});
    for (const PointRecord* p : points) {
        rows.row(number, p->position, p->id, p->attempt, kind_names[static_cast<std::size_t>(p->kind)],
                 standing_names[static_cast<std::size_t>(p->standing)], p->test, p->label, p->started,
                 p->ended, p->capture.file, p->capture.sha256);
    }
    rows.finish();
}

void put_axes(pqxx::work& work, long long number, const std::vector<const PointRecord*>& points) {
    RowStream rows(work, "axis", {"run", "position", "name", "value"});
    for (const PointRecord* p : points) {
        for (const auto& [name, value] : p->axes) rows.row(number, p->position, name, value);
    }
    rows.finish();
}

void put_results(pqxx::work& work, long long number, const std::vector<const PointRecord*>& points) {
    RowStream rows(work, "result", {"run", "position", "name", "value", "unit", "uncertainty"});
    for (const PointRecord* p : points) {
        for (const auto& r : p->results)
            rows.row(number, p->position, r.name, std::optional<double>(r.value.value), symbol(r.value.unit),
                     r.uncertainty);
    }
    rows.finish();
}

void put_findings(pqxx::work& work, long long number, const std::vector<const PointRecord*>& points) {
    RowStream rows(
        work, "finding",
        {"run", "position", "rule", "clause", "unit", "limit_value", "value", "margin", "verdict", "reason"});
    for (const PointRecord* p : points) {
        for (const auto& f : p->findings)
            rows.row(number, p->position, f.rule, f.clause, symbol(f.unit), f.limit, f.value, f.margin,
                     name(f.verdict), f.reason);
    }
    rows.finish();
}

void put_rest(pqxx::work& work, long long number, const RunRecord& record) {
    RowStream facts(work, "fact", {"run", "name", "value"});
    for (const auto& [name, value] : facts_of(record)) facts.row(number, name, value);
    facts.finish();
    RowStream files(work, "file", {"run", "path", "kind", "sha256"});
    for (const auto& f : record.files) files.row(number, f.file, f.kind, f.sha256);
    files.finish();
    RowStream instruments(work, "instrument",
                          {"run", "role", "name", "serial", "identity", "calibration_due"});
    for (const auto& i : record.instruments)
        instruments.row(number, i.role, i.name, i.serial, i.identity, i.calibration_due);
    instruments.finish();
    RowStream tests(work, "test", {"run", "name", "title", "procedure"});
    for (const auto& t : record.tests) tests.row(number, t.name, t.title, t.procedure);
    tests.finish();
    RowStream events(work, "event", {"run", "time", "kind", "text"});
    for (const auto& e : record.events) events.row(number, e.time, e.kind, e.text);
    events.finish();
}

}  // namespace

struct SharedStore::State {
    pqxx::connection connection;
};

SharedStore::SharedStore(const std::string& address) {
    try {
        state_.reset(new State{pqxx::connection(address)});
    } catch (const pqxx::failure& error) {
        throw Error(ErrorKind::bench, "shared store", "cannot be reached: " + one_line(error.what()));
    } catch (const std::exception& error) {
        fail_input("--store: " + one_line(error.what()) +
                   ": write an address such as postgresql://lab@store.example/tally");
    }
    reported([&] {
        pqxx::work work(state_->connection);
        // Two benches that begin at once make the tables once.
        work.exec("SELECT pg_advisory_xact_lock(1918989417)");
        work.exec("SET client_min_messages TO warning");
        work.exec(store_tables);
        const auto version = work.exec("SELECT version FROM store");
        if (version.empty()) {
            work.exec_params("INSERT INTO store VALUES ($1)", store_schema);
        } else if (version[0][0].as<int>() != store_schema) {
            fail_input("the shared store has schema " + std::string(version[0][0].c_str()) +
                       ", this program knows " + std::to_string(store_schema));
        }
        work.commit();
    });
}

SharedStore::~SharedStore() = default;

Pushed SharedStore::push(const RunData& run) {
    return reported([&] {
        const RunRecord& record = run.record();
        const std::string identity = identity_of(run);
        pqxx::work work(state_->connection);
        // One at a time of those who push this run: the later one finds it there.
        work.exec_params("SELECT pg_advisory_xact_lock(hashtextextended($1, 0))", identity);
        const auto before = work.exec_params("SELECT seal FROM run WHERE identity = $1 FOR UPDATE", identity);
        if (!before.empty() && before[0][0].as<std::string>() == run.seal()) return Pushed::same;
        if (!before.empty()) work.exec_params("DELETE FROM run WHERE identity = $1", identity);
        const RunHead& head = record.head;
        const auto row = work.exec_params1(
            "INSERT INTO run (identity, seal, folder, started, ended, state, title, customer, operator, "
            "model, serial) VALUES ($1, $2, $3, $4, $5, $6, $7, $8, $9, $10, $11) RETURNING number",
            identity, run.seal(),
            plain_text(std::filesystem::absolute(run.folder()).lexically_normal().string()),
            plain_text(head.started), plain_text(head.ended), std::string(name(head.state)),
            plain_text(head.title), plain_text(head.customer), plain_text(head.operator_name),
            plain_text(head.detail("model")), plain_text(head.detail("serial")));
        const auto number = row[0].as<long long>();
        std::vector<const PointRecord*> points;
        for (const auto& point : record.points) points.push_back(&point);
        for (const auto& point : record.superseded) points.push_back(&point);
        put_rest(work, number, record);
        put_points(work, number, points);
        put_axes(work, number, points);
        put_results(work, number, points);
        put_findings(work, number, points);
        work.commit();
        return before.empty() ? Pushed::fresh : Pushed::replaced;
    });
}

std::vector<FoundFinding> SharedStore::find(const FindingQuery& query) {
    return reported([&] {
        pqxx::read_transaction work(state_->connection);
        // Only the conditions that were asked for, so that the planner sees which index serves.
        std::string sql =
            "SELECT r.folder, r.started, r.model, r.serial, p.test, p.label, f.rule, f.verdict, f.value, "
            "f.limit_value, f.margin, f.unit FROM finding f JOIN run r ON r.number = f.run "
            "JOIN point p ON p.run = f.run AND p.position = f.position WHERE p.standing = 'valid'";
        std::vector<std::string> values;
        const auto where = [&](bool wanted, const char* condition, const std::string& value) {
            if (!wanted) return;
            values.push_back(plain_text(value));
            std::string text = condition;
            for (std::size_t at = 0; (at = text.find('?', at)) != std::string::npos;)
                text.replace(at, 1, "$" + std::to_string(values.size()));
            sql += " AND " + text;
        };
        where(!query.unit.empty(), "(r.serial = ? OR r.model = ?)", query.unit);
        where(!query.rule.empty(), "(f.rule = ? OR starts_with(f.rule, ? || '/'))", query.rule);
        where(!query.test.empty(), "p.test = ?", query.test);
        where(query.verdict.has_value(), "f.verdict = ?", query.verdict ? name(*query.verdict) : "");
        where(query.below.has_value(), "f.margin < ?::double precision",
              query.below ? exact(*query.below) : "");
        where(!units_asked_for(query).empty(), "position(',' || f.unit || ',' in ?) > 0",
              units_asked_for(query));
        where(!query.since.empty(), "r.started >= ?", query.since);
        sql += " ORDER BY f.margin, f.run, f.position LIMIT " + std::to_string(query.most);
        const auto rows = work.exec_params(sql, pqxx::prepare::make_dynamic_params(values));
        const auto number = [](const pqxx::field& f) {
            return f.is_null() ? std::nullopt : std::optional<double>(to_double(f.c_str()));
        };
        std::vector<FoundFinding> out;
        for (const auto& row : rows) {
            out.push_back({row[0].c_str(), row[1].c_str(), row[2].c_str(), row[3].c_str(), row[4].c_str(),
                           row[5].c_str(), row[6].c_str(),
                           parse_verdict(row[7].c_str()).value_or(Verdict::none), number(row[8]),
                           number(row[9]), number(row[10]), unit_of_symbol(row[11].c_str())});
        }
        return out;
    });
}

}  // namespace rt::lab
