-- Entries that loads propose for what they asked of a list in vain.
create table sieve.proposal (
  id bigint generated always as identity primary key,
  list text not null,
  cells jsonb not null,
  -- Records that would have had it as a partner, the first and the last load of them.
  records integer not null,
  first_load integer not null references sieve.load,
  last_load integer not null references sieve.load,
  -- A person said that it is none.
  refused_by text,
  unique (list, cells)
);
