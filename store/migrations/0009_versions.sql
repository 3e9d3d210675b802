-- +goose Up
-- Revisions that were kept under a name, and files that were handed over.
create table versions (
  id bigserial primary key,
  character text not null references characters (id) on delete cascade,
  revision bigint not null references revisions (id),
  name text not null,
  note text not null default '',
  author text not null,
  time timestamptz not null,
  profile text not null default '',
  score double precision,
  over int not null default 0,
  findings jsonb not null,
  picture bytea,
  withdrawn text not null default '',
  withdrawn_by text not null default '',
  withdrawn_at timestamptz
);
create unique index versions_name on versions (character, lower(name));
create index versions_revision on versions (revision);
create table deliveries (
  character text not null references characters (id) on delete cascade,
  hash text not null,
  revision bigint not null references revisions (id),
  what text not null,
  asked text not null,
  profile text not null default '',
  size bigint not null,
  author text not null,
  times int not null default 1,
  first timestamptz not null default now(),
  last timestamptz not null default now(),
  primary key (character, hash)
);
create index deliveries_hash on deliveries (hash);
create index deliveries_revision on deliveries (revision);

-- +goose Down
drop table deliveries;
drop table versions;
