-- depends: 0001_first

-- A picture has frames; a still has one. A rate is an exact fraction of frames a second, "24000/1001".
alter table pictures add column frames integer not null default 1;
alter table pictures add column rate text;
-- Whether the frames are decoded from the source's original whenever they are wanted, and not kept.
alter table pictures add column from_original boolean not null default false;

-- The files that hold the frames of a picture, losslessly; the hash (SHA-256) tells damage before anything is measured.
-- Pictures from before have none: they are made again when somebody asks for them.
create table shards (
    picture_id text not null references pictures (id) on delete cascade,
    first integer not null,
    frames integer not null,
    file_bytes bigint not null,
    hash text not null,
    primary key (picture_id, first)
);

-- A part of a trial's source: its frames from `first`.
alter table trials add column first integer not null default 0;
alter table trials add column frames integer not null default 1;

-- A take is made in shards of consecutive frames, a job of the queue each; the last one joins them.
alter table takes add column first integer not null default 0;
alter table takes add column frames integer not null default 1;
create table take_shards (
    take_key text not null references takes (key) on delete cascade,
    first integer not null,
    frames integer not null,
    state text not null default 'waiting' check (state in ('waiting', 'running', 'done')),
    progress real not null default 0,
    job_id bigint,
    result jsonb,
    primary key (take_key, first)
);
insert into take_shards (take_key, first, frames, state, job_id)
    select key, 0, 1, case when state = 'done' then 'done' else 'waiting' end, job_id from takes;
alter table takes drop column job_id;

-- A measure frame by frame; null where it says nothing or is infinite.
alter table scores add column frames double precision[];

-- What a damaged picture was made of is looked up by its id, and by the plates that it is part of.
create index takes_by_picture on takes (picture_id);
create index takes_by_plate on takes (plate_key);
