-- depends: 0010_prices

-- A trial's input that is sent to a remote service; what comes back is an entry that was made elsewhere.
create table errands (
    id uuid primary key default gen_random_uuid(),
    trial_id uuid not null references trials (id) on delete cascade,
    connector text not null,
    name text not null,
    key text not null unique,
    state text not null default 'waiting' check (state in (
        'waiting', 'uploading', 'queued', 'processing', 'downloading', 'done', 'failed', 'cancelled')),
    progress real not null default 0,
    remote_id text,
    attempt integer not null default 0,
    forecast real not null,
    fee real,
    currency text not null,
    times jsonb,
    letter text,
    error text,
    job_id bigint,
    created_at timestamptz not null default now()
);
create index errands_trial on errands (trial_id);
create trigger errands_announce after insert or update on errands for each row execute function announce('trial_id');
alter table trials add column budget real;
