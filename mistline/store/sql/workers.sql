-- name: tell
insert into workers (id, host, machine_id, lanes, doing)
values (%(id)s, %(host)s, %(machine_id)s, %(lanes)s, %(doing)s)
on conflict (id) do update set doing = excluded.doing, heard_at = now()

-- name: leave
delete from workers where id = %(id)s

-- name: forget
delete from workers where heard_at < now() - interval '1 day'

-- name: every
-- Those that were heard of within the hour; the ones that are silent have stopped or are cut off.
select w.*, m.profile as machine, extract(epoch from now() - w.heard_at)::real as silent_seconds
from workers w join machines m on m.id = w.machine_id
where w.heard_at > now() - interval '1 hour'
order by w.host, w.started_at

-- name: making
-- How many workers make takes at this time.
select count(*) as number from workers where heard_at > now() - interval '10 seconds' and 'takes' = any(lanes)
