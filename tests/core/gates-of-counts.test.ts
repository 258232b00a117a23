import { describe, expect, it } from "vitest";
import { judgeGates, type GateInput, type GateResult } from "@/core/report/judge.ts";
import type { HistoryEntry } from "@/core/gate/part.ts";
import type { FileFacts } from "@/core/read/facts.ts";
import { compilePlan } from "@/core/course/compile.ts";
import { planOf } from "../support/plans.ts";

const FIELDS = [
  { name: "id", type: "text", required: true },
  { name: "grams", type: "decimal", precision: 10, scale: 2 },
];

const file = (more: Partial<FileFacts> = {}): FileFacts =>
  ({ name: "a.csv", columns: ["id", "grams"], extra: [], missing: [], ...more }) as FileFacts;

const INPUT: GateInput = {
  read: 100,
  held: 0,
  files: [file()],
  problems: new Map(),
  drift: [],
  filled: [],
  history: [],
  figures: [],
  controls: [],
  received: null,
};

/** What the gates of a plan say of an input. */
function judged(plan: object, input: Partial<GateInput> = {}): GateResult[] {
  return judgeGates(compilePlan(planOf(FIELDS, { ...plan })), { ...INPUT, ...input });
}
const one = (gate: object, input: Partial<GateInput> = {}): GateResult => judged({ gates: [gate] }, input)[0]!;
const loads = (...read: number[]): HistoryEntry[] => read.map((n) => ({ read: n, filled: [] }));

describe("a gate on the held share", () => {
  const gate = { limit: "held share", over: 0.2 };
  it.each([
    [20, true],
    [21, false],
    [0, true],
  ])("with %i of 100 held passes: %s", (held, passed) => {
    expect(one(gate, { held })).toMatchObject({ gate: "held share", passed });
  });

  it("says how many of how many, and the limit", () => {
    expect(one(gate, { held: 21 }).message).toBe("21 % would be held (21 of 100); the limit is 20 %.");
    expect(one(gate, { read: 0, held: 0 }).passed).toBe(true);
  });
});

describe("a gate on nothing read", () => {
  const gate = { limit: "nothing read" };
  it("tells an empty file from one with only its header line", () => {
    expect(one(gate)).toMatchObject({ passed: true, message: "100 records read." });
    const files = [file({ columns: [] }), file({ name: "b.csv" })];
    expect(one(gate, { read: 0, files })).toMatchObject({
      passed: false,
      message: "No record was read: a.csv is empty, b.csv has only its header line.",
    });
  });
});

describe("a gate on the number of records", () => {
  const gate = (limits: object): object => ({ limit: "number of records", ...limits });
  it.each([
    [{ least: 50 }, 49, false, "49 records read; there should be at least 50."],
    [{ least: 50 }, 50, true, "50 records read; there should be at least 50."],
    [{ most: 50 }, 50, true, "50 records read; there should be at most 50."],
    [{ most: 50 }, 51, false, "51 records read; there should be at most 50."],
    [{ least: 10, most: 1000 }, 5000, false, "5,000 records read; there should be between 10 and 1,000."],
    [{ least: 10, most: 1000 }, 1, false, "1 record read; there should be between 10 and 1,000."],
  ])("%o with %i records passes: %s", (limits, read, passed, message) => {
    expect(one(gate(limits), { read })).toEqual({ gate: "number of records", passed, message });
  });
});

describe("a gate on records against history", () => {
  const gate = { limit: "records against history", share: 0.5 };
  it("lets pass where there are too few loads before to say what is usual", () => {
    expect(one(gate, { read: 1, history: loads(100, 100) })).toMatchObject({
      passed: true,
      message: "Only 2 loads before: too few to say what is usual.",
    });
  });

  it("goes by the median, which one odd load does not move", () => {
    const history = loads(100, 100_000, 110, 90, 100);
    expect(one(gate, { read: 140, history }).passed).toBe(true);
    expect(one(gate, { read: 150, history }).passed).toBe(true);
    expect(one(gate, { read: 151, history })).toMatchObject({
      passed: false,
      message: "151 records read; the last 5 loads of the sender had 100 as a rule, and 50 % more or less is allowed.",
    });
    expect(one(gate, { read: 49, history }).passed).toBe(false);
  });

  it("lets nothing but nothing pass where nothing is usual", () => {
    const history = loads(0, 0, 0, 0, 0);
    expect(one(gate, { read: 0, history }).passed).toBe(true);
    expect(one(gate, { read: 1, history }).passed).toBe(false);
  });
});

describe("gates on empty cells", () => {
  const before = (filled: number, count = 5): HistoryEntry[] =>
    Array.from({ length: count }, () => ({ read: 100, filled: [{ name: "grams", filled, of: 100 }] }));

  it("hold a field against what is usual for it", () => {
    const gate = { limit: "empty cells against history", over: 0.1 };
    const filled = [{ name: "grams", filled: 80, of: 100 }];
    expect(one(gate, { filled, history: before(90) })).toMatchObject({
      passed: true,
      message: "No field is empty more often than usual.",
    });
    expect(one(gate, { filled, history: before(91) })).toMatchObject({
      passed: false,
      message: "grams is empty in 20 %, usually in 9 %.",
    });
    expect(one(gate, { filled, history: before(100, 2) }).message).toContain("too few to say");
    // A field that is new has no usual.
    const fresh = [{ name: "note", filled: 0, of: 100 }];
    expect(one(gate, { filled: fresh, history: before(90) }).passed).toBe(true);
  });

  it("hold a field against a share", () => {
    const gate = { limit: "empty share", field: "grams", over: 0.05 };
    expect(one(gate, { filled: [{ name: "grams", filled: 95, of: 100 }] }).passed).toBe(true);
    expect(one(gate, { filled: [{ name: "grams", filled: 94, of: 100 }] })).toEqual({
      gate: "empty share of grams",
      passed: false,
      message: "grams is empty in 6 %; the limit is 5 %.",
    });
    expect(one(gate, { filled: [] }).passed).toBe(true);
  });
});

describe("a share that is just at its limit", () => {
  it("passes, whatever binary digits make of it", () => {
    for (let n = 1; n <= 100; n++) {
      const over = n / 100;
      const filled = [{ name: "grams", filled: 100 - n, of: 100 }];
      expect(one({ limit: "empty share", field: "grams", over }, { filled }).passed, `${n} of 100`).toBe(true);
      expect(one({ limit: "held share", over }, { held: n }).passed, `${n} of 100`).toBe(true);
      const more = { filled: [{ name: "grams", filled: 99 - n, of: 100 }], held: n + 1 };
      if (n === 100) continue;
      expect(one({ limit: "empty share", field: "grams", over }, more).passed).toBe(false);
      expect(one({ limit: "held share", over }, more).passed).toBe(false);
    }
    for (let usual = 0; usual < 80; usual++) {
      const history = Array.from({ length: 5 }, () => ({
        read: 100,
        filled: [{ name: "grams", filled: 100 - usual, of: 100 }],
      }));
      const gate = { limit: "empty cells against history", over: 0.1 };
      const filled = (empty: number) => ({ history, filled: [{ name: "grams", filled: 100 - empty, of: 100 }] });
      expect(one(gate, filled(usual + 10)).passed, `${usual} and 10 of 100`).toBe(true);
      expect(one(gate, filled(usual + 11)).passed, `${usual} and 11 of 100`).toBe(false);
    }
  });
});

describe("gates on columns", () => {
  it("stop where a required column is missing, and name the file", () => {
    const gate = { limit: "required column missing" };
    expect(one(gate)).toMatchObject({ passed: true, message: "Every required column is there." });
    // A column that is not required may be missing.
    expect(one(gate, { files: [file({ missing: ["grams"] })] }).passed).toBe(true);
    const files = [file(), file({ name: "b.csv", missing: ["id", "grams"] })];
    expect(one(gate, { files })).toMatchObject({ passed: false, message: "b.csv has no column for id." });
  });

  it("come from what the plan does with columns that no field takes, and fields that no column gives", () => {
    const map = { extra: "stop", missing: "stop" };
    expect(judged({ map }).map((g) => `${g.gate} ${g.passed}`)).toEqual(["extra column true", "missing column true"]);
    const files = [file({ extra: ["colour", "smell"] }), file({ name: "b.csv", missing: ["grams"] })];
    expect(judged({ map }, { files })).toEqual([
      { gate: "extra column", passed: false, message: "Unknown columns in a.csv: colour, smell." },
      { gate: "missing column", passed: false, message: "Fields without a column in b.csv: grams." },
    ]);
    expect(judged({ map: { extra: "note", missing: "note" } }, { files })).toEqual([]);
  });

  it("stop at what was found to have changed", () => {
    const drift = [{ kind: "changed type", name: "grams", files: ["a.csv"], says: "40 % are no numbers" }] as const;
    expect(judged({ map: { extra: "note", retyped: "stop" } }, { drift })).toEqual([
      { gate: "changed type", passed: false, message: "grams, in a.csv: 40 % are no numbers." },
    ]);
    expect(judged({ map: { extra: "note", retyped: "stop" } })).toMatchObject([{ gate: "changed type", passed: true }]);
    expect(judged({ map: { extra: "note", retyped: "note" } }, { drift })).toEqual([]);
  });
});

describe("a check that stops the load", () => {
  it("is a gate of its own, by how many records are not so", () => {
    const plan = { contract: { fields: [{ ...FIELDS[0], on_failure: "stop" }, FIELDS[1]] } };
    const all = judged(plan);
    const key = all.find((g) => g.gate.includes("required"))!.gate;
    expect(all.every((g) => g.passed)).toBe(true);
    const found = judged(plan, { problems: new Map([[key, 1234]]) }).find((g) => g.gate === key)!;
    expect(found.passed).toBe(false);
    expect(found.message).toMatch(/^Not so for 1,234 records: /);
  });
});
