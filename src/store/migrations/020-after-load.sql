-- What is done after a load, asked for in the transaction that ended it, so that nothing is forgotten or done for nothing.
create table sieve.after_load (
  load integer not null references sieve.load on delete cascade,
  -- How the load ended then: one that was stopped may be loaded later.
  outcome text not null,
  -- The place of the action in the plan.
  n integer not null,
  action jsonb not null,
  state text not null default 'waiting' check (state in ('waiting', 'done', 'failed')),
  attempts integer not null default 0,
  next_at timestamptz not null default now(),
  -- What came of it, in words; of one that waits, what came of the last attempt.
  answer text not null default '',
  ended_at timestamptz,
  asked_by text not null default '',
  made_at timestamptz not null default clock_timestamp(),
  primary key (load, outcome, n)
);
create index on sieve.after_load (made_at) where state <> 'done';
