-- +goose Up
-- What came of a change that a page asked for, by the key that it gave: told again when
-- the answer was lost. A day old it may go.
create table asked (
  key text primary key,
  character text not null default '',
  revision bigint not null default 0,
  work text not null default '',
  at timestamptz not null default now()
);

-- +goose Down
drop table asked;
