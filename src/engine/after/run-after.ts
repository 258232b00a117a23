import { SieveError, errorLines, grouped } from "@/core/kernel/problem.ts";
import { noticeText, outcomeOf, type AfterAction } from "@/core/plan/after.ts";
import { endAfter, enqueueWaiting, nextAfter, type AfterLoad, type Came } from "@/store/after.ts";
import type { Db } from "@/store/db.ts";
import { dayOf, getLoad, type Load } from "@/store/loads.ts";
import { AFTER_LOCK, unlessUnderWay } from "@/store/locks.ts";
import type { OutSettings } from "../out/out-settings.ts";
import { aboutOf, toldAfter, type AboutLoad } from "./about.ts";
import { tellReceiver } from "./call.ts";
import { giveToFeed } from "./feed.ts";
import { writeFiles } from "./file.ts";
import { putFiles } from "./put.ts";
import { runStatement } from "./sql.ts";

/** Seconds until what failed is tried again, longer each time; then it is given up, and can be asked for by a person. */
export const PAUSES = [10, 60, 300, 1800, 7200, 21_600] as const;

/**
 * Does what is to be done after a load and whose time has come, one after the other; what fails is tried again with growing
 * pauses, and what has failed as often as there are pauses is kept as that. What is not done yet when this
 * process ends is done by the next one, so that all is done once or more often: receivers know by the number which is which.
 */
export async function runAfter(db: Db, load: number, settings: OutSettings): Promise<void> {
  await unlessUnderWay(db, [AFTER_LOCK, load], async () => {
    for (let next = await nextAfter(db, load); next; next = await nextAfter(db, load)) {
      await endAfter(db, next, await attempt(db, next, settings));
    }
    await enqueueWaiting(db, load);
  });
}

async function attempt(db: Db, one: AfterLoad, settings: OutSettings): Promise<Parameters<typeof endAfter>[2]> {
  const load = await getLoad(db, one.load);
  const now = outcomeNow(load);
  if (now !== one.outcome) {
    return {
      done: false,
      answer: `The load is ${load.state} by now, so that it ${one.outcome === "stopped" ? "stopped" : "ended so"} is not told any more.`,
    };
  }
  try {
    return { done: true, ...(await act(db, one, load, settings)) };
  } catch (error) {
    const words =
      error instanceof SieveError
        ? [error.message, error.detail, error.hint].filter((w) => w !== "").join(" ")
        : errorLines(error);
    // What a person must mend first is not tried again.
    const hopeless = error instanceof SieveError && HOPELESS.has(error.code);
    return { done: false, answer: words, again: hopeless ? undefined : PAUSES[one.attempts] };
  }
}

const HOPELESS: ReadonlySet<string> = new Set([
  "host-not-allowed",
  "no-connection",
  "no-feed",
  "chain-closed",
  "out-unfit",
  "no-key",
  "role-too-mighty",
  "bytes-expired",
  "detail-expired",
]);

/** How a load has ended as it stands now; null where it has not, or has been undone. */
function outcomeNow({ state, held }: Load): string | null {
  return state === "loaded" || state === "stopped" || state === "failed" ? outcomeOf(state, held ?? 0) : null;
}

async function act(db: Db, one: AfterLoad, load: Load, settings: OutSettings): Promise<Came> {
  const { action } = one;
  switch (action.do) {
    case "call":
      return { answer: await tellReceiver(db, action, one, load, settings.receivers) };
    case "file":
      return await writeFiles(db, action, await aboutOf(db, one, load), settings.out);
    case "put":
      return await putFiles(db, action, await aboutOf(db, one, load), settings.receivers);
    case "feed":
      return await giveToFeed(db, action, load);
    case "notice":
      return { answer: noticeOf(action, await aboutOf(db, one, load)) };
    case "sql":
      return { answer: await runStatement(db, action, toldAfter(await aboutOf(db, one, load))) };
  }
}

/** What a notice says of a load. */
function noticeOf({ text }: AfterAction & { do: "notice" }, { load, outcome, sender, parameters }: AboutLoad): string {
  const { id, feed, read, held } = load;
  const counts = { read: grouped(read ?? 0), held: grouped(held ?? 0) };
  const whose = sender === "" ? "a sender that nobody has named" : sender;
  return noticeText(text, {
    ...parameters,
    ...{ feed, load: String(id), sender: whose, day: dayOf(load.endedAt ?? load.askedAt), outcome, ...counts },
  });
}
