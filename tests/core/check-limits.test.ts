import fc from "fast-check";
import { describe, expect, it } from "vitest";
import { betweenPart } from "@/core/check/between/index.ts";
import { notOf } from "@/core/check/between/part.ts";
import { SortedRuns } from "@/core/check/between/runs.ts";
import { MemorySpill, Repeats } from "@/core/check/repeats.ts";
import { compilePlan } from "@/core/course/compile.ts";
import { recheck } from "@/core/course/recheck.ts";
import { numbersFrom } from "@/core/kernel/random.ts";
import { planOf } from "../support/plans.ts";
import { csv, siftAll } from "../support/sift.ts";

/** The checks that a value of a field fires, with what is said of it. */
const firedBy = (field: object) => {
  const compiled = compilePlan(planOf([{ name: "v", ...field }]));
  return (value: string) =>
    recheck(compiled, [value]).problems.map(({ check, message, expected }) => ({ check, message, expected }));
};

/** Of each record that fires something: its number and the checks. */
const fired = async (...of: Parameters<typeof siftAll>) =>
  (await siftAll(...of)).records.flatMap(({ problems }, record) => problems.map(({ check }) => ({ record, check })));

describe("a text's length", () => {
  it("is counted in characters, whatever bytes they take", () => {
    const said = firedBy({ type: "text", length: 4 });
    const unit = fc.constantFrom("a", "é", "日", "😀", "ß");
    fc.assert(
      fc.property(fc.array(unit, { minLength: 1, maxLength: 8 }), (letters) => {
        expect(said(letters.join("")).length).toBe(letters.length > 4 ? 1 : 0);
      }),
    );
    expect(said("äöüäö")).toEqual([
      { check: "v:length", message: "v “äöüäö” has 5 characters.", expected: "at most 4 characters" },
    ]);
  });

  it("is not asked of a text that has none, nor of another type", () => {
    expect(firedBy({ type: "text" })("x".repeat(1000))).toEqual([]);
    expect(compilePlan(planOf([{ name: "v", type: "text" }])).checks.map((c) => c.key)).not.toContain("v:length");
  });

  it("is right for every record of a block, not for the first alone", async () => {
    const problems = await fired(planOf([{ name: "v", type: "text", length: 3 }]), [
      csv("v\nab\nabcd\n\nabc\nabcdef\n"),
    ]);
    expect(problems.map((p) => p.record)).toEqual([1, 4]);
  });
});

describe("limits", () => {
  it.each([
    [{ type: "integer", least: 2, most: 9 }, ["1", "10", "-3"], ["2", "9", "5"], "from 2 to 9"],
    [{ type: "integer", least: 2 }, ["1"], ["2", "900"], "at least 2"],
    [{ type: "integer", most: 9 }, ["10"], ["9", "-900"], "at most 9"],
    [{ type: "decimal", precision: 9, scale: 3, least: "0.001" }, ["0", "-1"], ["0.001", "5"], "at least 0.001"],
    [
      { type: "date", least: "2020-02-29", most: "2021-01-01" },
      ["2020-02-28", "2021-01-02"],
      ["2020-02-29", "2021-01-01"],
      "from 2020-02-29 to 2021-01-01",
    ],
  ])("of %j are kept to, and said", (field, outside, inside, expected) => {
    const said = firedBy(field);
    for (const value of inside) expect(said(value)).toEqual([]);
    for (const value of outside) expect(said(value)).toMatchObject([{ expected }]);
    expect(said("")).toEqual([]);
  });

  it("pass over empty cells and hold the ones after them", async () => {
    const plan = planOf([
      { name: "id", type: "text" },
      { name: "n", type: "integer", least: 5 },
    ]);
    const problems = await fired(plan, [csv("id,n\na,\nb,4\nc,\nd,5\ne,-5\n")]);
    expect(problems.map((p) => [p.record, p.check])).toEqual([
      [1, "n:least"],
      [4, "n:least"],
    ]);
  });
});

describe("values given again", () => {
  /** Random values over so many different ones, as hashes; what is found, held against a count by itself. */
  const found = (records: number, different: number, expected: number, seed: number) => {
    const below = numbersFrom(seed);
    const repeats = new Repeats(expected, new MemorySpill());
    const first = new Map<number, number>();
    const truth = new Map<number, number>();
    let suspects = 0;
    for (let record = 0; record < records; record++) {
      const value = below(different);
      const [a, b] = [Math.imul(value + 1, 0x9e3779b1) >>> 0, Math.imul(value + 7, 0x85ebca6b) >>> 0];
      if (repeats.add(a, b, record, record % 3, record + 2)) suspects++;
      const known = first.get(value);
      if (known === undefined) first.set(value, record);
      else truth.set(record, known);
    }
    const all = [...repeats.resolve()].flat();
    return { all, truth, suspects };
  };

  it.each([
    [200, 40, 200],
    [5000, 700, 5000],
    [60_000, 50_000, 60_000],
    [3000, 3000, 100],
  ])("are all found with their first, and no other: %i records of %i values", (records, different, expected) => {
    for (const seed of [1, 2]) {
      const { all, truth, suspects } = found(records, different, expected, seed);
      expect(new Map(all.map((r) => [r.record, r.first]))).toEqual(truth);
      expect(all).toHaveLength(truth.size);
      // Where the first one stands: its line and file, as they were given.
      for (const { first, file, line } of all) expect([file, line]).toEqual([first % 3, first + 2]);
      expect(suspects).toBeGreaterThanOrEqual(truth.size);
      // The filter is large enough for what was expected: hardly any suspicion is false.
      if (expected >= records) expect(suspects - truth.size).toBeLessThanOrEqual(3 + records * 0.001);
    }
  });

  it("do not hang on what a spill's giver does with its bytes afterwards", () => {
    const spill = new MemorySpill();
    const bytes = Uint8Array.of(1, 2, 3);
    const at = spill.append(bytes);
    bytes.fill(9);
    expect([...spill.read(at)]).toEqual([1, 2, 3]);
  });
});

describe("checks between records", () => {
  const range = [
    { name: "of", type: "text" },
    { name: "from", type: "integer" },
    { name: "to", type: "integer" },
  ];
  /** What is told of each record that fails, by its number. */
  const told = async (fields: object[], check: object, text: string) =>
    Object.fromEntries(
      (await siftAll(planOf(fields, { check: [check] }), [csv(text)])).records.flatMap(({ details, repeats }, i) =>
        repeats.length > 0 ? [[i, details.join()]] : [],
      ),
    );
  const messageOf = (check: { check: string }, fields: readonly object[]) => {
    const plan = planOf([...fields], { check: [check] });
    const part = betweenPart(check.check as "no overlaps");
    return part.make(
      check as never,
      (name) => plan.contract.fields.findIndex((f) => f.name === name),
      plan.contract.fields,
    ).message;
  };

  it("of ranges hold them against the one that reaches furthest, not against the one before", async () => {
    const check = { check: "no overlaps", from: "from", to: "to", by: ["of"] };
    expect(await told(range, check, "of,from,to\na,1,9\na,3,4\na,8,12\na,20,\na,30,31\nb,1,9\nb,10,10\n")).toEqual({
      1: "overlaps the one that ends with 9",
      2: "overlaps the one that ends with 9",
      4: "overlaps the one that ends with no limit",
    });
  });

  it("of ranges say whose they are, and where one has no limit", () => {
    const check = { check: "no overlaps", from: "from", to: "to", by: ["of"] };
    const message = messageOf(check, range);
    expect(message(["3", "4", "a"], "overlaps it", "a.csv, line 2")).toBe(
      "from 3 to to 4 of a overlaps it, in a.csv, line 2.",
    );
    expect(message(["", "4"], "overlaps it", "")).toBe("from without limit to to 4 overlaps it.");
    expect(message(["3", ""], "overlaps it", "")).toBe("from 3 to to without limit overlaps it.");
  });

  it("of sums say to what they add up, within what is allowed", async () => {
    const fields = [
      { name: "of", type: "text" },
      { name: "part", type: "decimal", precision: 9, scale: 2 },
      { name: "whole", type: "decimal", precision: 9, scale: 2 },
    ];
    const check = { check: "parts sum", parts: "part", whole: "whole", by: ["of"], within: 0.05 };
    const lines = [
      "a,1.50,3.00",
      "a,1.45,3.00",
      "b,1.50,3.00",
      "b,1.44,3.00",
      "c,2.00,1.94",
      "d,2.00,1.95",
      "e,-2.00,2.00",
    ];
    expect(await told(fields, check, `of,part,whole\n${lines.join("\n")}\n`)).toEqual({
      2: "adds up to 2.94, and whole says 3",
      3: "adds up to 2.94, and whole says 3",
      4: "adds up to 2, and whole says 1.94",
      6: "adds up to -2, and whole says 2",
    });
  });

  it("say of which types their fields must be", () => {
    const fields = [
      { name: "a", type: "text" },
      { name: "b", type: "text" },
    ];
    const sum = { check: "parts sum", parts: "a", whole: "b", by: ["b"] };
    expect(() => planOf(fields, { check: [sum] })).toThrow("The plan has");
    const field = (name: string) => ({ name, type: "text" }) as never;
    expect(notOf(["a"], ["integer", "decimal"], field)).toBe(
      "a is of the type text; the check needs integer or decimal.",
    );
    expect(notOf(["a"], ["integer", "decimal", "date"], field)).toBe(
      "a is of the type text; the check needs integer, decimal or date.",
    );
    expect(notOf(["a"], ["date"], field)).toBe("a is of the type text; the check needs date.");
    expect(notOf(["a"], ["text"], field)).toBeNull();
  });

  it("say what holds: in each group, and what of it is refused", () => {
    const overlaps = { from: "a", to: "b" };
    const words = (options: object): string => betweenPart("no overlaps").words(options);
    expect(words(overlaps)).toBe("a to b has no overlaps");
    expect(words({ ...overlaps, gaps: "allowed" })).toBe("a to b has no overlaps");
    expect(words({ ...overlaps, gaps: "refused", by: ["c", "d"] })).toBe(
      "a to b has no overlaps and no gaps in each c and d",
    );
    expect(words({ ...overlaps, by: [] })).toBe("a to b has no overlaps");
  });

  it("of ranges tell of the first of several that reach as far", () => {
    const { fields } = planOf(range).contract;
    const number = (name: string): number => fields.findIndex((f) => f.name === name);
    const check = betweenPart("no overlaps").make({ from: "from", to: "to" }, number, fields);
    const runs = new SortedRuns(new MemorySpill());
    for (const [record, [from, to]] of [
      [1, 9],
      [2, 9],
      [3, 5],
      [9, 9],
    ].entries())
      runs.put(0, 0, from!, record, 0, record + 2, to);
    expect([...check.resolve(runs)].map(({ record, line }) => [record, line])).toEqual([
      [1, 2],
      [2, 2],
      [3, 2],
    ]);
  });

  it("refuse fields that can't be held against one another, and pass over those that are not there", () => {
    const types: Record<string, string> = { n: "integer", x: "decimal", day: "date", t: "text", c: "code" };
    const field = (name: string) => (types[name] ? { name, type: types[name] } : undefined) as never;
    const fault = (check: "no gaps" | "no overlaps" | "has parent", options: object) =>
      betweenPart(check).fault(options, field);
    const child = (fields: string[], of: string[]) => fault("has parent", { fields, of });
    expect(child(["n", "t"], ["n"])).toContain("as many fields");
    expect([child(["n"], ["x"]), child(["x"], ["n"]), child(["t"], ["c"]), child(["day"], ["day"])]).toEqual(
      Array(4).fill(null),
    );
    expect(child(["n", "n"], ["x", "t"])).toBe("n is of the type integer and t of the type text.");
    expect(child(["day"], ["t"])).toBe("day is of the type date and t of the type text.");
    expect([child(["gone"], ["n"]), child(["n"], ["gone"])]).toEqual([null, null]);
    expect(fault("no gaps", { field: "day", first: 1 })).toBe("A first number is for whole numbers.");
    expect(fault("no gaps", { field: "day" })).toBeNull();
    expect(fault("no gaps", { field: "gone", first: 1 })).toBeNull();
    const refused = (of: string, more = {}) => fault("no overlaps", { from: of, to: of, gaps: "refused", ...more });
    expect(refused("x")).toContain("ranges must meet");
    expect([refused("x", { meet: true }), refused("n"), refused("gone"), refused("x", { gaps: "allowed" })]).toEqual(
      Array(4).fill(null),
    );
  });
});
