-- Which values the records have that a step left out of a block: a filter that never misses one, so that they are found again.
alter table sieve.ledger_block add column left_values bytea;
-- Not compressed, so that a few bytes of it can be read without the rest.
alter table sieve.ledger_block alter column left_values set storage external;
create index ledger_block_left on sieve.ledger_block (load, block) where left_values is not null;
