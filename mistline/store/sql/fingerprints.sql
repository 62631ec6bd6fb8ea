-- name: all
-- Those measured on the charts of today, newest version of a method first.
select * from fingerprints where charts = %(charts)s order by method, version desc

-- name: get
select * from fingerprints where method = %(method)s and version = %(version)s and charts = %(charts)s

-- name: ask
-- A row that waits; none where it is measured already, or waits for a job.
insert into fingerprints (method, version, charts) values (%(method)s, %(version)s, %(charts)s)
on conflict (method, version, charts) do update set state = 'waiting', error = null, created_at = now()
    where fingerprints.state = 'failed'
returning *

-- name: set_job
update fingerprints set job_id = %(job_id)s
where method = %(method)s and version = %(version)s and charts = %(charts)s

-- name: claim
update fingerprints set state = 'measuring'
where method = %(method)s and version = %(version)s and charts = %(charts)s and state in ('waiting', 'measuring')
returning *

-- name: finish
update fingerprints set state = 'ready', error = null, found = %(found)s
where method = %(method)s and version = %(version)s and charts = %(charts)s

-- name: fail
update fingerprints set state = 'failed', error = %(error)s
where method = %(method)s and version = %(version)s and charts = %(charts)s

-- name: forget
delete from fingerprints where method = %(method)s

-- name: adrift
select method, version from fingerprints f
where charts = %(charts)s and state in ('waiting', 'measuring') and created_at < now() - interval '5 seconds'
    and not exists (
        select from procrastinate_jobs j where j.id = f.job_id and j.status in ('todo', 'doing'))
