#include "lab/tally/chain.hpp"

#include <fmt/core.h>

#include <algorithm>
#include <map>
#include <optional>
#include <set>

#include "core/base/text.hpp"
#include "lab/formats/files.hpp"
#include "lab/tally/run_files.hpp"
#include "lab/tally/tally.hpp"

namespace rt::lab {

namespace {

struct ChainEnd {
    std::size_t entry = 0;  // from 1
    std::string hash;
};

ChainEnd end_of(Database& database) {
    Statement last(database, "SELECT number, hash FROM chain ORDER BY number DESC LIMIT 1");
    if (!last.step()) return {};
    return {static_cast<std::size_t>(last.whole(0)), last.text(1)};
}

// "ENTRY" and "HASH" with a separator between, as an end of the chain was noted; nothing for what is none.
std::optional<ChainEnd> parse_end(std::string_view text, std::string_view separator) {
    const auto between = text.find(separator);
    if (between == std::string_view::npos) return std::nullopt;
    const auto number = to_double(text.substr(0, between));
    if (!number || !(*number >= 1 && *number < 9e15)) return std::nullopt;
    return ChainEnd{static_cast<std::size_t>(*number), std::string(text.substr(between + separator.size()))};
}

constexpr const char* seal_file = "tally.seals";
constexpr const char* resumed_mark = "; the chain ended with entry ";

// How many rows of each table the chain speaks for.
using RowCounts = std::map<std::string, long long>;

// "12-40": numbers of samples. Nothing for what is none.
std::optional<std::pair<long long, long long>> range_of(const std::string& key) {
    const auto dash = key.find('-', 1);
    if (dash == std::string::npos) return std::nullopt;
    const auto from = to_double(key.substr(0, dash)), to = to_double(key.substr(dash + 1));
    if (!from || !to || *from < 1 || *to < *from || *to > 9e15) return std::nullopt;
    return std::pair{static_cast<long long>(*from), static_cast<long long>(*to)};
}

}  // namespace

// Rows of a table that belong to a key; the statement is made once for all keys.
struct ChainRows {
    const char* table;
    Statement statement;

    // In brackets, as text that tells any two apart.
    void add(const std::string& key, std::string& out, RowCounts* counts) {
        statement.start(key);
        out += '(';
        long long found = 0;
        for (; statement.step(); ++found) statement.add_row_text(out);
        out += ')';
        if (counts) (*counts)[table] += found;
    }
};

// What an entry of the chain speaks for, as text.
class ChainContents {
  public:
    explicit ChainContents(Database& database) : database_(database), schema_(schema_of(database)) {
        add("begin", "file", "SELECT * FROM file WHERE ?1 = '' ORDER BY path");
        add("begin", "test", "SELECT * FROM test WHERE ?1 = '' ORDER BY number");
        // Schema 3 had neither parents nor reasons of their own, schema 4 no inputs.
        if (schema_ >= 5) add("point", "input", "SELECT * FROM input WHERE point = ?1 ORDER BY number");
        add("point", "point",
            schema_ >= 4
                ? "SELECT position, id, attempt, kind, test, label, parent, invalid, started, ended, "
                  "capture_path, capture_kind, capture_sha256, capture_bytes FROM point WHERE position = ?1"
                : "SELECT position, id, attempt, kind, test, label, started, ended, capture_path, "
                  "capture_kind, capture_sha256, capture_bytes FROM point WHERE position = ?1");
        add("point", "attachment", "SELECT * FROM attachment WHERE point = ?1 ORDER BY number");
        add("point", "setting", "SELECT * FROM setting WHERE point = ?1 ORDER BY kind, number");
        add("point", "result", "SELECT * FROM result WHERE point = ?1 ORDER BY number");
        add("point", "finding", "SELECT * FROM finding WHERE point = ?1 ORDER BY number");
        add("point", "remark", "SELECT * FROM remark WHERE point = ?1 ORDER BY finding, number");
        add("event", "event", "SELECT * FROM event WHERE number = ?1");
        add("calibration", "calibration", "SELECT * FROM calibration WHERE number = ?1");
    }

    // Good until the next call.
    const std::string& of(const std::string& kind, const std::string& key, RowCounts* counts = nullptr) {
        text_.clear();
        if (kind == "samples") {
            add_samples(key, counts);
            return text_;
        }
        const auto parts = parts_.find(kind);
        if (parts == parts_.end()) return text_;
        for (auto& rows : parts->second) rows.add(key, text_, counts);
        return text_;
    }

  private:
    void add(const char* kind, const char* table, const char* sql) {
        parts_[kind].push_back({table, Statement(database_, sql)});
    }
    void add_samples(const std::string& key, RowCounts* counts) {
        const auto range = range_of(key);
        if (!range) return;
        Statement rows(database_, "SELECT * FROM sample WHERE number BETWEEN ?1 AND ?2 ORDER BY number");
        rows.start(std::to_string(range->first), std::to_string(range->second));
        while (rows.step()) {
            rows.add_row_text(text_);
            if (counts) ++(*counts)["sample"];
        }
    }

    Database& database_;
    long long schema_;
    std::map<std::string, std::vector<ChainRows>> parts_;
    std::string text_;
};

namespace {

std::string hash_of(const std::string& before, const std::string& kind, const std::string& key,
                    const std::string& text, const std::string& content) {
    std::string all = before;
    all.reserve(before.size() + kind.size() + key.size() + text.size() + content.size() + 40);
    for (const auto* part : {&kind, &key, &text, &content}) {
        all += std::to_string(part->size());
        all += ':';
        all += *part;
    }
    return sha256(all);
}

long long single(Database& database, const std::string& query) {
    Statement one(database, query.c_str());
    return one.step() ? one.whole(0) : 0;
}

bool has_table(Database& database, const std::string& table) {
    return table != "input" || schema_of(database) >= 5;
}

// What the operator calls an entry.
std::string named(Database& database, const std::string& kind, const std::string& key) {
    if (kind == "begin") return "the list of tests and input files";
    if (kind == "samples") return "readings of watches " + key;
    if (kind != "point") return kind + " " + key;
    Statement label(database, "SELECT test, label FROM point WHERE position = ?1");
    label.start(key);
    return "point " + key + (label.step() ? " (" + label.text(0) + ": " + label.text(1) + ")" : "");
}

class Checker {
  public:
    Checker(Database& database, Verification& out) : database_(database), contents_(database), out_(out) {}

    void entries() {
        Statement rows(database_,
                       "SELECT kind, key, text, hash, number, typeof(number) FROM chain ORDER BY number");
        std::string before;
        while (rows.step()) {
            const std::string kind = rows.text(0), key = rows.text(1), text = rows.text(2);
            if (rows.text(5) != "integer" || rows.whole(4) != static_cast<long long>(out_.entries) + 1)
                complain("entry " + rows.text(4) + " of the chain is not the one that follows");
            const std::string expected = hash_of(before, kind, key, text, contents_.of(kind, key, &rows_));
            if (expected != rows.text(3)) complain(named(database_, kind, key) + " is not as it was written");
            // Goes on from what stands there, so that one change is told once.
            before = rows.text(3);
            if (!text.empty()) state_[kind][key] = text;
            ++out_.entries;
            keep(before);
            if (kind == "event") resumed_after(key);
        }
        out_.seal = before;
    }
    // What was noted beside the chain while it grew.
    void seals(const std::filesystem::path& folder) {
        const auto file = folder / seal_file;
        if (schema_of(database_) < 4) return;
        std::error_code error;
        if (!std::filesystem::is_regular_file(file, error)) {
            complain(std::string(seal_file) + " is missing: where the chain ended is not known");
            return;
        }
        const std::string text = read_file(file);
        std::size_t line = 0, last = 0;
        for (const auto part : split(text, '\n')) {
            ++line;
            // A line that a power cut left half written is no line.
            if (part.empty() || (part.data() + part.size() == text.data() + text.size())) continue;
            const auto end = parse_end(part, " ");
            if (end && end->entry > out_.entries) {
                complain(fmt::format(
                    "the chain ends at entry {}, after entry {} had been written: its end was cut off",
                    out_.entries, end->entry));
                return;
            }
            // Runs of older programs noted an end again after a transaction that wrote nothing.
            if (!end || end->entry < last || !stood(*end)) {
                complain("line " + std::to_string(line) + " of " + seal_file + " does not fit the chain");
                return;
            }
            last = end->entry;
        }
        // A kill falls between the chain and its note at most once.
        if (last == 0) complain(std::string(seal_file) + " says nothing");
    }
    // Every row of every table is one that an entry speaks for, and its number is one.
    void coverage() {
        for (const char* table : {"file", "test", "point", "input", "attachment", "setting", "result",
                                  "finding", "remark", "event", "calibration", "sample"}) {
            if (!has_table(database_, table)) continue;
            const long long there = single(database_, "SELECT count(*) FROM " + std::string(table));
            if (there != rows_[table]) {
                complain(
                    fmt::format("the table of {}s has {} rows, {} were written", table, there, rows_[table]));
            }
        }
        for (const auto& [table, key] : {std::pair{"point", "position"},
                                         {"input", "point"},
                                         {"attachment", "point"},
                                         {"setting", "point"},
                                         {"result", "point"},
                                         {"finding", "point"},
                                         {"remark", "point"},
                                         {"finding", "number"},
                                         {"event", "number"},
                                         {"sample", "number"}}) {
            if (!has_table(database_, table)) continue;
            const std::string what =
                std::string(" FROM ") + table + " WHERE typeof(" + key + ") <> 'integer' OR " + key + " < 0";
            if (single(database_, "SELECT count(*)" + what) > 0)
                complain(std::string("the table ") + table + " has a row whose " + key +
                         " is no number of its kind");
        }
    }
    void states() {
        Statement facts(database_, "SELECT name, value FROM fact ORDER BY name");
        std::size_t facts_there = 0;
        while (facts.step()) {
            ++facts_there;
            expect("fact", facts.text(0), "=" + facts.text(1), "fact " + facts.text(0));
        }
        if (facts_there != state_["fact"].size()) complain("facts of the run are missing");
        Statement roles(database_, "SELECT role FROM instrument");
        std::size_t instruments_there = 0;
        while (roles.step()) {
            ++instruments_there;
            expect("instrument", roles.text(0), instrument_text(database_, roles.text(0)),
                   "the entry of " + roles.text(0));
        }
        if (instruments_there != state_["instrument"].size()) complain("instruments of the run are missing");
        const std::string cause = schema_of(database_) >= 5 ? "standing_cause" : "''";
        Statement points(database_, ("SELECT position, standing, standing_reason, " + cause +
                                     " FROM point ORDER BY position")
                                        .c_str());
        while (points.step()) {
            const std::string key = std::to_string(points.whole(0));
            const std::string now = standing_text(points.text(1), points.text(3), points.text(2));
            const auto& known = state_["standing"];
            const auto at = known.find(key);
            const std::string then = at == known.end() ? standing_text("valid", "", "") : at->second;
            if (then != now) complain("the standing of " + named(database_, "point", key) + " was altered");
        }
    }

  private:
    void expect(const std::string& kind, const std::string& key, const std::string& now,
                const std::string& what) {
        const auto& known = state_[kind];
        const auto at = known.find(key);
        if (at == known.end() || at->second != now) complain(what + " was altered");
    }
    void complain(std::string text) { out_.altered.push_back(std::move(text)); }

    static constexpr std::size_t digits = 64;  // of a hash; one of another length is none
    void keep(const std::string& hash) { hashes_ += hash.size() == digits ? hash : std::string(digits, ' '); }
    bool stood(const ChainEnd& end) const {
        return end.entry <= out_.entries && end.hash.size() == digits &&
               std::string_view(hashes_).substr((end.entry - 1) * digits, digits) == end.hash;
    }

    // A run that was carried on says where its chain ended then.
    void resumed_after(const std::string& key) {
        Statement event(database_, "SELECT text FROM event WHERE number = ?1 AND kind = 'resumed'");
        event.start(key);
        if (!event.step()) return;
        const std::string text = event.text(0);
        const auto at = text.rfind(resumed_mark);
        if (at == std::string::npos) return;
        const auto rest = std::string_view(text).substr(at + std::string_view(resumed_mark).size());
        const auto end = parse_end(rest, ": ");
        if (!end || !stood(*end))
            complain("event " + key +
                     " says that the run was carried on from another state than the chain has");
    }

    Database& database_;
    ChainContents contents_;
    Verification& out_;
    RowCounts rows_;
    std::string hashes_;  // of all entries, one behind the other
    std::map<std::string, std::map<std::string, std::string>> state_;
};

}  // namespace

struct Chain::State {
    Database& database;
    ChainContents contents;
    Statement insert;

    explicit State(Database& db)
        : database(db), contents(db), insert(db, "INSERT INTO chain VALUES (NULL, ?, ?, ?, ?)") {}

    void append(const std::string& kind, const std::string& key, const std::string& text) {
        insert.run(kind, key, text, hash_of(chain_seal(database), kind, key, text, contents.of(kind, key)));
    }
};

Chain::Chain(Database& database) : state_(std::make_unique<State>(database)) {}
Chain::~Chain() = default;

void Chain::begin() {
    state_->append("begin", "", "");
}

void Chain::link(const std::string& kind, std::size_t key) {
    state_->append(kind, std::to_string(key), "");
}

void Chain::link_samples() {
    Database& database = state_->database;
    Statement last(database, "SELECT key FROM chain WHERE kind = 'samples' ORDER BY number DESC LIMIT 1");
    long long from = 1;
    if (last.step()) {
        const auto range = range_of(last.text(0));
        if (!range)
            database.fail_damaged("the chain has readings of watches called " + in_quotes(last.text(0)));
        from = range->second + 1;
    }
    const long long to = single(database, "SELECT coalesce(max(number), 0) FROM sample");
    if (to >= from) state_->append("samples", fmt::format("{}-{}", from, to), "");
}

void Chain::link_state(const std::string& kind, const std::string& key, const std::string& text) {
    state_->append(kind, key, text);
}

std::string instrument_text(Database& database, const std::string& role) {
    std::string out;
    ChainRows{"instrument", Statement(database, "SELECT * FROM instrument WHERE role = ?1")}.add(role, out,
                                                                                                 nullptr);
    return out;
}

std::string standing_text(const std::string& standing, const std::string& cause, const std::string& reason) {
    return standing + (cause.empty() ? "" : " (" + cause + ")") + ": " + reason;
}

Verification verify_chain(Database& database, const std::filesystem::path& folder) {
    Verification out;
    Checker checker(database, out);
    checker.entries();
    checker.coverage();
    checker.states();
    checker.seals(folder);
    return out;
}

void require_unaltered(Database& database, const std::filesystem::path& folder) {
    const Verification seen = verify_chain(database, folder);
    if (!seen.altered.empty()) fail_altered(folder, seen.altered.front());
}

void fail_altered(const std::filesystem::path& folder, const std::string& what) {
    fail_input(folder.string(), "is not as it was written (" + what + "): rare-tally verify " +
                                    folder.string() + " lists everything");
}

SealList::SealList(const std::filesystem::path& folder) : file_(folder / seal_file) {}

void SealList::begin() const {
    std::error_code ignored;
    std::filesystem::remove(file_, ignored);
}

void SealList::note(Database& database) const {
    const ChainEnd end = end_of(database);
    if (end.entry == noted_) return;  // a transaction that wrote nothing
    if (end.entry > 0) append_line(file_, std::to_string(end.entry) + " " + end.hash);
    noted_ = end.entry;
}

std::string chain_seal(Database& database) {
    return end_of(database).hash;
}

std::string resumed_from(Database& database) {
    const ChainEnd end = end_of(database);
    return end.entry > 0 ? resumed_mark + std::to_string(end.entry) + ": " + end.hash : "";
}

Verification verify_run(const std::filesystem::path& folder) {
    Verification out;
    Tally::look_at(folder, [&](Database& database) {
        Transaction one_state(database, "BEGIN");
        out = verify_chain(database, folder);
        check_files(database, folder, out);
    });
    return out;
}

}  // namespace rt::lab
