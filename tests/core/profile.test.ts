import fc from "fast-check";
import { describe, expect, it } from "vitest";
import { MemorySpill } from "@/core/check/repeats.ts";
import { utf8 } from "@/core/kernel/bytes.ts";
import { compareProfiles } from "@/core/profile/compare.ts";
import { CountedValues, KEPT_VALUES } from "@/core/profile/counted-values.ts";
import type { Profile } from "@/core/profile/facts.ts";
import { ProfileFold } from "@/core/profile/profile.ts";
import { newCellShape, scanShape, shapeText } from "@/core/profile/shape.ts";
import { parsePlan } from "@/core/plan/schema.ts";
import { fieldName, propose, withoutReasons } from "@/core/profile/propose.ts";
import { roundedLength } from "@/core/profile/propose-type.ts";
import { lastingRead } from "@/core/profile/lasting-read.ts";
import { openFile } from "@/core/read/source.ts";
import { makeDeliveries } from "../../demo/generate.ts";
import { memoryFile } from "../support/formats.ts";
import { siftAll } from "../support/sift.ts";

async function profileOf(...files: (string | Uint8Array)[]): Promise<Profile> {
  const fold = new ProfileFold(
    new MemorySpill(),
    files.reduce((n, f) => n + f.length, 0),
  );
  const parts = { next: 0 };
  for (const [i, file] of files.entries()) {
    const source = memoryFile(`f${i}.csv`, file);
    for await (const opened of openFile(source, {}, async () => memoryFile("", ""), parts)) {
      for await (const block of opened.blocks) fold.add(block, opened.columns());
    }
  }
  return fold.finish();
}

const column = async (values: (string | number)[]) =>
  (await profileOf(`n,v\n${values.map((v, i) => `${i},${v}`).join("\n")}\n`)).columns[1]!;

describe("a profile", () => {
  it("tells filled from empty, from spaces, and from words that mean nothing", async () => {
    const c = await column(["a", "", "  ", "n/a", "N/A", "b", "-"]);
    expect(c).toMatchObject({ records: 7, filled: 2, empty: 1, blank: 1 });
    expect(c.nothing.map((w) => [w.value, w.count])).toEqual([
      ["n/a", 1],
      ["N/A", 1],
      ["-", 1],
    ]);
  });

  it("gives the figures of numbers, with quantiles that are exact for few", async () => {
    const c = await column([1, 2, 3, 4, 100]);
    expect(c.numbers).toMatchObject({ count: 5, least: 1, most: 100, mean: 22, sampled: 5, whole: 3, part: 0 });
    expect(c.numbers!.spread).toBeCloseTo(43.62, 2);
    expect(c.numbers!.quantiles[3]).toBe(3);
    expect(c.numbers!.outliers).toBe(1);
    expect(c.numbers!.extremes.high[0]).toMatchObject({ value: "100", first: 4 });
  });

  it("is the same whether values are few or too many to be kept, but for what it says is estimated", async () => {
    const many = Array.from({ length: KEPT_VALUES * 3 }, (_, i) => i * 2 + 1);
    const c = await column(many);
    expect(c).toMatchObject({ filled: many.length, repeats: 0, distinct: many.length, distinctError: 0 });
    expect(c.types[0]).toEqual({ type: "integer", fits: many.length });
    expect(c.numbers!.mean).toBeCloseTo(many.reduce((a, b) => a + b) / many.length, 6);
    // The middle lies where it should to within a few hundredths.
    expect(c.numbers!.quantiles[3]! / many[many.length / 2]!).toBeCloseTo(1, 1);
    expect(c.shapes.reduce((n, s) => n + s.count, 0) + c.otherShapes).toBe(many.length);
  });

  it("finds types, their shares and the order of days and months", async () => {
    expect((await column(["31.05.2026", "01.02.2026", "x"])).types).toContainEqual({
      type: "date dd.MM.yyyy",
      fits: 2,
    });
    expect((await column(["05/31/2026", "01/02/2026"])).dateOrders).toEqual({ dayFirst: 1, monthFirst: 2, either: 1 });
    expect((await column(["2026-02-30"])).types.some((t) => t.type.startsWith("date"))).toBe(false);
    expect((await column(["7 Sep 2026", "12 May 2026"])).types[0]).toEqual({ type: "date d MMM yyyy", fits: 2 });
    expect((await column(["2026-05-31T10:00:00Z"])).types[0]!.type).toBe("timestamp");
    expect((await column(["007", "010"])).numbers!.leadingZeros).toBe(2);
    expect((await column(['"1,5"', '"2,25"', "3"])).types[0]).toEqual({ type: "decimal comma", fits: 3 });
  });

  it("notices loose and doubled spaces and mixed case", async () => {
    expect(await column(["a ", " b", "c  d", "E", "Fg"])).toMatchObject({
      loose: 2,
      doubled: 1,
      casing: { upper: 1, lower: 3, mixed: 1 },
    });
  });

  it("meets columns by name across files, and sees which determine each other", async () => {
    const one = Array.from({ length: 40 }, (_, i) => `${i},${["GB", "FR"][i % 2]},${["Britain", "France"][i % 2]}`);
    const two = one.map((l) => l.split(",").reverse().join(","));
    const p = await profileOf(`id,code,name\n${one.join("\n")}\n`, `name,code,id\n${two.join("\n")}\n`);
    expect(p.columns.map((c) => [c.name, c.filled])).toEqual([
      ["id", 80],
      ["code", 80],
      ["name", 80],
    ]);
    expect(p.columns[0]!.repeats).toBe(40);
    expect(p.determines).toContainEqual({ column: "code", other: "name" });
  });

  it("has the same shape for a value in bytes and in characters", () => {
    expect(shapeText("BHG-2026-000123")).toBe("A-9999-999999");
    expect(shapeText("Silene  uniflora")).toBe("Aa a");
    const [a, b] = [newCellShape(), newCellShape()];
    const unit = fc.constantFrom("A", "b", "1", "-", " ", "é", ".");
    fc.assert(
      fc.property(fc.string({ unit, maxLength: 8 }), fc.string({ unit, maxLength: 8 }), (x, y) => {
        const [p, q] = [utf8(x), utf8(y)];
        scanShape(p, 0, p.length, a);
        scanShape(q, 0, q.length, b);
        expect(a.hash === b.hash).toBe(shapeText(x) === shapeText(y));
        expect(a.length).toBe([...x].length);
      }),
      { numRuns: 2000 },
    );
  });

  it("counts common values exactly, and never too low when there are too many", () => {
    const values = new CountedValues();
    const bytes = utf8("x");
    const truth = new Map<number, number>();
    for (let i = 0; i < 60_000; i++) {
      const hash = i % 3 === 0 ? 7 : Math.imul(i, 0x9e3779b1);
      truth.set(hash | 0, (truth.get(hash | 0) ?? 0) + 1);
      values.add(hash, bytes, 0, 1, i);
    }
    const [top] = values.ordered();
    expect(top!.count).toBeGreaterThanOrEqual(truth.get(7)!);
    expect(top!.count - values.short).toBeLessThanOrEqual(truth.get(7)!);
  });
});

describe("two profiles", () => {
  it("differ by columns, types, codes and fill, in words", async () => {
    const rows = (n: number, make: (i: number) => string): string =>
      Array.from({ length: n }, (_, i) => make(i)).join("\n");
    const before = await profileOf(`id,code,kg,old\n${rows(60, (i) => `${i},${["A", "B"][i % 2]},${i % 9},x`)}\n`);
    const now = await profileOf(
      `id,code,kg,fresh\n${rows(60, (i) => `${i},${["A", "C"][i % 2]},${i % 3 === 0 ? "" : `${(i % 9) + 900}`},y`)}\n`,
    );
    const changes = new Map(compareProfiles(before, now).map((c) => [c.column, c]));
    expect(changes.get("id")!.changes).toEqual([]);
    expect(changes.get("code")!.changes).toEqual(["new: C", "no longer: B"]);
    expect(changes.get("kg")!.changes.join()).toMatch(/66\.7 % filled, was 100\.0 %.*mean 90/);
    expect(changes.get("fresh")!.kind).toBe("new");
    expect(changes.get("old")!.kind).toBe("gone");
  });
});

describe("a proposed contract", () => {
  it("fits what it was proposed from, for every garden's deliveries", async () => {
    for (const d of makeDeliveries(5, 1, 1)) {
      const profile = await profileOf(d.bytes);
      const { plan, reasons } = propose(profile, { feed: "new", read: { as: "delimited", header: true } });
      const parsed = parsePlan(plan);
      const s = await siftAll(parsed, [{ name: d.name, bytes: d.bytes }]);
      // Faults are held and hardly anything else.
      expect(s.balance.outcomes.held, d.name).toBeLessThan(d.records * 0.12);
      expect(parsed.contract.fields.filter((f) => f.type === "date")).toHaveLength(1);
      // One garden writes its weights with their unit this month, so that they are no numbers.
      expect(parsed.contract.fields.filter((f) => f.type === "decimal").length).toBeGreaterThanOrEqual(2);
      expect(reasons.every((r) => r.why !== "" && r.says !== "")).toBe(true);
    }
  });

  it("reads later files as a person set it, and as each shows by itself where nothing was set", async () => {
    const found = {
      as: "delimited",
      delimiter: "~|",
      quote: '"',
      escape: "\\",
      encoding: "windows-1252",
      skip: 2,
    } as const;
    expect(lastingRead(found, {})).toEqual({
      as: "delimited",
      delimiter: "auto",
      quote: '"',
      escape: "\\",
      encoding: "auto",
      skip: 2,
    });
    expect(lastingRead(found, { delimiter: "~|", encoding: "windows-1252" })).toEqual(found);
    expect(lastingRead({ ...found, escape: '"' }, {})).not.toHaveProperty("escape");
    expect(lastingRead({ as: "json-lines", encoding: "utf-8" }, {})).toEqual({ as: "json-lines", encoding: "auto" });
    expect(lastingRead({ as: "parquet" }, { encoding: "utf-8" })).toEqual({ as: "parquet" });
    const plan = propose(await profileOf("a,b\n1,2\n"), {
      feed: "new",
      read: lastingRead(found, { delimiter: "~|" }),
    }).plan;
    expect(plan.read).toMatchObject({ delimiter: "~|", encoding: "auto" });
  });

  it("merges codes that differ in case only, and takes lines out one by one", async () => {
    const rows = Array.from({ length: 90 }, (_, i) => `K${i},${i % 30 === 0 ? "gb" : ["GB", "FR"][i % 2]},${i}`);
    const profile = await profileOf(`Key No,Land,kg\n${rows.join("\n")}\n`);
    const proposal = propose(profile, { feed: "new", read: { as: "delimited", header: true } });
    expect(proposal.plan.contract.fields).toMatchObject([
      { name: "key_no", type: "text", title: "Key No", required: true },
      { name: "land", type: "code", values: ["FR", "GB"] },
      { name: "kg", type: "integer", least: 0 },
    ]);
    expect(proposal.plan.load.key).toEqual(["key_no"]);
    expect(proposal.plan.cleanse).toContainEqual({ do: "case", to: "upper", in: ["land"] });
    const rejected = new Set(
      proposal.reasons.filter((r) => r.part === "key" || r.field === "land" || r.part === "least"),
    );
    const plan = parsePlan(withoutReasons(proposal, rejected));
    expect(plan.load.key).toEqual([]);
    expect(plan.cleanse).toEqual([]);
    expect(plan.contract.fields.map((f) => [f.name, f.type, f.least])).toEqual([
      ["key_no", "text", undefined],
      ["land", "text", undefined],
      ["kg", "integer", undefined],
    ]);
  });

  it("makes names that a plan allows", () => {
    expect(fieldName("Accession No.", new Set())).toBe("accession_no");
    expect(fieldName("Größe (m²)", new Set())).toBe("gro_e_m2");
    expect(fieldName("2nd", new Set(["f_2nd"]))).toBe("f_2nd_2");
    expect(fieldName("件", new Set())).toBe("field");
    expect(fieldName("tests.dayNo", new Set())).toBe("tests_day_no");
    expect(roundedLength(15)).toBe(20);
    expect(roundedLength(300)).toBe(400);
    // A fifth more, up to the next size that people choose.
    expect([0, 4, 5, 8, 16, 17, 25, 26, 83, 84, 100, 833, 834, 5000].map(roundedLength)).toEqual([
      5, 5, 10, 10, 20, 30, 30, 40, 100, 150, 150, 1000, 1500, 6000,
    ]);
  });
});
