-- What a check between records found, in words.
alter table sieve.late_problem add column detail text;
