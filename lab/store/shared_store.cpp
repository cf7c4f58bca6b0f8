#include "lab/store/shared_store.hpp"

#include <map>
#include <optional>
#include <pqxx/pqxx>

#include "core/base/error.hpp"
#include "core/base/text.hpp"
#include "lab/formats/files.hpp"
#include "lab/report/plain_text.hpp"
#include "lab/store/push_run.hpp"
#include "lab/store/shared_schema.hpp"
#include "lab/tally/chain.hpp"
#include "lab/tally/read_run.hpp"
#include "lab/tally/run_data.hpp"
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

// The same run, whatever was added to it since: what it began with.
std::string identity_of(Database& tally) {
    std::string first, started;
    Statement begin(tally, "SELECT hash FROM chain ORDER BY number LIMIT 1");
    if (begin.step()) first = begin.text(0);
    Statement fact(tally, "SELECT value FROM fact WHERE name = 'started'");
    if (fact.step()) started = fact.text(0);
    return sha256(first + "\n" + started);
}

// The units of findings whose margins are in one unit, for all such units: what a margin is in, as SQL.
std::string margin_unit_sql() {
    std::map<std::string, std::string> spelled;
    for (const auto& entry : all_units()) {
        const Unit margin = margin_unit_of(entry.unit);
        if (margin != entry.unit)
            spelled[symbol(margin)] +=
                (spelled[symbol(margin)].empty() ? "'" : ", '") + std::string(entry.symbol) + "'";
    }
    std::string out = "CASE";
    for (const auto& [margin, units] : spelled)
        out += " WHEN f.unit IN (" + units + ") THEN '" + margin + "'";
    return out + " ELSE f.unit END";
}

// Findings with their runs and points, by what was asked for; only the conditions that were, so that the
// planner sees which index serves.
struct Asked {
    std::string from;
    std::vector<std::string> values;
};
Asked asked(const FindingQuery& query) {
    Asked out;
    out.from =
        " FROM finding f JOIN run r ON r.number = f.run JOIN point p ON p.run = f.run AND p.position = "
        "f.position";
    const auto numbered = [&](const std::string& condition, const std::string& value) {
        out.values.push_back(plain_text(value));
        std::string text = condition;
        for (std::size_t at = 0; (at = text.find('?', at)) != std::string::npos;)
            text.replace(at, 1, "$" + std::to_string(out.values.size()));
        return text;
    };
    if (!query.judgement.empty())
        out.from += numbered(" JOIN judgement j ON j.number = f.judgement AND j.name = ?", query.judgement);
    out.from += " WHERE p.standing = 'valid'";
    if (query.judgement.empty()) out.from += " AND f.judgement = 0";
    const auto where = [&](bool wanted, const char* condition, const std::string& value) {
        if (wanted) out.from += " AND " + numbered(condition, value);
    };
    where(!query.unit.empty(), "(r.serial = ? OR r.model = ?)", query.unit);
    const bool book = query.rule.find('/') == std::string::npos;
    where(!query.rule.empty(), book ? "split_part(f.rule, '/', 1) = ?" : "f.rule = ?", query.rule);
    where(!query.test.empty(), "p.test = ?", query.test);
    where(!query.bench.empty(), "r.bench = ?", query.bench);
    where(query.verdict.has_value(), "f.verdict = ?", query.verdict ? name(*query.verdict) : "");
    where(query.below.has_value(), "f.margin < ?::double precision", query.below ? exact(*query.below) : "");
    where(!units_asked_for(query).empty(), "position(',' || f.unit || ',' in ?) > 0", units_asked_for(query));
    where(!query.since.empty(), "r.started >= ?", query.since);
    return out;
}

const char* key_sql(TrendBy by) {
    switch (by) {
        case TrendBy::day:
            return "substr(r.started, 1, 10)";
        case TrendBy::month:
            return "substr(r.started, 1, 7)";
        case TrendBy::year:
            return "substr(r.started, 1, 4)";
        case TrendBy::unit:
            return "r.serial";
        case TrendBy::model:
            return "r.model";
        case TrendBy::bench:
            return "r.bench";
        case TrendBy::rule:
            return "f.rule";
        case TrendBy::test:
            return "p.test";
    }
    return "''";
}

std::optional<double> number_of(const pqxx::field& field) {
    return field.is_null() ? std::nullopt : std::optional<double>(to_double(field.c_str()));
}

// After so many rows at once the planner is told what the tables hold now: by what it knew before, a question
// may take minutes.
constexpr std::size_t many_rows = 5'000;
void count_anew(pqxx::work& work) {
    for (const char* table : {"run", "point", "finding"})
        work.exec(std::string("ANALYZE rare_tally.") + table);
}

// The tables as they are now, made or brought there.
void bring_up(pqxx::work& work) {
    // Two benches that begin at once make the tables once.
    work.exec("SELECT pg_advisory_xact_lock(1918989417)");
    work.exec("SET client_min_messages TO warning");
    const auto there = work.exec("SELECT to_regclass('rare_tally.store') IS NOT NULL");
    if (there[0][0].as<bool>()) {
        work.exec("SET search_path TO rare_tally");
    } else {
        work.exec(first_store_tables);
    }
    const auto rows = work.exec("SELECT version FROM store");
    int version = rows.empty() ? 1 : rows[0][0].as<int>();
    if (version > store_schema || version < 1) {
        fail_input("the shared store has schema " + std::to_string(version) + ", this program knows " +
                   std::to_string(store_schema) + " and those before: a later rare-tally has been here");
    }
    if (!rows.empty() && version == store_schema) return;
    for (; version < store_schema; ++version) work.exec(store_steps[version - 1]);
    work.exec("DELETE FROM store");
    work.exec_params("INSERT INTO store VALUES ($1)", store_schema);
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
        // A question whose asker is gone ends soon (servers from version 14 on).
        work.exec(
            "SELECT set_config(name, '2s', false) FROM pg_settings WHERE name = "
            "'client_connection_check_interval'");
        bring_up(work);
        work.commit();
    });
}

SharedStore::~SharedStore() = default;

Pushed SharedStore::push(const std::filesystem::path& folder) {
    return reported([&] {
        Pushed out = Pushed::same;
        Tally::look_at(folder, [&](Database& tally) {
            Transaction one_state(tally, "BEGIN");
            require_unaltered(tally, folder);
            const RunRecord frame = read_frame(tally);
            if (const auto altered = altered_inputs(frame, folder); !altered.empty())
                fail_altered(folder, altered.front());
            const std::string identity = identity_of(tally), seal = chain_seal(tally);
            pqxx::work work(state_->connection);
            // One at a time of those who push this run: the later one finds it there.
            work.exec_params("SELECT pg_advisory_xact_lock(hashtextextended($1, 0))", identity);
            const auto before =
                work.exec_params("SELECT seal FROM run WHERE identity = $1 FOR UPDATE", identity);
            if (!before.empty() && before[0][0].as<std::string>() == seal) return;
            out = before.empty() ? Pushed::fresh : Pushed::replaced;
            if (!before.empty()) work.exec_params("DELETE FROM run WHERE identity = $1", identity);
            const RunHead& head = frame.head;
            const auto row = work.exec_params1(
                "INSERT INTO run (identity, seal, folder, started, ended, state, title, customer, operator, "
                "model, serial, bench) VALUES ($1, $2, $3, $4, $5, $6, $7, $8, $9, $10, $11, $12) RETURNING "
                "number",
                identity, seal, plain_text(std::filesystem::absolute(folder).lexically_normal().string()),
                plain_text(head.started), plain_text(head.ended), std::string(name(head.state)),
                plain_text(head.title), plain_text(head.customer), plain_text(head.operator_name),
                plain_text(head.detail("model")), plain_text(head.detail("serial")), plain_text(head.bench));
            const std::size_t rows = put_rows(work, row[0].as<long long>(), frame, tally);
            if (rows >= many_rows) count_anew(work);
            work.commit();
        });
        return out;
    });
}

void SharedStore::put(const std::filesystem::path& folder, const Judgement& judgement) {
    reported([&] {
        std::string identity, seal;
        Tally::look_at(folder, [&](Database& tally) {
            Transaction one_state(tally, "BEGIN");
            identity = identity_of(tally), seal = chain_seal(tally);
        });
        pqxx::work work(state_->connection);
        const auto run = work.exec_params(
            "SELECT number FROM run WHERE identity = $1 AND seal = $2 FOR UPDATE", identity, seal);
        if (run.empty())
            fail_input(folder.string(), "is not in the shared store as it is now: rare-tally push it first");
        const auto number = run[0][0].as<long long>();
        const std::string name = plain_text(judgement.name);
        work.exec_params(
            "DELETE FROM finding WHERE run = $1 AND judgement IN (SELECT number FROM judgement WHERE run = "
            "$1 AND name "
            "= $2)",
            number, name);
        work.exec_params("DELETE FROM judgement WHERE run = $1 AND name = $2", number, name);
        const auto made =
            work.exec_params1("INSERT INTO judgement (run, name, books) VALUES ($1, $2, $3) RETURNING number",
                              number, name, plain_text(judgement.books));
        put_findings(work, number, made[0].as<long long>(), judgement.findings);
        if (judgement.findings.size() >= many_rows) count_anew(work);
        work.commit();
    });
}

std::vector<FoundFinding> SharedStore::find(const FindingQuery& query) {
    return reported([&] {
        pqxx::read_transaction work(state_->connection);
        const Asked what = asked(query);
        const auto rows = work.exec_params(
            "SELECT r.folder, r.started, r.model, r.serial, r.bench, p.test, p.label, f.rule, f.verdict, "
            "f.value, "
            "f.limit_value, f.margin, f.unit" +
                what.from + " ORDER BY f.margin, f.run, f.position LIMIT " + std::to_string(query.most),
            pqxx::prepare::make_dynamic_params(what.values));
        std::vector<FoundFinding> out;
        for (const auto& row : rows) {
            out.push_back({row[0].c_str(), row[1].c_str(), row[2].c_str(), row[3].c_str(), row[4].c_str(),
                           row[5].c_str(), row[6].c_str(), row[7].c_str(),
                           parse_verdict(row[8].c_str()).value_or(Verdict::none), number_of(row[9]),
                           number_of(row[10]), number_of(row[11]), unit_of_symbol(row[12].c_str())});
        }
        return out;
    });
}

std::vector<TrendGroup> SharedStore::trend(const FindingQuery& query, TrendBy by) {
    return reported([&] {
        pqxx::read_transaction work(state_->connection);
        const Asked what = asked(query);
        const auto part = [](const char* share) {
            return std::string(", percentile_disc(") + share + ") WITHIN GROUP (ORDER BY f.margin)";
        };
        const auto count = [](Verdict verdict) {
            return std::string(", count(*) FILTER (WHERE f.verdict = '") + name(verdict) + "')";
        };
        const auto rows = work.exec_params(
            "SELECT " + std::string(key_sql(by)) + " COLLATE \"C\", (" + margin_unit_sql() +
                ") COLLATE \"C\", count(DISTINCT f.run)" + count(Verdict::pass) + count(Verdict::marginal) +
                count(Verdict::fail) + count(Verdict::none) + ", min(f.margin)" + part("0.25") + part("0.5") +
                part("0.75") + ", max(f.margin)" + what.from + " GROUP BY 1, 2 ORDER BY 1, 2",
            pqxx::prepare::make_dynamic_params(what.values));
        std::vector<TrendGroup> out;
        for (const auto& row : rows) {
            TrendGroup group;
            group.key = row[0].c_str(), group.unit = unit_of_symbol(row[1].c_str());
            group.runs = row[2].as<std::size_t>();
            group.verdicts = {row[3].as<std::size_t>(), row[4].as<std::size_t>(), row[5].as<std::size_t>(),
                              row[6].as<std::size_t>()};
            group.lowest = number_of(row[7]), group.quarter = number_of(row[8]),
            group.median = number_of(row[9]);
            group.three_quarters = number_of(row[10]), group.highest = number_of(row[11]);
            out.push_back(std::move(group));
        }
        return out;
    });
}

std::vector<FoundCapture> SharedStore::find_capture(const std::string& hash) {
    return reported([&] {
        pqxx::read_transaction work(state_->connection);
        const auto rows = work.exec_params(
            "SELECT r.folder, r.started, r.model, r.serial, p.test, p.label, c.role, c.path FROM capture c "
            "JOIN run r "
            "ON r.number = c.run JOIN point p ON p.run = c.run AND p.position = c.position WHERE c.sha256 = "
            "$1 "
            "ORDER BY r.started, r.number, c.position, c.path",
            plain_text(hash));
        std::vector<FoundCapture> out;
        for (const auto& row : rows)
            out.push_back({row[0].c_str(), row[1].c_str(), row[2].c_str(), row[3].c_str(), row[4].c_str(),
                           row[5].c_str(), row[6].c_str(), row[7].c_str()});
        return out;
    });
}

}  // namespace rt::lab
