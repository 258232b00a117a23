-- Ways in beside uploads: places that are looked at again and again, and what was taken from each.
create table sieve.source (
  id integer generated always as identity primary key,
  feed text not null references sieve.feed,
  kind text not null check (kind in ('inbox', 'outbox', 'query')),
  options jsonb not null,
  every_seconds integer not null default 60 check (every_seconds between 5 and 86400),
  looked_at timestamptz,
  -- What was wrong when it was last looked at.
  error jsonb,
  -- Where a query goes on.
  reached text,
  made_by text not null default '',
  made_at timestamptz not null default now()
);
create index on sieve.source (feed);

create table sieve.taken (
  source integer not null references sieve.source on delete cascade,
  -- The thing's name there, and what tells it from another of that name.
  item text not null,
  mark text not null,
  delivery integer references sieve.delivery on delete set null,
  load integer references sieve.load on delete set null,
  note text not null default '',
  taken_at timestamptz not null default now(),
  primary key (source, item, mark)
);
create index on sieve.taken (source, taken_at);
