-- Checks that are kept under a name for several feeds; a version is never changed.
create table sieve.check_set (
  name text not null,
  version integer not null,
  checks jsonb not null,
  note text not null default '',
  made_by text not null default '',
  made_at timestamptz not null default now(),
  primary key (name, version)
);
