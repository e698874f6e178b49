-- +goose Up
-- What a desk says of itself, where the service was not told.
create table setting (key text primary key, value text not null) strict, without rowid;
-- Units of the examples: made-up rivals that can be taken away again with all that hangs on them.
create table example (unit text primary key references unit(slug)) strict, without rowid;
