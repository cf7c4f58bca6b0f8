// SQLite with errors as exceptions and values bound, never pasted.
#pragma once

#include <sqlite3.h>

#include <charconv>
#include <cmath>
#include <memory>
#include <optional>
#include <string>
#include <string_view>

#include "core/base/error.hpp"
#include "core/base/text.hpp"

namespace rt::lab {

class Database {
  public:
    Database(const std::string& file, int flags) : file_(file) {
        sqlite3* raw = nullptr;
        const int code = sqlite3_open_v2(file.c_str(), &raw, flags, nullptr);
        handle_.reset(raw);
        if (code != SQLITE_OK) fail();
        sqlite3_busy_timeout(raw, 2000);
    }

    void execute(const char* sql) {
        if (sqlite3_exec(handle_.get(), sql, nullptr, nullptr, nullptr) != SQLITE_OK) fail();
    }
    [[noreturn]] void fail() const {
        const char* why = handle_ ? sqlite3_errmsg(handle_.get()) : "out of memory";
        throw Error(ErrorKind::output, file_, std::string("the tally reports: ") + why);
    }
    // The file is a tally, but not a whole one.
    [[noreturn]] void fail_damaged(const std::string& what) const {
        fail_input(file_, "is damaged: " + what);
    }
    sqlite3* get() const { return handle_.get(); }

  private:
    struct Close {
        void operator()(sqlite3* db) const { sqlite3_close(db); }
    };
    std::string file_;
    std::unique_ptr<sqlite3, Close> handle_;
};

// A prepared statement: bind in order, then run() or step() through rows.
class Statement {
  public:
    Statement(Database& database, const char* sql) : database_(&database) {
        sqlite3_stmt* raw = nullptr;
        if (sqlite3_prepare_v3(database.get(), sql, -1, SQLITE_PREPARE_PERSISTENT, &raw, nullptr) !=
            SQLITE_OK) {
            database.fail();
        }
        handle_.reset(raw);
    }

    template <typename... Values>
    void run(const Values&... values) {
        int at = 0;
        (bind(++at, values), ...);
        const int code = sqlite3_step(handle_.get());
        if (code != SQLITE_DONE && code != SQLITE_ROW) {
            sqlite3_reset(handle_.get());
            database_->fail();
        }
        sqlite3_reset(handle_.get());
    }

    // Bound anew, before its rows are stepped through.
    template <typename... Values>
    void start(const Values&... values) {
        sqlite3_reset(handle_.get());
        int at = 0;
        (bind(++at, values), ...);
    }
    // All columns of this row, each with its type and length, behind what `out` holds.
    void add_row_text(std::string& out) const {
        char number[32];
        const int columns = sqlite3_column_count(handle_.get());
        for (int i = 0; i < columns; ++i) {
            const int type = sqlite3_column_type(handle_.get(), i);
            std::string real;
            std::string_view value;
            if (type == SQLITE_INTEGER) {
                const auto end = std::to_chars(number, number + sizeof number, whole(i)).ptr;
                value = {number, static_cast<std::size_t>(end - number)};
            } else if (type == SQLITE_FLOAT) {
                // Shortest text that reads back the same, whatever SQLite's own way of writing numbers.
                real = exact(sqlite3_column_double(handle_.get(), i));
                value = real;
            } else {
                value = view(i);
            }
            char length[24];
            const auto end = std::to_chars(length, length + sizeof length, value.size()).ptr;
            out += static_cast<char>('0' + type);
            out += ',';
            out.append(length, end);
            out += ':';
            out += value;
        }
        out += ';';
    }

    bool step() {
        const int code = sqlite3_step(handle_.get());
        if (code != SQLITE_ROW && code != SQLITE_DONE) database_->fail();
        return code == SQLITE_ROW;
    }
    // Until the next step.
    std::string_view view(int column) const {
        const auto* at = reinterpret_cast<const char*>(sqlite3_column_text(handle_.get(), column));
        if (!at) return {};
        return {at, static_cast<std::size_t>(sqlite3_column_bytes(handle_.get(), column))};
    }
    std::string text(int column) const { return std::string(view(column)); }
    long long whole(int column) const { return sqlite3_column_int64(handle_.get(), column); }
    std::optional<double> number(int column) const {
        if (sqlite3_column_type(handle_.get(), column) == SQLITE_NULL) return std::nullopt;
        return sqlite3_column_double(handle_.get(), column);
    }

  private:
    void bind(int at, std::string_view text) {
        sqlite3_bind_text(handle_.get(), at, text.data(), static_cast<int>(text.size()), SQLITE_TRANSIENT);
    }
    void bind(int at, const char* text) { bind(at, std::string_view(text)); }
    void bind(int at, const std::string& text) { bind(at, std::string_view(text)); }
    void bind(int at, std::size_t value) {
        sqlite3_bind_int64(handle_.get(), at, static_cast<sqlite3_int64>(value));
    }
    void bind(int at, std::optional<double> value) {
        if (value && std::isfinite(*value)) {
            sqlite3_bind_double(handle_.get(), at, *value);
        } else {
            sqlite3_bind_null(handle_.get(), at);
        }
    }

    struct Finish {
        void operator()(sqlite3_stmt* statement) const { sqlite3_finalize(statement); }
    };
    Database* database_;
    std::unique_ptr<sqlite3_stmt, Finish> handle_;
};

// PRAGMA user_version: the schema of a tally.
inline long long schema_of(Database& database) {
    Statement version(database, "PRAGMA user_version");
    return version.step() ? version.whole(0) : 0;
}

// Rolls back unless committed.
class Transaction {
  public:
    // A reader says "BEGIN": it sees one state and holds no writer up.
    explicit Transaction(Database& database, const char* begin = "BEGIN IMMEDIATE") : database_(database) {
        database_.execute(begin);
    }
    ~Transaction() {
        if (!done_) sqlite3_exec(database_.get(), "ROLLBACK", nullptr, nullptr, nullptr);
    }
    Transaction(const Transaction&) = delete;
    Transaction& operator=(const Transaction&) = delete;
    void commit() {
        database_.execute("COMMIT");
        done_ = true;
    }

  private:
    Database& database_;
    bool done_ = false;
};

}  // namespace rt::lab
