import type { GoneRows } from "@/core/gate/part.ts";
import { counted, grouped } from "@/core/kernel/problem.ts";
import type { LoadReport } from "@/core/report/report.ts";
import { loadedOf } from "@/core/report/strata.ts";
import type { Load } from "@/store/loads.ts";

/** What a load has come to, in one line. */
export function headline(
  load: Pick<Load, "state" | "read" | "held" | "merged" | "waiting">,
  report: LoadReport | null,
): string {
  switch (load.state) {
    case "loaded":
      return `${grouped(loadedOf(report!.balance))} of ${counted(load.read ?? 0, "record")} loaded${asideWords(load)}`;
    case "tried":
      return `Trial: ${grouped(loadedOf(report!.balance))} of ${counted(load.read ?? 0, "record")} would be loaded${asideWords(load)}`;
    case "stopped":
      return `Stopped: of ${counted(load.read ?? 0, "record")} ${grouped(loadedOf(report!.balance))} would be loaded, ${grouped(load.held ?? 0)} held`;
    case "dropped":
      return `Dropped: nothing of ${counted(load.read ?? 0, "record")} was loaded`;
    case "undone":
      return `Undone: nothing of ${counted(load.read ?? 0, "record")} is in the target any more`;
    case "failed":
      return "This load failed";
    case "cancelled":
      return "This load was cancelled; nothing was written";
    case "queued":
      return "Waiting to be loaded";
    case "running":
      return "Being loaded";
  }
}

function asideWords({
  merged,
  waiting,
  held,
}: {
  merged: number | null;
  waiting: number | null;
  held: number | null;
}): string {
  return [
    merged ? `, ${grouped(merged)} merged` : "",
    `, ${grouped(held ?? 0)} held`,
    waiting ? `, ${grouped(waiting)} waiting` : "",
  ].join("");
}

/** What became of held records of earlier loads that a load has brought back. */
export function returnedWords({ accepted, again }: NonNullable<LoadReport["returned"]>): string {
  const parts = [
    accepted > 0
      ? `${grouped(accepted)} ${accepted === 1 ? "was" : "were"} accepted and ${accepted === 1 ? "is" : "are"} closed`
      : "",
    again > 0
      ? `${grouped(again)} ${again === 1 ? "is" : "are"} still wrong and held as ${again === 1 ? "it" : "they"} came last`
      : "",
  ].filter((p) => p !== "");
  return `It brought back ${counted(accepted + again, "record")} that earlier loads held: ${parts.join(", ")}.`;
}

/** What became, or would become, of the target's rows that did not come. */
export function goneRowsWords({ did, rows, of, referred, unsure, left }: GoneRows, would: boolean): string {
  const which = `${grouped(rows)} of ${counted(of, "row")} of the target did not come`;
  if (rows === 0) return `All ${counted(of, "row")} of the target that were looked for came.`;
  if (left) {
    const held = unsure === 1 ? "1 held record has no sound key" : `${grouped(unsure)} held records have no sound key`;
    return `${which}; they are left as they are, as ${held} and any of them may be theirs.`;
  }
  const done = did === "remove" ? "removed" : "marked";
  const n = rows - (did === "remove" ? referred : 0);
  const kept = did === "remove" && referred > 0 ? `, ${grouped(referred)} left, as other tables refer to them` : "";
  return `${which}: ${grouped(n)} ${would ? `would be ${done}` : done}${kept}.`;
}

/** Among what held records of earlier loads were looked for, and how many are like one of it. */
export function alikeWords({
  pairs,
  looked,
  more,
  among,
}: {
  readonly pairs: readonly unknown[];
  readonly looked: number;
  readonly more: number;
  readonly among: number;
}): string {
  const like =
    pairs.length === 0
      ? "none is like one of them"
      : `${grouped(pairs.length)} ${pairs.length === 1 ? "is" : "are"} like one of them`;
  const rest = more > 0 ? ` ${counted(more, "older one was", "older ones were")} not looked for.` : "";
  return `${counted(looked, "record")} held before ${looked === 1 ? "was" : "were"} looked for among the ${counted(among, "record")} of this load: ${like}.${rest}`;
}

/** Held records of earlier loads are counted up to so many, as a feed may have any number of them. */
const MOST_COUNTED = 1_000;
/** With so many they are more than that. */
export const COUNTED_BEFORE = MOST_COUNTED + 1;

/** How many records that were held before a load still are. */
export function heldBeforeWords(open: number): string {
  if (open > MOST_COUNTED) return `More than ${counted(MOST_COUNTED, "record")} held before are still held:`;
  return `${counted(open, "record")} held before ${open === 1 ? "is" : "are"} still held:`;
}
