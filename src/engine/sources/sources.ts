import { fitsName } from "@/core/kernel/file-name.ts";
import { createReadStream, type Dirent } from "node:fs";
import { mkdir, readdir, stat } from "node:fs/promises";
import { join } from "node:path";
import type { IncomingMessage } from "node:http";
import pg from "pg";
import { z } from "zod";
import { planInForce } from "@/store/feeds.ts";
import { SieveError, listed } from "@/core/kernel/problem.ts";
import { settingsOf, valuesOf } from "@/core/plan/parameters.ts";
import { LONGEST_SENDER } from "@/core/plan/senders.ts";
import { csvRow } from "@/core/write/csv.ts";
import { addressOf } from "@/store/connections.ts";
import { ident, type Db } from "@/store/db.ts";
import { makeDelivery, receiveFile } from "@/store/deliveries.ts";
import { askForLoad } from "@/store/load-requests.ts";
import { httpGet, shownUrl } from "./http-get.ts";
import { alone, bare, connectOther, needWhole, tell } from "./others-sql.ts";
import { OF_FOLDER, claimDue, endLook, isTaken, noteTaken, type Source } from "@/store/sources.ts";

/** A file that changed within this time may still be written to. */
const STILL_MS = 1500;
const MOST_PAGES = 1000;
const SILENCE_MS = 30_000;

/** Where watched folders lie, and which hosts, each with its port, a partner's outbox may be on. */
export interface SourceSettings {
  readonly inbox: string;
  readonly hosts: readonly string[];
}

export function sourceSettings(env: NodeJS.ProcessEnv): SourceSettings {
  return {
    inbox: env["SIEVE_INBOX"] ?? join(process.cwd(), ".data/inbox"),
    hosts: (env["SIEVE_OUTBOX_HOSTS"] ?? "127.0.0.1:4311,localhost:4311").split(",").map((h) => h.trim()),
  };
}

/** Looks at every source whose time has come, or at one; takes what it has not taken before. */
export async function lookAtSources(db: Db, settings: SourceSettings, only?: number): Promise<void> {
  for (const source of await claimDue(db, only)) {
    try {
      const reached = await look(db, source, settings);
      await endLook(db, source.id, null, reached);
    } catch (error) {
      await endLook(db, source.id, error);
      if (!(error instanceof SieveError)) throw error;
    }
  }
}

async function look(db: Db, source: Source, settings: SourceSettings): Promise<string | undefined> {
  switch (source.kind) {
    case "inbox":
      await takeFromInbox(db, source, settings);
      return undefined;
    case "outbox":
      await takeFromOutbox(db, source, settings);
      return undefined;
    case "query":
      return await takeFromQuery(db, source);
  }
}

/** One thing that a source has. */
interface Found {
  /** What it is known by, and by what it is seen that it has changed. */
  readonly item: string;
  readonly mark: string;
  /** What its file is called. */
  readonly name: string;
  readonly bytes: AsyncIterable<Uint8Array>;
  readonly size?: number | undefined;
  /** Who sends it, where that is not what the source says. */
  readonly sender?: string;
}

/** Stores one thing as a delivery, asks for its load, and writes down that it was taken. */
async function take(db: Db, source: Source, { item, mark, name, bytes, size, sender }: Found): Promise<void> {
  const delivery = await makeDelivery(db, source.feed, source.kind, sender ?? source.options["sender"]);
  await receiveFile(db, delivery, name, bytes, size);
  let load: number | null = null;
  let note = "";
  try {
    load = await askForLoad(db, delivery, { by: "source" });
  } catch (error) {
    // Its bytes were loaded before, or the feed has no plan yet: it is taken all the same, and says why.
    if (!(error instanceof SieveError)) throw error;
    note = error.message;
  }
  await noteTaken(db, source.id, { item, mark, delivery, load, note });
}

async function takeFromInbox(db: Db, source: Source, settings: SourceSettings): Promise<void> {
  const { folder = "", pattern = "*", sender = "" } = source.options;
  const inbox = join(settings.inbox, folder);
  await mkdir(inbox, { recursive: true });
  for await (const file of filesIn(inbox, sender)) {
    if (!fitsName(pattern, file.name)) continue;
    const { size, mtime, mtimeMs } = await stat(file.path);
    if (Date.now() - mtimeMs < STILL_MS) continue;
    const mark = `${size} bytes, ${mtime.toISOString()}`;
    if (await isTaken(db, source.id, file.item, mark)) continue;
    await take(db, source, { ...file, mark, bytes: createReadStream(file.path, { highWaterMark: 1 << 20 }), size });
  }
}

/** The files of a watched folder, and of the folders below where these say who sends them. */
async function* filesIn(
  folder: string,
  sender: string,
): AsyncGenerator<Pick<Found, "item" | "name"> & { path: string; sender: string }> {
  const bySender = sender.includes(OF_FOLDER);
  for (const entry of await visibleIn(folder)) {
    const path = join(folder, entry.name);
    if (entry.isFile()) yield { path, name: entry.name, item: entry.name, sender: bySender ? "" : sender };
    if (!entry.isDirectory() || !bySender) continue;
    const of = sender.replaceAll(OF_FOLDER, entry.name).slice(0, LONGEST_SENDER);
    for (const { name } of (await visibleIn(path)).filter((e) => e.isFile()))
      yield { path: join(path, name), name, item: `${entry.name}/${name}`, sender: of };
  }
}

/** What is in a folder and not hidden, by name. A link is neither a file nor a folder here. */
async function visibleIn(folder: string): Promise<Dirent[]> {
  const all = await readdir(folder, { withFileTypes: true });
  return all.filter((e) => !e.name.startsWith(".")).sort((a, b) => a.name.localeCompare(b.name));
}

const outboxPage = z.object({
  files: z
    .array(
      z.object({
        name: z.string().min(1).max(200),
        href: z.string().max(1000),
        version: z.union([z.string().max(200), z.number()]),
      }),
    )
    .max(10_000),
  next: z.string().max(1000).nullish(),
});

const ANSWER_LIMIT = 8 << 20;

/** A partner's list of files, no further than its limit. */
async function listAt(here: URL, get: (url: URL) => Promise<IncomingMessage>): Promise<z.infer<typeof outboxPage>> {
  const parts: Buffer[] = [];
  let bytes = 0;
  for await (const part of (await get(here)) as AsyncIterable<Buffer>) {
    bytes += part.length;
    if (bytes > ANSWER_LIMIT) break;
    parts.push(part);
  }
  const read = (): unknown => {
    try {
      return JSON.parse(Buffer.concat(parts).toString("utf8"));
    } catch {
      return null;
    }
  };
  const answer = outboxPage.safeParse(bytes > ANSWER_LIMIT ? null : read());
  if (answer.success) return answer.data;
  throw new SieveError("outbox-unknown", `What ${shownUrl(here)} gave is no list of files.`, {
    detail: answer.error.issues[0]?.message ?? "",
    hint: "It should be JSON: {files: [{name, href, version}], next}.",
  });
}

async function takeFromOutbox(db: Db, source: Source, settings: SourceSettings): Promise<void> {
  const { address = "", pattern = "*", connection } = source.options;
  const secret = connection === undefined ? null : new URL(await addressOf(db, connection, "http"));
  const credentials = secret && {
    origin: secret.origin,
    user: decodeURIComponent(secret.username),
    password: decodeURIComponent(secret.password),
  };
  const limits = { hosts: settings.hosts, silence: SILENCE_MS };
  const get = (url: URL): Promise<IncomingMessage> => httpGet(url, limits, credentials ?? undefined);
  let page: URL | null = new URL(address);
  for (let i = 0; page && i < MOST_PAGES; i++) {
    const here: URL = page;
    const { files, next } = await listAt(here, get);
    for (const { name, href, version } of files) {
      if (!fitsName(pattern, name)) continue;
      if (await isTaken(db, source.id, name, String(version))) continue;
      const file = await get(new URL(href, here));
      const size = Number(file.headers["content-length"] ?? NaN);
      await take(db, source, {
        item: name,
        mark: String(version),
        name,
        bytes: file,
        size: Number.isFinite(size) ? size : undefined,
      });
    }
    page = next ? new URL(next, here) : null;
  }
}

/** How long transactions that are still writing are waited for. */
const MOST_WAIT_MS = 10_000;
const FETCHED = 2000;

/** Takes the records past the greatest one taken as one file; gives how far it has come. */
async function takeFromQuery(db: Db, source: Source): Promise<string | undefined> {
  let client: pg.Client | undefined;
  try {
    client = await connectOther(db, source.options["connection"] ?? "", { called: "source" });
    return await takeNewer(db, source, client);
  } catch (error) {
    if (error instanceof SieveError) throw error;
    throw new SieveError("query-failed", "The query could not be run.", {
      detail: (error as Error).message,
      hint: "Check the query, its column that grows, and that the database can be reached.",
    });
  } finally {
    await client?.end().catch(() => {});
  }
}

/** Looks at a source's query on its database, and takes what is past the greatest one taken. */
async function takeNewer(db: Db, source: Source, client: pg.Client): Promise<string | undefined> {
  const { sql = "", cursor = "", back_seconds } = source.options;
  const plan = (await planInForce(db, source.feed).catch(() => null))?.document;
  const told = settingsOf(plan ? valuesOf(plan) : {}, { feed: source.feed });
  // Nothing can be written, and each look at the data is one view of it.
  const begin = async (): Promise<void> => {
    await client.query("begin transaction isolation level repeatable read read only");
    await tell(client, { ...told, statement_timeout: "10min" });
  };
  const own = bare(sql);
  await begin();
  await needWhole(client, own);
  const all = `(${own}\n) q`;
  const grows = `q.${ident(cursor)}`;
  const last = pg.escapeLiteral(source.reached ?? "");
  const from = back_seconds === undefined ? last : `${last}::timestamptz - make_interval(secs => ${back_seconds})`;
  const past = source.reached === null ? "true" : `${grows} > ${from}`;
  const newer = source.reached === null ? "true" : `${grows} > ${last}`;
  const { rows: found } = await client.query<{ reached: string | null; next: string }>(
    alone(
      `select (select max(${grows})::text from ${all} where ${newer}) as reached,
         pg_snapshot_xmax(pg_current_snapshot())::text as next`,
    ),
  );
  await client.query("commit");
  const { reached, next } = found[0]!;
  if (reached === null) return undefined;
  if (back_seconds === undefined) await othersEnded(client, next);
  await begin();
  const read = plan?.read;
  // In the form that the feed's plan reads; JSON Lines where it is for us to choose.
  const delimited = read?.as === "delimited";
  const mark = read?.delimiter?.length === 1 ? read.delimiter : ",";
  await client.query(
    alone(
      `declare look no scroll cursor for select ${delimited ? "q.*" : "row_to_json(q)::text as line"}
       from ${all} where ${past} and ${grows} <= ${pg.escapeLiteral(reached)} order by ${grows}`,
    ),
  );
  const until = reached.replace(/[^\w.-]+/g, "_").slice(0, 60);
  const name = `${source.feed}-to-${until}.${delimited ? "csv" : "jsonl"}`;
  const bytes = fetched(client, delimited ? mark : null);
  await take(db, source, { item: `past ${source.reached ?? "the beginning"}`, mark: `to ${reached}`, name, bytes });
  return reached;
}

/** The rows of the cursor `look`, as lines of JSON or, with a delimiter, as delimited text with the columns' names above. */
async function* fetched(client: pg.Client, delimiter: string | null): AsyncGenerator<Uint8Array> {
  const encoder = new TextEncoder();
  for (let first = true; ; first = false) {
    const { rows, fields } = await client.query<(string | null)[]>({
      text: `fetch ${FETCHED} from look`,
      rowMode: "array",
      // As the database writes them.
      types: { getTypeParser: () => (text: string) => text } as never,
    });
    let text = "";
    if (delimiter === null) for (const [line] of rows) text += `${line}\n`;
    else {
      if (first)
        text += csvRow(
          fields.map((f) => f.name),
          false,
          delimiter,
        );
      for (const row of rows)
        text += csvRow(
          row.map((v) => v ?? ""),
          false,
          delimiter,
        );
    }
    if (text !== "") yield encoder.encode(text);
    if (rows.length < FETCHED) return;
  }
}

/**
 * Waits until every transaction of that database that was writing before has ended. One of them may have records that
 * come before the greatest one seen and could not be seen yet; taken past them, they would never be.
 */
async function othersEnded(client: pg.Client, next: string): Promise<void> {
  const began = Date.now();
  for (;;) {
    // Seen by any role: who holds the lock on a transaction's own number.
    const { rows } = await client.query<{ pid: number; role: string | null }>(
      `select l.pid, a.usename::text as role from pg_locks l join pg_stat_activity a on a.pid = l.pid
       where l.locktype = 'transactionid' and l.mode = 'ExclusiveLock' and l.granted
         and a.datname = current_database() and age(l.transactionid) > age($1::xid8::xid)`,
      [next],
    );
    if (rows.length === 0) return;
    if (Date.now() - began > MOST_WAIT_MS) {
      const who = rows.map((r) => `process ${r.pid} of ${r.role ?? "somebody"}`);
      throw new SieveError(
        "query-waits",
        "Nothing is taken yet: other transactions are still writing to that database.",
        {
          detail: `They began before the newest records that can be seen, and may have older ones; they were waited for ${MOST_WAIT_MS / 1000} s: ${listed(who)}.`,
          hint: "It is looked again at the usual time. Where such a transaction stays open, end it; or have the source go back some seconds at each look instead (back_seconds).",
        },
      );
    }
    await new Promise((resolve) => setTimeout(resolve, 200));
  }
}
