-- name: all
select * from recipes order by position, created_at

-- name: some
select * from recipes where id = any(%(ids)s::uuid[]) order by position, created_at

-- name: add
insert into recipes (name, passes, blend, over_size, position)
values (%(name)s, %(passes)s, %(blend)s, %(over_size)s, %(position)s)
on conflict (name) do nothing
returning *

-- name: get
select * from recipes where id = %(id)s

-- name: replace
update recipes set name = %(name)s, passes = %(passes)s, blend = %(blend)s, over_size = %(over_size)s,
    version = version + 1
where id = %(id)s and version = coalesce(%(version)s, version)
returning *

-- name: delete
delete from recipes where id = %(id)s
