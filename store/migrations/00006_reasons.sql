-- +goose Up
create index reading_missing on reading(measure) where state = 'missing';
create index reading_now_void on reading_now(measure) where state = 'void';
