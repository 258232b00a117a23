-- What went out after a load, where it was files: how many, and how many records are in them.
alter table sieve.after_load add column files integer, add column records bigint;
