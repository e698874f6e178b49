-- +goose Up
-- What other desks published, taken in as rivals: one edition of each of their reviews, as it was read (JSON).
create table exchanged (
  origin text not null, review text not null, number integer not null, desk_id text not null, name text not null,
  digest text not null, body text not null, taken text not null, by_whom text not null, primary key (origin, review)
) strict;
-- Tells desks of one name apart.
insert into setting (key, value) values ('desk.id', lower(hex(randomblob(16))));
