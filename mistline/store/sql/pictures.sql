-- name: add
insert into pictures (id, width, height, bit_depth, levels, file_bytes)
values (%(id)s, %(width)s, %(height)s, %(bit_depth)s, %(levels)s, %(file_bytes)s)
on conflict (id) do nothing

-- name: get
select * from pictures where id = %(id)s

-- name: plate
select * from plates where key = %(key)s

-- name: add_plate
insert into plates (key, truth_picture, input_picture, traits)
values (%(key)s, %(truth_picture)s, %(input_picture)s, %(traits)s)
on conflict (key) do nothing
