-- Notes of one row by one writing have an order; that of their places in the table is lost where places are used again.
alter table sieve.store_before add column id bigint generated always as identity;
