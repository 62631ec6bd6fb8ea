-- name: of_trial
select * from errands where trial_id = %(trial_id)s order by created_at, id

-- name: get
select * from errands where id = %(id)s

-- name: add
-- The row, also where the same was asked for before and came to nothing: with its key it is charged once.
insert into errands (trial_id, connector, name, key, forecast, currency, megapixels)
values (%(trial_id)s, %(connector)s, %(name)s, %(key)s, %(forecast)s, %(currency)s, %(megapixels)s)
on conflict (key) do update set state = 'waiting', error = null, progress = 0, created_at = now()
    where errands.state in ('failed', 'cancelled')
returning *

-- name: set_job
update errands set job_id = %(job_id)s where id = %(id)s

-- name: claim
select * from errands where id = %(id)s and state not in ('done', 'failed', 'cancelled')

-- name: progress
-- Nothing where it was cancelled meanwhile.
update errands set state = %(state)s, progress = %(progress)s, remote_id = coalesce(%(remote_id)s, remote_id),
    fee = coalesce(%(fee)s, fee)
where id = %(id)s and state not in ('done', 'failed', 'cancelled')
returning id

-- name: finish
update errands set state = 'done', progress = 1, error = null, letter = %(letter)s, times = %(times)s,
    fee = coalesce(%(fee)s, fee)
where id = %(id)s

-- name: fail
update errands set state = 'failed', error = %(error)s where id = %(id)s and state <> 'cancelled'

-- name: begin_anew
-- The service itself gave the job up: a repetition is another job, which it may charge.
update errands set remote_id = null, fee = null, attempt = attempt + 1 where id = %(id)s

-- name: cancel
update errands set state = 'cancelled' where id = %(id)s and state not in ('done', 'failed', 'cancelled') returning id

-- name: spent
-- What the errands of a trial cost, or will if all goes well.
select coalesce(sum(coalesce(fee, forecast)), 0) as spent from errands
where trial_id = %(trial_id)s and (state not in ('failed', 'cancelled') or fee is not null) and key is distinct from %(besides)s::text

-- name: set_budget
update trials set budget = %(budget)s where id = %(id)s and removed_at is null returning id

-- name: known_times
-- Of the newest errands to a service that were seen from beginning to end.
select times, megapixels from errands
where connector = %(connector)s and state = 'done' and times ->> 'uploading' is not null and megapixels is not null
order by created_at desc limit 9

-- name: adrift
select id::text from errands e
where state not in ('done', 'failed', 'cancelled') and created_at < now() - interval '5 seconds' and not exists (
    select from procrastinate_jobs j where j.id = e.job_id and j.status in ('todo', 'doing'))
