-- What the pairs of a load were judged by, so that its records which are released later are judged by the same.
create table sieve.match_model (
  load integer primary key references sieve.load on delete cascade,
  -- The compared fields, which say what the model's numbers are of.
  fields jsonb not null,
  model jsonb not null,
  -- From which score on pairs are the same, and are asked about.
  limits jsonb not null
);
-- The plan by which a record was released that waits for a decision; null: its load's own.
alter table sieve.waiting add plan integer references sieve.plan;
alter table sieve.match_pair add plan integer references sieve.plan;
-- Waiting records are of the load, or come out of its quarantine by a writing.
create function sieve.refuse_rows_to_wait() returns trigger language plpgsql as $$
declare
  ended record;
begin
  select l.id, l.state into ended from changed c join sieve.load l on l.id = c.load
    where sieve.has_ended(l.state) and (c.writing is null or c.plan is null
      or not exists (select from sieve.held h where h.load = c.load and h.record = c.record)) limit 1;
  if found then
    raise exception 'load % is %, and its waiting rows are added to from its quarantine alone', ended.id, ended.state;
  end if;
  return null;
end $$;
drop trigger waiting_is_not_added on sieve.waiting;
create trigger waiting_is_not_added after insert on sieve.waiting
  referencing new table as changed for each statement execute function sieve.refuse_rows_to_wait();
