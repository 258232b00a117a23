import type { SentBy } from "@/core/course/senders-seen.ts";
import type { Client, Queryable } from "./db.ts";
import type { Load } from "./loads.ts";

/** Whose a held record `h` is, in SQL; `delivery`: the alias of the delivery that it came in. */
export const senderOfHeld = (delivery: string): string => `coalesce(h.sender, ${delivery}.sender)`;

/** That a held record `h` is of a sender, in SQL; `given`: the parameter with its name. */
export const heldIsOf = (given: string): string =>
  `(h.sender = ${given} or h.sender is null and h.load in (select sl.id from sieve.load sl join sieve.delivery sd on sd.id = sl.delivery where sd.sender = ${given}))`;

/**
 * Keeps whose records a load has read and held, where its records say so: of a delivery of one sender, that it is theirs,
 * and else of each sender how many there were. `ofOne`: the sender of all of them, where nobody has said who sent the
 * delivery. To be called in the closing transaction, after the held records are in the quarantine.
 */
export async function noteSenders(
  client: Client,
  { id, delivery }: Pick<Load, "id" | "delivery">,
  ofOne: string | null,
  senders: readonly SentBy[],
): Promise<void> {
  if (ofOne !== null) {
    await client.query("update sieve.delivery set sender = $2 where id = $1", [delivery, ofOne]);
    return;
  }
  if (senders.every(([sender]) => sender === "")) return;
  await client.query(
    `insert into sieve.load_sender (load, sender, read, held)
     select $1, whose.sender, sum(x.read), coalesce(sum(h.n), 0)
     from unnest($3::text[], $4::int[]) x (sender, read)
       join sieve.delivery d on d.id = $2
       cross join lateral (select coalesce(nullif(x.sender, ''), d.sender) as sender) whose
       left join (select coalesce(sender, '') as sender, count(*) as n from sieve.held where load = $1 group by 1) h on h.sender = x.sender
     group by 1, 2`,
    [id, delivery, senders.map(([sender]) => sender), senders.map(([, read]) => read)],
  );
}

/** Records of one sender in a load. */
export interface SenderOfLoad {
  /** Empty: nobody has said whose they are. */
  readonly sender: string;
  readonly read: number;
  readonly held: number;
}

/** Whose records a load has read and held, those with most first. */
export async function sendersOfLoad(db: Queryable, load: number): Promise<SenderOfLoad[]> {
  const { rows } = await db.query<SenderOfLoad>(
    `select sender, read::int, held::int from sieve.load_of_sender where load = $1 order by read desc, sender`,
    [load],
  );
  return rows;
}
