// What a tally keeps, as plain data.
#pragma once

#include <cstdint>
#include <map>
#include <set>
#include <string>
#include <utility>
#include <vector>

#include "core/outcome/outcome.hpp"
#include "core/rules/finding.hpp"
#include "lab/model/run_head.hpp"

namespace rt::lab {

struct CaptureRecord {
    std::string file;  // relative to the run folder
    std::string kind;  // "spectrum", "power", "counts", "trials", "picture"
    std::string sha256;
    std::uint64_t bytes = 0;
};

// A capture that a point was made from, where these have names or come from points of other tests.
struct InputRecord {
    std::string name;    // of the procedure's input; "" for its only one
    std::string source;  // id of the point that it is the capture of; "" for one of its own
    CaptureRecord capture;
};

struct InstrumentRecord {
    std::string role, name, serial, identity, calibration_due, connected_to, address;
};

struct TestRecord {
    std::string name, title, procedure, instrument, note;
    std::size_t points_planned = 0;
    std::string trend = {};     // "rising", "falling", "": how its first result is expected to go
    std::string found_by = {};  // the test that found the values of its last axis; "" for none
    std::string origin = {};    // of a conclusion: what it is drawn from, in words; "" for others
};

enum class PointKind {
    point,      // of a sweep
    trial,      // of a search: measured, not judged
    threshold,  // what a search came to
    check,      // of a recheck
    maximum,    // what the trials of a maximisation came to: where it is highest; not judged
};

// Nothing is measured for it: it is drawn from the trials before it.
constexpr bool made_of_trials(PointKind kind) {
    return kind == PointKind::threshold || kind == PointKind::maximum;
}

// Who took a point's verdict away, or set it aside.
enum class Cause {
    none,
    again,    // measured again: by the operator's wish, after a failure
    watch,    // a side quantity was outside its limits
    recheck,  // what should have stayed as it was has drifted
    input,    // a capture of another test that it was made from no longer counts
};

enum class Standing {
    valid,
    superseded,  // measured again later
    voided,      // not to be trusted: its findings have no verdict
};

struct PointRecord {
    std::string id;            // 16 hexadecimal digits, see core/sweep
    std::string parent;        // of a trial: the id of the point that it is made for; "" for others
    std::string invalid;       // why nothing of it may be judged; "" when it may
    std::size_t position = 0;  // order of the run, from 1
    std::size_t attempt = 1;   // counts measurements of one id
    PointKind kind = PointKind::point;
    Standing standing = Standing::valid;
    Cause standing_cause = Cause::none;
    std::string standing_reason;
    std::string test;
    std::string label;
    std::vector<std::pair<std::string, std::string>> axes;
    std::vector<std::pair<std::string, std::string>> parameters;
    std::set<std::string> defaults;  // names of parameters that nobody stated: the procedure's own values
    std::string started, ended;      // UTC, ISO 8601
    CaptureRecord capture;
    std::vector<InputRecord> inputs;         // all, the first among them; none for most points
    std::vector<CaptureRecord> attachments;  // pictures, answers of programs, what was made
    std::vector<Result> results;
    std::vector<Finding> findings;
    std::vector<std::string> notes;

    const Result* find_result(const std::string& name) const;
    // The capture that it is an input of other points by: what its procedure made, else its own.
    const CaptureRecord& handed_on() const;
};
// Of an attachment: what the point's procedure made for later tests.
inline constexpr const char* made_attachment = "made";

// Takes the verdicts of a void point away, as a tally gives it back.
void withdraw(PointRecord& point);

struct EventRecord {
    std::string time, kind, text;
    double seconds = 0;  // how long it lasted
};

// One reading of a watch.
struct SampleRecord {
    std::string time, watch;
    double value = 0;
    Unit unit = Unit::none;
};

// A calibration that a test of the run has made.
struct CalibrationRecord {
    std::string name, test, taken, valid_until;  // UTC; "" for the whole run
    std::string file, sha256;                    // table of corrections, "" for none
    std::string invalid;                         // why it is none
};

// A copied input file: campaign, bench, rulebook, dialect, simulated unit.
struct FileRecord {
    std::string file;  // relative to the run folder
    std::string kind, sha256;
    std::string reference;  // as the file that needs it names it
    int correction = 0;     // of the bench that it came with; 0 for what the run began with
};

struct RunRecord {
    RunHead head;
    std::vector<InstrumentRecord> instruments;
    std::vector<TestRecord> tests;
    std::vector<PointRecord> points;      // in the order of the run, without those superseded
    std::vector<PointRecord> superseded;  // in the order of the run
    std::vector<EventRecord> events;
    std::vector<SampleRecord> samples;
    std::vector<CalibrationRecord> calibrations;  // in the order in which they were made
    std::vector<FileRecord> files;

    bool complete() const { return head.state == RunState::complete; }
    // What facts_of() calls so; "" for nothing.
    std::string fact(const std::string& name) const;
    const TestRecord* find_test(const std::string& name) const;
    VerdictCounts counts() const;
};

// Of the run as a whole: FAIL before NONE (also of a run that is not complete, or judged nothing) before
// MARGINAL.
Verdict overall_verdict(const RunRecord& run);

}  // namespace rt::lab
