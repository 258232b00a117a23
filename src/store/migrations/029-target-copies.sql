-- By what this store is known in other databases.
create table sieve.store (
  one boolean primary key default true check (one),
  id uuid not null default gen_random_uuid()
);
insert into sieve.store default values;

-- Copies of targets in other databases, as the plans in force of their feeds had them when they last ran.
create table sieve.target_copy (
  id integer generated always as identity primary key,
  feed text not null references sieve.feed,
  -- The target's quoted name.
  target text not null,
  connection text not null,
  schema_there text not null,
  table_there text not null,
  others text not null check (others in ('refuse', 'leave')),
  -- False until it has once been given all rows of the target.
  filled boolean not null default false,
  unique (target, connection, schema_there, table_there)
);

-- What a writing did to a copy of its target.
create table sieve.copied (
  writing integer not null references sieve.writing,
  connection text not null,
  table_there text not null,
  how text not null check (how in ('two phases', 'in order')),
  inserted integer not null,
  updated integer not null,
  unchanged integer not null,
  removed integer not null,
  left_rows integer not null,
  -- False as long as the other database has it prepared, and it is not known whether it was told to commit.
  settled boolean not null default false,
  primary key (writing, connection, table_there)
);
create index copied_unsettled on sieve.copied (connection) where not settled;
