import type { AfterLoad } from "@/store/after.ts";
import { counted, moment } from "../kit/words.ts";

/** How it stands with something that is done after a load, in words. */
export function afterState({ state, attempts, nextAt, endedAt }: AfterLoad, now: Date): string {
  const tried = counted(attempts, "attempt");
  if (state === "done") return `done${endedAt ? ` ${moment(endedAt, now)}` : ""}`;
  if (state === "failed") return `failed after ${tried}`;
  return attempts === 0 ? "is to be done" : `to be tried again ${moment(nextAt, now)}, after ${tried}`;
}
