import { createHash, randomBytes } from "node:crypto";
import { LONGEST_SENDER } from "@/core/plan/senders.ts";
import { SieveError } from "@/core/kernel/problem.ts";
import { getFeed } from "./feeds.ts";
import type { Queryable } from "./db.ts";

/**
 * Keys by which senders bring their files themselves, so that it is known of whom a delivery is. A key is as long as a
 * secret that nobody can guess, so that a plain hash of it is enough to know it by.
 */
export interface SenderKey {
  readonly id: number;
  readonly sender: string;
  /** The one feed that it may bring to; null for any. */
  readonly feed: string | null;
  readonly endsWith: string;
  readonly madeBy: string;
  readonly madeAt: Date;
  readonly usedAt: Date | null;
  readonly endedAt: Date | null;
}

const KEY = `id, sender, feed, ends_with as "endsWith", made_by as "madeBy", made_at as "madeAt", used_at as "usedAt", ended_at as "endedAt"`;
const SECRET_BYTES = 24;
const SHOWN = 4;

const hashOf = (key: string): Buffer => createHash("sha256").update(key).digest();

/** Makes a key for a sender; what is given is told this once. Throws `usage`, `no-feed`. */
export async function makeKey(
  db: Queryable,
  { sender, feed = null }: { readonly sender: string; readonly feed?: string | null },
  by: string,
): Promise<{ id: number; key: string }> {
  const name = sender.trim();
  if (name === "" || name.length > LONGEST_SENDER) {
    throw new SieveError("usage", "A key is of a sender, by its name.", {
      hint: `Give the name as it stands with deliveries, of at most ${LONGEST_SENDER} letters.`,
    });
  }
  if (feed !== null) await getFeed(db, feed);
  const key = `sieve-${randomBytes(SECRET_BYTES).toString("base64url")}`;
  const { rows } = await db.query<{ id: number }>(
    "insert into sieve.sender_key (sender, feed, hash, ends_with, made_by) values ($1, $2, $3, $4, $5) returning id",
    [name, feed, hashOf(key), key.slice(-SHOWN), by],
  );
  return { id: rows[0]!.id, key };
}

/** Keys of a sender, or all, those that hold first. */
export async function listKeys(db: Queryable, sender?: string): Promise<SenderKey[]> {
  const { rows } = await db.query<SenderKey>(
    `select ${KEY} from sieve.sender_key where $1::text is null or sender = $1 order by ended_at is not null, sender, id`,
    [sender ?? null],
  );
  return rows;
}

/** Ends a key: who has it can bring nothing any more. Throws `no-sender-key`. */
export async function endKey(db: Queryable, id: number, by: string): Promise<void> {
  const { rowCount } = await db.query(
    "update sieve.sender_key set ended_at = now(), ended_by = $2 where id = $1 and ended_at is null",
    [id, by],
  );
  if (rowCount === 0) throw new SieveError("no-sender-key", `There is no key ${id} that holds.`);
}

/** Whose a key is that something is brought to a feed with, which is noted. Throws `key-unknown`. */
export async function senderOfKey(db: Queryable, key: string, feed: string): Promise<string> {
  const { rows } = await db.query<{ sender: string }>(
    `update sieve.sender_key set used_at = now() where hash = $1 and ended_at is null and (feed is null or feed = $2)
       and exists (select from sieve.feed where name = $2) returning sender`,
    [hashOf(key), feed],
  );
  if (rows[0]) return rows[0].sender;
  throw new SieveError("key-unknown", `Nothing can be brought to ${feed} with this key.`, {
    hint: "Ask whoever receives your files for another one.",
  });
}
