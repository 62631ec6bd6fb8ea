-- depends: 0006_no_truth

-- A result that was made elsewhere: its file (name, hash, bytes, whether it is to be resampled) and what was found of it
-- when it arrived. What people say of how it was made belongs to the entry.
alter table takes add column delivered jsonb;
alter table takes add column findings jsonb not null default '[]';
alter table entries add column stated jsonb;

create trigger entries_delivered_announce after insert on entries
    for each row when (new.stated is not null) execute function announce('trial_id');
create trigger entries_taken_away_announce after delete on entries
    for each row when (old.stated is not null) execute function announce('trial_id');
