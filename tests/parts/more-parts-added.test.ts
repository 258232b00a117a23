import { describe, expect, it, vi } from "vitest";
import { z } from "zod";
import type { BetweenPart, Late } from "@/core/check/between/part.ts";
import type { SurvivorshipPart } from "@/core/match/keep/part.ts";
import { textWriter, type OutputPart } from "@/core/write/records/part.ts";

/** A check between records, a rule of survivorship and a format for records are one file and one line each. */

/** Records that come right behind one with the same value. */
const runs: BetweenPart<{ field: string; most: number }, "no runs"> = {
  id: "no runs",
  title: "no runs",
  about: "No value comes many times in a row.",
  options: {
    field: z.string().describe("The field whose values are to change now and then"),
    most: z.int().min(1).describe("How often a value may come in a row"),
  },
  fieldOptions: ["field"],
  onFailure: "hold",
  words: ({ field, most }) => `${field} comes at most ${most} times in a row`,
  expected: "another value now and then",
  fault: ({ field }, of) => (of(field)?.type === "text" ? null : `${field} must be a text.`),
  make({ field, most }, number) {
    const f = number(field);
    let [last, many] = [NaN, 0];
    const found: Late[] = [];
    return {
      uses: [f],
      shows: [f],
      take(view) {
        view.hash([f]);
        many = view.a === last ? many + 1 : 1;
        last = view.a;
        if (many > most) found.push({ record: view.record, file: null, line: null, detail: `${many} in a row` });
      },
      *resolve() {
        yield* found;
      },
      message: ([value], detail) => `${field} “${value}” comes ${detail}.`,
    };
  },
  examples: [
    {
      types: { a: "text" },
      options: { field: "a", most: 1 },
      records: [{ a: "x" }, { a: "x" }],
      fails: { 1: "2 in a row" },
    },
  ],
};

const shortest: SurvivorshipPart<"shortest"> = {
  id: "shortest",
  words: "the shortest value",
  choose: (having, members, f) =>
    having.reduce((kept, i) => (members[i]!.values[f]!.length < members[kept]!.values[f]!.length ? i : kept)),
};

const lines: OutputPart<"lines"> = {
  id: "lines",
  title: "One value a line",
  extensions: ["lines"],
  open: (fields, name) =>
    textWriter(`${name}\n`, (values) => values.map((v, f) => `${fields[f]!.name}=${v}\n`).join(""), "end\n"),
};

vi.mock("@/core/check/between/parts.ts", async (original) => {
  const { BETWEEN_PARTS } = await original<typeof import("@/core/check/between/parts.ts")>();
  return { BETWEEN_PARTS: [...BETWEEN_PARTS, runs] };
});
vi.mock("@/core/match/keep/parts.ts", async (original) => {
  const { SURVIVORSHIP_PARTS } = await original<typeof import("@/core/match/keep/parts.ts")>();
  return { SURVIVORSHIP_PARTS: [...SURVIVORSHIP_PARTS, shortest] };
});
vi.mock("@/core/write/records/parts.ts", async (original) => {
  const { OUTPUTS } = await original<typeof import("@/core/write/records/parts.ts")>();
  return { OUTPUTS: [...OUTPUTS, lines] };
});

const { planJsonSchema } = await import("@/core/plan/schema.ts");
const { checksPage, matchingPage } = await import("@/core/docs/parts.ts");
const { keepCluster } = await import("@/core/match/survive.ts");
const { OUTPUT_IDS, outputCalled, outputOf } = await import("@/core/write/records/index.ts");
const { siftAll, csv } = await import("../support/sift.ts");
const { planOf } = await import("../support/plans.ts");

const fields = [
  { name: "a", type: "text" },
  { name: "n", type: "integer" },
];

describe("a check between records that was added", () => {
  const check = { check: "no runs", field: "a", most: 2 };
  it("stands in the plan's schema and in the docs", () => {
    expect(JSON.stringify(planJsonSchema())).toContain("How often a value may come in a row");
    expect(checksPage()).toContain("| `no runs` | No value comes many times in a row. | `field`, `most` | `hold` |");
  });
  it("has its options held to what they may be, and to the fields", () => {
    expect(planOf(fields, { check: [check] }).check[0]).toMatchObject({ ...check, on_failure: "hold" });
    expect(() => planOf(fields, { check: [{ ...check, most: 0 }] })).toThrow();
    expect(() => planOf(fields, { check: [{ ...check, field: "n" }] })).toThrow(
      expect.objectContaining({ detail: expect.stringContaining("n must be a text.") as string }),
    );
    expect(() => planOf(fields, { check: [{ ...check, field: "z" }] })).toThrow();
  });
  it("is made in a course, and stands on the report in its own words", async () => {
    const { records, report } = await siftAll(planOf(fields, { check: [check] }), [
      csv("a,n\nx,1\nx,2\nx,3\ny,4\nx,5\n"),
    ]);
    expect(records.map((r) => r.details)).toEqual([[], [], ["3 in a row"], [], []]);
    expect(records.map((r) => r.held)).toEqual([false, false, true, false, false]);
    expect(report.checks.find((c) => c.problems > 0)).toMatchObject({ title: "a comes at most 2 times in a row" });
  });
});

describe("a rule of survivorship that was added", () => {
  it("can be chosen in a plan, stands in the docs, and keeps its value", () => {
    const match = { fields: [{ in: ["a"], by: "equal" }], keep: { a: "shortest" } };
    const plan = planOf(fields, { match });
    expect(plan.match!.keep).toEqual({ a: "shortest" });
    expect(matchingPage()).toContain("`shortest` (the shortest value)");
    const records = [
      ["Fen Hollow", "1"],
      ["", "2"],
      ["Fen", "3"],
    ];
    expect(keepCluster(plan.match!, plan.contract.fields, ["n"], records).values).toEqual(["Fen", "1"]);
  });
});

describe("a format for records that was added", () => {
  it("is known by its name and by its ending, and writes records", () => {
    expect(OUTPUT_IDS).toContain("lines");
    expect(outputOf("good.LINES").id).toBe("lines");
    const plan = planOf(fields, { after: [{ on: ["loaded"], do: "file", folder: "out", format: "lines" }] });
    expect(plan.after).toHaveLength(1);
    const writer = outputCalled("lines").open(plan.contract.fields, "things");
    writer.add(["x", "1"]);
    writer.end();
    expect(new TextDecoder().decode(writer.take())).toBe("things\na=x\nn=1\nend\n");
  });
});
