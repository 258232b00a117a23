import { createReadStream } from "node:fs";
import { mkdir, readdir, stat } from "node:fs/promises";
import { join } from "node:path";
import { Readable } from "node:stream";
import pg from "pg";
import { to as copyTo } from "pg-copy-streams";
import { z } from "zod";
import { planInForce } from "@/store/feeds.ts";
import { SieveError } from "@/core/problem.ts";
import { ident, type Db } from "@/store/db.ts";
import { makeDelivery, receiveFile } from "@/store/deliveries.ts";
import { askForLoad } from "@/store/loads.ts";
import { claimDue, endLook, isTaken, noteTaken, type Source } from "@/store/sources.ts";

/** A file that changed within this time may still be written to. */
const STILL_MS = 1500;
const MOST_PAGES = 1000;
const ANSWER_MS = 30_000;

/** Where watched folders lie, and which hosts a partner's outbox may be on. */
export interface SourceSettings {
  readonly inbox: string;
  readonly hosts: readonly string[];
}

export function sourceSettings(env: NodeJS.ProcessEnv): SourceSettings {
  return {
    inbox: env["SIEVE_INBOX"] ?? join(process.cwd(), ".data/inbox"),
    hosts: (env["SIEVE_OUTBOX_HOSTS"] ?? "127.0.0.1,localhost").split(",").map((h) => h.trim()),
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

/** A pattern of names, * for anything and ? for one character, as a linear expression. */
export function nameFits(pattern: string, name: string): boolean {
  // The greedy way with one place to come back to: linear in the name for each star.
  let p = 0;
  let n = 0;
  let star = -1;
  let from = 0;
  while (n < name.length) {
    if (p < pattern.length && (pattern[p] === "?" || pattern[p] === name[n]) && pattern[p] !== "*") {
      p++;
      n++;
    } else if (pattern[p] === "*") {
      star = p++;
      from = n;
    } else if (star >= 0) {
      p = star + 1;
      n = ++from;
    } else return false;
  }
  while (pattern[p] === "*") p++;
  return p === pattern.length;
}

/** Stores one thing as a delivery, asks for its load, and writes down that it was taken. */
async function take(
  db: Db,
  source: Source,
  item: string,
  mark: string,
  name: string,
  bytes: AsyncIterable<Uint8Array>,
  size?: number,
): Promise<void> {
  const delivery = await makeDelivery(db, source.feed, source.kind);
  await receiveFile(db, delivery, name, bytes, size);
  let load: number | null = null;
  let note = "";
  try {
    load = await askForLoad(db, delivery, false, undefined, "source");
  } catch (error) {
    // Its bytes were loaded before, or the feed has no plan yet: it is taken all the same, and says why.
    if (!(error instanceof SieveError)) throw error;
    note = error.message;
  }
  await noteTaken(db, source.id, { item, mark, delivery, load, note });
}

async function takeFromInbox(db: Db, source: Source, settings: SourceSettings): Promise<void> {
  const folder = join(settings.inbox, source.options["folder"]!);
  await mkdir(folder, { recursive: true });
  for (const entry of (await readdir(folder, { withFileTypes: true })).sort((a, b) => a.name.localeCompare(b.name))) {
    if (!entry.isFile() || entry.name.startsWith(".") || !nameFits(source.options["pattern"] ?? "*", entry.name))
      continue;
    const path = join(folder, entry.name);
    const info = await stat(path);
    if (Date.now() - info.mtimeMs < STILL_MS) continue;
    const mark = `${info.size} bytes, ${info.mtime.toISOString()}`;
    if (await isTaken(db, source.id, entry.name, mark)) continue;
    await take(db, source, entry.name, mark, entry.name, createReadStream(path, { highWaterMark: 1 << 20 }), info.size);
  }
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

async function get(address: URL, settings: SourceSettings): Promise<Response> {
  if (!settings.hosts.includes(address.hostname) || !/^https?:$/.test(address.protocol)) {
    throw new SieveError("host-not-allowed", `The host ${address.hostname} is not one that may be asked.`, {
      detail: `Allowed: ${settings.hosts.join(", ")}.`,
      hint: "Add it to SIEVE_OUTBOX_HOSTS of the worker.",
    });
  }
  let response: Response;
  try {
    response = await fetch(address, { redirect: "error", signal: AbortSignal.timeout(ANSWER_MS) });
  } catch (error) {
    throw new SieveError("outbox-silent", `${address.host} does not answer.`, {
      detail: (error as Error).message,
      hint: "It is asked again when its time comes; ask the partner if it stays so.",
    });
  }
  if (!response.ok) {
    throw new SieveError("outbox-refused", `${address.href} answered ${response.status}.`, {
      hint: "Check the address.",
    });
  }
  return response;
}

async function takeFromOutbox(db: Db, source: Source, settings: SourceSettings): Promise<void> {
  let page: URL | null = new URL(source.options["address"]!);
  for (let i = 0; page && i < MOST_PAGES; i++) {
    const here: URL = page;
    const answer = outboxPage.safeParse(await (await get(here, settings)).json().catch(() => null));
    if (!answer.success) {
      throw new SieveError("outbox-unknown", `What ${here.href} gave is no list of files.`, {
        detail: answer.error.issues[0]?.message ?? "",
        hint: "It should be JSON: {files: [{name, href, version}], next}.",
      });
    }
    for (const { name, href, version } of answer.data.files) {
      if (!nameFits(source.options["pattern"] ?? "*", name)) continue;
      if (await isTaken(db, source.id, name, String(version))) continue;
      const file = await get(new URL(href, here), settings);
      const bytes = file.body ? Readable.fromWeb(file.body as never) : Readable.from([]);
      const size = Number(file.headers.get("content-length") ?? NaN);
      await take(db, source, name, String(version), name, bytes, Number.isFinite(size) ? size : undefined);
    }
    page = answer.data.next ? new URL(answer.data.next, here) : null;
  }
}

/** How long transactions that are still writing are waited for. */
const MOST_WAIT_MS = 10_000;

/** Takes the records past the greatest one taken as one file; gives how far it has come. */
async function takeFromQuery(db: Db, source: Source): Promise<string | undefined> {
  const { database = "DATABASE_URL", sql = "", cursor = "" } = source.options;
  const url = process.env[database];
  if (!url) {
    throw new SieveError("no-database", `The worker's environment has no ${database}.`, {
      hint: "Set it, or name another.",
    });
  }
  const client = new pg.Client({ connectionString: url, application_name: "good sieve source" });
  try {
    await client.connect();
    // Nothing can be written, and each look at the data is one view of it.
    const begin = async (): Promise<void> => {
      await client.query("begin transaction isolation level repeatable read read only");
      await client.query("set local statement_timeout = '10min'");
    };
    const all = `(${sql.trim().replace(/;\s*$/, "")}\n) q`;
    const past = source.reached === null ? "true" : `q.${ident(cursor)} > ${pg.escapeLiteral(source.reached)}`;
    await begin();
    const { rows: found } = await client.query<{ reached: string | null; next: string }>(
      `select (select max(q.${ident(cursor)})::text from ${all} where ${past}) as reached,
         pg_snapshot_xmax(pg_current_snapshot())::text as next`,
    );
    await client.query("commit");
    const { reached, next } = found[0]!;
    if (reached === null) return undefined;
    await othersEnded(client, next);
    await begin();
    const rows = `${all} where ${past} and q.${ident(cursor)} <= ${pg.escapeLiteral(reached)}`;
    const read = (await planInForce(db, source.feed).catch(() => null))?.document.read;
    const ordered = `from ${rows} order by q.${ident(cursor)}`;
    // In the form that the feed's plan reads; JSON Lines where it is for us to choose.
    const delimited = read?.as === "delimited";
    const mark = read?.delimiter?.length === 1 ? read.delimiter : ",";
    const copy = client.query(
      copyTo(
        delimited
          ? `copy (select q.* ${ordered}) to stdout (format csv, header, delimiter ${pg.escapeLiteral(mark)})`
          : // COPY would double backslashes; base64 of each line passes through it as it is.
            `copy (select translate(encode(convert_to(row_to_json(q)::text || chr(10), 'UTF8'), 'base64'), chr(10), '') ${ordered}) to stdout`,
      ),
    );
    const until = reached.replace(/[^\w.-]+/g, "_").slice(0, 60);
    const name = `${source.feed}-to-${until}.${delimited ? "csv" : "jsonl"}`;
    const bytes = delimited ? copy : linesOf(copy);
    await take(db, source, `past ${source.reached ?? "the beginning"}`, `to ${reached}`, name, bytes);
    return reached;
  } catch (error) {
    if (error instanceof SieveError) throw error;
    throw new SieveError("query-failed", "The query could not be run.", {
      detail: (error as Error).message,
      hint: "Check the query, its cursor column, and that the database can be reached.",
    });
  } finally {
    await client.end().catch(() => {});
  }
}

/**
 * Waits until every transaction that was writing before has ended. One of them may have records that
 * come before the greatest one seen and could not be seen yet; taken past them, they would never be.
 */
async function othersEnded(client: pg.Client, next: string): Promise<void> {
  const began = Date.now();
  for (;;) {
    const { rows } = await client.query<{ ended: boolean }>(
      "select pg_snapshot_xmin(pg_current_snapshot()) >= $1::xid8 as ended",
      [next],
    );
    if (rows[0]!.ended) return;
    if (Date.now() - began > MOST_WAIT_MS) {
      throw new SieveError(
        "query-waits",
        "Nothing is taken yet: other transactions are still writing to that database.",
        {
          detail: `They began before the newest records that can be seen, and may have older ones; they were waited for ${MOST_WAIT_MS / 1000} s.`,
          hint: "It is looked again at the usual time. Where that goes on, see in pg_stat_activity which transaction is left open.",
        },
      );
    }
    await new Promise((resolve) => setTimeout(resolve, 200));
  }
}

async function* linesOf(copy: AsyncIterable<Buffer>): AsyncGenerator<Uint8Array> {
  let rest = "";
  for await (const piece of copy) {
    const lines = (rest + piece.toString("latin1")).split("\n");
    rest = lines.pop()!;
    if (lines.length > 0) yield Buffer.concat(lines.map((l) => Buffer.from(l, "base64")));
  }
}
