-- +goose Up
alter table run add column options text not null default '{}';
alter table series add column axis text not null default '';
alter table series add column along text not null default '';
