#include "lab/tally/read_run.hpp"

#include "lab/tally/point_reader.hpp"

namespace rt::lab {

Unit unit_of_symbol(const std::string& symbol) {
    const auto spelling = parse_unit(symbol);
    return spelling ? spelling->unit : Unit::none;
}

RunRecord read_run(Database& db) {
    Transaction one_state(db, "BEGIN");
    return read_all(db);
}

RunRecord read_all(Database& db) {
    RunRecord run = read_frame(db);
    PointReader points(db);
    for (PointRecord point; points.next(point);)
        (point.standing == Standing::superseded ? run.superseded : run.points).push_back(std::move(point));
    return run;
}

RunRecord read_frame(Database& db) {
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
