-- +goose Up
-- Runs of earlier versions count as examined: the desk's history is examined when a person asks for it.
alter table run add column examined integer not null default 1;
create index run_unexamined on run(id) where examined = 0;
alter table estimate add column limiter text not null default '';
-- A change says what stood before and what stands since; a change of a whole run has a row for each of its readings.
alter table reading_change add column act text not null default '';
alter table reading_change add column old text not null default '';
alter table reading_change add column now text not null default '';
alter table reading_change add column cause text not null default '';
alter table reading_change add column doubt text not null default '';
alter table reading_change add column other text not null default '';
-- How a reading stands since its last change; readings that were never changed have no row.
create table reading_now (
  run text not null references run(id), measure text not null, state text not null, value real not null, low real, high real,
  reason text not null default '', extreme integer not null default 0, primary key (run, measure)
) strict, without rowid;
create table doubt (
  id text primary key, key text not null unique, rule text not null, run text not null references run(id), measure text not null,
  severity text not null, state text not null, test text not null, setup text not null, subject text not null references unit(slug),
  raised text not null, body text not null
) strict;
create index doubt_state on doubt(state, raised);
create table doubt_run (doubt text not null references doubt(id) on delete cascade, run text not null references run(id), primary key (doubt, run)) strict, without rowid;
create index doubt_by_run on doubt_run(run);
create table doubt_act (
  id integer primary key, doubt text not null references doubt(id), at text not null, by_whom text not null, act text not null,
  cause text not null default '', reason text not null default '', sentence text not null default ''
) strict;
create index doubt_act_doubt on doubt_act(doubt, id);
create table tuning (
  rule text not null, test text not null, off integer not null, lim real not null, reason text not null, by_whom text not null, at text not null,
  primary key (rule, test)
) strict, without rowid;
