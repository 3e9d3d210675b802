-- +goose Up
create table people (
  name text primary key,
  role text not null check (role in ('look', 'work', 'lead')),
  password text not null default '',
  added timestamptz not null default now(),
  since timestamptz not null default 'epoch'
);
create unique index people_name on people (lower(name));
-- Attempts to come in, by name and by address.
create table attempts (
  key text primary key,
  failed int not null default 0,
  last timestamptz not null default now()
);
-- Who came in and what was done that no revision tells.
create table audit (
  id bigserial primary key,
  time timestamptz not null default now(),
  who text not null,
  "from" text not null,
  what text not null
);
create table sessions (
  token text primary key,
  data bytea not null,
  expiry timestamptz not null
);
create index sessions_expiry on sessions (expiry);

-- +goose Down
drop table sessions;
drop table audit;
drop table attempts;
drop table people;
