-- name: add
insert into takes (key, source_id, setup, plate_key, recipe, delivered, repeats, first, frames)
values (%(key)s, %(source_id)s, %(setup)s, %(plate_key)s, %(recipe)s, %(delivered)s, %(repeats)s, %(first)s, %(frames)s)
on conflict (key) do nothing

-- name: hold
-- It cannot be removed until the transaction ends.
select from takes where key = %(key)s for key share

-- name: add_shard
insert into take_shards (take_key, first, frames) values (%(key)s, %(first)s, %(frames)s)

-- name: get
select k.*, s.name as source_name, s.picture_id as source_picture, s.hash as source_hash,
    s.facts as source_facts
from takes k
join sources s on s.id = k.source_id
where key = %(key)s

-- name: set_job
update take_shards set job_id = %(job_id)s where take_key = %(key)s and first = %(first)s

-- name: unmade_shards
select first, frames from take_shards where take_key = %(key)s and state <> 'done' order by first

-- name: claim
with claimed as (
    update take_shards h set state = 'running', progress = 0 from takes k
    where h.take_key = %(key)s and h.first = %(first)s and h.state in ('waiting', 'running')
        and k.key = h.take_key and k.state in ('waiting', 'running')
    returning h.take_key, h.frames)
update takes k set state = 'running', error = null, seconds_left = %(seconds_left)s,
    stage = case when k.frames = claimed.frames or k.state = 'waiting' then 'starting' else stage end,
    progress = case when k.frames = claimed.frames then 0 else progress end,
    started_at = case when k.frames = claimed.frames or k.state = 'waiting' then now() else started_at end
from claimed where k.key = claimed.take_key
returning k.key, claimed.frames

-- name: progress
-- How far a shard is, and with the others the take; the time left is this shard's and that of those that wait.
with told as (
    update take_shards set progress = %(progress)s
    where take_key = %(key)s and first = %(first)s and state = 'running'
    returning take_key)
update takes set stage = %(stage)s,
    seconds_left = %(seconds_left)s + coalesce(%(expected)s::real * others.waiting / takes.frames, 0),
    progress = (others.made + %(progress)s * others.own) / takes.frames
from told, lateral (
    select coalesce(sum(frames) filter (where state = 'waiting'), 0) as waiting,
        coalesce(sum(frames * progress) filter (where first <> %(first)s), 0) as made,
        sum(frames) filter (where first = %(first)s) as own
    from take_shards where take_key = %(key)s) others
where key = told.take_key and takes.state = 'running'

-- name: lock
select state from takes where key = %(key)s for update

-- name: finish_shard
update take_shards set state = 'done', progress = 1, result = %(result)s
where take_key = %(key)s and first = %(first)s and state = 'running'
returning first

-- name: shard_results
select state, result from take_shards where take_key = %(key)s order by first

-- name: forget_results
update take_shards set result = null where take_key = %(key)s

-- name: finish
update takes set state = 'done', stage = '', progress = 1, seconds_left = null, error = null,
    picture_id = %(picture_id)s, settings = %(settings)s, timing = %(timing)s, clipped = %(clipped)s,
    findings = %(findings)s, machine_id = %(machine_id)s, finished_at = now()
where key = %(key)s and state = 'running'
returning key

-- name: add_score
insert into scores (take_key, measure, version, value, parts, note, frames)
values (%(take_key)s, %(measure)s, %(version)s, %(value)s, %(parts)s, %(note)s, %(frames)s)
on conflict (take_key, measure) do update
set version = excluded.version, value = excluded.value, parts = excluded.parts, note = excluded.note,
    frames = excluded.frames

-- name: add_sameness
insert into sameness (first, second, psnr, worst, same)
values (least(%(one)s, %(other)s), greatest(%(one)s, %(other)s), %(psnr)s, %(worst)s, %(same)s)
on conflict (first, second) do nothing

-- name: beside
-- Finished takes of the same plate that are kept, controls left out.
select key, picture_id from takes
where plate_key = %(plate_key)s and key <> %(key)s and state = 'done' and (recipe is not null or delivered is not null)
    and exists (select from shards s where s.picture_id = takes.picture_id)
order by finished_at desc limit 12

-- name: fail
update takes set state = 'failed', stage = '', seconds_left = null, error = %(error)s, finished_at = now()
where key = %(key)s and state = 'running'

-- name: note_other_size
update takes set delivered = delivered || '{"other_size": true}' where key = %(key)s and delivered is not null

-- name: release
-- The worker goes away: somebody else will run it.
with released as (
    update take_shards set state = 'waiting', progress = 0
    where take_key = %(key)s and first = %(first)s and state = 'running')
update takes set state = 'waiting', stage = '', progress = 0, seconds_left = null
where key = %(key)s and state = 'running' and not exists (
    select from take_shards where take_key = %(key)s and first <> %(first)s and state = 'running')

-- name: cancel
update takes set state = 'cancelled', stage = '', seconds_left = null, finished_at = now()
where key = %(key)s and state in ('waiting', 'running')
returning key

-- name: jobs
select job_id from take_shards where take_key = %(key)s and state <> 'done' and job_id is not null

-- name: wait_again
with again as (
    update take_shards set state = 'waiting', progress = 0 where take_key = %(key)s and result is null)
update takes set state = 'waiting', stage = '', progress = 0, error = null, finished_at = null
where key = %(key)s and state in ('failed', 'cancelled')
returning key

-- name: queue
-- What runs and what waits, in the order of the queue, with one trial that wants it.
select k.key, k.state, k.stage, k.progress, k.seconds_left, k.plate_key, k.recipe, k.repeats, k.frames,
    case when k.state = 'running' then extract(epoch from now() - k.started_at)::real end as seconds_gone,
    e.trial_id, e.letter, e.name as entry_name, t.name as trial_name, t.setup, s.facts as source_facts
from takes k
join sources s on s.id = k.source_id
join lateral (
    select n.* from entries n join trials u on u.id = n.trial_id and u.removed_at is null
    where n.take_key = k.key order by n.trial_id limit 1) e on true
join trials t on t.id = e.trial_id
left join lateral (
    select j.priority, j.id from take_shards h join procrastinate_jobs j on j.id = h.job_id
    where h.take_key = k.key and h.state <> 'done' order by h.first limit 1) j on true
where k.state in ('waiting', 'running')
order by k.state, j.priority desc nulls last, j.id nulls last, k.created_at

-- name: waiting_jobs
-- Jobs of shards that wait, in the order of the queue.
select h.take_key as key, j.id, j.priority from take_shards h
join procrastinate_jobs j on j.id = h.job_id and j.status = 'todo'
order by j.priority desc, j.id for update of j

-- name: set_priority
update procrastinate_jobs set priority = priority + %(more)s where id = any(%(ids)s) and status = 'todo'

-- name: touch
-- So that everybody hears of it.
update takes set stage = stage where key = %(key)s

-- name: unfinished_of_trial
select k.key from takes k join entries e on e.take_key = k.key
where e.trial_id = %(trial_id)s and k.state in ('waiting', 'running') and not (%(alone)s and exists (
    select from entries other join trials t on t.id = other.trial_id and t.removed_at is null
    where other.take_key = k.key and other.trial_id <> e.trial_id))

-- name: failed
-- Failed takes that a trial still shows.
select distinct k.key from takes k join entries e on e.take_key = k.key
join trials t on t.id = e.trial_id and t.removed_at is null
where k.state = 'failed'

-- name: adrift
-- Shards that nobody is going to make: their job is gone.
select h.take_key as key, h.first from take_shards h join takes k on k.key = h.take_key
where k.state in ('waiting', 'running') and h.state <> 'done' and k.created_at < now() - interval '5 seconds'
    and not exists (
        select from procrastinate_jobs j where j.id = h.job_id and j.status in ('todo', 'doing'))
