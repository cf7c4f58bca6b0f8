// What a tally keeps, as plain data.
#pragma once

#include <cstdint>
#include <map>
#include <string>
#include <utility>
#include <vector>

#include "core/measure/outcome.hpp"
#include "core/rules/finding.hpp"

namespace rt {

struct CaptureRecord {
    std::string file;  // relative to the run folder
    std::string kind;  // "spectrum"
    std::string sha256;
    std::uint64_t bytes = 0;
};

struct InstrumentRecord {
    std::string role, name, serial, identity, calibration_due, connected_to, address;
};

struct TestRecord {
    std::string name, title, procedure, instrument, note;
    std::size_t points_planned = 0;
};

struct PointRecord {
    std::string id;            // 16 hexadecimal digits, see core/sweep
    std::size_t position = 0;  // order of the run, from 1
    std::string test;
    std::string label;
    std::vector<std::pair<std::string, std::string>> axes;
    std::vector<std::pair<std::string, std::string>> parameters;
    std::string started, ended;  // UTC, ISO 8601
    CaptureRecord capture;
    std::vector<Result> results;
    std::vector<Finding> findings;
    std::vector<std::string> notes;
};

struct EventRecord {
    std::string time, kind, text;
};

// A copied input file: campaign, bench, rulebook, dialect, simulated unit.
struct FileRecord {
    std::string file;  // relative to the run folder
    std::string kind, sha256;
    std::string reference;  // as the file that needs it names it
};

struct RunRecord {
    std::map<std::string, std::string> facts;  // title, customer, operator, unit.model, environment.* ...
    std::vector<InstrumentRecord> instruments;
    std::vector<TestRecord> tests;
    std::vector<PointRecord> points;  // in the order of the run
    std::vector<EventRecord> events;
    std::vector<FileRecord> files;

    std::string fact(const std::string& name) const;
    VerdictCounts counts() const;
};

}  // namespace rt
