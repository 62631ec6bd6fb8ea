-- depends: 0013_errands_by_size

-- A change names the version it was made on, so that nothing is overwritten unseen.
alter table recipes add column version integer not null default 1;
