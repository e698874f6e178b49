-- +goose Up
alter table claim add column link text not null default '';
create table rate (from_currency text not null, to_currency text not null, date text not null, rate real not null, source text not null default '',
  by_whom text not null, primary key (from_currency, to_currency, date)) strict, without rowid;
create table profile (slug text primary key, body text not null, position integer not null default 0) strict;
create index run_failed on run(test, setup) where outcome <> 'done';
create index run_count on run(test, setup, subject);
create index run_planned on run(started desc) where plan is not null;
