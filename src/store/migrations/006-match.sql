-- Pairs of records that a load found to be one, or that a person is asked about.
create table sieve.match_pair (
  id bigint generated always as identity primary key,
  load integer not null references sieve.load on delete cascade,
  feed text not null references sieve.feed,
  record integer not null,
  -- The other record of the load; null: a row of the target, by the load and record that it came from.
  other integer,
  row_load integer,
  row_record integer,
  -- Values by field of the load's plan.
  own_values jsonb not null,
  other_values jsonb not null,
  -- What tells a record's content from another's, as far as it is compared.
  own_mark text not null,
  other_mark text not null,
  score real not null,
  shares real[] not null,
  band text not null check (band in ('same', 'ask')),
  decision text check (decision in ('same', 'different')),
  decided_by text not null default '',
  decided_at timestamptz
);
create index on sieve.match_pair (load, band, score);
create index on sieve.match_pair (load, record);
create index on sieve.match_pair (feed) where band = 'ask' and decision is null;

-- What people decided about two contents, for all loads of a feed to come.
create table sieve.match_decision (
  feed text not null references sieve.feed,
  low text not null,
  high text not null,
  decision text not null check (decision in ('same', 'different')),
  decided_by text not null default '',
  decided_at timestamptz not null default now(),
  primary key (feed, low, high),
  check (low <= high)
);

-- Records that wait for a decision, and what became of them.
create table sieve.waiting (
  load integer not null references sieve.load,
  record integer not null,
  feed text not null references sieve.feed,
  field_values jsonb not null,
  state text not null default 'waiting' check (state in ('waiting', 'inserted', 'merged')),
  -- The row that it was merged into, as it was before; and which row that is.
  before jsonb,
  into_load integer,
  into_record integer,
  ended_by text not null default '',
  ended_at timestamptz,
  primary key (load, record)
);
create index on sieve.waiting (feed, state);

-- Records that a load made one of: the members as they came, what was kept, and from which member.
create table sieve.cluster (
  load integer not null references sieve.load on delete cascade,
  first integer not null,
  members jsonb not null,
  kept jsonb not null,
  origins jsonb not null,
  primary key (load, first)
);
