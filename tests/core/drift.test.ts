import { describe, expect, it } from "vitest";
import { MemorySpill } from "@/core/check/repeats.ts";
import { findDrift } from "@/core/report/drift.ts";
import { ProfileFold } from "@/core/profile/profile.ts";
import { newTally } from "@/core/course/tally.ts";
import { compilePlan } from "@/core/course/compile.ts";
import { parsePlan } from "@/core/plan/schema.ts";
import { openFile } from "@/core/read/source.ts";
import { siftFile } from "@/core/course/files.ts";
import type { FileFacts } from "@/core/read/facts.ts";
import { Course } from "@/core/course/course.ts";
import { memoryFile } from "../support/formats.ts";

const FIELDS = [
  { name: "id", type: "text" },
  { name: "garden", type: "code", values: ["BHG", "CWA"] },
  { name: "kept_on", type: "date", formats: ["yyyy-MM-dd"] },
  { name: "weight_g", type: "decimal", precision: 9, scale: 3 },
];

async function driftOf(text: string, before: string[][] = [], map: object = {}) {
  const plan = parsePlan({
    format: "good-sieve/plan@1",
    feed: "f",
    map,
    contract: { fields: FIELDS },
    load: { target: "t" },
  });
  const compiled = compilePlan(plan);
  const noSpool = async () => memoryFile("", "");
  const course = new Course(compiled);
  const tally = newTally(compiled);
  let files: FileFacts[];
  const blocks = siftFile(course, memoryFile("now.csv", text), 0, plan.read, noSpool);
  for (;;) {
    const next = await blocks.next();
    if (next.done) {
      files = next.value;
      break;
    }
    next.value.tally.filled.forEach((n, i) => (tally.filled[i]! += n));
    next.value.tally.checks.forEach((n, i) => (tally.checks[i]! += n));
  }
  const extras = new ProfileFold(new MemorySpill(), 1000);
  for await (const opened of openFile(memoryFile("now.csv", text), plan.read, noSpool)) {
    for await (const block of opened.blocks) extras.add(block, opened.columns(), new Set(files[0]!.extra));
  }
  return findDrift({ compiled, files, extras: extras.finish(), before, tally });
}

const rows = (make: (i: number) => string): string => Array.from({ length: 40 }, (_, i) => make(i)).join("\n");
const sound = (i: number): string =>
  `K${i},${["BHG", "CWA"][i % 2]},2026-05-${String((i % 28) + 1).padStart(2, "0")},${i}.5`;

describe("drift", () => {
  it("is none where the columns are the plan's, whatever their case and order", async () => {
    expect(await driftOf(`ID,Garden,Kept on,Weight (g)\n${rows(sound)}\n`)).toEqual([]);
  });

  it("names an extra column with its type and the field that it would make", async () => {
    const [d, ...rest] = await driftOf(`id,garden,kept_on,weight_g,Jar No\n${rows((i) => `${sound(i)},${i * 3}`)}\n`);
    expect(rest).toEqual([]);
    expect(d).toMatchObject({
      kind: "extra column",
      name: "Jar No",
      says: "whole number, filled in 40 of 40 records",
      field: { name: "jar_no", type: "integer", title: "Jar No" },
    });
    expect(d!.field!.required).toBeUndefined();
  });

  it("recognises a renamed column by what is in it and by its name or its place", async () => {
    const header = "id,garden,kept_since,weight_g";
    const [byPlace] = await driftOf(`id,garden,since,weight_g\n${rows(sound)}\n`, [
      ["id", "garden", "kept_on", "weight_g"],
    ]);
    expect(byPlace).toMatchObject({
      kind: "renamed column",
      name: "since",
      field: { name: "kept_on", also: ["since"] },
    });
    expect(byPlace!.says).toContain("stands where the field's column stood before");
    expect((await driftOf(`${header}\n${rows(sound)}\n`)).map((d) => d.kind)).toEqual(["renamed column"]);
    const [weights] = await driftOf(`id,garden,kept_on,weight_gr\n${rows(sound)}\n`);
    expect(weights!.says).toContain("its name is like one that the field has had");
  });

  it("takes a column of other content for no rename", async () => {
    const drift = await driftOf(`id,garden,kept_on,weight_gr\n${rows((i) => sound(i).replace(/[^,]+$/, "heavy"))}\n`);
    expect(drift.map((d) => [d.kind, d.name])).toEqual([
      ["extra column", "weight_gr"],
      ["missing column", "weight_g"],
    ]);
  });

  it("notices another order when asked to, and a field whose values changed their type", async () => {
    const text = `garden,id,kept_on,weight_g\n${rows((i) => `${["BHG", "CWA"][i % 2]},K${i},${i % 28}/5/2026,1`)}\n`;
    const before = [["id", "garden", "kept_on", "weight_g"]];
    const drift = await driftOf(text, before, { reordered: "note" });
    expect(drift.map((d) => [d.kind, d.name, d.says])).toEqual([
      ["reordered columns", "garden, id", "2 of 4 columns stand elsewhere than in the delivery before"],
      ["changed type", "kept_on", "40 of 40 values are not a date"],
    ]);
    expect((await driftOf(text, before)).map((d) => d.kind)).toEqual(["changed type"]);
  });
});
