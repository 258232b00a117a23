-- A pair may be of a record and an entry of a reference list: the list's name and the entry's key.
alter table sieve.match_pair add column entry text[];
