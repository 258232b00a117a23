import fc from "fast-check";
import { describe, expect, it } from "vitest";
import { BETWEEN, betweenPart } from "@/core/check/between/index.ts";
import { ROW, SortedRuns } from "@/core/check/between/runs.ts";
import { MemorySpill } from "@/core/check/repeats.ts";
import { removeField, renameField } from "@/core/plan/edit.ts";
import { usedIn } from "@/core/plan/uses.ts";
import { parsePlan } from "@/core/plan/schema.ts";
import type { Field } from "@/core/field/field.ts";
import { planOf } from "../support/plans.ts";
import { csv, siftAll as sift } from "../support/sift.ts";

const MORE: Record<string, object> = { decimal: { precision: 12, scale: 3 }, date: { formats: ["yyyy-MM-dd"] } };

/** Runs one check between records over records of text cells. */
async function siftBetween(
  types: Readonly<Record<string, string>>,
  check: object,
  records: readonly Readonly<Record<string, string>>[],
) {
  const names = Object.keys(types);
  const plan = planOf(
    names.map((name) => ({ name, type: types[name], ...MORE[types[name]!] })),
    { check: [check] },
  );
  const rows = records.map((r) => names.map((n) => r[n]).join(","));
  return await sift(plan, [csv(`${names.join(",")}\n${rows.join("\n")}\n`)]);
}

describe("sorted runs", () => {
  it("gives every row once, in order, however many runs they make", () => {
    const runs = new SortedRuns(new MemorySpill());
    const n = 100_000;
    for (let i = 0; i < n; i++) runs.put((i * 7919) % 13, 0, (i * 104_729) % 1000, i, 0, i + 1, i);
    for (const time of [1, 2]) {
      let [before, count, sum] = [[-1, -1, -1, -1], 0, 0];
      for (const row of runs.rows()) {
        const now = [...row.subarray(0, 4)];
        const k = now.findIndex((x, i) => x !== before[i]);
        if (k < 0 || now[k]! < before[k]!) expect.fail(`${now} after ${before}, time ${time}`);
        before = now;
        sum += row[ROW.p]!;
        count++;
      }
      expect([count, sum]).toEqual([n, (n * (n - 1)) / 2]);
    }
  });

  it("orders rows without a beginning before all others", () => {
    const runs = new SortedRuns(new MemorySpill());
    runs.put(1, 1, 5, 0, 0, 1);
    runs.put(1, 1, -Infinity, 1, 0, 2);
    runs.put(1, 1, -Infinity, 2, 0, 3);
    expect([...runs.rows()].map((r) => r[ROW.record])).toEqual([1, 2, 0]);
  });
});

it("has a part for each kind", () => {});

describe("what is wrong with a check between records", () => {
  const types: Record<string, string> = {
    d: "date",
    e: "date",
    n: "integer",
    t: "text",
    u: "text",
    m: "decimal",
    o: "decimal",
  };
  const field = (name: string): Field | undefined =>
    types[name] === undefined ? undefined : ({ name, type: types[name] } as Field);
  const fault = (options: object): string | null => betweenPart("no overlaps").fault(options, field);
  it.each([
    [{ from: "d", to: "e" }, null],
    [{ from: "d", to: "n" }, "a range needs one type"],
    [{ from: "t", to: "u" }, "is of the type text"],
    // Fields that are not there are told elsewhere.
    [{ from: "d", to: "x" }, null],
    [{ from: "x", to: "d" }, null],
    [{ from: "m", to: "o", gaps: "refused" }, "ranges must meet"],
    [{ from: "m", to: "o", gaps: "refused", meet: true }, null],
    [{ from: "d", to: "e", gaps: "refused" }, null],
  ])("%j: %j", (options, says) => {
    if (says === null) expect(fault(options)).toBeNull();
    else expect(fault(options)).toContain(says);
  });
});

it("tells of a gap by its group, where there is one, and where the one before stands", () => {
  const gaps = (by: string[]) =>
    betweenPart("no gaps").make({ field: "n", by }, (n) => ["n", "box"].indexOf(n), [
      { name: "n", type: "integer" },
      { name: "box", type: "text" },
    ]);
  expect(gaps([]).message(["7"], "1 number missing", null)).toBe("n 7: 1 number missing.");
  expect(gaps(["box"]).message(["7", "B1"], "1 number missing", "line 3 of a.csv")).toBe(
    "n 7 of B1: 1 number missing; the one before is in line 3 of a.csv.",
  );
});

describe.each(BETWEEN.map((p) => [p.id, p] as const))("%s", (id, part) => {
  it.each(part.examples.map((e) => [part.words(e.options), e] as const))("finds who breaks: %s", async (_, e) => {
    const { records, balance } = await siftBetween(e.types, { check: id, ...e.options, on_failure: "hold" }, e.records);
    const failing = records.flatMap((r, i) => (r.repeats.length > 0 ? [[i, r.details[0] ?? ""]] : []));
    expect(Object.fromEntries(failing)).toEqual(e.fails);
    expect(balance.outcomes.held).toBe(failing.length);
  });
  it("only notes where the plan says so", async () => {
    const e = part.examples[0]!;
    const { report } = await siftBetween(e.types, { check: id, ...e.options, on_failure: "note" }, e.records);
    expect(report.balance.outcomes.held).toBe(0);
    expect(report.checks.find((c) => c.key.startsWith("between:"))?.problems).toBe(Object.keys(e.fails).length);
  });
});

describe("what is in a range twice", () => {
  it("is what a slow and simple way finds", async () => {
    const range = fc.tuple(fc.integer({ min: 0, max: 60 }), fc.integer({ min: 0, max: 6 }), fc.constantFrom("p", "q"));
    await fc.assert(
      fc.asyncProperty(fc.array(range, { maxLength: 25 }), async (list) => {
        const ranges = list.map(([a, n, g]) => ({ g, a, b: a + n }));
        const { records } = await siftBetween(
          { g: "text", a: "integer", b: "integer" },
          { check: "no overlaps", from: "a", to: "b", by: ["g"] },
          ranges.map((r) => ({ g: r.g, a: `${r.a}`, b: `${r.b}` })),
        );
        // The later of two, by where they begin and then by their order.
        const slow = ranges.map((r, i) =>
          ranges.some((o, k) => k !== i && o.g === r.g && (o.a < r.a || (o.a === r.a && k < i)) && o.b >= r.a),
        );
        expect(records.map((r) => r.repeats.length > 0)).toEqual(slow);
      }),
      { numRuns: 60 },
    );
  });
});

describe("a parent that is held", () => {
  it("is no good record, so its child has none", async () => {
    const plan = planOf(
      [
        { name: "id", type: "text", required: true },
        { name: "of", type: "text" },
        { name: "g", type: "integer" },
      ],
      { check: [{ check: "has parent", fields: ["of"], of: ["id"] }] },
    );
    const { records } = await sift(plan, [csv("id,of,g\nA,,x\nB,A,1\nC,B,1\n")]);
    expect(records.map((r) => r.held)).toEqual([true, true, false]);
  });
});

describe("a plan with checks between records", () => {
  const fields = [
    { name: "box", type: "text" },
    { name: "place", type: "integer" },
    { name: "day", type: "date", formats: ["yyyy-MM-dd"] },
    { name: "g", type: "decimal", precision: 20, scale: 2 },
  ];
  const faultOf = (check: object): string => {
    try {
      planOf(fields, { check: [check] });
      return "";
    } catch (error) {
      return (error as { detail: string }).detail;
    }
  };
  it.each([
    [{ check: "no gaps", field: "box" }, "box is of the type text; the check needs integer or date."],
    [{ check: "no gaps", field: "day", first: 1 }, "A first number is for whole numbers."],
    [{ check: "no gaps", field: "nowhere" }, "There is no field nowhere."],
    [{ check: "no overlaps", from: "place", to: "day" }, "a range needs one type"],
    [{ check: "no overlaps", from: "g", to: "g", gaps: "refused" }, "ranges must meet"],
    [{ check: "has parent", fields: ["box"], of: ["place"] }, "box is of the type text and place of the type integer."],
    [{ check: "has parent", fields: ["box"], of: ["box", "place"] }, "as many fields"],
    [{ check: "parts sum", parts: "g", whole: "place", by: ["box"] }, "g has more than 15 digits"],
  ])("refuses %j", (check, words) => expect(faultOf(check)).toContain(words));

  it("follows a field that is renamed, and goes with one that is removed", () => {
    const plan = planOf(fields, { check: [{ check: "no gaps", field: "place", by: ["box"] }] });
    const renamed = renameField(plan, "box", "crate");
    expect(parsePlan(renamed).check[0]).toMatchObject({ field: "place", by: ["crate"] });
    expect(usedIn(renamed, "crate").map((u) => u.says)).toContain("place has no gaps in each crate");
    expect(removeField(plan, "box").check).toEqual([]);
  });

  it("tells the sender in words of its own, with the record's values", async () => {
    const { siftFiles } = await import("@/cli/sift.ts");
    const { mkdtemp, readFile, writeFile } = await import("node:fs/promises");
    const { join } = await import("node:path");
    const { tmpdir } = await import("node:os");
    const folder = await mkdtemp(join(tmpdir(), "between-"));
    const plan = planOf(fields, {
      check: [
        {
          check: "no gaps",
          field: "place",
          by: ["box"],
          on_failure: "hold",
          message: "Box {box}: what is before {place}?",
        },
        { check: "no gaps", field: "day", on_failure: "hold" },
      ],
    });
    await writeFile(join(folder, "a.csv"), "box,place,day,g\nK,1,2026-01-01,1\nK,3,2026-01-01,1\nK,4,2026-01-05,1\n");
    const report = await siftFiles(plan, [join(folder, "a.csv")], { held: join(folder, "held.csv") });
    expect(report.balance.outcomes).toMatchObject({ inserted: 1, held: 2 });
    const held = await readFile(join(folder, "held.csv"), "utf8");
    expect(held).toContain("Box K: what is before 3?");
    expect(held).toContain(
      "day 2026-01-05: 3 days missing before it: 2026-01-02 to 2026-01-04; the one before is in line 3 of a.csv.",
    );
  });
});
