-- depends: 0018_progress

-- What whoever wrote a verdict calls himself; nobody has to say.
alter table verdicts add column author text not null default '';
