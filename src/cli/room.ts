import { SieveError, byteSize, counted } from "@/core/kernel/problem.ts";
import { runRetention } from "@/engine/jobs/expire.ts";
import { openDb } from "@/store/db.ts";
import { getFeed } from "@/store/feeds.ts";
import { expiringNow, retentionOf, roomByFeed, setRetention } from "@/store/retention.ts";
import { retentionSchema, type Retention } from "@/core/plan/retention.ts";

/** What is given to set: days, “ever”, or loads, as they were typed. */
export interface RetentionOptions {
  readonly bytes?: string;
  readonly ledger?: string;
  readonly settled?: string;
  readonly undo?: string;
}

const daysWords = (days: number | null): string => (days === null ? "for ever" : counted(days, "day"));

function keepLine({ bytesDays, ledgerDays, settledDays, undoLoads }: Retention): string {
  return `deliveries ${daysWords(bytesDays)}, ledger ${daysWords(ledgerDays)}, settled records ${daysWords(settledDays)}, undo of the last ${counted(undoLoads, "load")}`;
}

/** Tells what takes how much room; before that takes away what has expired, where that is asked for. */
export async function room(takeAway: boolean): Promise<void> {
  const db = openDb(undefined, 3);
  try {
    if (takeAway) {
      const took = await runRetention(db, "command line");
      process.stdout.write(
        took === null
          ? "another run is under way\n"
          : `took away ${counted(took.files, "file")} (${byteSize(took.bytes)}), detail of ${counted(took.loads, "load")}, ${counted(took.held, "settled record")}, rows of ${counted(took.writings, "writing")}, ${counted(took.uploads, "abandoned upload")}\n`,
      );
    }
    for (const { feed, keep, ...takes } of await roomByFeed(db)) {
      const parts = (["bytes", "ledger", "quarantine", "undo", "target"] as const).map(
        (p) => `${p === "bytes" ? "deliveries" : p} ${byteSize(takes[p])}`,
      );
      process.stdout.write(`${feed}: ${parts.join(", ")}\n  kept: ${keepLine(keep)}\n`);
    }
  } finally {
    await db.end();
  }
}

/** Sets what is given, and tells what holds and what expires by it. Throws `no-feed` and `usage`. */
export async function retention(feed: string, options: RetentionOptions): Promise<void> {
  const db = openDb(undefined, 1);
  try {
    await getFeed(db, feed);
    const before = await retentionOf(db, feed);
    const typed: Record<string, unknown> = { ...before };
    const put = (name: keyof Retention, text: string | undefined): void => {
      if (text !== undefined) typed[name] = text === "ever" && name !== "undoLoads" ? null : Number(text);
    };
    put("bytesDays", options.bytes);
    put("ledgerDays", options.ledger);
    put("settledDays", options.settled);
    put("undoLoads", options.undo);
    const wanted = retentionSchema.safeParse(typed);
    if (!wanted.success) {
      throw new SieveError("usage", "That is no retention.", {
        detail: wanted.error.issues.map((i) => `${i.path.join(".")}: ${i.message}`).join("; "),
        hint: "Days are a number from 1 on, or ever; loads are a number from 1 to 100.",
      });
    }
    const keep = wanted.data;
    if (Object.values(options).some((o) => o !== undefined)) await setRetention(db, feed, keep, "command line");
    const { files, bytes, loads, held } = await expiringNow(db, feed, keep);
    process.stdout.write(
      `${feed}: ${keepLine(keep)}\nin the next run go ${counted(files, "file")} (${byteSize(bytes)}), detail of ${counted(loads, "load")}, ${counted(held, "settled record")}\n`,
    );
  } finally {
    await db.end();
  }
}
