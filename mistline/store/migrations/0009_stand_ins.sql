-- depends: 0008_fingerprints

-- A truth trial on other material that stands in for the truth that this one has not.
alter table trials add column stands_in_for uuid references trials (id) on delete set null;
create index trials_stand_in on trials (stands_in_for) where stands_in_for is not null;
