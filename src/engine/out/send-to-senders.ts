import { mkdtemp, rm } from "node:fs/promises";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { SieveError } from "@/core/kernel/problem.ts";
import { destinationWords, type Destination } from "@/core/write/files/destination.ts";
import { transaction, type Db } from "@/store/db.ts";
import type { HeldFilter } from "@/store/held.ts";
import { dayOf } from "@/store/loads.ts";
import { SENDING_LOCK, unlessUnderWay } from "@/store/locks.ts";
import { beginSending, endSending, noteGiven, recipientsOf } from "@/store/senders.ts";
import type { OutSettings } from "./out-settings.ts";
import { putTo, type ReadyFile } from "./put-to.ts";
import { FolderSink, putFile } from "./sinks.ts";
import { writeForSenders, type HeldOfSender } from "./to-senders.ts";
import { MeasuredFile, type Sink } from "./write-out.ts";

/** What went to one sender, or why nothing did. */
export interface SentTo {
  readonly sender: string;
  readonly records: number;
  readonly files: number;
  /** Where it went, in words; empty where nobody has said where to. */
  readonly to: string;
  /** Why nothing went; empty where it did. */
  readonly problem: string;
}

/**
 * Sends what is held to where its senders want it, to each what is not with it yet: a folder of its own by day and number,
 * in it the files and the letter of each feed, and a manifest, which comes last. What went is with the sender from then on,
 * each record noted once all of it is there. A sender that can't be reached keeps nobody else from theirs.
 * Throws `no-records` where nothing is held that is not with its sender yet.
 * @returns by sender, in the order of their names
 */
export async function sendToSenders(db: Db, filter: HeldFilter, by: string, settings: OutSettings): Promise<SentTo[]> {
  const senders = await recipientsOf(db, filter);
  if (senders.length === 0) {
    throw new SieveError("no-records", "No record is held that is not with its sender already.", {
      hint: "Where a sender does not have them, say so on its page; then they can be sent again.",
    });
  }
  const sent: SentTo[] = [];
  for (const { name, destination } of senders) {
    const nothing = { sender: name, records: 0, files: 0, to: "" };
    if (name === "") sent.push({ ...nothing, problem: "Nobody has said whose they are." });
    else if (!destination) sent.push({ ...nothing, problem: "Nobody has said where files for it go." });
    else sent.push(await oneAtATime(db, { ...filter, sender: name }, name, destination, by, settings));
  }
  return sent;
}

/** Sends to one sender, unless another does. */
async function oneAtATime(
  db: Db,
  filter: HeldFilter,
  sender: string,
  destination: Destination,
  by: string,
  settings: OutSettings,
): Promise<SentTo> {
  const to = destinationWords(destination);
  const nothing = { sender, records: 0, files: 0, to };
  const sent = await unlessUnderWay(db, [SENDING_LOCK, sender], async (): Promise<SentTo> => {
    const sending = await beginSending(db, sender, destination, by);
    try {
      return { ...nothing, ...(await sendOne(db, filter, sender, destination, sending, settings)), problem: "" };
    } catch (error) {
      const problem = problemWords(error);
      await endSending(db, sending, { records: 0, files: 0, problem });
      return { ...nothing, problem };
    }
  });
  return sent ?? { ...nothing, problem: "It is being sent to already." };
}

const problemWords = (error: unknown): string =>
  error instanceof SieveError ? [error.message, error.detail].filter(Boolean).join(" ") : (error as Error).message;

async function sendOne(
  db: Db,
  filter: HeldFilter,
  sender: string,
  destination: Destination,
  sending: number,
  { out, receivers }: OutSettings,
): Promise<Pick<SentTo, "records" | "files">> {
  const direct = destination.to === "folder";
  const base = direct ? join(out, destination.folder) : await mkdtemp(join(tmpdir(), "sieve-send-"));
  const name = `${dayOf(new Date())}-${sending}`;
  const sink = new FolderSink(join(base, name));
  const ready: ReadyFile[] = [];
  const given: HeldOfSender[] = [];
  let whole = false;
  try {
    const { records, files } = await writeForSenders(db, filter, measured(sink, ready), {
      fresh: true,
      folderOf: (feed) => `${feed}/`,
      onRecord: (record) => given.push(record),
    });
    const manifest = { sending, sender, records, files: [...ready] };
    await putFile(measured(sink, ready), "manifest.json", `${JSON.stringify(manifest, null, 2)}\n`);
    if (!direct) {
      const paths = ready.map((file) => ({ ...file, path: `${name}/${file.path}` }));
      await putTo(db, destination, base, paths, receivers);
    }
    whole = true;
    await transaction(db, async (client) => {
      await noteGiven(client, given);
      await endSending(client, sending, { records, files, problem: "" });
    });
    return { records, files };
  } finally {
    await sink.drop();
    if (!direct) await rm(base, { recursive: true, force: true });
    // What is not all there is nothing that a sender should find.
    else if (!whole) await rm(join(base, name), { recursive: true, force: true });
  }
}

/** Files into a sink, with their sizes and hashes once each is whole. */
function measured(into: Sink, ready: ReadyFile[]): Sink {
  return {
    several: into.several,
    async open(path) {
      const file = new MeasuredFile(await into.open(path));
      return {
        write: (bytes) => file.write(bytes),
        async end() {
          await file.end();
          ready.push({ path, bytes: file.bytes, sha256: file.sha256 });
        },
      };
    },
  };
}
