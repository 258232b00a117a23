-- What steps carry into a block from the records before it.
alter table sieve.ledger_block add column carry text not null default '';
