import { describe, expect, it } from "vitest";
import type { Reference } from "@/core/kernel/reference.ts";
import { compilePlan } from "@/core/course/compile.ts";
import { Course } from "@/core/course/course.ts";
import { siftFile } from "@/core/course/files.ts";
import { prepareLookUp, type Ask, type Asked, type Beside } from "@/core/lookup/look-up.ts";
import type { NearestEntry } from "@/core/lookup/nearest.ts";
import { lookUpSchema } from "@/core/lookup/schema.ts";
import { planOf } from "../support/plans.ts";
import { random } from "../support/random.ts";
import { sourceOf } from "../support/sift.ts";
import { MemorySpill } from "@/core/check/repeats.ts";

/** Look-ups by score of which others find half. */

const SYLLABLES = ["al", "bir", "cold", "dun", "el", "fen", "gor", "hil", "ivo", "kel", "lyn", "mos", "nor", "quil"];
const roll = random(8);
const name = (): string => Array.from({ length: 3 }, () => SYLLABLES[Math.floor(roll() * SYLLABLES.length)]).join("");
const SITES: Reference = {
  name: "sites",
  version: 0,
  columns: ["site", "code"],
  key: "site",
  entries: Array.from({ length: 400 }, (_, i) => [`${name()} ${name()}`, `S${i}`]),
};
const misspelled = (text: string): string => text.slice(0, 4) + text.slice(5);
const OPEN = { name: "site", list: "sites", bring: { code: "code" } };
const SCORED = lookUpSchema.parse({ ...OPEN, how: "scored", by: [{ field: "site", column: "site" }] });
const ASKED = [
  "",
  SITES.entries[3]![0]!,
  ...SITES.entries.slice(0, 150).map(([site]) => misspelled(site!)),
  ...Array.from({ length: 40 }, name),
].map((value): Asked => ({ values: [value], day: "" }));

/** Another one that finds, and what it was asked. */
function other(answers: (found: NearestEntry[]) => NearestEntry[] | null = (f) => f): Beside & { asked: Asked[][] } {
  const { nearestOf } = prepareLookUp(SCORED, SITES).likeness!;
  const asked: Asked[][] = [];
  return {
    asked,
    begin: (list) => void asked.push([...list]),
    take: () => answers(asked.at(-1)!.map(nearestOf)),
  };
}
const all = (ask: Ask) => ASKED.map(({ values, day }) => ask(values, day));
const ALONE = all(prepareLookUp(SCORED, SITES));

describe("a look-up by score that is shared", () => {
  it("finds the same, half of it found by the other, and each value once", () => {
    const ask = prepareLookUp(SCORED, SITES);
    const beside = other();
    expect(ask.likeness!.isShared()).toBe(false);
    ask.likeness!.ahead(ASKED);
    ask.likeness!.shareWith(beside);
    expect(ask.likeness!.isShared()).toBe(true);
    ask.likeness!.ahead([...ASKED, ...ASKED]);
    // Neither what is empty nor what is in the list has to be compared.
    expect(beside.asked.map((a) => a.length)).toEqual([95]);
    ask.likeness!.ahead(ASKED);
    expect(beside.asked).toHaveLength(1);
    expect(all(ask)).toEqual(ALONE);
    expect(ALONE.filter((f) => f.result === "scored").length).toBeGreaterThan(100);
  });

  it("takes over what the other says", () => {
    const ask = prepareLookUp(SCORED, SITES);
    ask.likeness!.shareWith(other((found) => found.map(() => ({ entry: 7, score: 100, next: 0 }))));
    ask.likeness!.ahead(ASKED);
    expect(all(ask).filter((f, i) => f.entry === 7 && ALONE[i]!.entry !== 7).length).toBeGreaterThan(90);
  });

  it("finds all itself where no answer comes, and asks the other no more", () => {
    const ask = prepareLookUp(SCORED, SITES);
    ask.likeness!.shareWith(other(() => null));
    ask.likeness!.ahead(ASKED);
    expect(ask.likeness!.isShared()).toBe(false);
    expect(all(ask)).toEqual(ALONE);
  });

  it("is not shared for a few values", () => {
    const ask = prepareLookUp(SCORED, SITES);
    const beside = other();
    ask.likeness!.shareWith(beside);
    ask.likeness!.ahead(ASKED.slice(0, 60));
    expect(beside.asked).toEqual([]);
    expect(all(ask)).toEqual(ALONE);
  });

  it("is so in a course, for the records of each block that ask", async () => {
    const fields = ["site", "code"].map((name) => ({ name, type: "text" }));
    const plan = planOf(fields, { lookup: [SCORED] });
    const text = `site\n${ASKED.slice(1)
      .map(({ values }) => values[0])
      .join("\n")}\n`;
    const counts = async (beside: Beside | null) => {
      const compiled = compilePlan(plan, new Map([["sites", SITES]]), {});
      compiled.lookUps[0]!.ask!.likeness!.shareWith(beside);
      const course = new Course(compiled, { spill: new MemorySpill(), expected: 1000, distinct: true });
      const source = sourceOf({ name: "a.csv", bytes: new TextEncoder().encode(text) });
      const never = (): never => {
        throw new Error("no spool here");
      };
      for await (const _ of siftFile(course, source, 0, plan.read, never));
      return course.lookUpCounts();
    };
    const beside = other();
    expect(await counts(beside)).toEqual(await counts(null));
    expect(beside.asked.map((a) => a.length)).toEqual([95]);
  });
});
