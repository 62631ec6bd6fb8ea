-- name: seen
insert into machines (id, profile) values (%(id)s, %(profile)s)
on conflict (id) do update set seen_at = now()

-- name: add
insert into speeds (recipe_key, machine_id, basis, seconds_per_megapixel)
values (%(recipe_key)s, %(machine_id)s, %(basis)s, %(seconds_per_megapixel)s)

-- name: best
-- The median over the newest takes of a recipe on a machine that works at this time; else its newest timed crop. Where
-- several work, the slowest is told: nobody knows which of them will do it.
with live as (select machine_id as id from workers where heard_at > now() - interval '1 minute'),
here as (
    select id from live union
    (select id from machines where not exists (select from live) order by seen_at desc limit 1)),
mine as (
    select s.*, row_number() over (partition by machine_id, basis order by measured_at desc) as age
    from speeds s join here on here.id = s.machine_id where recipe_key = %(recipe_key)s)
(select 'earlier takes' as basis, count(*)::int as count,
    percentile_cont(0.5) within group (order by seconds_per_megapixel) as seconds_per_megapixel
from mine where basis = 'take' and age <= 9 group by machine_id order by seconds_per_megapixel desc limit 1)
union all
(select 'a timed crop', 1, seconds_per_megapixel from mine
where basis = 'crop' and age = 1 order by seconds_per_megapixel desc limit 1)
limit 1
