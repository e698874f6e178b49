-- +goose Up
-- Who works at the desk: what each may do, and whose every token and sign-in is.
create table person (name text primary key collate nocase, role text not null, added text not null) strict, without rowid;
insert into person (name, role, added) values ('Owner', 'owner', strftime('%Y-%m-%dT%H:%M:%fZ', 'now'));
alter table token rename column role to kind;
alter table token add column person text references person(name) on delete cascade on update cascade;
alter table token add column scope text;
update token set person = 'Owner', scope = 'owner' where kind in ('owner', 'session');
update token set kind = iif(name = 'this computer' or name like 'command line on %', 'command', 'program') where kind = 'owner';
alter table code rename column plan to whose;
-- What is being taken in by parts: the runs that are taken back where it ends before all are in.
create table intake (id text primary key, started text not null, runs text not null) strict;
-- Answers to requests that are not to be done twice, for who asks once more.
create table answered (
  person text not null, key text not null, request text not null, at text not null, status integer not null, media text not null,
  place text not null, body blob not null, primary key (person, key)
) strict, without rowid;
