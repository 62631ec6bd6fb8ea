-- depends: 0009_stand_ins

-- The one price book, with a version that tells whether somebody else has changed it; and the job a trial is about.
create table price_book (
    single boolean primary key default true check (single),
    version integer not null default 1,
    book jsonb not null
);
create trigger price_book_announce after insert or update on price_book
    for each row execute function announce('version');
alter table trials add column job jsonb;
