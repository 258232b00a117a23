-- What one run is told beside its plan: values of parameters, steps and look-ups that are switched off, each with its reason.
alter table sieve.load add column run jsonb not null default '{}';

-- It is never changed once the load has ended.
create function sieve.refuse_run() returns trigger language plpgsql as $$
begin
  if new.run is distinct from old.run and sieve.has_ended(old.state) and
     not (old.state = 'stopped' and new.state in ('queued', 'running')) then
    raise exception 'load % is %, and what it was told is never changed', old.id, old.state;
  end if;
  return new;
end $$;
create trigger load_run_is_kept before update of run on sieve.load
  for each row execute function sieve.refuse_run();
