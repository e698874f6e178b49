-- +goose Up
create index reading_missing on reading(measure) where state = 'missing';
create index reading_now_void on reading_now(measure) where state = 'void';
-- The state of the review that an edition shows: asked to publish it once more, the service answers with it.
alter table edition add column revision integer not null default 0;
