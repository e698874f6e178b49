-- +goose Up
create table model (
  slug text primary key, maker text not null, name text not null, kind text not null,
  released text not null default '', succeeds text references model(slug), also_sold_as text not null default '[]',
  notes text not null default ''
) strict;
create table variant (
  slug text primary key, model text not null references model(slug), name text not null,
  spec text not null default '{}', notes text not null default '', position integer not null default 0
) strict;
create index variant_model on variant(model, position);
create table unit (
  slug text primary key, variant text not null references variant(slug), origin text not null, serial text not null default '',
  received text not null default '', state text not null default '', notes text not null default '', position integer not null default 0
) strict;
create index unit_variant on unit(variant);
create table rig (slug text primary key, model text references model(slug), name text not null, notes text not null default '') strict;
create table rig_part (
  rig text not null references rig(slug) on delete cascade, unit text not null references unit(slug), role text not null,
  position integer not null, primary key (rig, position)
) strict, without rowid;
create table claim (
  id text primary key, variant text not null references variant(slug), measure text not null, value real not null, unit text not null,
  qualifier text not null default '', conditions text not null default '{}', place text not null default '',
  tolerance real not null default 0, source text not null, date text not null default '', position integer not null default 0
) strict;
create index claim_variant on claim(variant, position);
create table offer (
  id text primary key, variant text not null references variant(slug), amount integer not null, currency text not null,
  region text not null default '', tax_included integer not null, condition text not null, seller text not null,
  date text not null, voucher text not null default 'null', contents text not null default '[]', list integer not null default 0,
  position integer not null default 0
) strict;
create index offer_variant on offer(variant, position);
create table test (
  slug text not null, version integer not null, origin text not null, definition text not null, added text not null,
  primary key (slug, version)
) strict, without rowid;
create table setup (slug text primary key, name text not null, raised integer not null, conditions text not null) strict;
create table plan (
  id text primary key, unit text not null references unit(slug), host text not null default '', place text not null default '',
  setup text not null references setup(slug), name text not null, steps text not null, state text not null,
  agent text not null default '', created text not null
) strict;
create table sitting (
  id text primary key, unit text not null references unit(slug), boot text not null, started text not null,
  machine text not null, unique (unit, boot)
) strict;
create table run (
  id text primary key, test text not null, test_version integer not null, subject text not null references unit(slug),
  host text not null default '', place text not null default '', setup text not null references setup(slug),
  sitting text not null references sitting(id), plan text references plan(id), step integer not null default 0,
  repeat integer not null default 0, started text not null, ended text not null, outcome text not null,
  failure text not null default '', source text not null, simulated integer not null default 0, by_whom text not null default '',
  observed text not null default '{}', negotiated text not null default '{}', basis text not null,
  foreign key (test, test_version) references test(slug, version)
) strict;
create index run_cell on run(subject, test, setup, host, place, basis);
create index run_started on run(started desc);
create unique index run_job on run(plan, step, repeat) where plan is not null;
create table reading (
  run text not null references run(id), measure text not null, state text not null, value real not null,
  low real, high real, reason text not null default '', primary key (run, measure)
) strict, without rowid;
-- Readings are never overwritten: a void, a restore or a correction is a row here.
create table reading_change (
  id text primary key, run text not null references run(id), measure text not null, kind text not null,
  value real, reason text not null, by_whom text not null, at text not null
) strict;
create index reading_change_run on reading_change(run);
create table series (
  run text not null references run(id), channel text not null, chunk integer not null, unit text not null,
  count integer not null, data blob not null, primary key (run, channel, chunk)
) strict, without rowid;
-- One row per cell, kept in step with the readings in the same transaction.
create table estimate (
  measure text not null, setup text not null, unit text not null, host text not null, place text not null, basis text not null,
  variant text not null, cell text not null, conditions text not null, test_version integer not null, simulated integer not null,
  best_low real not null, best_high real not null, updated text not null,
  primary key (measure, setup, unit, host, place, basis)
) strict, without rowid;
create index estimate_variant on estimate(variant, measure, setup);
create table incident (
  id text primary key, unit text not null references unit(slug), host text not null default '', place text not null default '',
  plan text references plan(id), run text references run(id), step integer, at text not null, kind text not null,
  text text not null, by_whom text not null default ''
) strict;
create index incident_unit on incident(unit, at);
create table field (slug text primary key, name text not null, rule text not null, position integer not null default 0) strict;
create table review (
  slug text primary key, subject text not null references variant(slug), field text not null references field(slug),
  body text not null, revision integer not null
) strict;
create table edition (
  review text not null references review(slug), number integer not null, published text not null, title text not null,
  digest text not null, note text not null default '', primary key (review, number)
) strict, without rowid;
create table token (
  hash text primary key, name text not null, role text not null, plan text, created text not null, expires text
) strict;
create table code (
  hash text primary key, purpose text not null, plan text, created text not null, expires text not null, used text
) strict;
create table journal (
  id integer primary key, at text not null, by_whom text not null, act text not null, subject text not null, detail text not null default ''
) strict;
