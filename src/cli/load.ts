import { createReadStream } from "node:fs";
import { SieveError, counted, grouped } from "@/core/kernel/problem.ts";
import { openDb, type Db } from "@/store/db.ts";
import { makeDelivery, receiveFile } from "@/store/deliveries.ts";
import { getFeed } from "@/store/feeds.ts";
import { getLoad, type Load } from "@/store/loads.ts";
import { askForLoad } from "@/store/load-requests.ts";
import { replacedWords } from "@/core/plan/slice.ts";
import { copyLine } from "@/core/plan/copies.ts";
import { furtherLine } from "@/core/plan/further.ts";
import { balanceLine } from "@/core/kernel/ledger.ts";
import { runRequestOf, type RunFlags } from "./run-flags.ts";
import { fileSource } from "./files.ts";

/** Loads files into a feed through the queue, tells how far it is, and ends with the balance. Returns the exit code. */
export async function loadFiles(
  feed: string,
  paths: readonly string[],
  options: { again?: boolean; sender?: string } & RunFlags,
): Promise<number> {
  const sources = await Promise.all(paths.map(fileSource));
  const db = openDb(undefined, 3);
  try {
    await getFeed(db, feed);
    const delivery = await makeDelivery(db, feed, "command line", options.sender ?? "");
    for (const [i, source] of sources.entries()) {
      process.stderr.write(`sending ${source.name}, ${counted(source.bytes, "byte")}\n`);
      await receiveFile(
        db,
        delivery,
        source.name,
        createReadStream(paths[i]!, { highWaterMark: 1 << 20 }),
        source.bytes,
      );
    }
    const id = await askForLoad(db, delivery, {
      again: options.again ?? false,
      by: "command line",
      ...runRequestOf(options),
    });
    const load = await watchLoad(db, id, (text) => process.stderr.write(text));
    return tellEnd(load);
  } finally {
    await db.end();
  }
}

/** Waits for a load's end, telling its progress. */
export async function watchLoad(db: Db, id: number, say: (text: string) => void): Promise<Load> {
  const wide = process.stderr.isTTY;
  let told = "";
  let waitedFor = 0;
  let turn = 0;
  for (;;) {
    const load = await getLoad(db, id);
    if (load.state !== "queued" && load.state !== "running") {
      if (wide && told) say("\n");
      return load;
    }
    if (load.state === "queued" && (waitedFor += 1) === 100) {
      say("still waiting for a worker; is one running?\n");
    }
    const seconds = load.startedAt ? (Date.now() - load.startedAt.getTime()) / 1000 : 0;
    const rate =
      load.stage === "reading" && seconds > 0.5 ? `, ${grouped(Math.round(load.recordsSoFar / seconds))} a second` : "";
    const share = load.bytesTotal > 0 ? ` ${Math.floor((100 * load.bytesSoFar) / load.bytesTotal)} %` : "";
    const line =
      load.state === "queued"
        ? "waiting for a worker"
        : `${load.stage}${share}: ${grouped(load.recordsSoFar)} records${rate}`;
    // A log gets a line every two seconds, a terminal one that is written over.
    if (line !== told && (wide || turn++ % 10 === 0)) say(wide ? `\r\x1b[K${line}` : `${line}\n`);
    told = line;
    await new Promise((resolve) => setTimeout(resolve, 200));
  }
}

function tellEnd(load: Load): number {
  if (load.state === "failed") {
    throw new SieveError("load-failed", load.error?.message ?? "The load failed.", {
      detail: load.error?.detail ?? "",
      hint: load.error?.hint ?? "",
    });
  }
  if (load.state === "cancelled") {
    process.stdout.write(`load ${load.id} was cancelled; nothing was written to the target\n`);
    return 3;
  }
  const { balance, gates, replaced, further = [], copies = [] } = load.report!;
  const would = load.state === "stopped" ? "would be " : "";
  process.stdout.write(`load ${load.id} ${load.state}: ${balanceLine(balance, would)}\n`);
  if (replaced) process.stdout.write(`${replacedWords(replaced, would)}\n`);
  for (const counts of further) process.stdout.write(`${furtherLine(counts, would)}\n`);
  for (const counts of copies) process.stdout.write(`${copyLine(counts)}\n`);
  if (load.state !== "stopped") return 0;
  for (const gate of gates)
    if (!gate.passed) process.stdout.write(`stopped at the gate “${gate.gate}”: ${gate.message}\n`);
  process.stdout.write("nothing was written to the target\n");
  return 1;
}
