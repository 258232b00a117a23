-- What is held or overtaken, by feed, load and cause, is counted from this alone, and not from the records themselves.
create index held_causes on sieve.held (state, feed, load) include (checks, at) where state in ('held', 'overtaken');
