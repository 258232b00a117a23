-- Hands a database to the roles of roles.sql, whoever made what is in it; run in it by a superuser, as often as one
-- likes. What is in the store becomes sieve_owner's; the queue, targets, and what is staged or kept for an undo,
-- sieve_app's. Other schemas are left as they are.
select format('alter database %I owner to sieve_owner', current_database())
\gexec
select format('alter schema %I owner to %I', nspname, case nspname when 'graphile_worker' then 'sieve_app' else 'sieve_owner' end)
from pg_namespace where nspname in ('sieve', 'target', 'staging', 'undo', 'graphile_worker')
\gexec
create temporary view owned_by as
  select oid as schema, nspname, case nspname when 'sieve' then 'sieve_owner' else 'sieve_app' end as owner
  from pg_namespace where nspname in ('sieve', 'target', 'staging', 'undo', 'graphile_worker');
select format('alter table %I.%I owner to %I', nspname, relname, owner)
from pg_class join owned_by on schema = relnamespace
where relkind in ('r', 'p', 'v', 'm', 'f') and relowner <> owner::regrole
\gexec
-- A sequence of a column goes with its table.
select format('alter sequence %I.%I owner to %I', nspname, relname, owner)
from pg_class c join owned_by on schema = relnamespace
where relkind = 'S' and relowner <> owner::regrole
  and not exists (select from pg_depend where objid = c.oid and deptype in ('a', 'i') and refclassid = 'pg_class'::regclass)
\gexec
select format('alter routine %I.%I(%s) owner to %I', nspname, proname, pg_get_function_identity_arguments(p.oid), owner)
from pg_proc p join owned_by on schema = pronamespace where proowner <> owner::regrole
\gexec
select format('alter type %I.%I owner to %I', nspname, typname, owner)
from pg_type t join owned_by on schema = typnamespace
where typowner <> owner::regrole and typtype in ('d', 'e') or typtype = 'c' and typowner <> owner::regrole
  and exists (select from pg_class where oid = typrelid and relkind = 'c')
\gexec
drop view owned_by;
