-- What a person says of a sender. Senders are known by what their deliveries say; most have no row here.
create table sieve.sender (
  name text primary key check (name <> ''),
  contact text not null default '',
  address text not null default '',
  note text not null default '',
  -- How long it may take to send back what was handed over.
  days_to_answer integer check (days_to_answer between 1 and 365),
  changed_at timestamptz not null default now(),
  changed_by text not null
);

-- Since when a held record is with its sender; null while it is not.
alter table sieve.held add column with_sender timestamptz;
create index held_with_sender on sieve.held (load) where with_sender is not null and state = 'held';
create index delivery_sender on sieve.delivery (sender);
