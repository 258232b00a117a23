-- The two roles that Good Sieve works by; run by a superuser, as often as one likes. psql's variables owner_password
-- and app_password have their passwords.
--   sieve_owner  owns the store's tables and brings them up to date (dist/migrate.js)
--   sieve_app    is the application: reads and writes the store's rows, makes and owns targets and what it stages
-- One after the other: roles are those of all databases, and two who change one at once have the second refused.
select pg_advisory_lock(hashtext('good sieve roles'));
select format('create role %I login nosuperuser nocreatedb nocreaterole', name)
from unnest(array['sieve_owner', 'sieve_app']) as name
where not exists (select from pg_roles where rolname = name)
\gexec
alter role sieve_owner password :'owner_password';
alter role sieve_app password :'app_password';
-- Who owns the store may see to targets as well.
grant sieve_app to sieve_owner;
