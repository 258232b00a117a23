import { SieveError, counted, grouped } from "@/core/kernel/problem.ts";
import { cannotUndo } from "@/engine/undo/kept.ts";
import { leftSummary, leftWords } from "@/engine/undo/words.ts";
import { previewUndo } from "@/engine/undo/preview.ts";
import { undoWriting } from "@/engine/undo/undo.ts";
import { LEFT_BECAUSE } from "@/core/kernel/writing.ts";
import { openDb, type Db } from "@/store/db.ts";
import { getLoad } from "@/store/loads.ts";
import { getFeed } from "@/store/feeds.ts";
import { listWritings, type Writing } from "@/store/writings.ts";

export interface UndoOptions {
  readonly reason: string;
  readonly writing?: boolean;
  readonly overChanged?: boolean;
  readonly preview?: boolean;
}

/** The writing that is meant: its own number, or that of a load. */
async function writingOf(db: Db, number: string, own: boolean): Promise<number> {
  if (!/^\d{1,9}$/.test(number)) {
    throw new SieveError("usage", `“${number}” is not a number.`, { hint: "Give digits, such as 3." });
  }
  if (own) return Number(number);
  const fault = await cannotUndo(db, Number(number));
  if (fault) throw new SieveError("cannot-undo", fault.message, { hint: fault.hint });
  return (await getLoad(db, Number(number))).writing!;
}

/** Undoes a load or another writing and tells what that did to the target, or would do. Returns the exit code. */
export async function undo(number: string, options: UndoOptions): Promise<number> {
  const db = openDb(undefined, 2);
  const name = options.writing ? `writing ${number}` : `load ${number}`;
  try {
    const id = await writingOf(db, number, options.writing === true);
    if (options.preview) {
      const { does, left, rows, along } = await previewUndo(db, id, { left: "any" });
      process.stdout.write(
        `undoing ${name} would remove ${counted(does.remove, "row")}, put ${grouped(does["put back"])} back as they were and bring ${grouped(does["bring back"])} back\n`,
      );
      for (const w of along) process.stdout.write(`with it goes ${writingLine(w)}\n`);
      if (LEFT_BECAUSE.some((b) => left[b] > 0)) process.stdout.write(`it would leave ${leftSummary(left)}\n`);
      for (const r of rows) {
        const key = r.key.replaceAll("\u001f", ", ");
        process.stdout.write(`  ${key}: ${leftWords(r.because!, r.by, r.detail)}\n`);
      }
      return 0;
    }
    const over = options.overChanged ? "all" : "none";
    const { removed, restored, left, writing } = await undoWriting(db, id, {
      reason: options.reason,
      by: "command line",
      over,
    });
    process.stdout.write(
      `${name} is undone by writing ${writing}: ${counted(removed, "row")} removed, ${grouped(restored)} as they were before\n`,
    );
    if (left > 0) process.stdout.write(`${counted(left, "row")} left as they are; --preview says which, and why\n`);
    return 0;
  } finally {
    await db.end();
  }
}

function writingLine(w: Writing): string {
  const did = [
    w.inserted > 0 ? `${grouped(w.inserted)} put there` : "",
    w.updated > 0 ? `${grouped(w.updated)} changed` : "",
    w.removed > 0 ? `${grouped(w.removed)} taken away` : "",
    w.leftRows > 0 ? `${grouped(w.leftRows)} left` : "",
  ].filter((x) => x !== "");
  const of = w.undoes === null ? `of load ${w.load}` : `of writing ${w.undoes}`;
  const undone = w.undoneBy === null ? "" : `, undone by writing ${w.undoneBy}`;
  const why = w.reason === "" ? "" : `, “${w.reason}”`;
  return `writing ${w.id}, ${w.kind} ${of} by ${w.by}, ${w.at.toISOString()}: ${did.join(", ") || "no row"}${undone}${why}`;
}

/** Lists the writings of a feed, the latest first. */
export async function tellWritings(feed: string): Promise<void> {
  const db = openDb(undefined, 2);
  try {
    await getFeed(db, feed);
    for (const w of await listWritings(db, { feed }, 1000)) process.stdout.write(`${writingLine(w)}\n`);
  } finally {
    await db.end();
  }
}
