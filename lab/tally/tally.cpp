#include "lab/tally/tally.hpp"

#include <fmt/core.h>

#include <fcntl.h>
#include <sys/file.h>
#include <unistd.h>

#include <cctype>
#include <cerrno>
#include <cstring>

#include "core/base/error.hpp"
#include "core/base/text.hpp"
#include "lab/formats/files.hpp"
#include "lab/tally/chain.hpp"
#include "lab/tally/point_reader.hpp"
#include "lab/tally/read_run.hpp"
#include "lab/tally/schema.hpp"
#include "lab/tally/sqlite.hpp"

namespace rt::lab {

static const char* name(PointKind kind) {
    return kind_names[static_cast<std::size_t>(kind)];
}
static const char* name(Standing standing) {
    return standing_names[static_cast<std::size_t>(standing)];
}

static const char* name(Cause cause) {
    return cause_names[static_cast<std::size_t>(cause)];
}

// One process writes a run. The lock goes with the process, however it ends.
class FolderLock {
  public:
    explicit FolderLock(const std::filesystem::path& folder)
        : file_(::open((folder / "tally.lock").c_str(), O_RDWR | O_CREAT | O_CLOEXEC, 0644)) {
        if (file_ < 0 || ::flock(file_, LOCK_EX | LOCK_NB) != 0) {
            if (file_ >= 0) ::close(file_);
            fail_input(folder.string(), "another process is writing this run: wait for it or stop it");
        }
    }
    ~FolderLock() { ::close(file_); }
    FolderLock(const FolderLock&) = delete;
    FolderLock& operator=(const FolderLock&) = delete;

  private:
    int file_;
};

// What writes a tally. Older ones are only read.
struct Writer {
    explicit Writer(Database& database, const std::filesystem::path& folder)
        : chain(database), seals(folder) {
        for (const auto& [statement, sql] :
             std::initializer_list<std::pair<std::optional<Statement>*, const char*>>{
                 {&add_fact, "INSERT OR REPLACE INTO fact VALUES (?, ?)"},
                 {&add_file, "INSERT INTO file VALUES (?, ?, ?, ?)"},
                 {&add_instrument, "INSERT OR REPLACE INTO instrument VALUES (?, ?, ?, ?, ?, ?, ?)"},
                 {&add_test, "INSERT INTO test VALUES (NULL, ?, ?, ?, ?, ?, ?)"},
                 {&add_point, "INSERT INTO point VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?)"},
                 {&add_setting, "INSERT INTO setting VALUES (?, ?, ?, ?, ?)"},
                 {&add_result, "INSERT INTO result VALUES (?, ?, ?, ?, ?, ?, ?)"},
                 {&add_finding,
                  "INSERT INTO finding VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?)"},
                 {&add_remark, "INSERT INTO remark VALUES (?, ?, ?, ?)"},
                 {&add_event, "INSERT INTO event VALUES (NULL, ?, ?, ?, ?)"},
                 {&add_input, "INSERT INTO input VALUES (?, ?, ?, ?, ?, ?, ?, ?)"},
                 {&add_attachment, "INSERT INTO attachment VALUES (?, ?, ?, ?, ?, ?)"},
                 {&add_sample, "INSERT INTO sample VALUES (NULL, ?, ?, ?, ?)"},
                 {&add_calibration, "INSERT INTO calibration VALUES (NULL, ?, ?, ?, ?, ?, ?, ?)"},
                 {&set_standing,
                  "UPDATE point SET standing = ?, standing_cause = ?, standing_reason = ? WHERE position = "
                  "?"},
                 {&to_set_aside,
                  "SELECT position FROM point WHERE id = ? AND attempt < ? AND standing <> 'superseded'"}})
            statement->emplace(database, sql);
    }

    std::optional<Statement> add_fact, add_file, add_instrument, add_test, add_point, add_setting, add_result,
        add_finding, add_remark, add_event, add_input, add_attachment, add_sample, add_calibration,
        set_standing, to_set_aside;
    Chain chain;
    SealList seals;
};

struct Tally::State {
    explicit State(Database d) : database(std::move(d)) {}

    Database database;
    std::unique_ptr<FolderLock> lock;  // held by the process that writes the run
    std::optional<Writer> writer;
    std::shared_ptr<void> copy;  // of a tally that could not be opened where it is: goes with this

    Writer& w() { return *writer; }
    // Ends a transaction, and notes the chain's new end beside the tally.
    void commit(Transaction& transaction) {
        transaction.commit();
        w().seals.note(database);
    }
    void insert(const PointRecord& point);
    void insert(const RunRecord& head);
    void insert(const std::vector<SampleRecord>& samples) {
        if (samples.empty()) return;
        for (const auto& s : samples)
            w().add_sample->run(s.time, s.watch, std::optional(s.value), symbol(s.unit));
        w().chain.link_samples();
    }
    void insert(const InstrumentRecord& i) {
        w().add_instrument->run(i.role, i.name, i.serial, i.identity, i.calibration_due, i.connected_to,
                                i.address);
        w().chain.link_state("instrument", i.role, instrument_text(database, i.role));
    }
    void put_fact(const std::string& name, const std::string& value) {
        w().add_fact->run(name, value);
        w().chain.link_state("fact", name, "=" + value);
    }
    void put_standing(std::size_t position, Standing standing, Cause cause, const std::string& reason) {
        w().set_standing->run(name(standing), name(cause), reason, position);
        w().chain.link_state("standing", std::to_string(position),
                             standing_text(name(standing), name(cause), reason));
    }
    std::size_t last_row() { return static_cast<std::size_t>(sqlite3_last_insert_rowid(database.get())); }
};

// With the write-ahead log, a flush at every commit: a point is durable when its transaction is.
static constexpr const char* connection_settings = "PRAGMA synchronous=FULL; PRAGMA foreign_keys=ON";

Tally::Tally(std::unique_ptr<State> state) : state_(std::move(state)) {}
Tally::~Tally() = default;
Tally::Tally(Tally&&) noexcept = default;

// False for a file that a process left behind which was killed before its run had begun.
static bool has_begun(const std::filesystem::path& file) {
    if (!std::filesystem::exists(file)) return false;
    try {
        Database database(file.string(), SQLITE_OPEN_READWRITE);
        Statement version(database, "PRAGMA user_version");
        version.step();
        return version.whole(0) != 0;
    } catch (const Error&) {
        return true;  // something else of that name: not to be touched
    }
}

Tally Tally::create(const std::filesystem::path& folder, const std::function<RunRecord()>& prepare) {
    const auto file = folder / tally_file;
    if (has_begun(file)) {
        fail_input(folder.string(), "holds a run already, which is never overwritten: name another folder");
    }
    make_folder(folder);
    if (::access(folder.c_str(), W_OK | X_OK) != 0) {
        fail_input(folder.string(),
                   std::string("cannot be written: ") + std::strerror(errno) + "; name another folder");
    }
    auto lock = std::make_unique<FolderLock>(folder);
    const RunRecord head = prepare();
    Database database(file.string(), SQLITE_OPEN_READWRITE | SQLITE_OPEN_CREATE);
    database.execute("PRAGMA journal_mode=WAL");
    database.execute(connection_settings);
    // Closing without COMMIT, for whatever reason, leaves nothing.
    database.execute("BEGIN IMMEDIATE");
    database.execute(tally_tables);
    database.execute(("PRAGMA user_version=" + std::to_string(tally_schema)).c_str());
    Tally tally(std::make_unique<State>(std::move(database)));
    tally.state_->lock = std::move(lock);
    tally.state_->writer.emplace(tally.state_->database, folder);
    tally.state_->writer->seals.begin();
    tally.state_->insert(head);
    tally.state_->database.execute("COMMIT");
    tally.state_->writer->seals.note(tally.state_->database);
    return tally;
}

Tally Tally::open_to_write(const std::filesystem::path& folder) {
    Tally tally = open(folder);
    if (schema_of(tally.state_->database) != tally_schema) {
        fail_input(folder.string(), "was begun with schema " +
                                        std::to_string(schema_of(tally.state_->database)) +
                                        ": it can be read, judged, reported and verified, not carried on");
    }
    tally.state_->lock = std::make_unique<FolderLock>(folder);
    require_unaltered(tally.state_->database, folder);
    tally.state_->writer.emplace(tally.state_->database, folder);
    return tally;
}

// A folder that nobody can write to (an archive, a read-only medium) holds no lock and no log of its own: the
// tally is read as it is, or from a copy when a log with its last entries stands beside it.
static Database open_unwritable(const std::filesystem::path& file, std::shared_ptr<void>& copy) {
    auto log = file;
    log += "-wal";
    std::error_code error;
    if (std::filesystem::file_size(log, error) == 0 || error) {
        std::string name;
        for (const char c : std::filesystem::absolute(file).string()) {
            const bool plain =
                std::isalnum(static_cast<unsigned char>(c)) || c == '/' || c == '.' || c == '-' || c == '_';
            name += plain ? std::string(1, c) : "%" + hex(static_cast<unsigned char>(c), 2);
        }
        return {"file:" + name + "?immutable=1", SQLITE_OPEN_READONLY | SQLITE_OPEN_URI};
    }
    std::string pattern = (std::filesystem::temp_directory_path() / "rare-tally-XXXXXX").string();
    if (!::mkdtemp(pattern.data())) fail_input(file.string(), "cannot be read: no room for a copy");
    const std::filesystem::path folder = pattern;
    copy = std::shared_ptr<void>(nullptr, [folder](void*) {
        std::error_code ignored;
        std::filesystem::remove_all(folder, ignored);
    });
    std::filesystem::copy_file(file, folder / tally_file, error);
    if (!error) std::filesystem::copy_file(log, folder / (std::string(tally_file) + "-wal"), error);
    if (error) fail_input(file.string(), "cannot be read: " + error.message());
    return {(folder / tally_file).string(), SQLITE_OPEN_READWRITE};
}

Tally Tally::open(const std::filesystem::path& folder) {
    return open(folder, 0);
}

Tally Tally::open(const std::filesystem::path& folder, int more_flags) {
    const auto file = folder / tally_file;
    if (!std::filesystem::exists(file)) {
        fail_input(folder.string(), std::string("is no run folder: there is no ") + tally_file + " in it");
    }
    try {
        std::shared_ptr<void> copy;
        const bool writable = ::access(folder.c_str(), W_OK) == 0 && ::access(file.c_str(), W_OK) == 0;
        Database database = writable ? Database(file.string(), SQLITE_OPEN_READWRITE | more_flags)
                                     : open_unwritable(file, copy);
        if (writable) database.execute(connection_settings);
        const long long schema = schema_of(database);
        if (schema < oldest_tally_schema || schema > tally_schema) {
            fail_input(file.string(), schema == 0 ? std::string("holds no run: it was never begun")
                                                  : fmt::format("has schema {}, this program reads {} to {}",
                                                                schema, oldest_tally_schema, tally_schema));
        }
        Tally tally(std::make_unique<State>(std::move(database)));
        tally.state_->copy = std::move(copy);
        return tally;
    } catch (const Error& error) {
        if (error.kind() == ErrorKind::output)
            fail_input(error.place(), "cannot be read: " + error.message());
        throw;
    }
}

void Tally::State::insert(const RunRecord& run) {
    for (const auto& f : run.files) w().add_file->run(f.file, f.kind, f.sha256, f.reference);
    for (const auto& t : run.tests) {
        w().add_test->run(t.name, t.title, t.procedure, t.instrument, t.note, t.points_planned);
    }
    w().chain.begin();
    for (const auto& [name, value] : facts_of(run)) put_fact(name, value);
    for (const auto& i : run.instruments) insert(i);
}

void Tally::State::insert(const PointRecord& p) {
    w().add_point->run(p.position, p.id, p.attempt, name(p.kind), name(p.standing), name(p.standing_cause),
                       p.standing_reason, p.test, p.label, p.parent, p.invalid, p.started, p.ended,
                       p.capture.file, p.capture.kind, p.capture.sha256,
                       static_cast<std::size_t>(p.capture.bytes));
    if (p.attempt > 1) {
        std::vector<std::size_t> earlier;
        w().to_set_aside->start(p.id, p.attempt);
        while (w().to_set_aside->step())
            earlier.push_back(static_cast<std::size_t>(w().to_set_aside->whole(0)));
        for (const std::size_t position : earlier)
            put_standing(position, Standing::superseded, Cause::again, "measured again");
    }
    for (std::size_t i = 0; i < p.inputs.size(); ++i) {
        const CaptureRecord& c = p.inputs[i].capture;
        w().add_input->run(p.position, i, p.inputs[i].name, p.inputs[i].source, c.file, c.kind, c.sha256,
                           static_cast<std::size_t>(c.bytes));
    }
    for (std::size_t i = 0; i < p.attachments.size(); ++i) {
        const CaptureRecord& a = p.attachments[i];
        w().add_attachment->run(p.position, i, a.file, a.kind, a.sha256, static_cast<std::size_t>(a.bytes));
    }
    const auto settings = [&](const char* kind, const auto& list) {
        std::size_t number = 0;
        for (const auto& [name, value] : list) w().add_setting->run(p.position, kind, number++, name, value);
    };
    settings("axis", p.axes);
    std::vector<std::pair<std::string, std::string>> stated, defaults;
    for (const auto& entry : p.parameters)
        (p.defaults.contains(entry.first) ? defaults : stated).push_back(entry);
    settings("parameter", stated);
    settings("preset", defaults);
    for (std::size_t i = 0; i < p.results.size(); ++i) {
        const Result& r = p.results[i];
        w().add_result->run(p.position, i, r.name, std::optional(r.value.value), symbol(r.value.unit),
                            r.uncertainty, rt::name(r.known));
    }
    std::size_t remark = 0;  // finding 0 stands for the point itself, findings count from 1
    for (const auto& note : p.notes) w().add_remark->run(p.position, std::size_t{0}, remark++, note);
    for (std::size_t i = 0; i < p.findings.size(); ++i) {
        const Finding& f = p.findings[i];
        w().add_finding->run(p.position, i + 1, f.rule, f.title, f.clause, symbol(f.unit), f.limit, f.value,
                             f.margin, rt::name(f.verdict), f.reason,
                             f.at ? std::optional(f.at->value) : std::nullopt, f.at ? symbol(f.at->unit) : "",
                             std::size_t{f.at_offset}, f.points_judged, f.points_beyond, f.uncertainty,
                             f.guard, f.wrong_pass);
        for (std::size_t k = 0; k < f.deviations.size(); ++k)
            w().add_remark->run(p.position, i + 1, k, f.deviations[k]);
    }
    w().chain.link("point", p.position);
    if (p.standing != Standing::valid)
        w().chain.link_state("standing", std::to_string(p.position),
                             standing_text(name(p.standing), name(p.standing_cause), p.standing_reason));
}

void Tally::add(const PointRecord& point, const std::vector<SampleRecord>& samples) {
    Transaction transaction(state_->database);
    state_->insert(point);
    state_->insert(samples);
    state_->commit(transaction);
}

void Tally::add(const std::vector<SampleRecord>& samples) {
    if (samples.empty()) return;
    Transaction transaction(state_->database);
    state_->insert(samples);
    state_->commit(transaction);
}

void Tally::correct(const Correction& what, const std::string& reason) {
    Transaction transaction(state_->database);
    for (std::size_t i = 0; i < what.files.size(); ++i) {
        const auto [name, value] = fact_of(what.files[i], i + 1);
        state_->put_fact(name, value);
    }
    for (const auto& [name, value] : what.facts) state_->put_fact(name, value);
    for (const auto position : what.again)
        state_->put_standing(position, Standing::superseded, Cause::again, reason);
    state_->w().add_event->run(what.event.time, what.event.kind, what.event.text,
                               std::optional(what.event.seconds));
    state_->w().chain.link("event", state_->last_row());
    state_->commit(transaction);
}

void Tally::add(const EventRecord& event) {
    Transaction transaction(state_->database);
    state_->w().add_event->run(event.time, event.kind, event.text, std::optional(event.seconds));
    state_->w().chain.link("event", state_->last_row());
    state_->commit(transaction);
}

void Tally::add(const CalibrationRecord& c) {
    Transaction transaction(state_->database);
    state_->w().add_calibration->run(c.name, c.test, c.taken, c.valid_until, c.file, c.sha256, c.invalid);
    state_->w().chain.link("calibration", state_->last_row());
    state_->commit(transaction);
}

void Tally::void_points(const std::vector<std::size_t>& positions, Cause cause, const std::string& reason) {
    Transaction transaction(state_->database);
    for (const auto position : positions) state_->put_standing(position, Standing::voided, cause, reason);
    state_->commit(transaction);
}

void Tally::supersede(const std::vector<std::size_t>& positions, const std::string& reason) {
    Transaction transaction(state_->database);
    for (const auto position : positions)
        state_->put_standing(position, Standing::superseded, Cause::again, reason);
    state_->commit(transaction);
}

void Tally::put_instruments(const std::vector<InstrumentRecord>& instruments) {
    Transaction transaction(state_->database);
    for (const auto& instrument : instruments) state_->insert(instrument);
    state_->commit(transaction);
}

void Tally::set_fact(const std::string& name, const std::string& value) {
    Transaction transaction(state_->database);
    state_->put_fact(name, value);
    state_->commit(transaction);
}

VerdictCounts Tally::counts() {
    Statement rows(
        state_->database,
        "SELECT CASE standing WHEN 'void' THEN 'NONE' ELSE verdict END, count(*) FROM finding JOIN "
        "point ON finding.point = point.position WHERE standing <> 'superseded' GROUP BY 1");
    VerdictCounts counts;
    while (rows.step()) {
        const auto verdict = parse_verdict(rows.text(0)).value_or(Verdict::none);
        counts.add(verdict, static_cast<std::size_t>(rows.whole(1)));
    }
    return counts;
}

void Tally::look_at(const std::filesystem::path& folder, const std::function<void(Database&)>& look) {
    // By one thread alone: a lock at every call is a seventh of the time that looking through a run takes.
    Tally tally = open(folder, SQLITE_OPEN_NOMUTEX);
    look(tally.state_->database);
}

std::string Tally::state_text() {
    return resumed_from(state_->database);
}

std::size_t Tally::points() {
    Statement count(state_->database, "SELECT count(*) FROM point WHERE standing <> 'superseded'");
    return count.step() ? static_cast<std::size_t>(count.whole(0)) : 0;
}

RunRecord Tally::read() {
    return read_run(state_->database);
}

RunRecord Tally::read_frame() {
    Transaction one_state(state_->database, "BEGIN");
    return lab::read_frame(state_->database);
}

void Tally::each_point(const std::function<void(PointRecord&&)>& take) {
    Transaction one_state(state_->database, "BEGIN");
    PointReader points(state_->database);
    for (PointRecord point; points.next(point);) take(std::move(point));
}

}  // namespace rt::lab
