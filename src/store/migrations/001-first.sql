-- The store: everything that Good Sieve keeps. Targets and staging tables have schemas of their own.
create schema target;
create schema staging;

create table sieve.feed (
  name text primary key check (name ~ '^[a-z][a-z0-9_]{0,62}$'),
  title text not null,
  about text not null default '',
  made_at timestamptz not null default now()
);

create table sieve.plan (
  id integer generated always as identity primary key,
  feed text not null references sieve.feed,
  -- Null for a draft that was only tried.
  version integer check (version > 0),
  note text not null default '',
  document jsonb not null,
  made_by text not null default '',
  made_at timestamptz not null default now(),
  unique (feed, version)
);

create function sieve.refuse_change() returns trigger language plpgsql as $$
begin
  raise exception 'a plan version is never changed';
end $$;
create trigger plan_is_kept before update on sieve.plan
  for each row execute function sieve.refuse_change();

create table sieve.delivery (
  id integer generated always as identity primary key,
  feed text not null references sieve.feed,
  sender text not null default '',
  via text not null,
  received_at timestamptz not null default now()
);
create index on sieve.delivery (feed, id);

create table sieve.delivery_file (
  id integer generated always as identity primary key,
  delivery integer not null references sieve.delivery on delete cascade,
  position integer not null,
  name text not null,
  bytes bigint not null default 0,
  -- Null until the whole file has arrived.
  sha256 bytea,
  unique (delivery, position)
);

create table sieve.chunk (
  file integer not null references sieve.delivery_file on delete cascade,
  position integer not null,
  bytes bytea not null,
  primary key (file, position)
);
alter table sieve.chunk alter column bytes set storage external;

create table sieve.load (
  id integer generated always as identity primary key,
  feed text not null references sieve.feed,
  delivery integer not null references sieve.delivery,
  plan integer not null references sieve.plan,
  kind text not null default 'load' check (kind in ('load', 'trial')),
  state text not null default 'queued'
    check (state in ('queued', 'running', 'loaded', 'stopped', 'failed', 'cancelled', 'dropped', 'tried')),
  -- The same bytes were loaded before and a person said to go on.
  again boolean not null default false,
  -- Why a person let the load through a gate.
  let_through text,
  -- Why a person dropped it.
  dropped text,
  cancel_asked boolean not null default false,
  attempts integer not null default 0,
  stage text not null default '',
  records_so_far bigint not null default 0,
  bytes_so_far bigint not null default 0,
  bytes_total bigint not null default 0,
  asked_at timestamptz not null default now(),
  started_at timestamptz,
  ended_at timestamptz,
  read bigint,
  inserted bigint,
  updated bigint,
  unchanged bigint,
  merged bigint,
  held bigint,
  waiting bigint,
  left_out bigint,
  report jsonb,
  error jsonb,
  constraint balance_closes
    check (read is null or read = inserted + updated + unchanged + merged + held + waiting + left_out),
  constraint loaded_has_balance check (state not in ('loaded', 'stopped', 'tried') or read is not null)
);
create index on sieve.load (feed, id);
create index on sieve.load (asked_at);
create index on sieve.load (delivery);

-- Which load has which bytes: the same bytes are loaded into a feed once.
create table sieve.loaded_file (
  feed text not null references sieve.feed,
  sha256 bytea not null,
  load integer not null references sieve.load,
  primary key (feed, sha256)
);
create index on sieve.loaded_file (load);

-- Every record of a load with its outcome, a byte each, in blocks that can be read again by themselves.
create table sieve.ledger_block (
  load integer not null references sieve.load on delete cascade,
  block integer not null,
  file integer not null,
  first_record integer not null,
  first_in_file integer not null,
  line integer not null,
  byte_start bigint not null,
  byte_end bigint not null,
  outcomes bytea not null,
  checks integer[] not null,
  steps integer[] not null,
  changed integer[] not null,
  filled integer[] not null,
  faulty integer[] not null,
  primary key (load, block)
);

-- Problems that only the whole load, or the target, could show.
create table sieve.late_problem (
  load integer not null references sieve.load on delete cascade,
  record integer not null,
  check_key text not null,
  file integer,
  line integer,
  primary key (load, record, check_key)
);

-- The quarantine.
create table sieve.held (
  load integer not null references sieve.load,
  record integer not null,
  feed text not null references sieve.feed,
  at text not null check (at in ('read', 'check', 'load')),
  file integer not null,
  line integer not null,
  byte_start bigint not null,
  byte_end bigint not null,
  raw bytea not null,
  -- The cells as they arrived, by column of the file; null for what could not be read.
  cells jsonb,
  -- The values by field, after cleansing.
  field_values jsonb not null,
  problems jsonb not null,
  checks text[] not null,
  state text not null default 'held' check (state in ('held', 'released', 'discarded')),
  -- The values by field as a person mended them.
  mended jsonb,
  reason text not null default '',
  ended_by text not null default '',
  ended_at timestamptz,
  primary key (load, record),
  constraint discarded_has_reason check (state <> 'discarded' or reason <> '')
);
create index on sieve.held (feed, state, load);
create index on sieve.held using gin (checks);

create table sieve.worker (
  id integer generated always as identity primary key,
  process integer not null,
  queue_ids text[] not null default '{}',
  started_at timestamptz not null default now()
);

-- At commit, a load that says it is loaded has a byte for every record and a row for every held one.
create function sieve.check_ledger() returns trigger language plpgsql as $$
declare
  accounted bigint;
  kept bigint;
begin
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
create constraint trigger ledger_is_whole after update on sieve.load
  deferrable initially deferred
  for each row when (new.state = 'loaded' and old.state <> 'loaded')
  execute function sieve.check_ledger();
