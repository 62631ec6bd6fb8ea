-- name: get
select version, book from price_book

-- name: put
-- Nothing where somebody else was first.
insert into price_book (version, book) values (%(version)s + 1, %(book)s)
on conflict (single) do update set version = excluded.version, book = excluded.book
    where price_book.version = %(version)s
returning version

-- name: set_job
update trials set job = %(job)s where id = %(id)s and removed_at is null returning id
