-- depends: 0002_frames_in_shards

-- Matrix and range that a clip is read by where its own tags are missing or wrong; none: by its tags.
alter table sources add column read_as jsonb;
