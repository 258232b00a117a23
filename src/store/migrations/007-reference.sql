-- Reference lists: governed lists of known values or records. Each change is a version; an entry is
-- there from one version until another.
create table sieve.reference (
  name text primary key check (name ~ '^[a-z][a-z0-9_]{0,62}$'),
  title text not null,
  about text not null default '',
  -- The columns, and what some of them are for.
  shape jsonb not null,
  made_at timestamptz not null default now()
);

create table sieve.reference_version (
  list text not null references sieve.reference on delete cascade,
  version integer not null check (version > 0),
  note text not null,
  added integer not null,
  removed integer not null,
  entries integer not null,
  made_by text not null default '',
  made_at timestamptz not null default now(),
  primary key (list, version)
);

create table sieve.reference_entry (
  id bigint generated always as identity primary key,
  list text not null references sieve.reference on delete cascade,
  position integer not null,
  since integer not null,
  past integer,
  cells jsonb not null
);
create index on sieve.reference_entry (list, position) where past is null;
create index on sieve.reference_entry (list, since);

-- Which version of each list a load asked.
create table sieve.load_reference (
  load integer not null references sieve.load on delete cascade,
  list text not null references sieve.reference,
  version integer not null,
  primary key (load, list)
);

-- A record can stay behind where it is looked up.
alter table sieve.held drop constraint held_at_check;
alter table sieve.held add constraint held_at_check check (at in ('read', 'check', 'look up', 'load'));
