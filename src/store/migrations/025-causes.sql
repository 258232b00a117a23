-- What a record is held by. What is only noted of it is among its problems, and no cause.
alter table sieve.held disable trigger user;
update sieve.held h set checks = array(select c from unnest(h.checks) c where not exists (
    select from jsonb_array_elements(h.problems) p where p->>'check' = c and p->>'onFailure' = 'note'))
  where exists (select from jsonb_array_elements(h.problems) p where p->>'onFailure' = 'note');
alter table sieve.held enable trigger user;
