-- name: lock
select pg_advisory_xact_lock(hashtext(%(id)s))

-- name: add
insert into pictures (id, width, height, bit_depth, levels, frames, rate, from_original, file_bytes)
values (%(id)s, %(width)s, %(height)s, %(bit_depth)s, %(levels)s, %(frames)s, %(rate)s, %(from_original)s, 0)
on conflict (id) do update set touched_at = now()

-- name: shards
select first, frames, file_bytes, hash from shards where picture_id = %(id)s order by first

-- name: add_shard
insert into shards (picture_id, first, frames, file_bytes, hash)
values (%(id)s, %(first)s, %(frames)s, %(file_bytes)s, %(hash)s)
on conflict (picture_id, first) do update set file_bytes = excluded.file_bytes, hash = excluded.hash

-- name: sum_up
update pictures set file_bytes = (select coalesce(sum(file_bytes), 0) from shards where picture_id = %(id)s)
where id = %(id)s

-- name: origin
-- What a picture was made of: a source as read, a plate of a set-up (with one take of it), or a take.
select s.id::text as source_id, p.any_take, k.key as take_key
from (select %(id)s::text as id) wanted
left join sources s on s.picture_id = wanted.id
left join lateral (
    select (select key from takes where plate_key = plates.key limit 1) as any_take from plates
    where wanted.id in (plates.truth_picture, plates.input_picture) and s.id is null limit 1) p on true
left join lateral (select key from takes where picture_id = wanted.id limit 1) k on true
limit 1

-- name: more_views
update pictures set view_bytes = view_bytes + %(bytes)s where id = %(id)s

-- name: get
select * from pictures where id = %(id)s

-- name: some
select * from pictures where id = any(%(ids)s)

-- name: bytes_a_pixel
-- Of the newest pictures at 16 bits that are kept, frames of clips or stills.
select sum(s.file_bytes)::float / nullif(sum(s.frames::float * p.width * p.height), 0) as bytes
from (select * from pictures where bit_depth = 16 and not from_original and (frames > 1) = %(moving)s
    order by created_at desc limit 100) p
join shards s on s.picture_id = p.id

-- name: plate
select * from plates where key = %(key)s

-- name: add_plate
insert into plates (key, truth_picture, input_picture, traits)
values (%(key)s, %(truth_picture)s, %(input_picture)s, %(traits)s)
on conflict (key) do nothing
