-- +goose Up
-- How noisy tests and machines are, as a large desk found it last: it can be found anew.
create table noise (id integer primary key check (id = 1), state blob not null) strict;
-- Limits of rules about repeats and kin count clean runs now, not standard deviations: those that were set say nothing more.
delete from tuning where rule in ('outlier', 'drift', 'spread', 'far-from-kin') and off = 0;
