import { describe, expect, it } from "vitest";
import { MemorySpill } from "@/core/check/repeats.ts";
import { compilePlan } from "@/core/course/compile.ts";
import { Course } from "@/core/course/course.ts";
import { fieldValues, problemsOf } from "@/core/course/of-record.ts";
import { lateProblem } from "@/core/course/problem-words.ts";
import { recheck, siftRows } from "@/core/course/recheck.ts";
import { mergeTally, newTally } from "@/core/course/tally.ts";
import { UnknownCodes } from "@/core/course/codes.ts";
import type { Reference } from "@/core/kernel/reference.ts";
import type { Plan } from "@/core/plan/document.ts";
import { planOf } from "../support/plans.ts";

const TEXTS = ["a", "b", "c"].map((name) => ({ name, type: "text" }));

/** What only the whole delivery shows of some records. */
function whole(plan: Plan, rows: string[][], off: Record<string, string> = {}) {
  const compiled = compilePlan(plan, undefined, { off });
  const course = new Course(compiled, { spill: new MemorySpill(), expected: rows.length });
  const names = compiled.fields.map((f) => f.name);
  course.openFile(names);
  course.run(siftRows(compiled, names, rows).block);
  return [...course.resolveLate()].map(({ check, found }) => ({ key: compiled.checks[check]!.key, found }));
}

describe("what only the whole delivery shows", () => {
  const parents = planOf(TEXTS, {
    check: [{ check: "has parent", fields: ["b"], of: ["a"] }],
    load: { target: "x", key: ["a"] },
  });

  it("is told five thousand at a time, and nothing where nothing is wrong", () => {
    const rows = Array.from({ length: 12_001 }, (_, i) => [`k${i}`, `none${i}`, ""]);
    const late = whole(parents, rows);
    expect(late.map((l) => l.found.length)).toEqual([5000, 5000, 2001]);
    expect(new Set(late.flatMap((l) => l.found.map((f) => f.record))).size).toBe(12_001);
    expect(whole(parents, [["k1", "k1", ""]])).toEqual([]);
  });

  it("is not looked for where a check is switched off, or nothing can be kept", () => {
    const rows = [
      ["k", "none", ""],
      ["k", "none", ""],
    ];
    const keys = whole(parents, rows).map((l) => l.key);
    expect(keys).toHaveLength(2);
    const between = keys.find((k) => k.startsWith("between:"))!;
    expect(whole(parents, rows, { [between]: "not today" }).map((l) => l.key)).toEqual(["a:unique"]);
    const course = new Course(compilePlan(parents));
    course.openFile(["a", "b", "c"]);
    course.run(siftRows(compilePlan(parents), ["a", "b", "c"], rows).block);
    expect([...course.resolveLate()]).toEqual([]);
  });

  it("repeats are told once, by the record that comes second", () => {
    const rows = [
      ["x", "", ""],
      ["y", "", ""],
      ["x", "", ""],
      ["", "", ""],
      ["", "", ""],
      ["x", "", ""],
    ];
    const plan = planOf([{ name: "a", type: "text", unique: true }, ...TEXTS.slice(1)]);
    expect(whole(plan, rows).flatMap((l) => l.found.map((f) => [f.record, f.line]))).toEqual([
      [2, 1],
      [5, 1],
    ]);
  });
});

describe("checks in their order", () => {
  it("ask a record nothing more that is left out or can't be read", () => {
    const plan = planOf(TEXTS, {
      cleanse: [{ do: "leave-out", in: ["a"], when: "a == 'out'" }],
      check: [{ name: "never", that: "false" }],
    });
    const compiled = compilePlan(plan);
    const sifted = siftRows(
      compiled,
      ["a", "b", "c"],
      [
        ["out", "", ""],
        ["in", "", ""],
      ],
    );
    expect(sifted.problemRecord).toEqual([1]);
    expect(sifted.tally.checks.at(-1)).toBe(1);
  });

  it("a formula that is true, or says nothing, holds", () => {
    const compiled = compilePlan(planOf(TEXTS, { check: [{ name: "yes", that: "a == 'x'" }] }));
    const sifted = siftRows(
      compiled,
      ["a", "b", "c"],
      [
        ["x", "", ""],
        ["y", "", ""],
      ],
    );
    expect(sifted.problemRecord).toEqual([1]);
  });

  it("lists are asked once for all look-ups, however many checks those make", () => {
    const list = {
      name: "sites",
      version: 1,
      columns: ["name", "kind"],
      key: "name",
      entries: [["oak", "tree"]],
    } satisfies Reference;
    const one = (name: string, field: string, bring: string) => ({
      name,
      list: "sites",
      how: "exact",
      by: [{ field, column: "name" }],
      bring: { [bring]: "kind" },
      none: "propose",
      several: "hold",
    });
    const plan = planOf([...TEXTS, { name: "d", type: "text" }], { lookup: [one("p", "a", "b"), one("q", "c", "d")] });
    const compiled = compilePlan(plan, new Map([["sites", list]]));
    const course = new Course(compiled);
    const names = ["a", "b", "c", "d"];
    course.openFile(names);
    const sifted = course.run(siftRows(compiled, names, [["oak", "", "elm", ""]]).block);
    expect(course.lookUpCounts().map((c) => [c.counts.exact, c.counts.none])).toEqual([
      [1, 0],
      [0, 1],
    ]);
    expect(fieldValues(sifted, 0)).toEqual(["oak", "tree", "elm", ""]);
    expect(problemsOf(sifted, compiled, 0).map((p) => p.message)).toEqual([
      "c “elm” is not in the list sites; it is proposed as a new entry.",
    ]);
    const noted = compilePlan(
      planOf([...TEXTS, { name: "d", type: "text" }], { lookup: [{ ...one("p", "a", "b"), none: "note" }] }),
      new Map([["sites", list]]),
    );
    expect(problemsOf(siftRows(noted, names, [["elm", "", "", ""]]), noted, 0).map((p) => p.message)).toEqual([
      "a “elm” is not in the list sites.",
    ]);
  });
});

describe("what is said of a field or several", () => {
  it("that are given once, or are in the target already", () => {
    const compiled = compilePlan(
      planOf([{ name: "a", type: "text", unique: true }, ...TEXTS.slice(1)], {
        check: [{ check: "unique", in: ["b", "c"] }],
        load: { target: "x", key: ["b", "c"] },
      }),
    );
    const titles = Object.fromEntries(compiled.checks.map((c) => [c.key, c.title]));
    expect(titles["b+c:unique"]).toBe("b and c together are given once");
    expect(titles["a:unique"]).not.toContain("together");
    const taken = (key: string, values: string[]): string =>
      lateProblem(compiled, { check: key, fileName: null, line: null, detail: null } as never, values, () => null)
        .message;
    expect(taken("target:taken", ["1", "2"])).toBe("b and c “1” and “2” are already in the target.");
  });
});

describe("columns that are missing", () => {
  it("are not those of fields that a step fills", () => {
    const plan = planOf(TEXTS, { cleanse: [{ do: "derive", in: ["c"], by: "a + b" }] });
    const course = new Course(compilePlan(plan));
    expect(course.openFile(["a"]).missing).toEqual(["b"]);
    expect(new Course(compilePlan(planOf(TEXTS))).openFile(["a"]).missing).toEqual(["b", "c"]);
  });
});

describe("counts", () => {
  it("of values outside of a code's list are exact for the first two hundred of them", () => {
    const codes = new UnknownCodes([{ name: "c", type: "code", values: ["x"] }]);
    expect(codes.has(0)).toBe(true);
    for (let i = 0; i < 201; i++) codes.add(0, `v${i}`);
    codes.add(0, "v7");
    codes.add(0, "v200");
    const { unknown } = codes.seen([])[0]!;
    expect(unknown).toHaveLength(200);
    expect(unknown[0]).toEqual({ value: "v7", count: 2 });
    expect(unknown.some((u) => u.value === "v200")).toBe(false);
  });

  it("of two tallies are added up", () => {
    const compiled = compilePlan(planOf(TEXTS));
    const tally = (n: number) => ({ ...newTally(compiled), read: n, unreadable: 1, held: 2 * n });
    const sum = tally(3);
    mergeTally(sum, tally(4));
    expect(sum).toMatchObject({ read: 7, unreadable: 2, held: 14 });
  });
});

describe("a record that a person mends", () => {
  it("is told which of its cells have no value of their type", () => {
    const compiled = compilePlan(
      planOf([
        { name: "n", type: "integer", most: 9 },
        { name: "m", type: "integer" },
      ]),
    );
    expect(recheck(compiled, ["x", "1"])).toMatchObject({ passes: false, notOfType: [true, false] });
    expect(recheck(compiled, ["10", "1"])).toMatchObject({ passes: false, notOfType: [false, false] });
    expect(recheck(compiled, ["9", ""])).toMatchObject({ passes: true, values: ["9", ""] });
  });
});
