-- +goose Up
-- Files of raw measurements, kept as they came, with what their columns mean and which version of which analysis made
-- the figures of the run.
create table source (
  run text primary key references run(id) on delete cascade deferrable initially deferred, digest text not null, name text not null,
  size integer not null, mapping text not null, version integer not null, added text not null, by_whom text not null
) strict;
create index source_digest on source(digest);
-- What the columns of files mean, under names.
create table mapping (name text primary key, body text not null, added text not null, by_whom text not null) strict, without rowid;
