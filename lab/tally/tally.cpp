#include "lab/tally/tally.hpp"

#include <fcntl.h>
#include <sys/file.h>
#include <unistd.h>

#include <algorithm>
#include <cerrno>
#include <cstring>

#include "core/base/error.hpp"
#include "lab/formats/files.hpp"
#include "lab/tally/schema.hpp"
#include "lab/tally/sqlite.hpp"

namespace rt {

std::string RunRecord::fact(const std::string& name) const {
    const auto at = facts.find(name);
    return at == facts.end() ? "" : at->second;
}

const Result* PointRecord::find_result(const std::string& name) const {
    for (const auto& result : results) {
        if (result.name == name) return &result;
    }
    return nullptr;
}

void withdraw(PointRecord& point) {
    for (auto& finding : point.findings) {
        finding.verdict = Verdict::none;
        finding.reason = "void: " + point.standing_reason;
        finding.limit.reset();
        finding.value.reset();
        finding.margin.reset();
        finding.at.reset();
    }
    point.notes.push_back("void: " + point.standing_reason);
}

VerdictCounts RunRecord::counts() const {
    VerdictCounts counts;
    for (const auto& point : points) {
        for (const auto& finding : point.findings) counts.add(finding.verdict);
    }
    return counts;
}

static constexpr const char* kind_names[] = {"point", "trial", "threshold", "check"};
static constexpr const char* standing_names[] = {"valid", "superseded", "void"};

static const char* name(PointKind kind) {
    return kind_names[static_cast<std::size_t>(kind)];
}
static const char* name(Standing standing) {
    return standing_names[static_cast<std::size_t>(standing)];
}
template <class Enum, std::size_t n>
static Enum parse(const char* const (&names)[n], const std::string& text) {
    const auto at = std::find(std::begin(names), std::end(names), text);
    return static_cast<Enum>((at == std::end(names) ? std::begin(names) : at) - std::begin(names));
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

struct Tally::State {
    explicit State(Database d) : database(std::move(d)) {}

    Database database;
    Statement add_fact{database, "INSERT OR REPLACE INTO fact VALUES (?, ?)"};
    Statement add_file{database, "INSERT INTO file VALUES (?, ?, ?, ?)"};
    Statement add_instrument{database, "INSERT OR REPLACE INTO instrument VALUES (?, ?, ?, ?, ?, ?, ?)"};
    Statement add_test{database, "INSERT INTO test VALUES (NULL, ?, ?, ?, ?, ?, ?)"};
    Statement add_point{database, "INSERT INTO point VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?)"};
    Statement add_setting{database, "INSERT INTO setting VALUES (?, ?, ?, ?, ?)"};
    Statement add_result{database, "INSERT INTO result VALUES (?, ?, ?, ?, ?, ?)"};
    Statement add_finding{database,
                          "INSERT INTO finding VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?)"};
    Statement add_remark{database, "INSERT INTO remark VALUES (?, ?, ?, ?)"};
    Statement add_event{database, "INSERT INTO event VALUES (NULL, ?, ?, ?, ?)"};
    Statement add_attachment{database, "INSERT INTO attachment VALUES (?, ?, ?, ?, ?, ?)"};
    Statement add_sample{database, "INSERT INTO sample VALUES (NULL, ?, ?, ?, ?)"};
    Statement add_calibration{database, "INSERT INTO calibration VALUES (NULL, ?, ?, ?, ?, ?, ?, ?)"};
    Statement set_standing{database, "UPDATE point SET standing = ?, standing_reason = ? WHERE position = ?"};
    Statement set_aside{database,
                        "UPDATE point SET standing = 'superseded', standing_reason = ? WHERE id = ? AND "
                        "attempt < ? AND standing <> 'superseded'"};

    std::unique_ptr<FolderLock> lock;  // held by the process that writes the run

    void insert(const PointRecord& point);
    void insert(const RunRecord& head);
    void insert(const InstrumentRecord& i) {
        add_instrument.run(i.role, i.name, i.serial, i.identity, i.calibration_due, i.connected_to,
                           i.address);
    }
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
    tally.state_->insert(head);
    tally.state_->database.execute("COMMIT");
    return tally;
}

Tally Tally::open_to_write(const std::filesystem::path& folder) {
    Tally tally = open(folder);
    tally.state_->lock = std::make_unique<FolderLock>(folder);
    return tally;
}

Tally Tally::open(const std::filesystem::path& folder) {
    const auto file = folder / tally_file;
    if (!std::filesystem::exists(file)) {
        fail_input(folder.string(), std::string("is no run folder: there is no ") + tally_file + " in it");
    }
    try {
        Database database(file.string(), SQLITE_OPEN_READWRITE);
        database.execute(connection_settings);
        Statement version(database, "PRAGMA user_version");
        version.step();
        if (version.whole(0) != tally_schema) {
            fail_input(file.string(), "has schema " + std::to_string(version.whole(0)) +
                                          ", this program reads " + std::to_string(tally_schema));
        }
        return Tally(std::make_unique<State>(std::move(database)));
    } catch (const Error& error) {
        if (error.kind() == ErrorKind::output)
            fail_input(error.place(), "cannot be read: " + error.message());
        throw;
    }
}

void Tally::State::insert(const RunRecord& run) {
    for (const auto& [name, value] : run.facts) add_fact.run(name, value);
    for (const auto& f : run.files) add_file.run(f.file, f.kind, f.sha256, f.reference);
    for (const auto& i : run.instruments) insert(i);
    for (const auto& t : run.tests) {
        add_test.run(t.name, t.title, t.procedure, t.instrument, t.note, t.points_planned);
    }
}

void Tally::State::insert(const PointRecord& p) {
    add_point.run(p.position, p.id, p.attempt, name(p.kind), name(p.standing), p.standing_reason, p.test,
                  p.label, p.started, p.ended, p.capture.file, p.capture.kind, p.capture.sha256,
                  static_cast<std::size_t>(p.capture.bytes));
    if (p.attempt > 1) set_aside.run("measured again", p.id, p.attempt);
    for (std::size_t i = 0; i < p.attachments.size(); ++i) {
        const CaptureRecord& a = p.attachments[i];
        add_attachment.run(p.position, i, a.file, a.kind, a.sha256, static_cast<std::size_t>(a.bytes));
    }
    const auto settings = [&](const char* kind, const auto& list) {
        std::size_t number = 0;
        for (const auto& [name, value] : list) add_setting.run(p.position, kind, number++, name, value);
    };
    settings("axis", p.axes);
    settings("parameter", p.parameters);
    for (std::size_t i = 0; i < p.results.size(); ++i) {
        const Result& r = p.results[i];
        add_result.run(p.position, i, r.name, std::optional(r.value.value), symbol(r.value.unit),
                       r.uncertainty);
    }
    std::size_t remark = 0;  // finding 0 stands for the point itself, findings count from 1
    for (const auto& note : p.notes) add_remark.run(p.position, std::size_t{0}, remark++, note);
    for (std::size_t i = 0; i < p.findings.size(); ++i) {
        const Finding& f = p.findings[i];
        add_finding.run(p.position, i + 1, f.rule, f.title, f.clause, symbol(f.unit), f.limit, f.value,
                        f.margin, rt::name(f.verdict), f.reason,
                        f.at ? std::optional(f.at->value) : std::nullopt, f.at ? symbol(f.at->unit) : "",
                        std::size_t{f.at_offset}, f.points_judged, f.points_beyond);
        for (std::size_t k = 0; k < f.deviations.size(); ++k)
            add_remark.run(p.position, i + 1, k, f.deviations[k]);
    }
}

void Tally::add(const PointRecord& point, const std::vector<SampleRecord>& samples) {
    Transaction transaction(state_->database);
    state_->insert(point);
    for (const auto& s : samples)
        state_->add_sample.run(s.time, s.watch, std::optional(s.value), symbol(s.unit));
    transaction.commit();
}

void Tally::add(const std::vector<SampleRecord>& samples) {
    if (samples.empty()) return;
    Transaction transaction(state_->database);
    for (const auto& s : samples)
        state_->add_sample.run(s.time, s.watch, std::optional(s.value), symbol(s.unit));
    transaction.commit();
}

void Tally::add(const EventRecord& event) {
    state_->add_event.run(event.time, event.kind, event.text, std::optional(event.seconds));
}

void Tally::add(const CalibrationRecord& c) {
    state_->add_calibration.run(c.name, c.test, c.taken, c.valid_until, c.file, c.sha256, c.invalid);
}

void Tally::void_points(const std::vector<std::size_t>& positions, const std::string& reason) {
    Transaction transaction(state_->database);
    for (const auto position : positions) state_->set_standing.run("void", reason, position);
    transaction.commit();
}

void Tally::supersede(const std::vector<std::size_t>& positions, const std::string& reason) {
    Transaction transaction(state_->database);
    for (const auto position : positions) state_->set_standing.run("superseded", reason, position);
    transaction.commit();
}

void Tally::put_instruments(const std::vector<InstrumentRecord>& instruments) {
    Transaction transaction(state_->database);
    for (const auto& instrument : instruments) state_->insert(instrument);
    transaction.commit();
}

void Tally::set_fact(const std::string& name, const std::string& value) {
    state_->add_fact.run(name, value);
}

namespace {

Unit unit_of(const std::string& symbol) {
    const auto spelling = parse_unit(symbol);
    return spelling ? spelling->unit : Unit::none;
}

void read_points(Database& db, RunRecord& run) {
    Statement points(db,
                     "SELECT position, id, test, label, started, ended, capture_path, capture_kind, "
                     "capture_sha256, capture_bytes, attempt, kind, standing, standing_reason FROM point "
                     "ORDER BY position");
    std::map<long long, std::size_t> index;
    while (points.step()) {
        PointRecord p;
        p.position = static_cast<std::size_t>(points.whole(0));
        p.id = points.text(1), p.test = points.text(2), p.label = points.text(3);
        p.started = points.text(4), p.ended = points.text(5);
        p.capture = {points.text(6), points.text(7), points.text(8),
                     static_cast<std::uint64_t>(points.whole(9))};
        p.attempt = static_cast<std::size_t>(points.whole(10));
        p.kind = parse<PointKind>(kind_names, points.text(11));
        p.standing = parse<Standing>(standing_names, points.text(12));
        p.standing_reason = points.text(13);
        index[points.whole(0)] = run.points.size();
        run.points.push_back(std::move(p));
    }
    const auto point = [&](const Statement& s) -> PointRecord& {
        return run.points.at(index.at(s.whole(0)));
    };
    Statement settings(db, "SELECT point, kind, name, value FROM setting ORDER BY point, kind, number");
    while (settings.step()) {
        auto& list = settings.text(1) == "axis" ? point(settings).axes : point(settings).parameters;
        list.emplace_back(settings.text(2), settings.text(3));
    }
    Statement results(db, "SELECT point, name, value, unit, uncertainty FROM result ORDER BY point, number");
    while (results.step()) {
        point(results).results.push_back(
            {results.text(1), {results.number(2).value_or(0), unit_of(results.text(3))}, results.number(4)});
    }
    Statement findings(
        db,
        "SELECT point, rule, title, clause, unit, limit_value, value, margin, verdict, reason, "
        "at_value, at_unit, points_judged, points_beyond, at_offset FROM finding ORDER BY point, number");
    while (findings.step()) {
        Finding f;
        f.rule = findings.text(1), f.title = findings.text(2), f.clause = findings.text(3);
        f.unit = unit_of(findings.text(4));
        f.limit = findings.number(5), f.value = findings.number(6), f.margin = findings.number(7);
        f.verdict = parse_verdict(findings.text(8)).value_or(Verdict::none);
        f.reason = findings.text(9);
        if (const auto at = findings.number(10)) f.at = Quantity{*at, unit_of(findings.text(11))};
        f.points_judged = static_cast<std::size_t>(findings.whole(12));
        f.points_beyond = static_cast<std::size_t>(findings.whole(13));
        f.at_offset = findings.whole(14) != 0;
        point(findings).findings.push_back(std::move(f));
    }
    Statement attachments(db,
                          "SELECT point, path, kind, sha256, bytes FROM attachment ORDER BY point, number");
    while (attachments.step()) {
        point(attachments)
            .attachments.push_back({attachments.text(1), attachments.text(2), attachments.text(3),
                                    static_cast<std::uint64_t>(attachments.whole(4))});
    }
    Statement remarks(db, "SELECT point, finding, text FROM remark ORDER BY point, finding, number");
    while (remarks.step()) {
        auto& p = point(remarks);
        const auto finding = static_cast<std::size_t>(remarks.whole(1));
        (finding == 0 ? p.notes : p.findings.at(finding - 1).deviations).push_back(remarks.text(2));
    }
}

// Superseded points apart; the findings of void ones without verdict.
void sort_standing(RunRecord& run) {
    const auto aside = std::stable_partition(run.points.begin(), run.points.end(), [](const PointRecord& p) {
        return p.standing != Standing::superseded;
    });
    run.superseded.assign(std::make_move_iterator(aside), std::make_move_iterator(run.points.end()));
    run.points.erase(aside, run.points.end());
    for (auto& point : run.points) {
        if (point.standing != Standing::voided) continue;
        withdraw(point);
    }
}

}  // namespace

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

RunRecord Tally::read() {
    Database& db = state_->database;
    Transaction one_state(db, "BEGIN");
    RunRecord run;
    Statement facts(db, "SELECT name, value FROM fact");
    while (facts.step()) run.facts[facts.text(0)] = facts.text(1);
    Statement files(db, "SELECT path, kind, sha256, reference FROM file ORDER BY path");
    while (files.step()) run.files.push_back({files.text(0), files.text(1), files.text(2), files.text(3)});
    Statement instruments(db,
                          "SELECT role, name, serial, identity, calibration_due, connected_to, address "
                          "FROM instrument ORDER BY role");
    while (instruments.step()) {
        run.instruments.push_back({instruments.text(0), instruments.text(1), instruments.text(2),
                                   instruments.text(3), instruments.text(4), instruments.text(5),
                                   instruments.text(6)});
    }
    Statement tests(
        db, "SELECT name, title, procedure, instrument, note, points_planned FROM test ORDER BY number");
    while (tests.step()) {
        run.tests.push_back({tests.text(0), tests.text(1), tests.text(2), tests.text(3), tests.text(4),
                             static_cast<std::size_t>(tests.whole(5))});
    }
    read_points(db, run);
    sort_standing(run);
    Statement events(db, "SELECT time, kind, text, seconds FROM event ORDER BY number");
    while (events.step()) {
        run.events.push_back({events.text(0), events.text(1), events.text(2), events.number(3).value_or(0)});
    }
    Statement samples(db, "SELECT time, watch, value, unit FROM sample ORDER BY number");
    while (samples.step()) {
        run.samples.push_back(
            {samples.text(0), samples.text(1), samples.number(2).value_or(0), unit_of(samples.text(3))});
    }
    Statement calibrations(
        db, "SELECT name, test, taken, valid_until, path, sha256, invalid FROM calibration ORDER BY number");
    while (calibrations.step()) {
        run.calibrations.push_back({calibrations.text(0), calibrations.text(1), calibrations.text(2),
                                    calibrations.text(3), calibrations.text(4), calibrations.text(5),
                                    calibrations.text(6)});
    }
    return run;
}

}  // namespace rt
