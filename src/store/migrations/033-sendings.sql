-- Where files for a sender go, in the form of core/write/files/destination.ts; null where nobody has said.
alter table sieve.sender add column destination jsonb;

-- What went to a sender: begun, and how it ended. One without an end was broken off, and may have gone or not.
create table sieve.sending (
  id integer primary key generated always as identity,
  sender text not null check (sender <> ''),
  destination jsonb not null,
  by text not null,
  began_at timestamptz not null default now(),
  ended_at timestamptz,
  records integer not null default 0,
  files integer not null default 0,
  -- Why it did not go; empty where it did.
  problem text not null default '',
  check (problem = '' or records = 0)
);
create index on sieve.sending (sender, id);
