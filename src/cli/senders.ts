import { SieveError, counted } from "@/core/kernel/problem.ts";
import { outSettings } from "@/engine/out/out-settings.ts";
import { sendToSenders } from "@/engine/out/send-to-senders.ts";
import { FolderSink } from "@/engine/out/sinks.ts";
import { writeForSenders, type HeldOfSender } from "@/engine/out/to-senders.ts";
import { openDb, type Db } from "@/store/db.ts";
import { dayOf } from "@/store/loads.ts";
import { listSenders, noteGiven, type Sender } from "@/store/senders.ts";

/** The command's exit code where a sender could not be reached. */
const FAILED = 3;

export interface SendersFlags {
  readonly feed?: string;
  readonly sender?: string;
  readonly json?: boolean;
  readonly into?: string;
  readonly given?: boolean;
  readonly send?: boolean;
}

/** A sender in a line: what it delivers and what it owes. */
function line({ name, feeds, deliveries, held, withThem, since, overdue }: Sender): string {
  const owed =
    withThem === 0 || !since
      ? ""
      : `, ${counted(withThem, "record")} with it since ${dayOf(since)}${overdue ? ", overdue" : ""}`;
  const to = feeds.map((f) => f.name).join(", ");
  return `${name || "of nobody"}: ${counted(deliveries, "delivery", "deliveries")} to ${to}; ${held} held${owed}`;
}

/** Lists senders, or, with `into`, writes what is held for each of them into folders, and notes with `given` that it is with them. */
export async function senders(flags: SendersFlags): Promise<void> {
  if (flags.given && flags.into === undefined) {
    throw new SieveError("usage", "--given says that the files are handed over, so there must be files.", {
      hint: "Say --into FOLDER too.",
    });
  }
  const db = openDb(undefined, 3);
  try {
    if (flags.into !== undefined) return await hand(db, flags, flags.into);
    if (flags.send) return await send(db, flags);
    const all = (await listSenders(db)).filter(
      (s) =>
        (flags.sender === undefined || s.name === flags.sender) &&
        (flags.feed === undefined || s.feeds.some((f) => f.name === flags.feed)),
    );
    process.stdout.write(flags.json ? `${JSON.stringify(all)}\n` : all.map((s) => `${line(s)}\n`).join(""));
  } finally {
    await db.end();
  }
}

async function hand(db: Db, { feed, sender, given }: SendersFlags, folder: string): Promise<void> {
  const sink = new FolderSink(folder);
  try {
    const written: HeldOfSender[] = [];
    const { files, records, names } = await writeForSenders(db, { feed, sender, state: "held" }, sink, {
      onRecord: (record) => written.push(record),
    });
    const to = counted(names.length, "sender");
    process.stdout.write(`${counted(records, "record")} for ${to} in ${counted(files, "file")}: ${folder}\n`);
    if (!given) return;
    for (const name of names.filter((n) => n !== "")) {
      const noted = await noteGiven(
        db,
        written.filter((r) => r.sender === name),
      );
      process.stdout.write(`${name}: ${counted(noted, "record")} with it from now on\n`);
    }
  } finally {
    await sink.drop();
  }
}

/** Sends to each sender where it wants its files, and says of each what went, or why nothing did. */
async function send(db: Db, { feed, sender, json }: SendersFlags): Promise<void> {
  const sent = await sendToSenders(db, { feed, sender }, "command line", outSettings(process.env));
  const words = sent.map(({ sender: name, records, files, to, problem }) =>
    problem === ""
      ? `${name}: ${counted(records, "record")} in ${counted(files, "file")} to ${to}`
      : `${name || "of nobody"}: nothing went${to === "" ? "" : ` to ${to}`}. ${problem}`,
  );
  process.stdout.write(json ? `${JSON.stringify(sent)}\n` : words.map((w) => `${w}\n`).join(""));
  // Who has nowhere to send to is told of, and is no failure of those that have.
  if (sent.some((s) => s.to !== "" && s.problem !== "")) process.exitCode = FAILED;
}
