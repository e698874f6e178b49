-- +goose Up
-- A review's charts remember what they are narrowed to.
update review set body = json_set(json_remove(body, '$.measures'), '$.charts',
  json((select json_group_array(json_object('measure', value)) from json_each(review.body, '$.measures'))))
  where json_type(body, '$.measures') = 'array';
update review set body = json_remove(body, '$.measures') where json_type(body, '$.measures') is not null;
-- Tests whose figures are shown and not counted.
create table aside (test text primary key, reason text not null, at text not null, by_whom text not null) strict, without rowid;
-- Impressions without a figure, and what owners or others say.
create table remark (
  id text primary key, kind text not null, variant text not null references variant(slug), area text not null, measure text not null,
  text text not null, who text not null, dated text not null, source text not null, added text not null, by_whom text not null,
  withdrawn text, reason text not null
) strict;
create index remark_variant on remark(variant, added);
-- Incidents are corrected and withdrawn; what they were stays.
alter table incident add column withdrawn text;
create table incident_change (
  id integer primary key, incident text not null references incident(id), at text not null, by_whom text not null,
  was text not null, reason text not null
) strict;
create index incident_change_of on incident_change(incident, id);
-- What is kept and no longer offered.
create table archived (
  kind text not null, slug text not null, at text not null, by_whom text not null, reason text not null, primary key (kind, slug)
) strict, without rowid;
alter table attachment add column doubt text not null default '';
-- Kinds of product that the desk added.
create table own_kind (kind text primary key, plural text not null) strict, without rowid;
