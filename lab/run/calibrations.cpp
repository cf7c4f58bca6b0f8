#include "lab/run/calibrations.hpp"

#include <algorithm>

#include "core/base/error.hpp"
#include "core/base/text.hpp"
#include "lab/clock.hpp"
#include "lab/formats/correction_file.hpp"
#include "lab/formats/files.hpp"

namespace rt::lab {
namespace {

// The axis whose values are frequencies set somewhere; nothing when there is none.
std::optional<std::size_t> frequency_axis(const Sweep& sweep) {
    for (std::size_t i = 0; i < sweep.axes.size(); ++i) {
        const auto& quantity = sweep.axes[i].values.front().quantity;
        if (quantity && quantity->unit == Unit::hertz) return i;
    }
    return std::nullopt;
}

// Means of points with the same frequency (repeats, further axes).
CorrectionTable table_of(const PlannedTest& planned, const std::vector<PointRecord>& points) {
    const Test& test = *planned.test;
    const auto axis = frequency_axis(test.sweep);
    std::map<double, std::pair<double, int>> sums;
    for (const auto& point : points) {
        const Result* result = point.find_result(test.provides_result);
        if (!result) fail_input(point.label + " has no " + test.provides_result);
        double hz = 1;
        if (axis) {
            const auto& wanted = test.sweep.axes[*axis];
            const auto text = std::find_if(point.axes.begin(), point.axes.end(),
                                           [&](const auto& a) { return a.first == wanted.name; });
            for (const auto& value : wanted.values) {
                if (text != point.axes.end() && value.text == text->second) hz = value.quantity->value;
            }
        }
        sums[hz].first += result->value.value;
        ++sums[hz].second;
    }
    std::vector<double> frequency, db;
    for (const auto& [hz, sum] : sums) frequency.push_back(hz), db.push_back(sum.first / sum.second);
    if (!axis && !frequency.empty()) frequency.push_back(1e15), db.push_back(db.front());  // holds everywhere
    return {std::move(frequency), std::move(db)};
}

}  // namespace

void Calibrations::know(const CalibrationRecord& record) {
    Known known{record, {}};
    if (!record.file.empty() && record.invalid.empty()) {
        const std::string text = read_file(folder_ / record.file);
        if (sha256(text) != record.sha256) {
            fail_input((folder_ / record.file).string(),
                       "was altered: its SHA-256 is not the one in the tally");
        }
        known.table = parse_correction(text, folder_ / record.file).table;
    }
    known_[record.name] = std::move(known);
}

CalibrationRecord Calibrations::make(const PlannedTest& planned, const std::vector<PointRecord>& points) {
    const Test& test = *planned.test;
    CalibrationRecord record{test.provides, test.name, utc_now(), "", "", "", ""};
    if (test.valid_for_s) record.valid_until = utc_after(record.taken, *test.valid_for_s);
    for (const auto& point : points) {
        for (const auto& finding : point.findings) {
            if (finding.verdict == Verdict::fail || finding.verdict == Verdict::none)
                record.invalid = "its test " + test.name + " did not pass at " + point.label;
        }
    }
    if (points.empty()) record.invalid = "its test " + test.name + " has no points";
    if (record.invalid.empty() && !test.provides_result.empty()) {
        try {
            const CorrectionTable table = table_of(planned, points);
            const std::string text = correction_csv(table, record.taken, record.valid_until);
            make_folder(folder_ / "corrections");
            std::string stamp = record.taken.substr(0, 19);
            std::erase(stamp, ':');
            const std::string name = "corrections/" + slug(test.provides) + "-" + stamp + "Z";
            record.file = name + ".csv";
            // Earlier ones stay, even of the same second.
            for (int i = 2; std::filesystem::exists(folder_ / record.file); ++i)
                record.file = name + "-" + std::to_string(i) + ".csv";
            write_file(folder_ / record.file, text);
            record.sha256 = sha256(text);
        } catch (const Error& error) {
            if (error.kind() != ErrorKind::input) throw;
            record.invalid = error.message();
        }
    }
    know(record);
    return record;
}

std::string Calibrations::lapse(const std::string& name) const {
    const auto at = known_.find(name);
    if (at == known_.end()) return "the calibration " + in_quotes(name) + " was not made";
    const CalibrationRecord& record = at->second.record;
    if (!record.invalid.empty())
        return "the calibration " + in_quotes(name) + " is not valid: " + record.invalid;
    const std::string now = utc_now();
    if (!record.valid_until.empty() && now > record.valid_until)
        return "the calibration " + in_quotes(name) + " lapsed at " + record.valid_until;
    // A clock that was set back says nothing about how old it is.
    if (!record.valid_until.empty() && seconds_between(now, record.taken) > 1)
        return "the calibration " + in_quotes(name) + " was taken at " + record.taken +
               ", later than now: the clock was set back";
    return {};
}

SignalPath Calibrations::path(const std::string& role) const {
    SignalPath out;
    const BenchPath* path = bench_.find_path(role);
    if (!path) return out;
    for (const auto& entry : path->entries) {
        PathPart part = entry.part;
        if (!entry.valid_until.empty() && today() > entry.valid_until.substr(0, 10)) {
            part.invalid = in_quotes(part.name) + " in the path to the " + role + " was valid until " +
                           entry.valid_until;
        }
        if (!entry.calibration.empty()) {
            part.invalid = lapse(entry.calibration);
            const auto at = known_.find(entry.calibration);
            if (at != known_.end()) part.table = at->second.table;
        }
        out.parts.push_back(std::move(part));
    }
    return out;
}

}  // namespace rt::lab
