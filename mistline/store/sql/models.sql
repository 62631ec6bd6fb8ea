-- name: add
insert into models (id, name, hash, file_bytes) values (%(id)s, %(name)s, %(hash)s, %(file_bytes)s)
on conflict (hash) do update set removed_at = null where models.removed_at is not null
returning *

-- name: get
select * from models where id = %(id)s and removed_at is null

-- name: all
select * from models where removed_at is null order by created_at desc

-- name: cards
select id, name, hash, card from models where state = 'ready' and removed_at is null

-- name: set_job
update models set job_id = %(job_id)s where id = %(id)s

-- name: await_inspection
update models set state = 'waiting', error = null where id = %(id)s and state <> 'ready'
returning *

-- name: claim
update models set state = 'inspecting' where id = %(id)s and state in ('waiting', 'inspecting')
returning *

-- name: finish
update models set state = 'ready', error = null, card = %(card)s where id = %(id)s

-- name: fail
update models set state = 'failed', error = %(error)s where id = %(id)s

-- name: uses
-- Recipes and takes that name the model; both keep it from being removed.
select (select count(*) from recipes where passes @> %(named)s or blend -> 'passes' @> %(named)s) +
    (select count(*) from takes
        where recipe -> 'passes' @> %(named)s or recipe -> 'blend' -> 'passes' @> %(named)s) as uses

-- name: remove
update models set removed_at = now() where id = %(id)s

-- name: restore
update models set removed_at = null where id = %(id)s and removed_at is not null returning id

-- name: purge
delete from models where removed_at < now() - interval '1 day' returning id

-- name: adrift
select id from models m
where state in ('waiting', 'inspecting') and removed_at is null and created_at < now() - interval '5 seconds' and not exists (
    select from procrastinate_jobs j where j.id = m.job_id and j.status in ('todo', 'doing'))
