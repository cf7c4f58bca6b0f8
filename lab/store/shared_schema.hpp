// Tables of the shared store, in a schema of their own. docs/store.md explains them.
#pragma once

namespace rt::lab {

inline constexpr int store_schema = 2;

// What version 1 was. A new store begins with it too, and goes the same steps as one that was there.
inline constexpr const char* first_store_tables = R"sql(
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

// From version n + 1 to n + 2, each within the transaction that finds it needed.
inline constexpr const char* store_steps[] = {
    // To 2: captures by hash and place, the bench of a run, findings of judgements that were made later. A
    // run that goes
    // takes its rows along by one trigger: looked up row by row, they were half of the time of loading.
    R"sql(
ALTER TABLE fact DROP CONSTRAINT fact_run_fkey;
ALTER TABLE file DROP CONSTRAINT file_run_fkey;
ALTER TABLE instrument DROP CONSTRAINT instrument_run_fkey;
ALTER TABLE test DROP CONSTRAINT test_run_fkey;
ALTER TABLE point DROP CONSTRAINT point_run_fkey;
ALTER TABLE axis DROP CONSTRAINT axis_run_fkey;
ALTER TABLE result DROP CONSTRAINT result_run_fkey;
ALTER TABLE finding DROP CONSTRAINT finding_run_fkey;
ALTER TABLE event DROP CONSTRAINT event_run_fkey;
ALTER TABLE run ADD COLUMN bench text NOT NULL DEFAULT '';
UPDATE run SET bench = fact.value FROM fact WHERE fact.run = run.number AND fact.name = 'bench';
CREATE TABLE capture (
    run bigint NOT NULL, position integer NOT NULL, role text NOT NULL, path text NOT NULL, kind text NOT NULL,
    sha256 text NOT NULL, bytes bigint);
INSERT INTO capture SELECT run, position, 'capture', capture, '', sha256, NULL FROM point WHERE sha256 <> '';
CREATE INDEX capture_by_hash ON capture (sha256);
CREATE INDEX capture_by_run ON capture (run, position);
CREATE TABLE judgement (
    number bigserial PRIMARY KEY, run bigint NOT NULL, name text NOT NULL, made timestamptz NOT NULL DEFAULT now(),
    books text NOT NULL, UNIQUE (run, name));
CREATE INDEX judgement_by_name ON judgement (name, run);
ALTER TABLE finding ADD COLUMN judgement bigint NOT NULL DEFAULT 0;
DROP INDEX finding_by_rule;
DROP INDEX finding_by_run;
CREATE INDEX finding_by_rule ON finding (rule, margin);
CREATE INDEX finding_by_book ON finding (split_part(rule, '/', 1), margin);
CREATE INDEX finding_by_run ON finding (run, margin);
CREATE INDEX run_by_model ON run (model, started);
CREATE INDEX file_by_run ON file (run);
CREATE INDEX instrument_by_run ON instrument (run);
CREATE INDEX event_by_run ON event (run);
CREATE FUNCTION forget_run() RETURNS trigger LANGUAGE plpgsql AS $$
BEGIN
    DELETE FROM rare_tally.fact WHERE run = OLD.number;
    DELETE FROM rare_tally.file WHERE run = OLD.number;
    DELETE FROM rare_tally.instrument WHERE run = OLD.number;
    DELETE FROM rare_tally.test WHERE run = OLD.number;
    DELETE FROM rare_tally.point WHERE run = OLD.number;
    DELETE FROM rare_tally.axis WHERE run = OLD.number;
    DELETE FROM rare_tally.result WHERE run = OLD.number;
    DELETE FROM rare_tally.finding WHERE run = OLD.number;
    DELETE FROM rare_tally.event WHERE run = OLD.number;
    DELETE FROM rare_tally.capture WHERE run = OLD.number;
    DELETE FROM rare_tally.judgement WHERE run = OLD.number;
    RETURN OLD;
END $$;
CREATE TRIGGER forget AFTER DELETE ON run FOR EACH ROW EXECUTE FUNCTION forget_run();
)sql",
};

}  // namespace rt::lab
