-- depends: 0012_over_size

-- How large all of the result is, so that the time of another one can be foretold.
alter table errands add column megapixels double precision check (megapixels > 0);
