// Makes the chain of a tally fit what its tables hold now, as somebody would who knows how it is built: for
// tests of what comes after, and as a second writing of docs/tally.md.
#pragma once

#include <filesystem>
#include <string>

#include "lab/formats/files.hpp"
#include "lab/tally/sqlite.hpp"
#include "lab/tally/tally.hpp"

inline void rechain(const std::filesystem::path& run) {
    rt::lab::Database db((run / rt::lab::tally_file).string(), SQLITE_OPEN_READWRITE);
    const auto rows = [&](const std::string& sql, const std::string& key) {
        rt::lab::Statement s(db, sql.c_str());
        s.start(key);
        std::string out = "(";
        while (s.step()) s.add_row_text(out);
        return out + ")";
    };
    const auto content = [&](const std::string& kind, const std::string& key) -> std::string {
        if (kind == "begin")
            return rows("SELECT * FROM file WHERE ?1 = '' ORDER BY path", "") +
                   rows("SELECT * FROM test WHERE ?1 = '' ORDER BY number", "");
        if (kind == "point") {
            std::string out = rows("SELECT * FROM input WHERE point = ?1 ORDER BY number", key);
            out += rows(
                "SELECT position, id, attempt, kind, test, label, parent, invalid, started, ended, "
                "capture_path, "
                "capture_kind, capture_sha256, capture_bytes FROM point WHERE position = ?1",
                key);
            for (const char* table : {"attachment", "setting", "result", "finding", "remark"}) {
                const std::string order = std::string(table) == "setting"  ? "kind, number"
                                          : std::string(table) == "remark" ? "finding, number"
                                                                           : "number";
                out +=
                    rows(std::string("SELECT * FROM ") + table + " WHERE point = ?1 ORDER BY " + order, key);
            }
            return out;
        }
        if (kind == "event" || kind == "calibration")
            return rows("SELECT * FROM " + kind + " WHERE number = ?1", key);
        if (kind == "samples") {
            rt::lab::Statement s(db, "SELECT * FROM sample WHERE number BETWEEN ?1 AND ?2 ORDER BY number");
            s.start(key.substr(0, key.find('-')), key.substr(key.find('-') + 1));
            std::string out;
            while (s.step()) s.add_row_text(out);
            return out;
        }
        return "";
    };
    const auto part = [](const std::string& s) { return std::to_string(s.size()) + ":" + s; };
    std::string before, seals;
    rt::lab::Statement all(db, "SELECT number, kind, key, text FROM chain ORDER BY number");
    struct Entry {
        std::string number, kind, key, text;
    };
    std::vector<Entry> entries;
    while (all.step()) entries.push_back({all.text(0), all.text(1), all.text(2), all.text(3)});
    rt::lab::Statement update(db, "UPDATE chain SET hash = ?1 WHERE number = ?2");
    for (const auto& e : entries) {
        before = rt::lab::sha256(before + part(e.kind) + part(e.key) + part(e.text) +
                                 part(content(e.kind, e.key)));
        update.run(before, e.number);
        seals = e.number + " " + before + "\n";
    }
    rt::lab::write_file(run / "tally.seals", seals);
}
