import { OTHER_FEEDS, makeOtherDeliveries } from "../../demo/other-feeds.ts";
import fc from "fast-check";
import { describe, expect, it } from "vitest";
import {
  OUTCOMES,
  assertCloses,
  balanceLine,
  emptyBalance,
  heldAtOf,
  heldByte,
  outcomeOf,
} from "@/core/kernel/ledger.ts";
import { compilePlan } from "@/core/course/compile.ts";
import { parsePlan } from "@/core/plan/schema.ts";
import { SieveError } from "@/core/kernel/problem.ts";
import { recheck } from "@/core/course/recheck.ts";
import { loadedOf } from "@/core/report/strata.ts";
import { makeDeliveries } from "../../demo/generate.ts";
import { ACCESSIONS } from "../../demo/plan.ts";
import { planOf } from "../support/plans.ts";
import { csv, siftAll } from "../support/sift.ts";

const found = (s: Awaited<ReturnType<typeof siftAll>>, i: number): string[] => [
  ...s.records[i]!.problems.map((p) => p.check),
  ...s.records[i]!.repeats,
];

describe("the course of a block", () => {
  it("gives a record all its problems, not just the first", async () => {
    const plan = planOf([
      { name: "n", type: "integer", least: 5 },
      { name: "d", type: "date" },
      { name: "t", type: "text", length: 2, pattern: "^[a-z]+$", required: true },
    ]);
    const s = await siftAll(plan, [csv("n,d,t\n3,2026-02-30,ABC\n7,2026-02-28,\n8,2026-01-01,ok\n")]);
    expect(found(s, 0)).toEqual(["n:least", "d:type", "t:length", "t:pattern"]);
    expect(found(s, 1)).toEqual(["t:required"]);
    expect(found(s, 2)).toEqual([]);
    expect(s.records.map((r) => r.held)).toEqual([true, true, false]);
    expect(s.records[0]!.problems[1]).toMatchObject({
      field: "d",
      value: "2026-02-30",
      message: "d “2026-02-30” is not a date.",
    });
  });

  it("notes without holding, and never makes an empty cell fail a check about its value", async () => {
    const plan = planOf([
      { name: "a", type: "integer", most: 9, on_failure: "note" },
      { name: "b", type: "code", values: ["x"], pattern: "x" },
    ]);
    const s = await siftAll(plan, [csv("a,b\n10,x\n?,x\n,\n")]);
    expect(s.records.map((r) => r.held)).toEqual([false, false, false]);
    expect(s.report.checks.find((c) => c.key === "a:most")!.problems).toBe(1);
    expect(s.report.checks.find((c) => c.key === "a:type")!.problems).toBe(1);
    expect(found(s, 2)).toEqual([]);
  });

  it("holds later records with a value that was given, across files, equal numbers being equal", async () => {
    const plan = planOf([{ name: "n", type: "decimal", precision: 9, scale: 3 }], {
      load: { target: "t", key: ["n"] },
    });
    const s = await siftAll(plan, [csv("n\n1.50\n2\n-0\n"), csv("n\n+01.5\n3\n0.00\n", "b.csv")]);
    expect(s.records.map((r) => r.repeats.length)).toEqual([0, 0, 0, 1, 0, 1]);
    expect(s.balance.outcomes).toMatchObject({ inserted: 4, held: 2 });
  });

  it("counts cells that each step changed", async () => {
    const plan = planOf(
      [
        { name: "a", type: "text" },
        { name: "b", type: "text" },
      ],
      {
        cleanse: [
          { do: "trim", in: "*" },
          { do: "case", in: ["a"], to: "upper" },
          { do: "empty-words", in: ["b"], words: ["-"] },
        ],
      },
    );
    const s = await siftAll(plan, [csv("a,b\n x , - \nY,z\n")]);
    expect(s.report.steps.map((x) => x.changed)).toEqual([2, 1, 1]);
    expect(s.report.fields.map((f) => [f.filled, f.changed, f.distinct])).toEqual([
      [2, 1, 2],
      [1, 1, 1],
    ]);
    expect(s.records.map((r) => r.values)).toEqual([
      ["X", ""],
      ["Y", "z"],
    ]);
  });

  it("takes files whose columns differ in name and order, and says what is missing or extra", async () => {
    const plan = planOf([
      { name: "a", type: "text", also: ["alpha"] },
      { name: "b", type: "text" },
    ]);
    const s = await siftAll(plan, [csv("b,a\n1,2\n"), csv("Alpha;more\n3;4\n", "b.csv")]);
    expect(s.records.map((r) => r.values)).toEqual([
      ["2", "1"],
      ["3", ""],
    ]);
    expect(s.report.drift).toEqual([
      { kind: "extra column", name: "more", files: ["b.csv"] },
      { kind: "missing column", name: "b", files: ["b.csv"] },
    ]);
  });

  it("refuses a file whose columns fit nothing, with both lists", async () => {
    const plan = planOf([{ name: "a", type: "text" }]);
    await expect(siftAll(plan, [csv("x,y\n1,2\n")])).rejects.toMatchObject({
      code: "no-column-fits",
      detail: expect.stringContaining("x, y") as string,
    });
  });

  it.each([
    ["not text", Uint8Array.of(0x89, 0x50, 0x4e, 0x47, 0, 0, 0, 0xd, 1, 2, 3, 4, 0, 0, 0, 0)],
    ["only NUL bytes", new Uint8Array(5000)],
  ])("refuses what is %s", async (_, bytes) => {
    await expect(siftAll(planOf([{ name: "a", type: "text" }]), [{ name: "x.bin", bytes }])).rejects.toThrow(
      SieveError,
    );
  });
});

describe("gates", () => {
  const gates = [{ limit: "held share", over: 0.25 }, { limit: "nothing read" }, { limit: "required column missing" }];
  const plan = planOf(
    [
      { name: "a", type: "integer", required: true, on_failure: { type: "stop" } },
      { name: "b", type: "text", required: true },
    ],
    {
      gates,
      map: { extra: "stop" },
    },
  );
  const closed = async (...files: ReturnType<typeof csv>[]): Promise<string[]> =>
    (await siftAll(plan, files)).report.gates.filter((g) => !g.passed).map((g) => g.gate);

  it("pass what is sound", async () => {
    expect(await closed(csv("a,b\n1,x\n2,y\n3,z\n4,w\n"))).toEqual([]);
  });
  it("close on too large a share held", async () => {
    expect(await closed(csv("a,b\n1,x\n2,\n"))).toEqual(["held share"]);
  });
  it("close on an empty file and on a header alone", async () => {
    expect(await closed(csv(""))).toEqual(["nothing read"]);
    expect(await closed(csv("a,b\n"))).toEqual(["nothing read"]);
  });
  it("close on a required column missing, an unknown column, a check that stops", async () => {
    expect(await closed(csv("a\n1\n"))).toEqual(["held share", "required column missing"]);
    expect(await closed(csv("a,b,c\n1,x,y\n"))).toEqual(["extra column"]);
    expect(await closed(csv("a,b\n1,x\n2,x\n3,x\n4,x\nz,y\n"))).toEqual(["a:type"]);
  });
});

describe("the ledger", () => {
  it("keeps an outcome and a stage in one byte", () => {
    expect(outcomeOf(heldByte("load"))).toBe("held");
    expect(heldAtOf(heldByte("load"))).toBe("load");
    expect(heldAtOf(1)).toBeNull();
    expect(outcomeOf(0)).toBeNull();
  });
  it("does not close when a record has no outcome", () => {
    const balance = { ...emptyBalance(), read: 1 };
    expect(() => assertCloses(balance)).toThrow("does not close");
    expect(balanceLine(emptyBalance())).toBe("0 read = 0");
  });
});

describe("the truth of the demo", () => {
  const deliveries = makeDeliveries(7, 3, 0.5);
  it("is found: every planted fault, by the check that is meant, and nothing sound is held", async () => {
    const plan = parsePlan(ACCESSIONS);
    const kinds = new Set<string>();
    for (const d of deliveries) {
      const s = await siftAll(plan, [{ name: d.name, bytes: d.bytes }]);
      expect(s.balance.read).toBe(d.records);
      const truth = new Map(d.truth.map((t) => [t.line, t]));
      for (const [i, r] of s.records.entries()) {
        const planted = truth.get(r.line);
        expect(r.held, `${d.name} line ${r.line}`).toBe(planted !== undefined);
        if (planted) {
          expect(found(s, i), `${d.name} line ${r.line}`).toContain(planted.check);
          kinds.add(planted.fault);
        }
      }
    }
    expect(kinds.size).toBeGreaterThan(18);
  });
  it("is found in every other format: the records that carry a fault are held for it, and no others", async () => {
    for (const d of makeOtherDeliveries()) {
      const plan = parsePlan(OTHER_FEEDS.find((f) => f.name === d.feed)!.plan);
      const s = await siftAll(plan, [{ name: d.name, bytes: d.bytes }]);
      expect(s.balance.read, d.name).toBe(d.records);
      expect(d.truth.length, d.name).toBeGreaterThan(3);
      // Several records may come from one document, and so from one line.
      const foundAt = new Map<number, string[]>();
      for (const [i, r] of s.records.entries()) {
        if (r.held) foundAt.set(r.line, [...(foundAt.get(r.line) ?? []), ...found(s, i)]);
      }
      for (const { line, check } of d.truth) expect(foundAt.get(line), `${d.name} line ${line}`).toContain(check);
      expect([...foundAt.keys()].sort((a, b) => a - b)).toEqual(d.truth.map((t) => t.line));
    }
  });
  it("may stand in fields: the file's name and the line, unless a column has that name", async () => {
    const fields = [
      { name: "a", type: "text" },
      { name: "came_in", type: "text", also: ["@file"] },
      { name: "line_no", type: "integer", also: ["@line"] },
    ];
    const plan = parsePlan({ format: "good-sieve/plan@1", feed: "f", contract: { fields }, load: { target: "t" } });
    const bytes = (t: string): Uint8Array => new TextEncoder().encode(t);
    const s = await siftAll(plan, [
      { name: "one.csv", bytes: bytes("a,b\nx,1\n\ny,2\n") },
      { name: "two.csv", bytes: bytes("a,line_no\nz,77\n") },
    ]);
    expect(s.records.map((r) => r.values)).toEqual([
      ["x", "one.csv", "2"],
      ["y", "one.csv", "4"],
      ["z", "two.csv", "77"],
    ]);
  });
  it("is the same from the same seed", () => {
    const again = makeDeliveries(7, 3, 0.5);
    expect(again.map((d) => Buffer.compare(d.bytes, deliveries.shift()!.bytes))).toEqual(again.map(() => 0));
  });
});

const fieldArb = fc.oneof(
  fc.record({ type: fc.constant("text"), length: fc.integer({ min: 1, max: 4 }) }),
  fc.record({ type: fc.constant("integer"), least: fc.integer({ min: -5, max: 5 }) }),
  fc.record({ type: fc.constant("decimal"), precision: fc.constant(5), scale: fc.constant(2) }),
  fc.record({ type: fc.constant("date") }),
  fc.record({ type: fc.constant("boolean") }),
  fc.record({ type: fc.constant("code"), values: fc.constant(["a", "b", "1"]) }),
  fc.record({ type: fc.constant("timestamp") }),
);
const planArb = fc
  .record({
    fields: fc.array(fc.tuple(fieldArb, fc.boolean(), fc.boolean(), fc.constantFrom("hold", "note", "stop")), {
      minLength: 1,
      maxLength: 4,
    }),
    steps: fc.array(
      fc.constantFrom(
        { do: "trim", in: "*" },
        { do: "case", in: "*", to: "upper" },
        { do: "replace", in: "*", find: "a", with: "bb" },
        { do: "empty-words", in: "*", words: ["b"] },
        { do: "number", in: "*", decimal: "," },
        { do: "fill", in: ["f0"], with: "1" },
        { do: "split", in: ["f0"], from: "f0", by: "." },
        { do: "keep", in: "*", what: "digits" },
        { do: "accents", in: "*" },
        { do: "derive", in: ["f0"], by: "it" },
      ),
      { maxLength: 4 },
    ),
    rules: fc.array(fc.tuple(fc.nat(3), fc.constantFrom("hold", "note", "stop"), fc.boolean()), { maxLength: 3 }),
    out: fc.boolean(),
  })
  .map(({ fields, steps, rules, out }) =>
    planOf(
      fields.map(([f, required, unique, on_failure], i) => ({ ...f, name: `f${i}`, required, unique, on_failure })),
      {
        cleanse: [...steps, ...(out ? [{ do: "leave-out", in: "*", when: formulaOf(fields[0]![0].type, "f0") }] : [])],
        check: rules.map(([f, on_failure, cell], i) => {
          const n = f % fields.length;
          const that = formulaOf(fields[n]![0].type, cell ? "it" : `f${n}`);
          return { name: `rule ${i}`, that, on_failure, ...(cell ? { in: [`f${n}`] } : {}) };
        }),
        read: { as: "delimited", delimiter: "," },
      },
    ),
  );

/** A formula over a field of a type: some values hold, some do not, and some have none. */
function formulaOf(type: string, name: string): string {
  const formulas: Record<string, string> = {
    text: `size(${name}) > 1 && number(${name}) > 0.0`,
    integer: `${name} % ${name} == 0 && ${name} * ${name} > 3`,
    decimal: `${name} == null || ${name} * 2.0 > 1.0`,
    date: `year(${name}) > 2000`,
    boolean: `!${name}`,
    code: `${name} in ['a', '1']`,
    timestamp: `${name} < timestamp('2026-01-01T00:00:00Z')`,
  };
  return formulas[type]!;
}

describe("properties of a load", () => {
  it("closes the balance and loses no record, for random plans and random bytes", async () => {
    const byte = fc.constantFrom(97, 98, 49, 50, 44, 44, 34, 10, 10, 13, 45, 46, 32, 0xc3, 0xa9, 0xff, 0);
    await fc.assert(
      fc.asyncProperty(
        planArb,
        fc.array(byte, { maxLength: 200 }),
        fc.integer({ min: 1, max: 50 }),
        async (plan, list, step) => {
          const header = plan.contract.fields.map((f) => f.name).join(",");
          const bytes = Uint8Array.of(...new TextEncoder().encode(`${header}\n`), ...list);
          const file = { name: "x.csv", bytes };
          let s: Awaited<ReturnType<typeof siftAll>>;
          try {
            s = await siftAll(plan, [file]);
          } catch (error) {
            // Bytes that are not text at all are refused whole; a few of them with a nought among them may be
            // UTF-16, in which the header says something else.
            const { code } = error as SieveError;
            if (code !== "no-column-fits") expect(code).toBe("not-text");
            else expect(list).toContain(0);
            return;
          }
          const sum = OUTCOMES.reduce((n, o) => n + s.balance.outcomes[o], 0);
          expect(sum).toBe(s.balance.read);
          expect(s.records).toHaveLength(s.balance.read);
          const [first] = s.report.sift;
          const last = s.report.sift.at(-1)!;
          expect(first!.entered).toBe(s.balance.read);
          expect(last.left).toBe(loadedOf(s.balance));
          expect(s.report.sift.every((x) => x.entered === x.left + x.trays.reduce((n, t) => n + t.count, 0))).toBe(
            true,
          );
          // The same whatever the sizes of the pieces.
          expect((await siftAll(plan, [file], step)).records).toEqual(s.records);
        },
      ),
      { numRuns: 150 },
    );
  });

  it("checks one record alone as it did among the others", async () => {
    const plan = parsePlan(ACCESSIONS);
    const compiled = compilePlan(plan);
    const [d] = makeDeliveries(3, 1, 0.2);
    const s = await siftAll(plan, [{ name: d!.name, bytes: d!.bytes }]);
    const readable = s.records.filter((r) => r.problems.every((p) => !p.check.startsWith("read:")));
    expect(readable.length).toBeGreaterThan(80);
    for (const r of readable) {
      const again = recheck(compiled, r.cleansed);
      expect(again.problems).toEqual(r.problems);
      expect(again.values).toEqual(r.values);
    }
  });
});
