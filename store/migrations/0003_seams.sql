-- +goose Up
-- Content that was sent and is not named by a revision yet; null once it is.
alter table blobs add column staged_at timestamptz;
create index blobs_staged on blobs (staged_at) where staged_at is not null;
-- The way forward from a revision, for redo.
create index revisions_parent on revisions (character, parent, id);
create index works_character on works (character, created_at);
-- What was computed from parts, by key; it may be dropped at any time.
create table derived (
  key text primary key,
  data bytea not null,
  made_at timestamptz not null default now()
);
-- Every process hears which character has another head or other work.
-- +goose StatementBegin
create function tell_character() returns trigger language plpgsql as $$
begin
  perform pg_notify('wisemarrow', new.id);
  return new;
end $$;
-- +goose StatementEnd
-- +goose StatementBegin
create function tell_work() returns trigger language plpgsql as $$
begin
  perform pg_notify('wisemarrow', new.character);
  return new;
end $$;
-- +goose StatementEnd
create trigger characters_told after update on characters for each row execute function tell_character();
create trigger works_told after insert or update on works for each row execute function tell_work();

-- +goose Down
drop trigger works_told on works;
drop trigger characters_told on characters;
drop function tell_work;
drop function tell_character;
drop table derived;
drop index works_character;
drop index revisions_parent;
alter table blobs drop column staged_at;
