import { faultTitle } from "@/core/course/problem-words.ts";
import { faultsOf, markOf, senderFile, type SenderFile } from "@/core/mend/for-sender.ts";
import { letterPage, letterText, type Cause, type Letter } from "@/core/mend/letter.ts";
import { SieveError } from "@/core/kernel/problem.ts";
import type { Db } from "@/store/db.ts";
import { getFeed, planInForce } from "@/store/feeds.ts";
import { heldBySender, type HeldFilter, type SentRecord } from "@/store/held.ts";
import { dayOf } from "@/store/loads.ts";
import type { Field } from "@/core/field/field.ts";
import { ZipSink, putFile } from "./sinks.ts";
import type { FileSink, Sink } from "./write-out.ts";

/** A name as part of a path. */
const pathPart = (text: string): string =>
  text
    .replace(/[^\p{L}\p{N} ._-]+/gu, "-")
    .replace(/^[. -]+|[. -]+$/g, "")
    .slice(0, 80);

/** What is said of one sender of a feed: its files and its causes. */
class Sender {
  readonly files: { name: string; records: number; marked: boolean }[] = [];
  readonly causes = new Map<string, Cause>();
  records = 0;

  constructor(
    readonly feed: string,
    readonly name: string,
    readonly title: string,
    readonly fields: readonly Field[],
  ) {}

  count({ problems, file, line }: SentRecord): void {
    this.records++;
    this.files.at(-1)!.records++;
    for (const { check, message } of problems) {
      const known = this.causes.get(check);
      const example = known?.example ?? { file, line, message };
      const title = known?.title ?? faultTitle(check, this.fields);
      this.causes.set(check, { title, count: (known?.count ?? 0) + 1, example });
    }
  }
}

/** What was written for senders: for whom, each once, in how many files, how many records. */
export interface ForSenders {
  readonly names: readonly string[];
  readonly files: number;
  readonly records: number;
}

/** Held records for their senders, in an archive as `writeForSenders` fills it. */
export async function packForSenders(
  db: Db,
  filter: HeldFilter,
  into: (bytes: Uint8Array) => Promise<void>,
): Promise<ForSenders> {
  const zip = new ZipSink(into);
  const done = await writeForSenders(db, filter, zip);
  await zip.end();
  return done;
}

/** A held record by its load and its number there, and whose it is. */
export type HeldOfSender = Pick<SentRecord, "load" | "record" | "sender">;

/** How held records are written for their senders. */
export interface HowForSenders {
  /** Those alone that are not with their sender yet. */
  readonly fresh?: boolean;
  /** The folder of a sender's files of a feed; its own below the feed's unless said. */
  readonly folderOf?: (feed: string) => string;
  /** Is told of each record that is written. */
  readonly onRecord?: (written: HeldOfSender) => void;
}

/**
 * Writes held records for their senders: for each sender of a feed a folder, in it a file for each layout in which
 * it has sent them, and a letter, as text and as a page to print. In memory that does not grow with them. Throws `no-records` where none are held.
 */
export async function writeForSenders(
  db: Db,
  filter: HeldFilter,
  into: Sink,
  { fresh, folderOf, onRecord }: HowForSenders = {},
): Promise<ForSenders> {
  const day = dayOf(new Date());
  const done = { files: 0, records: 0 };
  const names = new Set<string>();
  const folders = new Set<string>();
  /** Two senders may be called the same but for what no path has. */
  const ownFolder = ({ feed, sender: name }: SentRecord): string => {
    const own = pathPart(name) || "sender unknown";
    let at = `${feed}/${own}/`;
    for (let n = 2; folders.has(at); n++) at = `${feed}/${own} ${n}/`;
    folders.add(at);
    return at;
  };
  let sender: Sender | null = null;
  let folder = "";
  const at: { open: { file: SenderFile; sink: FileSink; layout: string } | null } = { open: null };
  const endFile = async (): Promise<void> => {
    if (!at.open) return;
    const { file, sink } = at.open;
    file.end();
    await sink.write(file.take());
    await sink.end();
    at.open = null;
  };
  const endSender = async (): Promise<void> => {
    await endFile();
    if (!sender) return;
    const { name, title, records, causes, files } = sender;
    const letter: Letter = { sender: name, feed: title, day, records, causes: [...causes.values()], files };
    await putFile(into, `${folder}letter.txt`, letterText(letter));
    await putFile(into, `${folder}letter.html`, letterPage(letter));
    names.add(name);
    done.records += records;
  };
  for await (const page of heldBySender(db, filter, { fresh })) {
    for (const held of page) {
      if (!sender || sender.feed !== held.feed || sender.name !== held.sender) {
        await endSender();
        const { title } = await getFeed(db, held.feed);
        const { document } = await planInForce(db, held.feed);
        sender = new Sender(held.feed, held.sender, title, document.contract.fields);
        folder = folderOf?.(held.feed) ?? ownFolder(held);
      }
      const layout = JSON.stringify([held.columns, held.read]);
      if (at.open?.layout !== layout) {
        await endFile();
        const file = senderFile({ columns: held.columns, read: held.read });
        const base = pathPart(held.file.replace(/\.[^./]*$/, "").replace(/^.*\//, "")) || "records";
        let name = `${base}-to-mend.${file.ending}`;
        for (let n = 2; sender.files.some((f) => f.name === name); n++) name = `${base}-to-mend-${n}.${file.ending}`;
        sender.files.push({ name, records: 0, marked: file.marked });
        done.files++;
        at.open = { file, sink: await into.open(folder + name), layout };
      }
      at.open!.file.add({
        cells: held.cells,
        raw: held.raw,
        mark: markOf(held.load, held.record),
        problems: held.problems.map((p) => p.message),
        faults: faultsOf(held.columns, sender.fields, held.problems),
      });
      sender.count(held);
      onRecord?.({ load: held.load, record: held.record, sender: held.sender });
    }
    if (at.open) await at.open.sink.write(at.open.file.take());
  }
  await endSender();
  if (done.records === 0) {
    throw new SieveError("no-records", "No record is held that could go to its sender.", {
      hint: "Look at the quarantine; what expired is not kept any more.",
    });
  }
  return { ...done, names: [...names] };
}
