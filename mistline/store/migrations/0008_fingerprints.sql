-- depends: 0007_made_elsewhere

-- What a version of a method does in general, measured once on made charts of a version; older versions stay to compare.
create table fingerprints (
    method text not null,
    version integer not null,
    charts integer not null,
    state text not null default 'waiting' check (state in ('waiting', 'measuring', 'ready', 'failed')),
    error text,
    job_id bigint,
    found jsonb,
    created_at timestamptz not null default now(),
    primary key (method, version, charts)
);
create trigger fingerprints_announce after insert or update on fingerprints
    for each row execute function announce('method');
