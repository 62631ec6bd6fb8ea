-- depends: 0004_spots

-- What was removed can come back for a day; then it goes for good.
alter table trials add column removed_at timestamptz;
alter table sources add column removed_at timestamptz;

create trigger trials_announce after insert or update or delete on trials
    for each row execute function announce('id');
create index trials_removed on trials (removed_at) where removed_at is not null;
create index sources_removed on sources (removed_at) where removed_at is not null;
