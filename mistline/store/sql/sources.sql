-- name: kinds
select id, name from kinds order by position

-- name: add
insert into sources (name, hash, file_bytes, kind, story)
values (%(name)s, %(hash)s, %(file_bytes)s, %(kind)s, %(story)s)
on conflict (hash) do update set removed_at = null where sources.removed_at is not null
returning *

-- name: by_hash
select * from sources where hash = %(hash)s

-- name: get
select * from sources where id = %(id)s and removed_at is null

-- name: page
-- Sources that answer what is asked, newest first, with the newest trials on each and the pick of their verdicts.
-- Noise that cannot be told answers what lies within its bounds.
select s.*, (
    select count(*) from trials t where t.source_id = s.id and t.removed_at is null) as tried, coalesce(u.trials, '[]') as trials
from (
    select * from sources s
    where removed_at is null
        and (%(after_time)s::timestamptz is null or (created_at, id) < (%(after_time)s, %(after_id)s::uuid))
        and (%(words)s::text is null or strpos(lower(name || ' ' || story), lower(%(words)s)) > 0)
        and (%(kind)s::text is null or coalesce(kind, 'none') = %(kind)s)
        and (%(least_mp)s::float is null or (facts ->> 'megapixels')::float >= %(least_mp)s)
        and (%(most_mp)s::float is null or (facts ->> 'megapixels')::float < %(most_mp)s)
        and (%(least_noise)s::float is null or coalesce(traits ->> 'noise_sigma', traits ->> 'noise_most')::float >= %(least_noise)s)
        and (%(most_noise)s::float is null or coalesce(
            traits ->> 'noise_sigma',
            case when traits ->> 'noise_most' is not null then traits ->> 'noise_least' end)::float < %(most_noise)s)
        and (%(tried)s::text is null or %(tried)s = case
            when exists (
                select from verdicts v join trials t on t.id = v.trial_id
                where t.source_id = s.id and t.removed_at is null) then 'decided'
            when exists (select from trials t where t.source_id = s.id and t.removed_at is null) then 'tried'
            else 'new' end)
    order by created_at desc, id desc
    limit %(limit)s
) s
left join lateral (
    select jsonb_agg(jsonb_build_object('id', t.id, 'name', t.name, 'pick', t.pick)) as trials from (
        select t.id, t.name, (
            select e.name from verdicts v join entries e on e.trial_id = v.trial_id and e.letter = v.pick
            where v.trial_id = t.id order by v.id desc limit 1) as pick
        from trials t where t.source_id = s.id and t.removed_at is null order by t.created_at desc limit 3
    ) t
) u on true
order by s.created_at desc, s.id desc

-- name: like
-- What could stand in for a source: others that are read, moving as it does, the newest first.
select id, name, kind, facts, traits, picture_id from sources
where state = 'ready' and removed_at is null and id <> %(id)s and coalesce(facts ->> 'refused', '') = ''
    and (coalesce((facts ->> 'frames')::int, 1) > 1) = %(moving)s
order by created_at desc
limit 500

-- name: edit
update sources set kind = coalesce(%(kind)s, kind), story = coalesce(%(story)s, story), name = coalesce(%(name)s, name),
    version = version + (num_nonnulls(%(name)s::text, %(story)s::text) > 0)::int
where id = %(id)s and version = coalesce(%(version)s, version)
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

-- name: remove
update sources set removed_at = now() where id = %(id)s

-- name: restore
update sources set removed_at = null where id = %(id)s and removed_at is not null returning id

-- name: purge_takes
-- Takes of sources to be purged that no trial shows any more; their pictures stay in the media store.
delete from takes k using sources s
where s.id = k.source_id and s.removed_at < now() - interval '1 day'
    and not exists (select from entries e where e.take_key = k.key)

-- name: purge
delete from sources s
where s.removed_at < now() - interval '1 day' and not exists (select from trials t where t.source_id = s.id)

-- name: adrift
select id::text from sources s
where removed_at is null and state in ('waiting', 'reading') and created_at < now() - interval '5 seconds' and not exists (
    select from procrastinate_jobs j where j.id = s.job_id and j.status in ('todo', 'doing'))
