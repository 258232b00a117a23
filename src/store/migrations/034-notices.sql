-- Of a notice on Today: who has seen to it, and when; it is shown until then.
alter table sieve.after_load add column seen_by text not null default '', add column seen_at timestamptz;
create index on sieve.after_load (ended_at) where action->>'do' = 'notice' and seen_at is null;
