-- depends: 0015_storage

-- Worker processes, on this and on other machines: where each is, what it does and when it was heard of last.
create table workers (
    id uuid primary key,
    host text not null,
    machine_id text not null references machines (id),
    lanes text[] not null,
    doing text[] not null default '{}',
    started_at timestamptz not null default now(),
    heard_at timestamptz not null default now()
);
