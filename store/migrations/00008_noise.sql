-- +goose Up
-- How noisy tests and machines are, as a large desk found it last: it can be found anew.
create table noise (id integer primary key check (id = 1), state blob not null) strict;
-- Limits of these rules count clean runs now, not standard deviations: each half of one doubles or halves the runs.
with was (rule, lim, now) as (values ('outlier', 5, 500), ('drift', 5, 500), ('spread', 4, 500), ('far-from-kin', 3.1, 333))
update tuning set lim = min(max(20.0, round(was.now * pow(2, 2 * (tuning.lim - was.lim)))), 1e9)
  from was where was.rule = tuning.rule and tuning.lim > 0;
