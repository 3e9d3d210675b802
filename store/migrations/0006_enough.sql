-- +goose Up
-- Who waits for a work has had enough of it: it ends with the best that it has.
alter table works add column enough boolean not null default false;
