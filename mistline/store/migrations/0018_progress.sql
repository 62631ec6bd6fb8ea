-- depends: 0017_many_takes

-- What only goes on is told with how far it is, so that nobody has to ask.
create function announce_progress() returns trigger language plpgsql as $$
begin
    perform pg_notify('mistline', json_build_object(
        'table', 'progress', 'key', new.key, 'stage', new.stage, 'progress', new.progress,
        'seconds_left', new.seconds_left,
        'seconds_gone', extract(epoch from clock_timestamp() - new.started_at)::real)::text);
    return null;
end $$;

drop trigger takes_announce on takes;
create trigger takes_announce_new after insert on takes
    for each row execute function announce('key');
create trigger takes_announce after update on takes
    for each row when (old.state <> new.state or new.state <> 'running') execute function announce('key');
create trigger takes_announce_progress after update on takes
    for each row when (old.state = new.state and new.state = 'running') execute function announce_progress();

-- A model that was removed can come back for a day, as sources and trials can.
alter table models add column removed_at timestamptz;
