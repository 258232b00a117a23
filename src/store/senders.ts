import { SieveError } from "@/core/kernel/problem.ts";
import type { Destination } from "@/core/write/files/destination.ts";
import type { ReadOptions } from "@/core/read/settings.ts";
import type { Client, Db, Queryable } from "./db.ts";
import { heldWhere, type HeldFilter } from "./held.ts";
import { heldIsOf, senderOfHeld } from "./senders-of-load.ts";

/** What a person says of a sender. */
export interface SenderAbout {
  /** Whom to turn to. */
  readonly contact: string;
  readonly address: string;
  readonly note: string;
  /** How long it may take to send back what was handed over; null: nobody has said. */
  readonly daysToAnswer: number | null;
  /** Where files for it go; null: nobody has said. */
  readonly destination: Destination | null;
}

/** Who delivers, over all feeds. */
export interface Sender extends SenderAbout {
  /** Empty for deliveries of which nobody has said whose they are. */
  readonly name: string;
  readonly feeds: readonly { readonly name: string; readonly title: string }[];
  readonly deliveries: number;
  readonly lastCame: Date;
  /** The last loads, the oldest first. */
  readonly loads: readonly { readonly id: number; readonly read: number; readonly held: number }[];
  /** Records that are held now; of them those that are with the sender, and since when the first of these. */
  readonly held: number;
  readonly withThem: number;
  readonly since: Date | null;
  /** Some of what is with the sender should have come back by now. */
  readonly overdue: boolean;
}

/** Loads by which the quality of what a sender sends is followed. */
const FOLLOWED = 12;

const WHOSE = senderOfHeld("o");

const SENDERS = `select d.name, coalesce(s.contact, '') as contact, coalesce(s.address, '') as address, coalesce(s.note, '') as note,
    s.days_to_answer as "daysToAnswer", s.destination, d.feeds, d.deliveries, d.came as "lastCame",
    coalesce(l.loads, '[]') as loads, coalesce(h.held, 0) as held, coalesce(h.with_them, 0) as "withThem", h.since,
    coalesce(h.since + s.days_to_answer * interval '1 day' < now(), false) as overdue
  from (select sender as name, count(*)::int as deliveries, max(received_at) as came,
      jsonb_agg(distinct jsonb_build_object('name', f.name, 'title', f.title)) as feeds
      from sieve.delivery_of_sender join sieve.feed f on f.name = feed group by sender) d
    left join sieve.sender s on s.name = d.name
    left join lateral (select jsonb_agg(x order by x.id) as loads from (select l.id, o.read, o.held from sieve.load l
      join sieve.load_of_sender o on o.load = l.id where o.sender = d.name and l.kind = 'load' and l.state in ('loaded', 'stopped')
      order by l.id desc limit ${FOLLOWED}) x) l on true
    left join (select ${WHOSE} as name, count(*)::int as held, count(h.with_sender)::int as with_them, min(h.with_sender) as since
      from sieve.held h join sieve.load l on l.id = h.load join sieve.delivery o on o.id = l.delivery
      where h.state = 'held' group by 1) h on h.name = d.name`;

/** All senders, first those who owe most, then by name. */
export async function listSenders(db: Queryable): Promise<Sender[]> {
  return (await db.query<Sender>(`${SENDERS} order by overdue desc, "withThem" desc, held desc, d.name`)).rows;
}

/** Senders some of whose records should have come back by now, those who have most first. */
export async function overdueSenders(
  db: Queryable,
): Promise<Pick<Sender, "name" | "withThem" | "since" | "daysToAnswer" | "overdue">[]> {
  const { rows } = await db.query<Pick<Sender, "name" | "withThem" | "since" | "daysToAnswer" | "overdue">>(
    `select s.name, count(*)::int as "withThem", min(h.with_sender) as since, s.days_to_answer as "daysToAnswer", true as overdue
     from sieve.held h join sieve.load l on l.id = h.load join sieve.delivery o on o.id = l.delivery
       join sieve.sender s on s.name = ${WHOSE}
     where h.state = 'held' and h.with_sender is not null group by s.name
     having min(h.with_sender) + s.days_to_answer * interval '1 day' < now() order by "withThem" desc, s.name`,
  );
  return rows;
}

/** Throws `no-sender`. */
export async function getSender(db: Queryable, name: string): Promise<Sender> {
  const { rows } = await db.query<Sender>(`${SENDERS} where d.name = $1`, [name]);
  if (rows[0]) return rows[0];
  throw new SieveError("no-sender", `Nobody called “${name}” has sent anything.`, {
    hint: "A sender is named where files are brought in.",
  });
}

/** How a sender sends to one feed: what the last file that was loaded was like. */
export interface Habit {
  readonly feed: string;
  readonly title: string;
  readonly load: number;
  readonly file: string;
  readonly read: ReadOptions;
  /** What was found out of the file, by what it is about; of each date that people write, in which order it was read. */
  readonly evidence: Readonly<Record<string, string>>;
  readonly columns: readonly string[];
  readonly deliveries: number;
  readonly held: number;
  readonly withThem: number;
  readonly since: Date | null;
}

/** How a sender sends, feed by feed, and what it owes there. */
export async function habitsOf(db: Queryable, name: string): Promise<Habit[]> {
  const { rows } = await db.query<Habit>(
    `select f.name as feed, f.title, l.id as load, coalesce(l.file->>'name', '') as file, coalesce(l.file->'read', '{}') as read,
       coalesce(l.file->'evidence', '{}') as evidence,
       coalesce(l.file->'columns', '[]') as columns, d.deliveries, coalesce(h.held, 0) as held,
       coalesce(h.with_them, 0) as "withThem", h.since
     from (select feed, count(*)::int as deliveries from sieve.delivery_of_sender where sender = $1 group by feed) d
       join sieve.feed f on f.name = d.feed
       join lateral (select l.id, l.report->'files'->0 as file from sieve.load l join sieve.load_of_sender o on o.load = l.id
         where o.sender = $1 and l.feed = f.name and l.kind = 'load' and l.report is not null order by l.id desc limit 1) l on true
       left join (select l.feed, count(*)::int as held, count(h.with_sender)::int as with_them, min(h.with_sender) as since
         from sieve.held h join sieve.load l on l.id = h.load join sieve.delivery o on o.id = l.delivery
         where ${WHOSE} = $1 and h.state = 'held' group by 1) h on h.feed = f.name
     order by f.title`,
    [name],
  );
  return rows;
}

/** Keeps what a person says of a sender. Throws `no-sender`. */
export async function putSender(db: Db, name: string, about: SenderAbout, by: string): Promise<void> {
  await getSender(db, name);
  if (name === "") {
    throw new SieveError("no-sender", "Deliveries without a sender are nobody's.", {
      hint: "Say who sends when files are brought in.",
    });
  }
  const { contact, address, note, daysToAnswer, destination } = about;
  await db.query(
    `insert into sieve.sender (name, contact, address, note, days_to_answer, destination, changed_by)
     values ($1, $2, $3, $4, $5, $6, $7)
     on conflict (name) do update set contact = excluded.contact, address = excluded.address, note = excluded.note,
       days_to_answer = excluded.days_to_answer, destination = excluded.destination, changed_at = now(), changed_by = excluded.changed_by`,
    [name, contact, address, note, daysToAnswer, destination && JSON.stringify(destination), by],
  );
}

const OF_SENDER = `h.state = 'held' and ($2::text is null or h.feed = $2) and ${heldIsOf("$1")}`;

/** Notes that what is held of a sender, of one feed or of all, is with it from now on; gives of how many that is new. */
export async function handOver(db: Db, name: string, feed: string | null): Promise<number> {
  await getSender(db, name);
  const { rowCount } = await db.query(
    `update sieve.held h set with_sender = now() where h.with_sender is null and ${OF_SENDER}`,
    [name, feed],
  );
  return rowCount ?? 0;
}

/** Takes that back: they are here again. Gives how many. */
export async function takeBack(db: Db, name: string, feed: string | null): Promise<number> {
  await getSender(db, name);
  const { rowCount } = await db.query(
    `update sieve.held h set with_sender = null where h.with_sender is not null and ${OF_SENDER}`,
    [name, feed],
  );
  return rowCount ?? 0;
}

/** A sender of whom records are held that are not with it yet. */
export interface Recipient {
  /** Empty: nobody has said whose they are. */
  readonly name: string;
  readonly records: number;
  readonly destination: Destination | null;
}

/** Senders of whom something is held that is not with them yet, with where files for them go, in the order of their names. */
export async function recipientsOf(db: Queryable, filter: HeldFilter): Promise<Recipient[]> {
  const { where, params } = heldWhere(filter);
  const { rows } = await db.query<Recipient>(
    `select h.name, h.records, s.destination
     from (select ${WHOSE} as name, count(*)::int as records
         from sieve.held h join sieve.load l on l.id = h.load join sieve.delivery o on o.id = l.delivery
         where ${where} and h.with_sender is null and h.expired_at is null group by 1) h
       left join sieve.sender s on s.name = h.name order by h.name`,
    params,
  );
  return rows;
}

/** Records that are noted in one statement. */
const NOTED = 10_000;

/** Notes that these held records, each by its load and its number there, are with their senders from now on; gives of how many that is new. */
export async function noteGiven(
  db: Queryable,
  given: readonly { readonly load: number; readonly record: number }[],
): Promise<number> {
  let noted = 0;
  for (let at = 0; at < given.length; at += NOTED) {
    const some = given.slice(at, at + NOTED);
    const { rowCount } = await db.query(
      `update sieve.held h set with_sender = now() from unnest($1::int[], $2::int[]) g (load, record)
       where h.load = g.load and h.record = g.record and h.state = 'held' and h.with_sender is null`,
      [some.map((g) => g.load), some.map((g) => g.record)],
    );
    noted += rowCount ?? 0;
  }
  return noted;
}

/** What went to a sender, or did not: one without an end was broken off, and nobody knows. */
export interface Sending {
  readonly id: number;
  readonly destination: Destination;
  readonly by: string;
  readonly beganAt: Date;
  readonly endedAt: Date | null;
  readonly records: number;
  readonly files: number;
  /** Why it did not go; empty where it did. */
  readonly problem: string;
}

/** Begins a sending, and gives its number. */
export async function beginSending(
  db: Queryable,
  sender: string,
  destination: Destination,
  by: string,
): Promise<number> {
  const { rows } = await db.query<{ id: number }>(
    "insert into sieve.sending (sender, destination, by) values ($1, $2, $3) returning id",
    [sender, JSON.stringify(destination), by],
  );
  return rows[0]!.id;
}

/** Ends a sending. */
export async function endSending(
  db: Client | Db,
  id: number,
  { records, files, problem }: Pick<Sending, "records" | "files" | "problem">,
): Promise<void> {
  await db.query("update sieve.sending set ended_at = now(), records = $2, files = $3, problem = $4 where id = $1", [
    ...[id, records, files, problem],
  ]);
}

/** Sendings that a page shows. */
const SHOWN = 10;

/** What went to a sender lately, the latest first. */
export async function sendingsTo(db: Queryable, sender: string): Promise<Sending[]> {
  const { rows } = await db.query<Sending>(
    `select id, destination, by, began_at as "beganAt", ended_at as "endedAt", records, files, problem
     from sieve.sending where sender = $1 order by id desc limit ${SHOWN}`,
    [sender],
  );
  return rows;
}
