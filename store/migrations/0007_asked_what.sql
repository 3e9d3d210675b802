-- +goose Up
-- What a key was given for, so that it is not answered for another change.
alter table asked add column what text not null default '';

-- +goose Down
alter table asked drop column what;
