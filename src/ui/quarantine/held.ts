import { readCheck } from "@/core/check/identity.ts";
import { betweenCheck, type Compiled } from "@/core/course/compiled.ts";
import { recheck, type Rechecked } from "@/core/course/recheck.ts";
import { mendedValues } from "@/core/mend/values.ts";
import { counted, grouped } from "@/core/kernel/problem.ts";
import type { HeldRecord } from "@/store/held.ts";

/** What the quarantine says of held records, and finds out without asking the server. */

/** Why a record stayed, in words. */
export function stayedWords(s: {
  problems: { message: string }[];
  overtaken?: { by: number | null };
  ended?: string;
}): string {
  if (s.ended) return `it is ${s.ended} already`;
  if (s.overtaken) {
    const by = s.overtaken.by === null ? "another program" : `writing ${s.overtaken.by}`;
    return `its key has been written since by ${by}, so it is overtaken`;
  }
  return s.problems.map((p) => p.message).join(" ");
}

/** What else is to be said of released records, in words: which wait, and whether they could be compared; empty where nothing is. */
export function waitWords({
  released,
  waiting,
  uncompared,
}: {
  released: number;
  waiting: number;
  uncompared: number;
}): string {
  const unknown =
    uncompared > 0 ? "; they were not compared with the target, which has more rows than a release can compare" : "";
  if (waiting === 0) return unknown;
  const who = waiting === released ? (released === 1 ? "it" : "all of them") : counted(waiting, "record");
  const one = waiting === 1;
  return `; ${who} may be the same as ${one ? "a row" : "rows"} of the target and ${one ? "waits" : "wait"} for a decision in Matches${unknown}`;
}

const TIMES = ["first", "second", "third", "fourth", "fifth", "sixth", "seventh", "eighth", "ninth", "tenth"];

/** That a record is held once more, by how often it has come. */
export function timeWords(times: number): string {
  return times > TIMES.length
    ? `It has come and was held ${grouped(times)} times.`
    : `It is held for the ${TIMES[times - 1]!} time.`;
}

/** What is typed over, by record and field. */
export type Edits = Record<string, Record<string, string>>;

/** A held record's own name on a page. */
export const idOf = (h: { load: number; record: number }): string => `${h.load}:${h.record}`;

/** Whether the browser can tell that the record will pass; repeats and taken keys only the store can. */
export function verdictOf(
  held: HeldRecord,
  compiled: Compiled,
  edits: Record<string, string> = {},
): Rechecked & { unsure: boolean } {
  const result = recheck(compiled, mendedValues(held, edits, compiled));
  // What only the store can tell; gaps and sums it does not ask again of one record.
  const late = held.problems.filter((p) => {
    const id = readCheck(p.check);
    if (
      id.kind === "taken" ||
      id.kind === "unmet" ||
      id.kind === "target" ||
      (id.kind === "field" && id.check === "unique")
    )
      return true;
    const kind = betweenCheck(compiled.checks.find((c) => c.key === p.check))?.check;
    return kind === "has parent" || kind === "no overlaps";
  });
  const same = late.filter((p) =>
    (
      compiled.checks.find((c) => c.key === p.check)?.fields.map((f) => compiled.fields[f]!.name) ??
      compiled.plan.load.key
    ).every((name) => edits[name] === undefined),
  );
  return {
    ...result,
    problems: [...result.problems, ...same],
    passes: result.passes && same.every((p) => p.onFailure === "note"),
    unsure: late.length > 0,
  };
}
