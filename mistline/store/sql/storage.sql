-- name: space
-- Bytes and numbers of what is kept, by what it is. Each picture counts for what needs it most.
with shown as materialized (
    select picture_id, plate_key from takes k where exists (select from entries e where e.take_key = k.key)),
needed as (
    select picture_id as id, 1 as rank from sources
    union all select picture_id, 2 from shown
    union all select unnest(array[p.truth_picture, p.input_picture]), 3 from plates p
    where p.key in (select plate_key from trials union all select plate_key from shown)),
most as (select id, min(rank) as rank from needed group by id),
roles as (
    select rank, count(*) as number, sum(p.file_bytes) as bytes, count(*) filter (where p.view_bytes > 0) as viewed,
        sum(coalesce(p.view_bytes, 0)) as view_bytes
    from pictures p left join most using (id) group by rank),
originals as (
    select hash, file_bytes from sources
    union select hash, file_bytes from models
    union select delivered ->> 'hash', (delivered ->> 'file_bytes')::bigint from takes where delivered is not null)
select case rank when 1 then 'sources' when 2 then 'takes' when 3 then 'plates' else 'unneeded' end as role, number,
    bytes::bigint as bytes from roles
union all select 'views', coalesce(sum(viewed), 0)::bigint, coalesce(sum(view_bytes), 0)::bigint from roles
union all select 'fingerprints', count(*) filter (where state = 'ready'), 0 from fingerprints
union all select 'originals', count(*), coalesce(sum(file_bytes), 0)::bigint from originals

-- name: bin
-- What was removed and can still come back.
select (select count(*) from trials where removed_at is not null) as trials,
    (select count(*) from sources where removed_at is not null) as sources

-- name: empty_bin
with gone as (delete from trials where removed_at is not null)
update sources set removed_at = '-infinity' where removed_at is not null

-- name: idle
-- Whether nothing is being made that may need what nothing needs yet.
select not exists (select from takes where state in ('waiting', 'running'))
    and not exists (select from sources where state in ('waiting', 'reading') and removed_at is null)
    and not exists (select from procrastinate_jobs where status = 'doing' and task_name <> 'mistline.storage:clear_storage') as idle

-- name: drop_takes
-- Takes that no trial shows any more, but for those that one is just about to.
delete from takes where key in (
    select k.key from takes k
    where k.state not in ('waiting', 'running') and k.created_at < now() - %(grace)s::interval
        and not exists (select from entries e where e.take_key = k.key)
    for update skip locked)

-- name: drop_plates
delete from plates p
where not exists (select from takes k where k.plate_key = p.key)
    and not exists (select from trials t where t.plate_key = p.key)

-- name: unneeded
-- Pictures that nothing needs, or is about to: a take's picture has the id of the take.
select p.id from pictures p
where p.touched_at < now() - %(grace)s::interval and (%(id)s::text is null or p.id = %(id)s)
    and not exists (select from sources s where s.picture_id = p.id)
    and not exists (select from takes k where k.picture_id = p.id or k.key = p.id)
    and not exists (select from plates t where t.truth_picture = p.id)
    and not exists (select from plates t where t.input_picture = p.id)

-- name: drop_picture
delete from pictures where id = %(id)s

-- name: originals
-- Those of the hashes that a source, a model or a result from elsewhere needs.
select hash from sources where hash = any(%(hashes)s)
union select hash from models where hash = any(%(hashes)s)
union select delivered ->> 'hash' from takes where delivered ->> 'hash' = any(%(hashes)s)

-- name: installation
select id::text, exists (select from pictures) as has_pictures from installation

-- name: with_views
select id from pictures where view_bytes is null or view_bytes > 0

-- name: uncounted
select id from pictures where view_bytes is null

-- name: counted
update pictures set view_bytes = %(bytes)s where id = %(id)s and view_bytes is null

-- name: no_views
update pictures set view_bytes = 0 where id = %(id)s

-- name: retired
-- Finished takes with frames that are kept and that every trial that shows them has retired.
select k.*, p.file_bytes from takes k join pictures p on p.id = k.picture_id
where k.state = 'done' and p.file_bytes > 0
    and k.key in (select take_key from entries where standing = 'retired')
    and not exists (
        select from entries e join trials t on t.id = e.trial_id and t.removed_at is null
        where e.take_key = k.key and e.standing is distinct from 'retired')

-- name: drop_shards
delete from shards where picture_id = %(id)s

-- name: drop_jobs
-- What is left of jobs that failed or were cancelled.
delete from procrastinate_jobs j
where j.status in ('failed', 'cancelled', 'aborted', 'succeeded') and not exists (
    select from procrastinate_events e where e.job_id = j.id and e.at > now() - interval '1 day')

-- name: clearing
select args ->> 'what' as what from procrastinate_jobs
where task_name = 'mistline.storage:clear_storage' and status in ('todo', 'doing')
