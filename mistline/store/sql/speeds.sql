-- name: seen
insert into machines (id, profile) values (%(id)s, %(profile)s)
on conflict (id) do update set seen_at = now()

-- name: add
insert into speeds (recipe_key, machine_id, basis, seconds_per_megapixel)
values (%(recipe_key)s, %(machine_id)s, %(basis)s, %(seconds_per_megapixel)s)

-- name: best
-- The median over the newest takes of a recipe on the machine seen last; else its newest timed crop.
with here as (select id from machines order by seen_at desc limit 1),
mine as (select s.* from speeds s join here on here.id = s.machine_id where recipe_key = %(recipe_key)s),
recent as (select * from mine where basis = 'take' order by measured_at desc limit 9)
select 'earlier takes' as basis, count(*)::int as count,
    percentile_cont(0.5) within group (order by seconds_per_megapixel) as seconds_per_megapixel
from recent having count(*) > 0
union all
(select 'a timed crop', 1, seconds_per_megapixel from mine where basis = 'crop' order by measured_at desc limit 1)
limit 1
