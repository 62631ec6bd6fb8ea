-- depends: 0019_authors

-- As with recipes: what was written elsewhere meanwhile is not overwritten unseen.
alter table sources add column version integer not null default 1;
