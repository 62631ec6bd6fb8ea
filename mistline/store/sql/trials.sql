-- name: add
insert into trials (name, source_id, setup, plate_key, first, frames, stands_in_for)
values (%(name)s, %(source_id)s, %(setup)s, %(plate_key)s, %(first)s, %(frames)s, %(stands_in_for)s)
returning id::text

-- name: add_entry
insert into entries (trial_id, letter, position, name, control, recipe_id, recipe, stated, take_key)
values (%(trial_id)s, %(letter)s, %(position)s, %(name)s, %(control)s, %(recipe_id)s, %(recipe)s, %(stated)s,
    %(take_key)s)

-- name: make_room
-- The controls stand after all others.
update entries set position = position + 1 where trial_id = %(trial_id)s and position >= %(position)s

-- name: restate
update entries set name = %(name)s, stated = %(stated)s
where trial_id = %(trial_id)s and letter = %(letter)s and stated is not null returning letter

-- name: retake
update entries set take_key = %(take_key)s
where trial_id = %(trial_id)s and letter = %(letter)s and stated is not null

-- name: take_away
-- An entry that was made elsewhere and came to nothing.
delete from entries e using takes k
where e.trial_id = %(trial_id)s and e.letter = %(letter)s and e.stated is not null
    and k.key = e.take_key and k.state in ('failed', 'cancelled')
returning e.letter

-- name: lock
select id from trials where id = %(id)s for update

-- name: get
select t.*, s.name as source_name, s.kind, s.facts, s.traits as source_traits, s.hash as source_hash,
    p.truth_picture, p.input_picture, p.traits as input_traits
from trials t
join sources s on s.id = t.source_id
left join plates p on p.key = t.plate_key
where t.id = %(id)s and t.removed_at is null

-- name: entries
-- Every entry with its take, the take's scores and the machine it ran on.
select e.*, k.state, k.stage, k.progress, k.seconds_left, k.error, k.picture_id, k.settings, k.timing,
    k.delivered, k.findings, k.clipped, k.repeats, m.profile as machine, p.file_bytes,
    coalesce((select jsonb_object_agg(c.measure,
        jsonb_build_object('value', c.value, 'parts', c.parts, 'note', c.note, 'frames', c.frames))
        from scores c where c.take_key = k.key), '{}') as scores
from entries e
join takes k on k.key = e.take_key
left join machines m on m.id = k.machine_id
left join pictures p on p.id = k.picture_id
where e.trial_id = %(id)s
order by e.position

-- name: same
-- Pairs of entries that are the same picture to the eye.
select a.letter as first, b.letter as second from sameness s
join entries a on a.trial_id = %(id)s and a.take_key in (s.first, s.second)
join entries b on b.trial_id = %(id)s and b.take_key in (s.first, s.second) and b.position > a.position
where s.same and a.take_key <> b.take_key
order by a.position, b.position

-- name: stand_ins
-- Trials whose truth stands in for that of another, the oldest first.
select id::text from trials where stands_in_for = %(id)s and removed_at is null order by created_at, id

-- name: page
-- Trials, newest first, with how far along they are and the verdict in force.
select t.id, t.name, t.setup, t.created_at, s.id as source_id, s.name as source_name, s.kind, s.picture_id,
    count(*) as takes, count(*) filter (where k.state = 'done') as done,
    count(*) filter (where k.state in ('failed', 'cancelled')) as ended,
    (select e2.name from verdicts v join entries e2 on e2.trial_id = v.trial_id and e2.letter = v.pick
        where v.trial_id = t.id order by v.id desc limit 1) as pick
from (
    select * from trials
    where removed_at is null
        and (%(after_time)s::timestamptz is null or (created_at, id) < (%(after_time)s, %(after_id)s::uuid))
    order by created_at desc, id desc
    limit %(limit)s
) t
join sources s on s.id = t.source_id
join entries e on e.trial_id = t.id
join takes k on k.key = e.take_key
group by t.id, t.name, t.setup, t.created_at, s.id, s.name, s.kind, s.picture_id
order by t.created_at desc, t.id desc

-- name: count_for_source
-- Also those that hold their results against it.
select count(*) as trials from trials
where removed_at is null and (source_id = %(source_id)s or setup ->> 'native' = %(source_id)s::text)

-- name: remove
update trials set removed_at = now() where id = %(id)s and removed_at is null returning id

-- name: restore
-- With the takes that were cancelled when it was removed.
with back as (
    update trials t set removed_at = null from (select id, removed_at from trials where id = %(id)s for update) before
    where t.id = before.id and before.removed_at is not null
    returning t.id, before.removed_at)
select back.id, coalesce((
    select jsonb_agg(distinct k.key) from entries e join takes k on k.key = e.take_key
    where e.trial_id = back.id and k.state = 'cancelled' and k.finished_at >= back.removed_at), '[]') as cancelled
from back

-- name: purge
delete from trials where removed_at < now() - interval '1 day'

-- name: add_verdict
insert into verdicts (trial_id, kind, pick, fallback, reasons, author, view)
values (%(trial_id)s, %(kind)s, %(pick)s, %(fallback)s, %(reasons)s, %(author)s, %(view)s)

-- name: verdicts
select v.*, e.name as pick_name, f.name as fallback_name from verdicts v
join entries e on e.trial_id = v.trial_id and e.letter = v.pick
left join entries f on f.trial_id = v.trial_id and f.letter = v.fallback
where v.trial_id = %(id)s
order by v.id desc

-- name: playbook
-- For each kind (or one) its newest verdicts in force, and how many there are; a trial's newest verdict is in force.
select k.id as kind, k.name as kind_name, v.*,
    e.name as pick_name, e.recipe as pick_recipe, e.stated as pick_stated, e.recipe_id as pick_recipe_id,
    f.name as fallback_name, f.recipe as fallback_recipe,
    s.name as source_name, s.picture_id,
    tk.timing as pick_timing, ft.timing as fallback_timing,
    (select jsonb_object_agg(c.measure, c.value) from scores c where c.take_key = e.take_key) as pick_scores
from kinds k
left join lateral (
    select v.id, v.trial_id, v.reasons, v.author, v.view, v.created_at, v.pick, v.fallback,
        t.name as trial_name, t.setup, t.source_id, count(*) over () as number
    from verdicts v join trials t on t.id = v.trial_id and t.removed_at is null
    where v.kind = k.id and (%(before)s::bigint is null or v.id < %(before)s)
        and not exists (select from verdicts w where w.trial_id = v.trial_id and w.id > v.id)
    order by v.id desc limit %(limit)s) v on true
left join sources s on s.id = v.source_id
left join entries e on e.trial_id = v.trial_id and e.letter = v.pick
left join takes tk on tk.key = e.take_key
left join entries f on f.trial_id = v.trial_id and f.letter = v.fallback
left join takes ft on ft.key = f.take_key
where %(kind)s::text is null or k.id = %(kind)s
order by k.position, v.id desc

-- name: set_standing
update entries set standing = %(standing)s, standing_reason = %(reason)s
where trial_id = %(trial_id)s and letter = %(letter)s returning letter
