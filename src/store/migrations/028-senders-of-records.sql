-- Who sent a held record, where a field of it says so; null: whoever sent its delivery.
alter table sieve.held add column sender text;
create index held_sender on sieve.held (sender, load) where sender is not null;
create trigger held_sender_is_kept before update of sender on sieve.held for each row execute function sieve.refuse_content();

-- What a load read and held of each sender, where its records are of others than who sent the delivery.
create table sieve.load_sender (
  load integer not null references sieve.load on delete cascade,
  sender text not null,
  read integer not null,
  held integer not null,
  primary key (load, sender)
);
create index load_sender_sender on sieve.load_sender (sender, load);

-- What each load read and held of each of its senders.
create view sieve.load_of_sender as
  select load, sender, read, held from sieve.load_sender
  union all
  select l.id, d.sender, l.read, l.held from sieve.load l join sieve.delivery d on d.id = l.delivery
  where not exists (select from sieve.load_sender s where s.load = l.id);

-- Whose records are in a delivery: who sent it, and whoever its records name.
create view sieve.delivery_of_sender as
  select d.id as delivery, d.sender, d.feed, d.received_at from sieve.delivery d
  where not exists (select from sieve.load l join sieve.load_sender s on s.load = l.id where l.delivery = d.id)
  union
  select d.id, s.sender, d.feed, d.received_at
  from sieve.load_sender s join sieve.load l on l.id = s.load join sieve.delivery d on d.id = l.delivery;

-- Records that loads have merged are found by what they had: of 100,000 clusters that costs 4 seconds more when they are written.
create index cluster_values on sieve.cluster using gin (members jsonb_path_ops);
