-- By what a sender is known that brings its files itself. Of the key only a hash is kept, and its last letters.
create table sieve.sender_key (
  id integer primary key generated always as identity,
  sender text not null check (sender <> ''),
  -- The one feed that it may bring to; null for any.
  feed text references sieve.feed,
  hash bytea not null unique,
  ends_with text not null,
  made_by text not null,
  made_at timestamptz not null default now(),
  used_at timestamptz,
  ended_by text,
  ended_at timestamptz
);
create index on sieve.sender_key (sender);
