-- name: add
insert into takes (key, source_id, setup, plate_key, recipe, repeats)
values (%(key)s, %(source_id)s, %(setup)s, %(plate_key)s, %(recipe)s, %(repeats)s)
on conflict (key) do nothing

-- name: get
select k.*, s.name as source_name, s.picture_id as source_picture, s.hash as source_hash from takes k
join sources s on s.id = k.source_id
where key = %(key)s

-- name: set_job
update takes set job_id = %(job_id)s where key = %(key)s

-- name: claim
update takes set state = 'running', stage = 'starting', progress = 0, seconds_left = %(seconds_left)s,
    started_at = now(), error = null
where key = %(key)s and state in ('waiting', 'running')
returning key

-- name: progress
update takes set stage = %(stage)s, progress = %(progress)s, seconds_left = %(seconds_left)s
where key = %(key)s and state = 'running'

-- name: finish
update takes set state = 'done', stage = '', progress = 1, seconds_left = null, error = null,
    picture_id = %(picture_id)s, settings = %(settings)s, timing = %(timing)s, clipped = %(clipped)s,
    machine_id = %(machine_id)s, finished_at = now()
where key = %(key)s and state = 'running'
returning key

-- name: add_score
insert into scores (take_key, measure, version, value, parts, note)
values (%(take_key)s, %(measure)s, %(version)s, %(value)s, %(parts)s, %(note)s)
on conflict (take_key, measure) do update
set version = excluded.version, value = excluded.value, parts = excluded.parts, note = excluded.note

-- name: add_sameness
insert into sameness (first, second, psnr, worst, same)
values (least(%(one)s, %(other)s), greatest(%(one)s, %(other)s), %(psnr)s, %(worst)s, %(same)s)
on conflict (first, second) do nothing

-- name: beside
-- Finished takes of the same plate, controls left out.
select key, picture_id from takes
where plate_key = %(plate_key)s and key <> %(key)s and state = 'done' and recipe is not null
order by finished_at desc limit 12

-- name: fail
update takes set state = 'failed', stage = '', seconds_left = null, error = %(error)s, finished_at = now()
where key = %(key)s and state = 'running'

-- name: release
-- The worker goes away: somebody else will run it.
update takes set state = 'waiting', stage = '', progress = 0, seconds_left = null
where key = %(key)s and state = 'running'

-- name: cancel
update takes set state = 'cancelled', stage = '', seconds_left = null, finished_at = now()
where key = %(key)s and state in ('waiting', 'running')
returning key, job_id

-- name: wait_again
update takes set state = 'waiting', stage = '', progress = 0, error = null, finished_at = null
where key = %(key)s and state in ('failed', 'cancelled')
returning key

-- name: queue
-- What runs and what waits, in the order of the queue, with one trial that wants it.
select k.key, k.state, k.stage, k.progress, k.seconds_left, k.plate_key, k.recipe, k.repeats, k.started_at,
    e.trial_id, e.letter, e.name as entry_name, t.name as trial_name, t.setup, s.facts
from takes k
join sources s on s.id = k.source_id
join lateral (select * from entries where take_key = k.key order by trial_id limit 1) e on true
join trials t on t.id = e.trial_id
where k.state in ('waiting', 'running')
order by k.state, k.job_id nulls last, k.created_at

-- name: unfinished_of_trial
select k.key from takes k join entries e on e.take_key = k.key
where e.trial_id = %(trial_id)s and k.state in ('waiting', 'running')

-- name: adrift
-- Takes that nobody is going to run: their job is gone.
select key from takes k
where state in ('waiting', 'running') and created_at < now() - interval '5 seconds' and not exists (
    select from procrastinate_jobs j where j.id = k.job_id and j.status in ('todo', 'doing'))
