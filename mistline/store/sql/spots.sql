-- name: add
insert into spots (source_id, name, note, x, y, width, height, frame)
values (%(source_id)s, %(name)s, %(note)s, %(left)s, %(top)s, %(width)s, %(height)s, %(frame)s)
returning id::text

-- name: get
select id::text, source_id::text, name, note, x as "left", y as top, width, height, frame, removed
from spots where id = %(id)s

-- name: of_source
select id::text, source_id::text, name, note, x as "left", y as top, width, height, frame, removed
from spots where source_id = %(source_id)s and not removed order by created_at, id

-- name: edit
update spots set name = coalesce(%(name)s, name), note = coalesce(%(note)s, note),
    removed = coalesce(%(removed)s, removed)
where id = %(id)s returning id

-- name: scores
select s.take_key, s.scores from spot_scores s
join entries e on e.take_key = s.take_key and e.trial_id = %(trial_id)s
where s.spot_id = %(id)s

-- name: keep_scores
insert into spot_scores (spot_id, take_key, scores) values (%(id)s, %(take_key)s, %(scores)s)
on conflict do nothing

-- name: remarks
select id::text, letter, x as "left", y as top, width, height, frame, defect, severity, note, created_at
from remarks where trial_id = %(trial_id)s and not removed order by created_at, id

-- name: add_remark
insert into remarks (trial_id, letter, x, y, width, height, frame, defect, severity, note)
values (%(trial_id)s, %(letter)s, %(left)s, %(top)s, %(width)s, %(height)s, %(frame)s, %(defect)s, %(severity)s, %(note)s)
returning id::text

-- name: edit_remark
update remarks set defect = coalesce(%(defect)s, defect), severity = coalesce(%(severity)s, severity),
    note = coalesce(%(note)s, note), removed = coalesce(%(removed)s, removed)
where id = %(id)s returning id
