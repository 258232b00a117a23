-- Rows of targets as they were before a load changed them, a table for each load that changed any.
create schema undo;
alter table sieve.load drop constraint load_state_check;
alter table sieve.load add constraint load_state_check
  check (state in ('queued', 'running', 'loaded', 'stopped', 'failed', 'cancelled', 'dropped', 'tried', 'undone'));
alter table sieve.load add column undone text, add column undone_by text not null default '', add column undone_at timestamptz;
