-- Checks that a load does without, by key, each with the reason.
alter table sieve.load add column checks_off jsonb not null default '{}';
