-- A held record's feed is its load's, which has a foreign key: checking it once more for each record
-- cost a tenth of the quarantine's time.
alter table sieve.held drop constraint held_feed_fkey;
