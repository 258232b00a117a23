-- A way to another program, by a name: its address and secret are kept encrypted and are never given out again.
create table sieve.connection (
  name text primary key check (name ~ '^[a-z][a-z0-9_]{0,40}$'),
  kind text not null check (kind in ('database', 'http')),
  -- AES-256-GCM: twelve bytes of nonce, sixteen of tag, then what is encrypted.
  sealed bytea not null,
  made_by text not null,
  made_at timestamptz not null default now()
);

-- Sources named a variable of the worker's environment, or had a password in their address.
update sieve.source set options = (options - 'database') || jsonb_build_object('connection', lower(coalesce(options->>'database', 'DATABASE_URL')))
  where kind = 'query';
update sieve.source set options = jsonb_set(options, '{address}', to_jsonb(regexp_replace(options->>'address', '^(https?://)[^/@]*@', '\1')))
  where kind = 'outbox';
