import { createHash } from "node:crypto";
import { to as copyTo } from "pg-copy-streams";
import { SieveError, grouped } from "@/core/kernel/problem.ts";
import type { SourceFile } from "@/core/read/source.ts";
import { transaction, type Db, type Queryable } from "./db.ts";
import { makeFeed } from "./feeds.ts";

/** Bytes of one chunk in the store. */
export const CHUNK = 1 << 20;
/** Most bytes of one file. */
export const MOST_BYTES = 20 * 2 ** 30;

export interface DeliveryFile {
  id: number;
  position: number;
  name: string;
  bytes: number;
  sha256: string | null;
  /** When its bytes went, by the feed's retention. */
  expiredAt: Date | null;
}

export interface Delivery {
  id: number;
  feed: string;
  sender: string;
  via: string;
  receivedAt: Date;
  files: DeliveryFile[];
}

export async function makeDelivery(db: Queryable, feed: string, via: string, sender = ""): Promise<number> {
  const { rows } = await db.query<{ id: number }>(
    "insert into sieve.delivery (feed, via, sender) values ($1, $2, $3) returning id",
    [feed, via, sender],
  );
  return rows[0]!.id;
}

/**
 * Streams a file into the store in chunks, hashing on the way; memory holds one chunk. When the
 * stream breaks, or brings another number of bytes than was declared, the file is taken out again.
 */
export async function receiveFile(
  db: Db,
  delivery: number,
  name: string,
  bytes: AsyncIterable<Uint8Array>,
  declared?: number,
): Promise<DeliveryFile> {
  const { rows } = await db.query<{ id: number; position: number }>(
    `insert into sieve.delivery_file (delivery, position, name)
     select $1, coalesce(max(position) + 1, 0), $2 from sieve.delivery_file where delivery = $1 returning id, position`,
    [delivery, safeName(name)],
  );
  const { id, position } = rows[0]!;
  const hash = createHash("sha256");
  let total = 0;
  let chunk = 0;
  let waiting: Uint8Array[] = [];
  let have = 0;
  const flush = async (): Promise<void> => {
    const all = Buffer.concat(waiting, have);
    waiting = [];
    have = 0;
    for (let at = 0; at < all.length; at += CHUNK) {
      const part = all.subarray(at, at + CHUNK);
      await db.query("insert into sieve.chunk (file, position, bytes) values ($1, $2, $3)", [id, chunk++, part]);
    }
  };
  try {
    for await (const piece of bytes) {
      hash.update(piece);
      total += piece.length;
      if (total > MOST_BYTES) {
        throw new SieveError("file-too-large", `${name} has more than ${grouped(MOST_BYTES)} bytes.`, {
          hint: "Split the file.",
        });
      }
      // Every chunk but the last is whole, so that the same bytes always make the same blocks.
      let rest = piece;
      while (have + rest.length >= CHUNK) {
        waiting.push(rest.subarray(0, CHUNK - have));
        rest = rest.subarray(CHUNK - have);
        have = CHUNK;
        await flush();
      }
      if (rest.length > 0) {
        waiting.push(rest.slice());
        have += rest.length;
      }
    }
    if (declared !== undefined && declared !== total) {
      throw new SieveError("upload-cut", `${name} did not arrive whole.`, {
        detail: `${grouped(total)} of ${grouped(declared)} bytes arrived.`,
        hint: "Send it again.",
      });
    }
    if (have > 0) await flush();
    const sha256 = hash.digest();
    await db.query("update sieve.delivery_file set bytes = $2, sha256 = $3 where id = $1", [id, total, sha256]);
    return { id, position, name: safeName(name), bytes: total, sha256: sha256.toString("hex"), expiredAt: null };
  } catch (error) {
    await db.query("delete from sieve.delivery_file where id = $1", [id]).catch(() => {});
    throw error;
  }
}

/** A file name without its folders and control characters. */
export function safeName(name: string): string {
  const base =
    name
      .replace(/[\u0000-\u001f\u007f]/g, "")
      .split(/[\\/]/)
      .at(-1) ?? "";
  return base.trim().slice(0, 200) || "unnamed";
}

/** Who sent a delivery; "" where nobody has said. */
export async function senderOf(db: Queryable, delivery: number): Promise<string> {
  const { rows } = await db.query<{ sender: string }>("select sender from sieve.delivery where id = $1", [delivery]);
  return rows[0]?.sender ?? "";
}

/** Throws `no-delivery`. */
export async function getDelivery(db: Queryable, id: number): Promise<Delivery> {
  const { rows } = await db.query<Omit<Delivery, "files">>(
    `select id, feed, sender, via, received_at as "receivedAt" from sieve.delivery where id = $1`,
    [id],
  );
  if (!rows[0]) throw new SieveError("no-delivery", `There is no delivery ${id}.`);
  const { rows: files } = await db.query<DeliveryFile>(
    "select id, position, name, bytes, encode(sha256, 'hex') as sha256, expired_at as \"expiredAt\" from sieve.delivery_file where delivery = $1 order by position",
    [id],
  );
  return { ...rows[0], files };
}

/** That a file's bytes are no longer there, for who needs them. */
export function bytesExpired({ name, expiredAt }: Pick<DeliveryFile, "name" | "expiredAt">): SieveError {
  return new SieveError("bytes-expired", `The bytes of ${name} are no longer kept.`, {
    detail: `They expired on ${expiredAt?.toISOString().slice(0, 10) ?? "an earlier day"} by the feed’s retention. What its loads came to is still in their reports.`,
    hint: "Have the sender send the file again, if it is needed once more.",
  });
}

/** Throws `bytes-expired` where a stored file has come to less than it should because its bytes have expired. */
async function needBytes(db: Queryable, file: number): Promise<void> {
  const { rows } = await db.query<Pick<DeliveryFile, "name" | "expiredAt">>(
    `select name, expired_at as "expiredAt" from sieve.delivery_file where id = $1 and expired_at is not null`,
    [file],
  );
  if (rows[0]) throw bytesExpired(rows[0]);
}

/** Some bytes of a stored file: [from, to). Throws `bytes-expired`. */
export async function storedRange(db: Queryable, file: number, from: number, to: number): Promise<Uint8Array> {
  const pieces: Uint8Array[] = [];
  for (let position = Math.floor(from / CHUNK); position * CHUNK < to; position++) {
    const { rows } = await db.query<{ bytes: Buffer }>(
      "select substring(bytes from $3 for $4) as bytes from sieve.chunk where file = $1 and position = $2",
      [
        file,
        position,
        Math.max(0, from - position * CHUNK) + 1,
        Math.min(CHUNK, to - position * CHUNK) - Math.max(0, from - position * CHUNK),
      ],
    );
    if (!rows[0]) {
      await needBytes(db, file);
      break;
    }
    pieces.push(rows[0].bytes);
  }
  return Buffer.concat(pieces);
}

/**
 * Streams a whole stored file as it came. By COPY in binary format: the driver takes query results as
 * text, which would double the bytes on the way. Throws `bytes-expired`.
 */
export async function* storedBytes(db: Db, file: number): AsyncGenerator<Uint8Array> {
  const client = await db.connect();
  let whole = false;
  try {
    const copy = client.query(
      copyTo(
        `copy (select bytes from sieve.chunk where file = ${Math.trunc(file)} order by position) to stdout (format binary)`,
      ),
    );
    let any = false;
    for await (const bytes of copiedFields(copy)) {
      any = true;
      yield bytes;
    }
    whole = true;
    if (!any) await needBytes(db, file);
  } finally {
    // A COPY that was not read to its end leaves its client unfit for anything else.
    client.release(!whole);
  }
}

/** The values of the one column of a COPY in binary format (signature, then a count and a length before each value). */
export async function* copiedFields(copy: AsyncIterable<Buffer>): AsyncGenerator<Buffer> {
  const HEADER = 19;
  let have: Buffer[] = [];
  let size = 0;
  let begun = false;
  for await (const piece of copy) {
    have.push(piece);
    size += piece.length;
    // Joined only when a whole value may be there.
    if (begun && size < wanted(have)) continue;
    let all = have.length === 1 ? have[0]! : Buffer.concat(have);
    if (!begun) {
      if (all.length < HEADER) continue;
      all = all.subarray(HEADER + all.readInt32BE(15));
      begun = true;
    }
    while (all.length >= 6 && all.readInt16BE(0) === 1) {
      const length = all.readInt32BE(2);
      if (all.length < 6 + length) break;
      yield all.subarray(6, 6 + length);
      all = all.subarray(6 + length);
    }
    have = [all];
    size = all.length;
  }
}

function wanted(have: readonly Buffer[]): number {
  const first = have[0]!;
  return first.length >= 6 && first.readInt16BE(0) === 1 ? 6 + first.readInt32BE(2) : 0;
}

/** Is told how many bytes of a file have been read. */
export type OnRead = (file: string, bytes: number) => void;

/** A stored file as a source for reading. */
export function storedFile(
  db: Db,
  file: Pick<DeliveryFile, "id" | "name" | "bytes">,
  onRead: OnRead = () => {},
): SourceFile {
  return {
    name: file.name,
    bytes: file.bytes,
    async *chunks() {
      let bytes = 0;
      for await (const chunk of storedBytes(db, file.id)) {
        onRead(file.name, (bytes += chunk.length));
        yield chunk;
      }
    },
    range: async (start, end) => {
      onRead(file.name, end);
      return await storedRange(db, file.id, start, end);
    },
  };
}

/** Bytes of a file that are asked for at a time within a transaction. */
const PIECE = 1 << 20;

/** A file of a delivery through one client, which may be in a transaction. */
export function storedFileOf(db: Queryable, file: Pick<DeliveryFile, "id" | "name" | "bytes">): SourceFile {
  return {
    name: file.name,
    bytes: file.bytes,
    async *chunks() {
      for (let at = 0; at < file.bytes; at += PIECE) {
        yield await storedRange(db, file.id, at, Math.min(file.bytes, at + PIECE));
      }
    },
    range: (start, end) => storedRange(db, file.id, start, end),
  };
}

/** The newest delivery of a feed that arrived whole, for trials. */
export async function latestDelivery(db: Queryable, feed: string): Promise<number | null> {
  const { rows } = await db.query<{ id: number }>(
    `select d.id from sieve.delivery d where d.feed = $1
       and exists (select from sieve.delivery_file f where f.delivery = d.id and f.sha256 is not null)
       and not exists (select from sieve.delivery_file f
         where f.delivery = d.id and (f.sha256 is null or f.expired_at is not null))
     order by d.id desc limit 1`,
    [feed],
  );
  return rows[0]?.id ?? null;
}

/** The same where there must be one. Throws `no-delivery`. */
export async function deliveryOf(db: Queryable, feed: string): Promise<number> {
  const delivery = await latestDelivery(db, feed);
  if (delivery !== null) return delivery;
  throw new SieveError("no-delivery", `The feed “${feed}” has no delivery yet.`, { hint: "Bring one in first." });
}

/** A feed that takes some files of a delivery. */
export interface SplitFeed {
  readonly name: string;
  readonly title: string;
  /** Numbers of the files. */
  readonly files: readonly number[];
}

/**
 * Gives files of a delivery that nobody has loaded to feeds of their own, one delivery each; what is left stays with the
 * delivery. Throws `feed-exists`, and `wrong-state` where the delivery has been loaded or would have no file any more.
 */
export async function splitDelivery(
  db: Db,
  delivery: number,
  feeds: readonly SplitFeed[],
): Promise<{ feed: string; delivery: number }[]> {
  return await transaction(db, async (client) => {
    const { rows } = await client.query<{ feed: string; sender: string; loaded: boolean }>(
      `select feed, sender, exists (select from sieve.load where delivery = d.id) as loaded
       from sieve.delivery d where id = $1 for update`,
      [delivery],
    );
    const own = rows[0];
    if (!own) throw new SieveError("no-delivery", `There is no delivery ${delivery}.`);
    const { rows: files } = await client.query<{ id: number; whole: boolean }>(
      "select id, sha256 is not null as whole from sieve.delivery_file where delivery = $1 order by position",
      [delivery],
    );
    const taken = feeds.flatMap((f) => f.files);
    const known = new Set(files.map((f) => f.id));
    const hint = "Look at the delivery again.";
    if (own.loaded) throw new SieveError("wrong-state", "The delivery has been loaded, so its files stay together.");
    if (files.some((f) => !f.whole)) throw new SieveError("wrong-state", "Files of it are still arriving.", { hint });
    if (
      new Set(taken).size < taken.length ||
      taken.some((f) => !known.has(f)) ||
      feeds.some((f) => f.files.length === 0)
    )
      throw new SieveError("wrong-state", "These are not files of the delivery, each once.", { hint });
    if (taken.length >= files.length) throw new SieveError("wrong-state", "One file at least stays where it is.");
    const { rows: there } = await client.query<{ name: string }>("select name from sieve.feed where name = any($1)", [
      feeds.map((f) => f.name),
    ]);
    const twice = feeds.find((f, i) => feeds.findIndex((o) => o.name === f.name) < i)?.name ?? there[0]?.name;
    if (twice !== undefined) {
      throw new SieveError("feed-exists", `There is a feed “${twice}” already.`, { hint: "Give it another name." });
    }
    // What was seen of all of them together is not true of those that stay.
    await client.query("delete from sieve.profile where delivery = $1", [delivery]);
    const made: { feed: string; delivery: number }[] = [];
    for (const { name, title, files: ids } of feeds) {
      await makeFeed(client, { name, title, about: "" });
      const next = await makeDelivery(client, name, "interface", own.sender);
      await client.query(
        `update sieve.delivery_file f set delivery = $1, position = x.n - 1
         from unnest($2::int[]) with ordinality x (id, n) where f.id = x.id`,
        [next, ids],
      );
      made.push({ feed: name, delivery: next });
    }
    return made;
  });
}
