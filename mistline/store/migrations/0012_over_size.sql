-- depends: 0011_errands

-- A recipe can be made larger than the target and then brought down.
alter table recipes add column over_size double precision not null default 1 check (over_size between 1 and 4);
