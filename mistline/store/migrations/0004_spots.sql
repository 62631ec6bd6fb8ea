-- depends: 0003_read_as

-- A named place of a source, in its own pixels and frames. It never moves: another place is another spot, so that the
-- scores that were measured at it hold. What is removed can come back.
create table spots (
    id uuid primary key default gen_random_uuid(),
    source_id uuid not null references sources (id) on delete cascade,
    name text not null,
    note text not null default '',
    x integer not null,
    y integer not null,
    width integer not null,
    height integer not null,
    frame integer not null,
    removed boolean not null default false,
    created_at timestamptz not null default clock_timestamp()
);
create index spots_by_source on spots (source_id, created_at);

-- What a take scores at a spot, by measure.
create table spot_scores (
    spot_id uuid not null references spots (id) on delete cascade,
    take_key text not null references takes (key) on delete cascade,
    scores jsonb not null,
    primary key (spot_id, take_key)
);

-- A note on a defect at a place of an entry's result, in pixels of the truth; a point has no size.
create table remarks (
    id uuid primary key default gen_random_uuid(),
    trial_id uuid not null references trials (id) on delete cascade,
    letter text not null,
    x integer not null,
    y integer not null,
    width integer not null,
    height integer not null,
    frame integer not null,
    defect text not null,
    severity integer not null check (severity between 1 and 3),
    note text not null default '',
    removed boolean not null default false,
    created_at timestamptz not null default clock_timestamp(),
    foreign key (trial_id, letter) references entries (trial_id, letter) on delete cascade
);
create index remarks_by_trial on remarks (trial_id, created_at);

-- What is thought of an entry on the way to a verdict, and why.
alter table entries add column standing text check (standing in ('kept', 'retired', 'finalist'));
alter table entries add column standing_reason text not null default '';

create trigger spots_announce after insert or update on spots
    for each row execute function announce('source_id');
create trigger remarks_announce after insert or update on remarks
    for each row execute function announce('trial_id');
create trigger entries_announce after update on entries
    for each row execute function announce('trial_id');
