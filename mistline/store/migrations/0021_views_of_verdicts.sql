-- depends: 0020_source_versions

-- How a trial was looked at when its verdict was written, as the query of the Look page.
alter table verdicts add column view text not null default '';
