-- depends: 0005_removed

-- A test without a truth has none; its input may be the source itself.
alter table plates alter column truth_picture drop not null;
