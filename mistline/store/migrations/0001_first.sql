-- depends:

create table kinds (
    id text primary key,
    name text not null,
    position integer not null
);

insert into kinds (id, name, position) values
    ('daylight', 'Daylight live action', 1),
    ('night', 'Night and low light', 2),
    ('faces', 'Faces', 3),
    ('rendered', 'Rendered (CG)', 4),
    ('drawn', 'Drawn and animated', 5),
    ('lettering', 'Lettering and screen recordings', 6),
    ('texture', 'Foliage and fine texture', 7),
    ('archive', 'Archive, heavily compressed', 8),
    ('clean', 'Clean, high quality', 9),
    ('wrap', 'Wrap-around 360', 10);

-- A picture is a lossless plate and its view tiles: a source as read, a test input, a take's result.
create table pictures (
    id text primary key,
    width integer not null,
    height integer not null,
    bit_depth integer not null,
    levels integer not null,
    file_bytes bigint not null,
    created_at timestamptz not null default now()
);

create table sources (
    id uuid primary key default gen_random_uuid(),
    name text not null,
    hash text not null unique,
    file_bytes bigint not null,
    kind text references kinds (id),
    story text not null default '',
    state text not null default 'waiting' check (state in ('waiting', 'reading', 'ready', 'failed')),
    error text,
    job_id bigint,
    facts jsonb,
    traits jsonb,
    picture_id text references pictures (id),
    created_at timestamptz not null default now()
);
create index sources_by_age on sources (created_at desc, id);

create table recipes (
    id uuid primary key default gen_random_uuid(),
    name text not null unique,
    passes jsonb not null,
    blend jsonb,
    position integer not null default 100,
    created_at timestamptz not null default now()
);

-- A model that was dropped in; once ready its card makes it a method of that id.
create table models (
    id text primary key,
    name text not null,
    hash text not null unique,
    file_bytes bigint not null,
    state text not null default 'waiting' check (state in ('waiting', 'inspecting', 'ready', 'failed')),
    error text,
    job_id bigint,
    card jsonb,
    created_at timestamptz not null default now()
);

-- A set-up applied to a source: the truth and the input that every take of it shares.
create table plates (
    key text primary key,
    truth_picture text not null references pictures (id),
    input_picture text not null references pictures (id),
    traits jsonb not null
);

create table trials (
    id uuid primary key default gen_random_uuid(),
    name text not null,
    source_id uuid not null references sources (id),
    setup jsonb not null,
    plate_key text not null,
    created_at timestamptz not null default now()
);
create index trials_by_age on trials (created_at desc, id);
create index trials_by_source on trials (source_id);

create table machines (
    id text primary key,
    profile jsonb not null,
    seen_at timestamptz not null default now()
);

-- A take is a pure function of its key: computed once, never changed.
create table takes (
    key text primary key,
    source_id uuid not null references sources (id),
    setup jsonb not null,
    plate_key text not null,
    recipe jsonb,
    repeats integer not null,
    state text not null default 'waiting'
        check (state in ('waiting', 'running', 'done', 'failed', 'cancelled')),
    stage text not null default '',
    progress real not null default 0,
    seconds_left real,
    error text,
    job_id bigint,
    picture_id text references pictures (id),
    settings jsonb,
    timing jsonb,
    clipped real,
    machine_id text references machines (id),
    started_at timestamptz,
    finished_at timestamptz,
    created_at timestamptz not null default now()
);
create index takes_unfinished on takes (created_at) where state in ('waiting', 'running');
create index takes_by_source on takes (source_id);

create table scores (
    take_key text not null references takes (key) on delete cascade,
    measure text not null,
    version integer not null,
    value double precision,
    parts jsonb not null default '{}',
    note text not null default '',
    primary key (take_key, measure)
);

-- How alike two takes of one plate are; the keys stand in their order.
create table sameness (
    first text not null references takes (key) on delete cascade,
    second text not null references takes (key) on delete cascade,
    psnr double precision,
    worst double precision,
    same boolean not null,
    primary key (first, second)
);

create table entries (
    trial_id uuid not null references trials (id) on delete cascade,
    letter text not null,
    position integer not null,
    name text not null,
    control text check (control in ('truth', 'nearest')),
    recipe_id uuid references recipes (id) on delete set null,
    recipe jsonb,
    take_key text not null references takes (key),
    primary key (trial_id, letter)
);
create index entries_by_take on entries (take_key);

-- Every edit of a verdict is a new row; the newest of a trial is in force.
create table verdicts (
    id bigint generated always as identity primary key,
    trial_id uuid not null references trials (id) on delete cascade,
    kind text not null references kinds (id),
    pick text not null,
    fallback text,
    reasons text not null,
    created_at timestamptz not null default now(),
    foreign key (trial_id, pick) references entries (trial_id, letter) on delete cascade,
    foreign key (trial_id, fallback) references entries (trial_id, letter) on delete cascade
);
create index verdicts_by_trial on verdicts (trial_id, id desc);

-- Speed of a recipe on a machine, from a take or from a timed crop, for forecasts.
create table speeds (
    recipe_key text not null,
    machine_id text not null references machines (id),
    basis text not null check (basis in ('take', 'crop')),
    seconds_per_megapixel double precision not null,
    measured_at timestamptz not null default now()
);
create index speeds_by_recipe on speeds (recipe_key, measured_at desc);

-- Whatever changes a state is announced; the web process listens and tells the browsers.
create function announce() returns trigger language plpgsql as $$
begin
    perform pg_notify('mistline', json_build_object(
        'table', tg_table_name, 'key', to_jsonb(coalesce(new, old)) ->> tg_argv[0])::text);
    return null;
end $$;

create trigger models_announce after insert or update or delete on models
    for each row execute function announce('id');
create trigger takes_announce after insert or update on takes
    for each row execute function announce('key');
create trigger sources_announce after insert or update on sources
    for each row execute function announce('id');
create trigger speeds_announce after insert on speeds
    for each row execute function announce('recipe_key');
create trigger verdicts_announce after insert on verdicts
    for each row execute function announce('trial_id');
