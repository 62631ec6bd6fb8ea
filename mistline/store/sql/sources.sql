-- name: kinds
select id, name from kinds order by position

-- name: add
insert into sources (name, hash, file_bytes, kind, story)
values (%(name)s, %(hash)s, %(file_bytes)s, %(kind)s, %(story)s)
on conflict (hash) do nothing
returning *

-- name: by_hash
select * from sources where hash = %(hash)s

-- name: get
select * from sources where id = %(id)s

-- name: page
select * from sources
where %(after_time)s::timestamptz is null or (created_at, id) < (%(after_time)s, %(after_id)s::uuid)
order by created_at desc, id desc
limit %(limit)s

-- name: edit
update sources set kind = coalesce(%(kind)s, kind), story = coalesce(%(story)s, story), name = coalesce(%(name)s, name)
where id = %(id)s
returning *

-- name: set_job
update sources set job_id = %(job_id)s where id = %(id)s

-- name: await_reading
update sources set state = 'waiting', error = null where id = %(id)s and state in ('failed', 'reading', 'waiting')
returning *

-- name: claim
update sources set state = 'reading' where id = %(id)s and state in ('waiting', 'reading')
returning *

-- name: finish
update sources
set state = 'ready', error = null, facts = %(facts)s, traits = %(traits)s, picture_id = %(picture_id)s
where id = %(id)s

-- name: read_as
-- Nothing that was found by the reading before is kept.
update sources set read_as = %(read_as)s, state = 'waiting', facts = null, traits = null
where id = %(id)s and state = 'ready'
returning *

-- name: surveyed
-- Once: notes that are there already are not added again.
update sources set facts = (facts || %(found)s) || jsonb_build_object('notes', (facts -> 'notes') || %(notes)s)
where id = %(id)s and state = 'ready' and not facts ? 'shots'

-- name: fail
update sources set state = 'failed', error = %(error)s where id = %(id)s

-- name: delete_takes
-- Takes of a source that no trial shows any more; their pictures stay in the media store.
delete from takes where source_id = %(id)s and not exists (select from entries e where e.take_key = takes.key)

-- name: delete
delete from sources where id = %(id)s

-- name: adrift
select id::text from sources s
where state in ('waiting', 'reading') and created_at < now() - interval '5 seconds' and not exists (
    select from procrastinate_jobs j where j.id = s.job_id and j.status in ('todo', 'doing'))
