import { Worker } from "node:worker_threads";
import { SieveError } from "@/core/kernel/problem.ts";
import { openDb, type Db } from "@/store/db.ts";
import { TASKS } from "./tasks.ts";
import type { FromApart, ToApart } from "./apart.ts";
import { stopped, type WorkAt } from "./work-at.ts";

/** The process that does pieces of work that may have to be ended (`apart.ts`), one after the other. */

const TELL_MS = 100;

function say(message: FromApart): void {
  process.send?.(message);
}

/** Whether the work at hand is asked to stop. */
let stopping = false;

async function work(db: Db, { task, input }: Exclude<ToApart, { stop: true }>): Promise<void> {
  stopping = false;
  let last = 0;
  /** Says how far work on records is. Throws `stopped`, where that is asked for, so that what was done is taken back. */
  const onWork = (at: WorkAt): void => {
    if (stopping) throw stopped();
    say({ type: "work", at });
  };
  const tell = (file: string, bytes: number): void => {
    const now = Date.now();
    if (now - last < TELL_MS) return;
    last = now;
    say({ type: "progress", at: { file, bytes } });
  };
  try {
    const run = TASKS[task] as (db: Db, input: unknown, onRead: typeof tell, work: typeof onWork) => Promise<unknown>;
    say({ type: "done", result: await run(db, input, tell, onWork) });
  } catch (error) {
    if (error instanceof SieveError) {
      const { code, message, detail, hint, facts } = error;
      say({ type: "failed", code, message, detail, hint, facts });
    } else say({ type: "broken", message: error instanceof Error ? (error.stack ?? error.message) : String(error) });
  }
}

const db = openDb(undefined, 3);
process.on("message", (message: ToApart) => {
  if ("stop" in message) stopping = true;
  else void work(db, message);
});
process.on("disconnect", () => process.exit(0));
new Worker(new URL("./apart-watch.js", import.meta.url)).unref();
