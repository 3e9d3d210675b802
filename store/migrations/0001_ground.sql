-- +goose Up
create table productions (
  name text primary key,
  created_at timestamptz not null default now()
);
create table characters (
  id text primary key,
  production text not null references productions (name),
  name text not null,
  role text not null default '',
  head bigint not null default 0,
  tip bigint not null default 0,
  removed_at timestamptz,
  created_at timestamptz not null default now()
);
create table revisions (
  id bigserial primary key,
  character text not null references characters (id),
  parent bigint not null default 0,
  op text not null,
  params jsonb not null,
  author text not null,
  outcome jsonb not null,
  parts jsonb not null,
  time timestamptz not null
);
create index revisions_character on revisions (character, id);
create table blobs (
  hash text primary key,
  size bigint not null,
  data bytea not null
);
create table works (
  id text primary key,
  character text not null references characters (id),
  base bigint not null,
  op text not null,
  label text not null,
  params jsonb not null,
  author text not null,
  state text not null,
  what text not null default '',
  share double precision not null default 0,
  message text not null default '',
  revision bigint not null default 0,
  attempt int not null default 0,
  beat_at timestamptz not null default now(),
  created_at timestamptz not null default now()
);
create index works_open on works (state) where state in ('queued', 'running');

-- +goose Down
drop table works;
drop table blobs;
drop table revisions;
drop table characters;
drop table productions;
