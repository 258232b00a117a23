-- A list that another system keeps: by which query or of which table it is asked, and when it was last.
alter table sieve.reference add column asked jsonb, add column asked_at timestamptz;
