-- Held records are found by a value that any of their fields has.
create index held_by_value on sieve.held using gin (field_values jsonb_path_ops);
