-- depends: 0016_workers

-- What is looked up among a million takes.
create index takes_failed on takes (key) where state = 'failed';
create index takes_delivered on takes ((delivered ->> 'hash')) where delivered is not null;
create index entries_retired on entries (take_key) where standing = 'retired';
create index verdicts_by_kind on verdicts (kind, id desc);
-- What goes with what is removed.
create index sameness_by_second on sameness (second);
create index spot_scores_by_take on spot_scores (take_key);
create index entries_by_recipe on entries (recipe_id);
