-- What a delivery has in its columns, looked at as a whole. Kept, so that deliveries can be compared.
create table sieve.profile (
  id integer generated always as identity primary key,
  feed text not null references sieve.feed,
  delivery integer not null references sieve.delivery on delete cascade,
  -- How its files were to be read; null where everything was to be found out.
  read jsonb,
  state text not null default 'queued' check (state in ('queued', 'running', 'done', 'failed')),
  bytes_so_far bigint not null default 0,
  bytes_total bigint not null default 0,
  records_so_far bigint not null default 0,
  document jsonb,
  error jsonb,
  asked_at timestamptz not null default now(),
  ended_at timestamptz,
  constraint done_has_document check (state <> 'done' or document is not null)
);
create index on sieve.profile (feed, id);
create index on sieve.profile (delivery);
