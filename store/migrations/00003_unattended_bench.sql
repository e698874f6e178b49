-- +goose Up
alter table setup add column hands text not null default '';
alter table plan add column terms text not null default '{}';
alter table plan add column control text not null default '{}';
alter table run add column marks text not null default '[]';
alter table run add column course text not null default '{}';
alter table incident add column broken text not null default '';
alter table incident add column test text not null default '';
alter table incident add column until text;
alter table incident add column last text not null default '{}';
alter table incident add column times integer not null default 1;
alter table incident add column tries integer not null default 0;
create index incident_plan on incident(plan);
create index run_pair on run(subject, host, place, started);
-- What sensors said, packed by 600 samples; a run that was broken off has a trace and no row of its own.
create table trace (
  run text not null, chunk integer not null, samples integer not null, began real not null, ended real not null,
  data blob not null, primary key (run, chunk)
) strict, without rowid;
-- The same while a run goes on, a row per report.
create table live_trace (
  run text not null, seq integer not null, plan text not null, data blob not null, primary key (run, seq)
) strict, without rowid;
create index live_trace_plan on live_trace(plan);
-- Logs of outside sensors, laid beside a run: times are the log's own, shifted by offset.
create table outside (
  id text primary key, run text not null references run(id), name text not null, added text not null, by_whom text not null,
  shift real not null, found real, correlation real, data blob not null
) strict;
create index outside_run on outside(run);
create table condition (key text primary key, name text not null, meaning text not null) strict;
create table attachment (
  id text primary key, digest text not null, name text not null, media text not null, size integer not null,
  unit text not null references unit(slug), run text references run(id), measure text not null default '', caption text not null default '',
  added text not null, by_whom text not null
) strict;
create index attachment_unit on attachment(unit, added);
create index attachment_run on attachment(run);
-- What works with what, as a person found it.
create table pairing (
  id text primary key, part text not null references unit(slug), partner text not null, place text not null default '', firmware text not null default '',
  outcome text not null, how text not null default '', at text not null, by_whom text not null
) strict;
create index pairing_part on pairing(part);
