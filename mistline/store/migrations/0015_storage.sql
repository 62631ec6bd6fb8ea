-- depends: 0014_recipe_versions

-- What the views of a picture take, which are cut again when somebody looks; null where nobody has counted yet. And when
-- somebody made it or made it again last: between that and the note of what needs it, it is needed by nothing.
alter table pictures add column view_bytes bigint;
alter table pictures alter column view_bytes set default 0;
alter table pictures add column touched_at timestamptz not null default now();

-- Who this database is: files that it knows nothing of are removed only from a media store that is its own.
create table installation (
    single boolean primary key default true check (single),
    id uuid not null default gen_random_uuid()
);
insert into installation default values;

-- What needs a picture is looked up by its id.
create index plates_by_truth on plates (truth_picture);
create index plates_by_input on plates (input_picture);
create index sources_by_picture on sources (picture_id);
create index trials_by_plate on trials (plate_key);
