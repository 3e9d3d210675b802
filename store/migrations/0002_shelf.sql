-- +goose Up
create table shelf (
  production text not null references productions (name),
  kind text not null,
  name text not null,
  body jsonb not null,
  created_at timestamptz not null default now(),
  primary key (production, kind, name)
);

-- +goose Down
drop table shelf;
