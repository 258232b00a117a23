-- How long what is kept, by feed: settings that are only ever added to, the newest holds. Null is for ever.
create table sieve.retention (
  id integer generated always as identity primary key,
  feed text not null references sieve.feed,
  -- Days after the delivery came.
  bytes_days integer check (bytes_days between 1 and 36500),
  -- Days after the load ended.
  ledger_days integer check (ledger_days between 1 and 36500),
  -- Days after a held record was released, discarded or closed.
  settled_days integer check (settled_days between 1 and 36500),
  -- Loads of a target whose rows are kept as they were before.
  undo_loads integer not null default 5 check (undo_loads between 1 and 100),
  made_by text not null,
  made_at timestamptz not null default clock_timestamp()
);
create index on sieve.retention (feed, id desc);
create function sieve.refuse_any_change() returns trigger language plpgsql as $$
begin
  raise exception 'what was set in % is only ever added to', tg_table_name;
end $$;
create trigger retention_is_kept before update or delete on sieve.retention
  for each row execute function sieve.refuse_any_change();
create trigger retention_is_not_emptied before truncate on sieve.retention execute function sieve.refuse_truncate();

-- The days that a feed's newest setting gives; null where it keeps for ever, or has none.
create function sieve.ledger_days(feed text) returns integer language sql stable as
  $$ select r.ledger_days from sieve.retention r where r.feed = $1 order by r.id desc limit 1 $$;
create function sieve.settled_days(feed text) returns integer language sql stable as
  $$ select r.settled_days from sieve.retention r where r.feed = $1 order by r.id desc limit 1 $$;

-- What a run of the retention took away, by kind.
create table sieve.retention_run (
  id integer generated always as identity primary key,
  asked_by text not null,
  began_at timestamptz not null default clock_timestamp(),
  ended_at timestamptz,
  took jsonb not null default '{}',
  error jsonb
);

alter table sieve.delivery_file add column expired_at timestamptz;
alter table sieve.load add column expired_at timestamptz;
alter table sieve.held add column expired_at timestamptz;

-- Times by which it is told what has expired are not moved by anybody.
create function sieve.refuse_other_time() returns trigger language plpgsql as $$
begin
  raise exception 'when a row of % came or ended is never changed', tg_table_name;
end $$;
create trigger delivery_came_then before update of received_at, feed on sieve.delivery
  for each row when ((new.received_at, new.feed) is distinct from (old.received_at, old.feed))
  execute function sieve.refuse_other_time();
create trigger load_ended_then before update of ended_at on sieve.load
  for each row when (sieve.has_ended(old.state) and new.state = old.state and new.ended_at is distinct from old.ended_at)
  execute function sieve.refuse_other_time();
create trigger held_ended_then before update of ended_at on sieve.held
  for each row when (new.state = old.state and new.ended_at is distinct from old.ended_at)
  execute function sieve.refuse_other_time();

-- The ledger of a load goes as a whole, once its time is over.
create or replace function sieve.refuse_in_ledger() returns trigger language plpgsql as $$
declare
  ended record;
begin
  if tg_op <> 'INSERT' then
    select id, state, expired_at into ended from sieve.load where id = old.load;
    if sieve.has_ended(ended.state) and (tg_op = 'UPDATE' or ended.expired_at is null) then
      raise exception 'load % is %, and what its ledger says of it is never changed', ended.id, ended.state;
    end if;
  end if;
  if tg_op <> 'DELETE' then
    select id, state into ended from sieve.load where id = new.load;
    if sieve.has_ended(ended.state) then
      raise exception 'load % is %, and what its ledger says of it is never changed', ended.id, ended.state;
    end if;
    return new;
  end if;
  return old;
end $$;

create or replace function sieve.refuse_rows_in_ledger() returns trigger language plpgsql as $$
declare
  ended record;
begin
  select l.id, l.state into ended from sieve.load l
    where l.id in (select load from changed) and sieve.has_ended(l.state)
      and not (tg_op = 'DELETE' and tg_table_name = 'late_problem' and l.expired_at is not null) limit 1;
  if found then
    raise exception 'load % is %, and its % rows are never added to or taken away', ended.id, ended.state, tg_table_name;
  end if;
  return null;
end $$;

create function sieve.check_expiry() returns trigger language plpgsql as $$
begin
  if old.expired_at is not null or new.expired_at > clock_timestamp() then
    raise exception 'the detail of load % goes once', old.id;
  end if;
  if old.state in ('queued', 'running', 'stopped') or new.state is distinct from old.state then
    raise exception 'load % is %, and its detail is needed', old.id, old.state;
  end if;
  if coalesce(old.ended_at >= now() - make_interval(days => sieve.ledger_days(old.feed)), true) then
    raise exception 'the detail of load % is kept longer', old.id;
  end if;
  return new;
end $$;
create trigger load_detail_expires before update of expired_at on sieve.load
  for each row when (new.expired_at is distinct from old.expired_at) execute function sieve.check_expiry();

create or replace function sieve.check_ledger() returns trigger language plpgsql as $$
declare
  accounted bigint;
  kept bigint;
begin
  if new.expired_at is not null then
    return null;
  end if;
  select coalesce(sum(octet_length(outcomes)), 0) into accounted from sieve.ledger_block where load = new.id;
  select count(*) into kept from sieve.held where load = new.id;
  if accounted <> new.read then
    raise exception 'load % read % records and its ledger has %', new.id, new.read, accounted;
  end if;
  if kept <> new.held then
    raise exception 'load % held % records and the quarantine has %', new.id, new.held, kept;
  end if;
  return null;
end $$;

-- Of a held record that was settled long enough ago, what was in it goes; that it was held, and what became of it, stays.
create function sieve.check_held_content() returns trigger language plpgsql as $$
begin
  if old.expired_at is null and new.expired_at is not null
    and old.state in ('released', 'discarded', 'closed') and new.state = old.state
    and old.ended_at < now() - make_interval(days => sieve.settled_days(old.feed))
    and (new.load, new.record, new.feed, new.at, new.file, new.line, new.byte_start, new.byte_end, new.checks)
      is not distinct from (old.load, old.record, old.feed, old.at, old.file, old.line, old.byte_start, old.byte_end, old.checks)
    and new.found is not distinct from old.found
    and octet_length(new.raw) = 0 and new.cells is null and new.field_values = '[]' and new.problems = '[]'
    and new.mended is null
  then
    return new;
  end if;
  raise exception 'what % keeps of a record as it came is never changed', tg_table_name;
end $$;
drop trigger held_is_kept on sieve.held;
create trigger held_is_kept before update of load, record, feed, at, file, line, byte_start, byte_end, raw, cells,
    field_values, problems, checks, found, expired_at on sieve.held
  for each row execute function sieve.check_held_content();

create function sieve.check_expired_steps() returns trigger language plpgsql as $$
begin
  -- Nothing is left of it that could be looked at or written.
  if new.state not in ('released', 'discarded', 'closed') or new.mended is not null then
    raise exception 'what was in record % of load % has expired, so that it can''t become %', old.record, old.load, new.state;
  end if;
  return new;
end $$;
create trigger expired_takes_no_steps before update of state, mended on sieve.held
  for each row when (old.expired_at is not null) execute function sieve.check_expired_steps();
