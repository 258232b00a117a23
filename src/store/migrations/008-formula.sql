-- Named formulas in their versions. Plans keep those that they use as they were when they were saved.
create table sieve.formula (
  name text not null check (name ~ '^[a-z][A-Za-z0-9]{1,39}$'),
  version integer not null check (version > 0),
  document jsonb not null,
  note text not null,
  made_by text not null default '',
  made_at timestamptz not null default now(),
  primary key (name, version)
);
