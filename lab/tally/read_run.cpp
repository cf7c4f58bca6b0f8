#include "lab/tally/read_run.hpp"

#include <algorithm>
#include <functional>
#include <iterator>
#include <map>

namespace rt::lab {

Unit unit_of_symbol(const std::string& symbol) {
    const auto spelling = parse_unit(symbol);
    return spelling ? spelling->unit : Unit::none;
}

namespace {

template <class Enum, std::size_t n>
Enum parse(const char* const (&names)[n], const std::string& text) {
    const auto at = std::find(std::begin(names), std::end(names), text);
    return static_cast<Enum>((at == std::end(names) ? std::begin(names) : at) - std::begin(names));
}

template <typename PointOf>
void read_inputs(Database& db, const PointOf& point) {
    Statement inputs(
        db, "SELECT point, name, source, path, kind, sha256, bytes FROM input ORDER BY point, number");
    while (inputs.step()) {
        point(inputs).inputs.push_back(
            {inputs.text(1),
             inputs.text(2),
             {inputs.text(3), inputs.text(4), inputs.text(5), static_cast<std::uint64_t>(inputs.whole(6))}});
    }
}

// The heads of all points. Gives the place of each in the run by its position.
std::map<long long, std::size_t> read_heads(Database& db, RunRecord& run) {
    // Schema 3 had neither parents nor reasons of its own.
    const std::string more = std::string(schema_of(db) >= 4 ? ", parent, invalid" : ", '', ''") +
                             (schema_of(db) >= 5 ? ", standing_cause" : ", ''");
    Statement points(db, ("SELECT position, id, test, label, started, ended, capture_path, capture_kind, "
                          "capture_sha256, capture_bytes, attempt, kind, standing, standing_reason" +
                          more + " FROM point ORDER BY position")
                             .c_str());
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
        p.parent = points.text(14), p.invalid = points.text(15);
        p.standing_cause = parse<Cause>(cause_names, points.text(16));
        index[points.whole(0)] = run.points.size();
        run.points.push_back(std::move(p));
    }
    return index;
}

using PointOf = std::function<PointRecord&(const Statement&)>;

void read_settings(Database& db, RunRecord& run, const PointOf& point) {
    Statement settings(db, "SELECT point, kind, name, value FROM setting ORDER BY point, kind, number");
    while (settings.step()) {
        PointRecord& p = point(settings);
        auto& list = settings.text(1) == "axis" ? p.axes : p.parameters;
        list.emplace_back(settings.text(2), settings.text(3));
        if (settings.text(1) == "preset") p.defaults.insert(settings.text(2));
    }
    // By name, whoever stated them.
    for (auto& p : run.points) std::sort(p.parameters.begin(), p.parameters.end());
}

void read_results(Database& db, const PointOf& point) {
    const std::string known = schema_of(db) >= 4 ? ", known" : ", ''";
    Statement results(
        db, ("SELECT point, name, value, unit, uncertainty" + known + " FROM result ORDER BY point, number")
                .c_str());
    while (results.step()) {
        point(results).results.push_back({results.text(1),
                                          {results.number(2).value_or(0), unit_of_symbol(results.text(3))},
                                          results.number(4),
                                          results.text(5) == "at least"  ? Known::at_least
                                          : results.text(5) == "at most" ? Known::at_most
                                                                         : Known::exactly});
    }
}

void read_findings(Database& db, const PointOf& point) {
    Statement findings(
        db,
        "SELECT point, rule, title, clause, unit, limit_value, value, margin, verdict, reason, "
        "at_value, at_unit, points_judged, points_beyond, at_offset, uncertainty, guard, "
        "wrong_pass FROM finding ORDER BY point, number");
    while (findings.step()) {
        Finding f;
        f.rule = findings.text(1), f.title = findings.text(2), f.clause = findings.text(3);
        f.unit = unit_of_symbol(findings.text(4));
        f.limit = findings.number(5), f.value = findings.number(6), f.margin = findings.number(7);
        f.verdict = parse_verdict(findings.text(8)).value_or(Verdict::none);
        f.reason = findings.text(9);
        if (const auto at = findings.number(10)) f.at = Quantity{*at, unit_of_symbol(findings.text(11))};
        f.points_judged = static_cast<std::size_t>(findings.whole(12));
        f.points_beyond = static_cast<std::size_t>(findings.whole(13));
        f.at_offset = findings.whole(14) != 0;
        f.uncertainty = findings.number(15), f.guard = findings.number(16);
        f.wrong_pass = findings.number(17);
        point(findings).findings.push_back(std::move(f));
    }
}

void read_remarks(Database& db, const PointOf& point) {
    Statement remarks(db, "SELECT point, finding, text FROM remark ORDER BY point, finding, number");
    while (remarks.step()) {
        auto& p = point(remarks);
        const auto finding = static_cast<std::size_t>(remarks.whole(1));
        if (finding > p.findings.size())
            db.fail_damaged("a remark belongs to a finding of point " + remarks.text(0) +
                            " that is not there");
        (finding == 0 ? p.notes : p.findings[finding - 1].deviations).push_back(remarks.text(2));
    }
}

void read_points(Database& db, RunRecord& run) {
    const auto index = read_heads(db, run);
    const auto point = [&](const Statement& s) -> PointRecord& {
        const auto at = index.find(s.whole(0));
        if (at == index.end())
            db.fail_damaged("a row belongs to point " + s.text(0) + ", which is not there");
        return run.points[at->second];
    };
    read_settings(db, run, point);
    read_results(db, point);
    read_findings(db, point);
    if (schema_of(db) >= 5) read_inputs(db, point);
    Statement attachments(db,
                          "SELECT point, path, kind, sha256, bytes FROM attachment ORDER BY point, number");
    while (attachments.step()) {
        point(attachments)
            .attachments.push_back({attachments.text(1), attachments.text(2), attachments.text(3),
                                    static_cast<std::uint64_t>(attachments.whole(4))});
    }
    read_remarks(db, point);
}

// Before schema 4 the reason stood among the notes alone.
void read_older_reasons(RunRecord& run) {
    constexpr std::string_view mark = "not valid: ";
    for (auto& point : run.points) {
        for (const auto& note : point.notes) {
            if (point.invalid.empty() && note.starts_with(mark)) point.invalid = note.substr(mark.size());
        }
    }
}

// Before schema 5 who took a verdict away stood in the reason alone.
void read_older_causes(RunRecord& run) {
    for (auto& point : run.points) {
        if (point.standing == Standing::valid || point.standing_cause != Cause::none) continue;
        point.standing_cause = point.standing_reason.starts_with("recheck ") ? Cause::recheck
                               : point.standing == Standing::voided          ? Cause::watch
                                                                             : Cause::again;
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

RunRecord read_run(Database& db) {
    Transaction one_state(db, "BEGIN");
    RunRecord run;
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
    Statement facts(db, "SELECT name, value FROM fact");
    while (facts.step()) take_fact(run, facts.text(0), facts.text(1));
    read_points(db, run);
    read_older_reasons(run);
    read_older_causes(run);
    sort_standing(run);
    Statement events(db, "SELECT time, kind, text, seconds FROM event ORDER BY number");
    while (events.step()) {
        run.events.push_back({events.text(0), events.text(1), events.text(2), events.number(3).value_or(0)});
    }
    Statement samples(db, "SELECT time, watch, value, unit FROM sample ORDER BY number");
    while (samples.step()) {
        run.samples.push_back({samples.text(0), samples.text(1), samples.number(2).value_or(0),
                               unit_of_symbol(samples.text(3))});
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

}  // namespace rt::lab
