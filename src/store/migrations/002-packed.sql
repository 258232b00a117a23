-- The records of a block as they were read, for files that can't be entered in the middle.
alter table sieve.ledger_block add column packed bytea;
