-- +goose Up
-- Content that differs little from what its part was before is stored as what differs:
-- base is the blob of before, depth how many stand one on another.
alter table blobs add column base text;
alter table blobs add column depth int not null default 0;
create index blobs_base on blobs (base) where base is not null;

-- +goose Down
drop index blobs_base;
alter table blobs drop column depth;
alter table blobs drop column base;
