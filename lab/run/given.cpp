#include "lab/run/given.hpp"

#include <fmt/core.h>

#include <algorithm>
#include <deque>
#include <memory>
#include <mutex>

#include "core/base/error.hpp"
#include "core/base/text.hpp"
#include "lab/captures/capture_file.hpp"
#include "lab/captures/result_table.hpp"
#include "lab/clock.hpp"
#include "lab/formats/files.hpp"
#include "lab/run/around.hpp"

namespace rt::lab {
namespace {

const std::string* value_of(const TextPairs& axes, const std::string& name) {
    const auto at =
        std::find_if(axes.begin(), axes.end(), [&](const auto& axis) { return axis.first == name; });
    return at == axes.end() ? nullptr : &at->second;
}

ResultTable::AxisValue axis_value(const std::string& text) {
    try {
        const Quantity q = parse_quantity(text);
        // As a table that is read again spells it.
        return {format_exact(q), q.value};
    } catch (const Error&) {
        return {text, {}};
    }
}

// Whether a point with these axes has the values of the group.
bool in_group(const TextPairs& axes, const TextPairs& group) {
    return std::all_of(group.begin(), group.end(), [&](const auto& wanted) {
        const std::string* value = value_of(axes, wanted.first);
        return value && *value == wanted.second;
    });
}

// Worst verdict of a point, "" without findings.
std::string verdict_of(const PointRecord& record) {
    VerdictCounts counts;
    for (const auto& finding : record.findings) counts.add(finding.verdict);
    return record.findings.empty() ? "" : name(counts.worst());
}

// How many points the plan has in the group; nothing where that shows during the run only.
std::optional<std::size_t> expected(const Plan& plan, const Test& test, const TextPairs& group) {
    const PlannedTest* planned = plan.find(test.name);
    if (!planned) return 0;
    if (test.repeats_whole()) return std::nullopt;
    if (test.found) {
        // All values of its other axes, where the group names the one that was found.
        const std::string& found = test.sweep.axes.back().name;
        if (std::none_of(group.begin(), group.end(), [&](const auto& g) { return g.first == found; }))
            return std::nullopt;
        Sweep others = test.sweep;
        others.axes.pop_back();
        others.skips.clear();
        if (!test.sweep.skips.empty()) return std::nullopt;
        TextPairs rest;
        for (const auto& wanted : group) {
            if (wanted.first != found) rest.push_back(wanted);
        }
        const auto points = expand(test.name, others);
        return static_cast<std::size_t>(std::count_if(points.begin(), points.end(), [&](const Point& point) {
            return in_group(axes_of(others, point), rest);
        }));
    }
    return static_cast<std::size_t>(
        std::count_if(planned->points.begin(), planned->points.end(),
                      [&](const Point& point) { return in_group(axes_of(test.sweep, point), group); }));
}

// Captures that many points share, such as error terms, are read and checked once. The last few are held.
std::shared_ptr<const Capture> read_once(const std::filesystem::path& path, const std::string& hash) {
    struct Held {
        std::string path, hash;
        std::shared_ptr<const Capture> capture;
    };
    static std::mutex mutex;
    static std::deque<Held> held;
    constexpr std::size_t most = 12;
    const std::lock_guard lock(mutex);
    for (const auto& one : held) {
        if (one.path == path.string() && one.hash == hash) return one.capture;
    }
    if (sha256_of_file(path) != hash)
        fail_input(path.string(), "was altered: its SHA-256 is not the one in the tally");
    held.push_back({path.string(), hash, std::make_shared<const Capture>(read_capture(path))});
    if (held.size() > most) held.pop_front();
    return held.back().capture;
}

Given capture_of(const Measured& measured, const std::filesystem::path& run, const Source& source,
                 const Test& other, const Sweep& sweep, const Point& point) {
    Given out{source.input, {}, {}, {}, {}};
    const TextPairs axes = axes_of(sweep, point);
    const PointRecord* found = nullptr;
    for (const PointRecord* record : measured.at(source.test, axes)) {
        if (record->kind != PointKind::point) continue;
        // Of repeats the one with the same number.
        const std::string mark = "(repeat " + std::to_string(point.repeat) + ")";
        if (other.sweep.repeats > 1 && !record->label.ends_with(mark)) continue;
        found = record;
    }
    const std::string what = "the input " + source.input + " from " + source.test;
    if (!found) {
        out.doubt = what + " is missing: the test was not measured";
        return out;
    }
    out.source = found->id;
    out.kept = found->handed_on();
    if (const auto why = why_invalid(*found); !why.empty())
        out.doubt = what + " (" + found->label + ") does not count: " + why;
    // A point that came to nothing has made nothing; its own capture is of another kind.
    if (other.procedure->makes && out.kept.kind != made_attachment) {
        if (out.doubt.empty()) out.doubt = what + " (" + found->label + ") made nothing";
        return out;
    }
    out.capture = *read_once(run / out.kept.file, out.kept.sha256);
    out.kept.kind = kind_name(*out.capture);
    return out;
}

Given file_of(const std::filesystem::path& run, const FileSource& source) {
    Given out{source.input, {}, {}, {}, {}};
    out.kept = {kept_file(source.reference, source.sha256), "", source.sha256, source.text.size()};
    out.capture = *read_once(run / out.kept.file, source.sha256);
    out.kept.kind = kind_name(*out.capture);
    return out;
}

}  // namespace

ResultTable gathered(const Plan& plan, const Measured& measured, const Test& test, const std::string& over,
                     const TextPairs& group) {
    ResultTable out;
    std::vector<const PointRecord*> rows;
    for (const PointRecord* record : measured.of(test.name)) {
        const bool kind = record->kind == (test.by_trials() ? PointKind::threshold : PointKind::point);
        if (kind && in_group(record->axes, group)) rows.push_back(record);
    }
    // Axes in the order of the sweep; the value of each tells its unit.
    for (const auto& axis : test.sweep.axes) {
        Unit unit = Unit::none;
        for (const PointRecord* record : rows) {
            const std::string* value = value_of(record->axes, axis.name);
            if (!value) continue;
            try {
                unit = parse_quantity(*value).unit;
            } catch (const Error&) {
                unit = Unit::none;
            }
            break;
        }
        if (axis.name == over || value_of(group, axis.name) == nullptr) out.axes.push_back({axis.name, unit});
    }
    for (const PointRecord* record : rows) {
        add_columns(out, record->results);
        for (const auto& finding : record->findings) {
            if (std::find(out.rules.begin(), out.rules.end(), finding.rule) == out.rules.end())
                out.rules.push_back(finding.rule);
        }
    }
    for (const PointRecord* record : rows) {
        ResultTable::Row row{record->label,
                             verdict_of(*record),
                             why_invalid(*record),
                             seconds_between(rows.front()->started, record->started),
                             {},
                             {},
                             {}};
        for (const auto& axis : out.axes) {
            const std::string* value = value_of(record->axes, axis.name);
            row.axes.push_back(value ? axis_value(*value) : ResultTable::AxisValue{});
        }
        for (const auto& column : out.results)
            row.cells.push_back(cell_of(column, record->find_result(column.name)));
        for (const auto& rule : out.rules) {
            const auto judged = [&](const Finding& finding) { return finding.rule == rule; };
            const auto at = std::find_if(record->findings.begin(), record->findings.end(), judged);
            row.verdicts.emplace_back(at == record->findings.end() ? "" : name(at->verdict));
        }
        out.rows.push_back(std::move(row));
    }
    const auto wanted = expected(plan, test, group);
    if (wanted && rows.size() < *wanted) {
        out.distrust =
            fmt::format("{} of {} points of {} were not measured", *wanted - rows.size(), *wanted, test.name);
    } else if (rows.empty()) {
        out.distrust = test.name + " has no points here";
    }
    return out;
}

std::vector<Given> given_inputs(const Plan& plan, const Measured& measured, const std::filesystem::path& run,
                                const Test& test, const Sweep& sweep, const Point& point) {
    std::vector<Given> out;
    for (const auto& source : test.sources) {
        const Test& other = *plan.campaign->find(source.test);
        if (!test.concludes) {
            out.push_back(capture_of(measured, run, source, other, sweep, point));
            continue;
        }
        ResultTable table = gathered(plan, measured, other, test.over, axes_of(sweep, point));
        out.push_back({source.input, {}, {}, Capture(std::move(table)), {}});
    }
    for (const auto& file : test.files) out.push_back(file_of(run, file));
    return out;
}

}  // namespace rt::lab
