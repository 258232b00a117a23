import { describe, expect, it } from "vitest";
import { MemorySpill } from "@/core/check/repeats.ts";
import { compilePlan } from "@/core/course/compile.ts";
import type { Plan } from "@/core/plan/document.ts";
import { parsePlan } from "@/core/plan/schema.ts";
import { previewFields, previewRecord, previewRules, previewSteps } from "@/core/sample/preview.ts";
import { siftFile } from "@/core/course/files.ts";
import { SampleChoice, type Sample } from "@/core/sample/sample.ts";
import { Course } from "@/core/course/course.ts";
import { ACCESSIONS } from "../../demo/plan.ts";
import { makeDeliveries } from "../../demo/generate.ts";
import { planOf } from "../support/plans.ts";
import { csv, noSpool, siftAll, sourceOf, type FileInMemory } from "../support/sift.ts";

/** Chooses a sample of files by what a plan makes of them. */
async function sampleOf(plan: Plan, size: number, ...files: FileInMemory[]): Promise<Sample> {
  const choice = new SampleChoice(size);
  const course = new Course(compilePlan(plan), { spill: new MemorySpill() });
  for (const [i, file] of files.entries()) {
    for await (const sifted of siftFile(course, sourceOf(file), i, plan.read, noSpool)) {
      choice.add(sifted, course.columns, course.fileName);
    }
  }
  return choice.finish(true);
}

const plan = planOf(
  [
    { name: "id", type: "text", required: true },
    { name: "g", type: "decimal", precision: 9, scale: 2, most: 100 },
    { name: "site", type: "text" },
    { name: "file", type: "text", also: ["@file"] },
    { name: "line", type: "integer", also: ["@line"] },
  ],
  {
    cleanse: [
      { do: "trim", in: "*" },
      { do: "empty-words", in: "*", words: ["?"] },
      { do: "leave-out", in: "*", when: "id.startsWith('TEST')" },
      { do: "derive", in: ["site"], by: "site + '/' + file + '/' + string(line)" },
      { do: "case", in: ["id"], to: "upper", off: true },
    ],
    check: [
      { name: "light", that: "g < 50.0", on_failure: "note" },
      { name: "not a clean number of its own", that: "10 / (line - 3) != 99", on_failure: "hold" },
    ],
  },
);

const lines = Array.from({ length: 3000 }, (_, i) => {
  const id = i % 211 === 0 ? `TEST-${i}` : i === 1234 ? "§§ odd ~ one" : `a${i}`;
  return `${id},${i % 97 === 0 ? "heavy" : ((i * 7) % 104) / 2}, s${i % 5} `;
});

describe("a sample", () => {
  const all = csv(`id,g,site\n${lines.join("\n")}\n`, "one.csv");

  it("has the first records, some of each problem, rare shapes and others, each once and in their order", async () => {
    const sample = await sampleOf(plan, 200, all);
    const why = (w: string): number[] => sample.lines.filter((_, i) => sample.why[i] === w);
    expect(sample).toMatchObject({ of: 3000, whole: true, columns: ["id", "g", "site"] });
    expect(sample.rows).toHaveLength(200);
    expect(why("first")).toEqual(Array.from({ length: 20 }, (_, i) => i + 2));
    const problems = why("problem").map((line) => sample.rows[sample.lines.indexOf(line)]!);
    expect(problems.some((r) => r[1] === "heavy")).toBe(true);
    expect(problems.some((r) => r[0]!.startsWith("TEST"))).toBe(true);
    expect(problems.some((r) => Number(r[1]) >= 50)).toBe(true);
    expect(why("rare shape")).toContain(1236);
    expect(why("random").length).toBeGreaterThan(50);
    expect([...sample.lines].sort((a, b) => a - b)).toEqual(sample.lines);
    expect(new Set(sample.lines).size).toBe(200);
  });

  it("is the same each time, and all there is where that is little", async () => {
    expect(await sampleOf(plan, 200, all)).toEqual(await sampleOf(plan, 200, all));
    const few = await sampleOf(plan, 200, csv("id,g,site\na,1,x\nb,2,y\n"));
    expect(few.rows).toEqual([
      ["a", "1", "x"],
      ["b", "2", "y"],
    ]);
  });

  it("puts files with other columns side by side", async () => {
    const two = await sampleOf(plan, 10, csv("id,g\na,1\n", "x.csv"), csv("site;id\nN;b\n", "y.csv"));
    expect(two.columns).toEqual(["id", "g", "site"]);
    expect(two.rows).toEqual([
      ["a", "1", ""],
      ["b", "", "N"],
    ]);
    expect(two.files).toEqual(["x.csv", "y.csv"]);
  });
});

describe("the preview", () => {
  /** What a load makes of every record, beside what the preview shows of it. */
  async function agree(own: Plan, file: FileInMemory): Promise<number> {
    const sample = await sampleOf(own, 5000, file);
    const shown = previewSteps(own, sample, own.cleanse.length, false, 5000);
    const { records, report } = await siftAll(own, [file]);
    const byLine = new Map(records.map((r) => [r.line, r]));
    for (const r of shown.records) {
      const server = byLine.get(sample.lines[r.at]!)!;
      expect([...r.values]).toEqual(server.cleansed);
    }
    if (sample.rows.length === records.length) {
      expect(shown.steps).toEqual(report.steps.map((s) => s.changed));
      expect(shown.leftOut).toBe(report.balance.outcomes["left out"]);
      const rules = previewRules(own, sample);
      own.check.forEach((c, i) => {
        const key = "name" in c ? `rule:${c.name}` : "";
        if (key) expect(rules[i]!.failed).toBe(report.checks.find((m) => m.key === key)!.problems);
      });
    }
    return shown.records.length;
  }

  it("shows what a load makes of the same records, file names and lines too", async () => {
    expect(await agree(plan, csv(`id,g,site\n${lines.join("\n")}\n`, "one.csv"))).toBe(3000);
  });

  it("does so for every garden's deliveries", async () => {
    const own = parsePlan(ACCESSIONS);
    let n = 0;
    for (const d of makeDeliveries(7, 1)) n += await agree(own, d);
    expect(n).toBeGreaterThan(1000);
  });

  it("marks what the last step changed, and nothing else", async () => {
    const sample = await sampleOf(plan, 50, csv("id,g,site\n a ,?,x\nb,2, y\nTEST,1,\n"));
    const after = (n: number, only = false) => previewSteps(plan, sample, n, only, 10);
    expect(after(1)).toMatchObject({ changed: 2, touched: [true, false, true, false, false], fit: 3 });
    expect(after(1).records[0]).toMatchObject({
      values: ["a", "?", "x", "a.csv", "2"],
      before: [" a ", "?", "x", "a.csv", "2"],
    });
    expect(after(2, true).records.map((r) => r.at)).toEqual([0]);
    expect(after(3, true).records).toMatchObject([{ at: 2, leftOut: true }]);
    expect(after(3).leftOut).toBe(1);
    expect(after(5)).toMatchObject({ changed: 0, fit: 3 });
    expect(after(0)).toMatchObject({ changed: 0, fit: 3 });
  });

  it("says why nothing can be shown", async () => {
    const sample = await sampleOf(plan, 10, csv("id\na\n"));
    const broken = { ...plan, cleanse: [{ do: "derive" as const, in: ["g"], by: "nothing +" }] };
    expect(() => previewSteps(broken, sample, 1, false, 10)).toThrow("fault");
    expect(previewRules({ ...plan, check: [{ name: "x", that: "g <", on_failure: "hold" }] } as Plan, sample)).toEqual([
      null,
    ]);
  });
});

describe("one record", () => {
  const file = csv(`id,g,site\n${lines.slice(0, 400).join("\n")}\n`, "one.csv");

  it("comes step by step to what the whole sample comes to, and each check says the same of it", async () => {
    const sample = await sampleOf(plan, 120, file);
    const counted = plan.check.map(() => ({ passes: 0, empty: 0, failed: 0 }));
    const stood = plan.cleanse.map((_, i) => previewSteps(plan, sample, i + 1, false, sample.rows.length));
    for (const [at, row] of sample.rows.entries()) {
      const one = previewRecord(plan, sample, row, at);
      const values = [...stood[0]!.records[at]!.before];
      for (const [i, step] of one.steps.entries()) {
        for (const c of step.changes) {
          expect(c.before).toBe(values[c.field]);
          values[c.field] = c.after;
        }
        expect(values).toEqual(stood[i]!.records[at]!.values);
      }
      expect(one.leftOut).toBe(stood.at(-1)!.records[at]!.leftOut);
      one.rules.forEach((verdict, i) => {
        if (verdict === "passes") counted[i]!.passes++;
        if (verdict === "lacks a field") counted[i]!.empty++;
        if (verdict === "fails") counted[i]!.failed++;
      });
    }
    expect(previewRules(plan, sample)).toMatchObject(counted);
  });

  it("is told its problems in words, with what is typed in place of what came", async () => {
    const sample = await sampleOf(plan, 20, file);
    const at = sample.rows.length - 1;
    const typed = (row: string[]): ReturnType<typeof previewRecord> => previewRecord(plan, sample, row, at);
    expect(typed(["a2", "60", "s"]).problems).toMatchObject([{ onFailure: "note", field: "g", check: "rule:light" }]);
    const bad = typed(["?", "much", " s "]);
    expect(bad.problems.map((p) => [p.field, p.onFailure])).toEqual([
      ["id", "hold"],
      ["g", "hold"],
    ]);
    expect(bad.problems.map((p) => p.message).join()).toMatch(/id is empty/);
    // What it asks about is no number, so it is not asked.
    expect(bad.rules[0]).toBeNull();
    expect(bad.steps[1]!.changes).toEqual([{ field: 0, before: "?", after: "" }]);
    expect(typed(["TEST-x", "1", "s"])).toMatchObject({ leftOut: true, problems: [] });
    expect(typed(["a2", "", "s"]).rules[0]).toBe("lacks a field");
  });

  it("has checks that can be understood beside one that is in the middle of being written", async () => {
    const sample = await sampleOf(plan, 20, file);
    const half = { ...plan, check: [...plan.check, { name: "half", that: "g <", on_failure: "hold" as const }] };
    const one = previewRecord(half, sample, ["a1", "60", "s"], 0);
    expect(one.rules[2]).toBeNull();
    expect(one.problems).toMatchObject([{ check: "rule:light" }]);
  });

  it("has the ones before it for steps that look at them", async () => {
    const filled = planOf(
      [
        { name: "id", type: "text" },
        { name: "site", type: "text" },
      ],
      { cleanse: [{ do: "fill", in: ["site"], above: true }] },
    );
    const sample: Sample = {
      columns: ["id", "site"],
      rows: [
        ["1", "hill"],
        ["2", ""],
        ["3", ""],
      ],
      files: ["f", "f", "f"],
      lines: [2, 3, 4],
      why: ["first", "first", "first"],
      of: 3,
      whole: true,
    };
    expect(previewRecord(filled, sample, ["3", ""], 2).values).toEqual(["3", "hill"]);
    expect(previewRecord(filled, sample, ["3", "dale"], 2).steps[0]!.changes).toEqual([]);
  });
});

describe("what the checks of fields find in a sample", () => {
  const fields = [
    { name: "id", type: "text", required: true, length: 4, pattern: "^[a-z0-9]+$" },
    { name: "g", type: "decimal", precision: 9, scale: 2, least: 1, most: 100 },
    { name: "day", type: "date", formats: ["yyyy-MM-dd"] },
  ];
  const text = "id,g,day\na1,5,2026-05-31\n,0.5,31.05.2026\nA1,200,\nabcde,x,2026-06-01\nA12345,7,2026-02-31\n";

  it("is counted by field and check, with values", async () => {
    const own = planOf(fields);
    const found = previewFields(own, await sampleOf(own, 100, csv(text)));
    expect(found.map((f) => f.failed)).toEqual([4, 3, 2]);
    expect(found[0]!.by).toEqual([
      { check: "required", failed: 1, values: [] },
      { check: "pattern", failed: 2, values: ["A1", "A12345"] },
      { check: "length", failed: 2, values: ["abcde", "A12345"] },
    ]);
    expect(found[2]!.by).toEqual([{ check: "type", failed: 2, values: ["31.05.2026", "2026-02-31"] }]);
  });

  it("changes with a type, a limit or a format as it is edited", async () => {
    const own = planOf(fields);
    const sample = await sampleOf(own, 100, csv(text));
    const failed = (change: object): number[] =>
      previewFields(planOf(fields.map((f) => ({ ...f, ...change }))), sample).map((f) => f.failed);
    const day = planOf([...fields.slice(0, 2), { ...fields[2]!, formats: ["yyyy-MM-dd", "dd.MM.yyyy"] }]);
    expect(previewFields(day, sample)[2]!.failed).toBe(1);
    expect(failed({ on_failure: "note" })).toEqual([4, 3, 2]);
    const left = planOf(fields, { cleanse: [{ do: "leave-out", in: "*", when: "id == 'A12345'" }] });
    expect(previewFields(left, sample)[2]!.failed).toBe(1);
  });

  it("is not given for a plan that has a fault", async () => {
    const own = planOf(fields);
    const sample = await sampleOf(own, 100, csv(text));
    expect(() =>
      previewFields({ ...own, contract: { fields: [{ name: "id", type: "code", values: [] }] } }, sample),
    ).toThrow("fault");
  });
});
