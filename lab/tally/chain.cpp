#include "lab/tally/chain.hpp"

#include <map>

#include "lab/formats/files.hpp"
#include "lab/tally/tally.hpp"

namespace rt {

std::string chain_seal(Database& database) {
    Statement last(database, "SELECT hash FROM chain ORDER BY number DESC LIMIT 1");
    return last.step() ? last.text(0) : "";
}

namespace {

// The rows of statements, bound to one key, as text that tells any two apart.
std::string rows_of(Database& database, std::initializer_list<const char*> queries, const std::string& key) {
    std::string out;
    for (const char* query : queries) {
        Statement rows(database, query);
        rows.start(key);
        out += "(";
        while (rows.step()) out += rows.row_text();
        out += ")";
    }
    return out;
}

std::string content_of(Database& database, const std::string& kind, const std::string& key) {
    if (kind == "begin")
        return rows_of(database,
                       {"SELECT * FROM file WHERE ?1 = '' ORDER BY path",
                        "SELECT * FROM test WHERE ?1 = '' ORDER BY number"},
                       "");
    if (kind == "point") {
        return rows_of(database,
                       {"SELECT position, id, attempt, kind, test, label, started, ended, capture_path, "
                        "capture_kind, capture_sha256, capture_bytes FROM point WHERE position = ?1",
                        "SELECT * FROM attachment WHERE point = ?1 ORDER BY number",
                        "SELECT * FROM setting WHERE point = ?1 ORDER BY kind, number",
                        "SELECT * FROM result WHERE point = ?1 ORDER BY number",
                        "SELECT * FROM finding WHERE point = ?1 ORDER BY number",
                        "SELECT * FROM remark WHERE point = ?1 ORDER BY finding, number"},
                       key);
    }
    if (kind == "event") return rows_of(database, {"SELECT * FROM event WHERE number = ?1"}, key);
    if (kind == "calibration") return rows_of(database, {"SELECT * FROM calibration WHERE number = ?1"}, key);
    if (kind == "samples") {
        const auto dash = key.find('-');
        Statement rows(database, "SELECT * FROM sample WHERE number BETWEEN ?1 AND ?2 ORDER BY number");
        rows.start(key.substr(0, dash), key.substr(dash + 1));
        std::string out;
        while (rows.step()) out += rows.row_text();
        return out;
    }
    return "";
}

std::string hash_of(const std::string& before, const std::string& kind, const std::string& key,
                    const std::string& text, const std::string& content) {
    const auto part = [](const std::string& s) { return std::to_string(s.size()) + ":" + s; };
    return sha256(before + part(kind) + part(key) + part(text) + part(content));
}

void append(Database& database, const std::string& kind, const std::string& key, const std::string& text) {
    Statement add(database, "INSERT INTO chain VALUES (NULL, ?, ?, ?, ?)");
    add.run(kind, key, text, hash_of(chain_seal(database), kind, key, text, content_of(database, kind, key)));
}

long long single(Database& database, const char* query) {
    Statement one(database, query);
    return one.step() ? one.whole(0) : 0;
}

// What a person calls an entry.
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
    Checker(Database& database, Verification& out) : database_(database), out_(out) {}

    void entries() {
        Statement rows(database_, "SELECT kind, key, text, hash FROM chain ORDER BY number");
        std::string before;
        while (rows.step()) {
            const std::string kind = rows.text(0), key = rows.text(1), text = rows.text(2);
            const std::string expected = hash_of(before, kind, key, text, content_of(database_, kind, key));
            if (expected != rows.text(3)) complain(named(database_, kind, key) + " is not as it was written");
            // Goes on from what stands there, so that one change is told once.
            before = rows.text(3);
            ++count_[kind];
            if (!text.empty()) state_[kind][key] = text;
            if (kind == "samples") last_sample_ = std::stoll(key.substr(key.find('-') + 1));
            ++out_.entries;
        }
        out_.seal = before;
    }
    void coverage() {
        const auto same = [&](const char* query, const char* kind) {
            const long long there = single(database_, query);
            if (there != count_[kind]) {
                complain("the table of " + std::string(kind) + "s has " + std::to_string(there) + " rows, " +
                         std::to_string(count_[kind]) + " were written");
            }
        };
        same("SELECT count(*) FROM point", "point");
        same("SELECT count(*) FROM event", "event");
        same("SELECT count(*) FROM calibration", "calibration");
        if (single(database_, "SELECT coalesce(max(number), 0) FROM sample") > last_sample_)
            complain("readings of watches were put in");
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
        while (roles.step()) {
            expect("instrument", roles.text(0), instrument_text(database_, roles.text(0)),
                   "the entry of " + roles.text(0));
        }
        Statement points(database_,
                         "SELECT position, standing, standing_reason FROM point ORDER BY position");
        while (points.step()) {
            const std::string key = std::to_string(points.whole(0));
            const std::string now = standing_text(points.text(1), points.text(2));
            const auto& known = state_["standing"];
            const auto at = known.find(key);
            const std::string then = at == known.end() ? standing_text("valid", "") : at->second;
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

    Database& database_;
    Verification& out_;
    std::map<std::string, long long> count_;
    std::map<std::string, std::map<std::string, std::string>> state_;
    long long last_sample_ = 0;
};

// Captures, pictures, tables of calibrations and copies of inputs against their hashes.
void check_files(Database& database, const std::filesystem::path& folder, Verification& out) {
    Statement rows(
        database,
        "SELECT capture_path, capture_sha256 FROM point WHERE capture_sha256 <> '' UNION SELECT path, "
        "sha256 FROM attachment UNION SELECT path, sha256 FROM file WHERE sha256 <> '' UNION SELECT path, "
        "sha256 FROM calibration WHERE sha256 <> '' ORDER BY 1");
    while (rows.step()) {
        const auto file = folder / rows.text(0);
        ++out.files;
        std::error_code error;
        if (!std::filesystem::is_regular_file(file, error)) {
            out.altered.push_back(rows.text(0) + " is missing");
        } else if (sha256(read_file(file)) != rows.text(1)) {
            out.altered.push_back(rows.text(0) + " was altered");
        }
    }
}

}  // namespace

Chain::Chain(Database& database) : database_(database) {}

void Chain::begin() {
    append(database_, "begin", "", "");
}

void Chain::link(const std::string& kind, std::size_t key) {
    append(database_, kind, std::to_string(key), "");
}

void Chain::link_samples() {
    Statement last(database_, "SELECT key FROM chain WHERE kind = 'samples' ORDER BY number DESC LIMIT 1");
    long long from = 1;
    if (last.step()) {
        const std::string key = last.text(0);
        from = std::stoll(key.substr(key.find('-') + 1)) + 1;
    }
    const long long to = single(database_, "SELECT coalesce(max(number), 0) FROM sample");
    if (to >= from) append(database_, "samples", std::to_string(from) + "-" + std::to_string(to), "");
}

void Chain::link_state(const std::string& kind, const std::string& key, const std::string& text) {
    append(database_, kind, key, text);
}

std::string instrument_text(Database& database, const std::string& role) {
    return rows_of(database, {"SELECT * FROM instrument WHERE role = ?1"}, role);
}

std::string standing_text(const std::string& standing, const std::string& reason) {
    return standing + ": " + reason;
}

Verification verify_run(const std::filesystem::path& folder) {
    Verification out;
    Tally::look_at(folder, [&](Database& database) {
        Transaction one_state(database, "BEGIN");
        Checker checker(database, out);
        checker.entries();
        checker.coverage();
        checker.states();
        check_files(database, folder, out);
    });
    return out;
}

}  // namespace rt
