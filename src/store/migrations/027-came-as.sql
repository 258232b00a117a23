-- As which record of the load that closed it a held record came again, or was accepted. Of one that is not closed it says nothing.
alter table sieve.held add column came_as integer;
alter table sieve.held disable trigger user;
update sieve.held set came_as = (regexp_match(reason, 'as (?:its )?record (\d{1,9})$'))[1]::integer - 1 where state = 'closed';
alter table sieve.held enable trigger user;
create index held_came_as on sieve.held (writing, came_as) where came_as is not null;
