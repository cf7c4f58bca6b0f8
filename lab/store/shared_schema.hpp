// Tables of the shared store, in a schema of their own. docs/store.md explains them.
#pragma once

namespace rt::lab {

inline constexpr int store_schema = 1;

inline constexpr const char* store_tables = R"sql(
CREATE SCHEMA IF NOT EXISTS rare_tally;
SET search_path TO rare_tally;
CREATE TABLE IF NOT EXISTS store (version integer NOT NULL);
CREATE TABLE IF NOT EXISTS run (
    number bigserial PRIMARY KEY, identity text NOT NULL UNIQUE, seal text NOT NULL, folder text NOT NULL,
    pushed timestamptz NOT NULL DEFAULT now(), started text NOT NULL, ended text NOT NULL, state text NOT NULL,
    title text NOT NULL, customer text NOT NULL, operator text NOT NULL, model text NOT NULL, serial text NOT NULL);
CREATE TABLE IF NOT EXISTS fact (
    run bigint NOT NULL REFERENCES run ON DELETE CASCADE, name text NOT NULL, value text NOT NULL,
    PRIMARY KEY (run, name));
CREATE TABLE IF NOT EXISTS file (
    run bigint NOT NULL REFERENCES run ON DELETE CASCADE, path text NOT NULL, kind text NOT NULL, sha256 text NOT NULL);
CREATE TABLE IF NOT EXISTS instrument (
    run bigint NOT NULL REFERENCES run ON DELETE CASCADE, role text NOT NULL, name text NOT NULL, serial text NOT NULL,
    identity text NOT NULL, calibration_due text NOT NULL);
CREATE TABLE IF NOT EXISTS test (
    run bigint NOT NULL REFERENCES run ON DELETE CASCADE, name text NOT NULL, title text NOT NULL,
    procedure text NOT NULL, PRIMARY KEY (run, name));
CREATE TABLE IF NOT EXISTS point (
    run bigint NOT NULL REFERENCES run ON DELETE CASCADE, position integer NOT NULL, id text NOT NULL,
    attempt integer NOT NULL, kind text NOT NULL, standing text NOT NULL, test text NOT NULL, label text NOT NULL,
    started text NOT NULL, ended text NOT NULL, capture text NOT NULL, sha256 text NOT NULL,
    PRIMARY KEY (run, position));
CREATE TABLE IF NOT EXISTS axis (
    run bigint NOT NULL REFERENCES run ON DELETE CASCADE, position integer NOT NULL, name text NOT NULL,
    value text NOT NULL);
CREATE TABLE IF NOT EXISTS result (
    run bigint NOT NULL REFERENCES run ON DELETE CASCADE, position integer NOT NULL, name text NOT NULL,
    value double precision, unit text NOT NULL, uncertainty double precision);
CREATE TABLE IF NOT EXISTS finding (
    run bigint NOT NULL REFERENCES run ON DELETE CASCADE, position integer NOT NULL, rule text NOT NULL,
    clause text NOT NULL, unit text NOT NULL, limit_value double precision, value double precision,
    margin double precision, verdict text NOT NULL, reason text NOT NULL);
CREATE TABLE IF NOT EXISTS event (
    run bigint NOT NULL REFERENCES run ON DELETE CASCADE, time text NOT NULL, kind text NOT NULL, text text NOT NULL);
CREATE INDEX IF NOT EXISTS run_by_serial ON run (serial, started);
CREATE INDEX IF NOT EXISTS finding_by_rule ON finding (rule, margin);
CREATE INDEX IF NOT EXISTS finding_by_run ON finding (run, position);
CREATE INDEX IF NOT EXISTS finding_by_margin ON finding (margin, run, position);
CREATE INDEX IF NOT EXISTS result_by_run ON result (run, position);
CREATE INDEX IF NOT EXISTS axis_by_run ON axis (run, position);
)sql";

}  // namespace rt::lab
