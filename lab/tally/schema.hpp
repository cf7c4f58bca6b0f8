// The tables of tally.sqlite. docs/tally.md explains them; a change here raises tally_schema.
#pragma once

namespace rt::lab {

inline constexpr const char* tally_tables = R"sql(
CREATE TABLE fact (name TEXT PRIMARY KEY, value TEXT NOT NULL) WITHOUT ROWID, STRICT;
CREATE TABLE file (
    path TEXT PRIMARY KEY, kind TEXT NOT NULL, sha256 TEXT NOT NULL, reference TEXT NOT NULL) WITHOUT ROWID, STRICT;
CREATE TABLE instrument (
    role TEXT PRIMARY KEY, name TEXT NOT NULL, serial TEXT NOT NULL, identity TEXT NOT NULL,
    calibration_due TEXT NOT NULL, connected_to TEXT NOT NULL, address TEXT NOT NULL) WITHOUT ROWID, STRICT;
CREATE TABLE test (
    number INTEGER PRIMARY KEY, name TEXT NOT NULL UNIQUE, title TEXT NOT NULL, procedure TEXT NOT NULL,
    instrument TEXT NOT NULL, note TEXT NOT NULL, points_planned INTEGER NOT NULL) STRICT;
CREATE TABLE point (
    position INTEGER PRIMARY KEY, id TEXT NOT NULL, attempt INTEGER NOT NULL,
    kind TEXT NOT NULL CHECK (kind IN ('point', 'trial', 'threshold', 'check', 'maximum')),
    standing TEXT NOT NULL CHECK (standing IN ('valid', 'superseded', 'void')),
    standing_cause TEXT NOT NULL CHECK (standing_cause IN ('', 'again', 'watch', 'recheck', 'input')), standing_reason TEXT NOT NULL,
    test TEXT NOT NULL REFERENCES test(name), label TEXT NOT NULL, parent TEXT NOT NULL, invalid TEXT NOT NULL,
    started TEXT NOT NULL, ended TEXT NOT NULL,
    capture_path TEXT NOT NULL, capture_kind TEXT NOT NULL, capture_sha256 TEXT NOT NULL,
    capture_bytes INTEGER NOT NULL, UNIQUE (id, attempt)) STRICT;
CREATE TABLE input (
    point INTEGER NOT NULL REFERENCES point(position), number INTEGER NOT NULL, name TEXT NOT NULL, source TEXT NOT NULL,
    path TEXT NOT NULL, kind TEXT NOT NULL, sha256 TEXT NOT NULL, bytes INTEGER NOT NULL,
    PRIMARY KEY (point, number)) WITHOUT ROWID, STRICT;
CREATE TABLE attachment (
    point INTEGER NOT NULL REFERENCES point(position), number INTEGER NOT NULL, path TEXT NOT NULL,
    kind TEXT NOT NULL, sha256 TEXT NOT NULL, bytes INTEGER NOT NULL,
    PRIMARY KEY (point, number)) WITHOUT ROWID, STRICT;
CREATE TABLE setting (
    point INTEGER NOT NULL REFERENCES point(position), kind TEXT NOT NULL CHECK (kind IN ('axis', 'parameter', 'preset')),
    number INTEGER NOT NULL, name TEXT NOT NULL, value TEXT NOT NULL,
    PRIMARY KEY (point, kind, number)) WITHOUT ROWID, STRICT;
CREATE TABLE result (
    point INTEGER NOT NULL REFERENCES point(position), number INTEGER NOT NULL, name TEXT NOT NULL,
    value REAL, unit TEXT NOT NULL, uncertainty REAL,
    known TEXT NOT NULL CHECK (known IN ('', 'at least', 'at most')), PRIMARY KEY (point, number)) WITHOUT ROWID, STRICT;
CREATE TABLE finding (
    point INTEGER NOT NULL REFERENCES point(position), number INTEGER NOT NULL, rule TEXT NOT NULL,
    title TEXT NOT NULL, clause TEXT NOT NULL, unit TEXT NOT NULL, limit_value REAL, value REAL, margin REAL,
    verdict TEXT NOT NULL CHECK (verdict IN ('PASS', 'MARGINAL', 'FAIL', 'NONE')), reason TEXT NOT NULL,
    at_value REAL, at_unit TEXT NOT NULL, at_offset INTEGER NOT NULL, points_judged INTEGER NOT NULL, points_beyond INTEGER NOT NULL,
    uncertainty REAL, guard REAL, wrong_pass REAL,
    PRIMARY KEY (point, number)) WITHOUT ROWID, STRICT;
CREATE TABLE remark (
    point INTEGER NOT NULL REFERENCES point(position), finding INTEGER NOT NULL, number INTEGER NOT NULL,
    text TEXT NOT NULL, PRIMARY KEY (point, finding, number)) WITHOUT ROWID, STRICT;
CREATE TABLE event (
    number INTEGER PRIMARY KEY, time TEXT NOT NULL, kind TEXT NOT NULL, text TEXT NOT NULL, seconds REAL NOT NULL) STRICT;
CREATE TABLE sample (
    number INTEGER PRIMARY KEY, time TEXT NOT NULL, watch TEXT NOT NULL, value REAL, unit TEXT NOT NULL) STRICT;
CREATE TABLE calibration (
    number INTEGER PRIMARY KEY, name TEXT NOT NULL, test TEXT NOT NULL, taken TEXT NOT NULL,
    valid_until TEXT NOT NULL, path TEXT NOT NULL, sha256 TEXT NOT NULL, invalid TEXT NOT NULL) STRICT;
CREATE TABLE chain (
    number INTEGER PRIMARY KEY, kind TEXT NOT NULL, key TEXT NOT NULL, text TEXT NOT NULL, hash TEXT NOT NULL) STRICT;
CREATE INDEX chain_by_kind ON chain (kind, number);
CREATE INDEX finding_by_verdict ON finding (verdict, rule);
)sql";

}  // namespace rt::lab
