-- +goose Up
-- Other programs that are told what happens: where, of what (a list in JSON), and the secret that what
-- they are told is signed with. off says why one is told no more.
create table hook (
  id text primary key, url text not null unique, secret text not null, kinds text not null, note text not null,
  off text not null default '', added text not null, by_whom text not null
) strict, without rowid;
-- What each of them is to be told, in order. What happens and that it is to be told are written at once.
create table message (
  id integer primary key autoincrement, hook text not null references hook(id) on delete cascade, kind text not null,
  body text not null, made text not null, tries integer not null default 0, due text not null, ended text, answer text not null default ''
) strict;
create index message_open on message(hook, id) where ended is null;
-- +goose StatementBegin
create trigger tell_run after insert on run begin
  insert into message (hook, kind, body, made, due) select id, 'run.kept', json_object('run', new.id, 'unit', new.subject,
    'test', new.test, 'outcome', new.outcome, 'plan', new.plan), strftime('%Y-%m-%dT%H:%M:%fZ', 'now'), '0001-01-01T00:00:00.000Z'
    from hook where off = '' and instr(kinds, '"run.kept"') > 0;
end;
-- +goose StatementEnd
-- +goose StatementBegin
create trigger tell_plan after update of state on plan when new.state <> old.state begin
  insert into message (hook, kind, body, made, due) select id, 'plan.changed', json_object('plan', new.id, 'unit', new.unit,
    'name', new.name, 'state', new.state, 'was', old.state), strftime('%Y-%m-%dT%H:%M:%fZ', 'now'), '0001-01-01T00:00:00.000Z'
    from hook where off = '' and instr(kinds, '"plan.changed"') > 0;
end;
-- +goose StatementEnd
-- +goose StatementBegin
create trigger tell_doubt after insert on doubt when new.state = 'open' begin
  insert into message (hook, kind, body, made, due) select id, 'doubt.raised', json_object('doubt', new.id, 'rule', new.rule,
    'run', new.run, 'unit', new.subject, 'severity', new.severity, 'sentence', json_extract(new.body, '$.sentence')),
    strftime('%Y-%m-%dT%H:%M:%fZ', 'now'), '0001-01-01T00:00:00.000Z' from hook where off = '' and instr(kinds, '"doubt.raised"') > 0;
end;
-- +goose StatementEnd
-- +goose StatementBegin
create trigger tell_settled after update of state on doubt when new.state <> old.state begin
  insert into message (hook, kind, body, made, due) select id, 'doubt.settled', json_object('doubt', new.id, 'rule', new.rule,
    'run', new.run, 'unit', new.subject, 'state', new.state), strftime('%Y-%m-%dT%H:%M:%fZ', 'now'), '0001-01-01T00:00:00.000Z'
    from hook where off = '' and instr(kinds, '"doubt.settled"') > 0;
end;
-- +goose StatementEnd
-- +goose StatementBegin
create trigger tell_incident after insert on incident begin
  insert into message (hook, kind, body, made, due) select id, 'incident.noted', json_object('incident', new.id, 'unit', new.unit,
    'kind', new.kind, 'text', new.text, 'plan', new.plan), strftime('%Y-%m-%dT%H:%M:%fZ', 'now'), '0001-01-01T00:00:00.000Z'
    from hook where off = '' and instr(kinds, '"incident.noted"') > 0;
end;
-- +goose StatementEnd
-- +goose StatementBegin
create trigger tell_edition after insert on edition begin
  insert into message (hook, kind, body, made, due) select id, 'edition.published', json_object('review', new.review,
    'number', new.number, 'title', new.title, 'note', new.note), strftime('%Y-%m-%dT%H:%M:%fZ', 'now'), '0001-01-01T00:00:00.000Z'
    from hook where off = '' and instr(kinds, '"edition.published"') > 0;
end;
-- +goose StatementEnd
