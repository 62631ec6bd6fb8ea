-- name: takes
select state, count(*) as number from takes group by state

-- name: jobs
select queue_name as queue, status::text, count(*) as number from procrastinate_jobs
where status in ('todo', 'doing') group by queue_name, status

-- name: workers
-- Lanes of workers that were heard of lately.
select count(*) as number from procrastinate_workers where last_heartbeat > now() - interval '10 seconds'
