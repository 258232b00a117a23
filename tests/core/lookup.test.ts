import { describe, expect, it } from "vitest";
import { prepareLookUp } from "@/core/lookup/look-up.ts";
import { acceptedEntries, type Reference } from "@/core/kernel/reference.ts";
import { lookUpSchema, type LookUp } from "@/core/lookup/schema.ts";
import { compilePlan } from "@/core/course/compile.ts";
import { parsePlan } from "@/core/plan/schema.ts";
import { siftRows } from "@/core/course/recheck.ts";
import { fieldValues, problemsOf } from "@/core/course/of-record.ts";
import { VERDICT } from "@/core/kernel/verdict.ts";

const TAXA: Reference = {
  name: "taxa",
  version: 3,
  columns: ["id", "name", "accepted", "family"],
  key: "id",
  accepted: "accepted",
  entries: [
    ["1", "Salix caprea", "", "Salicaceae"],
    ["2", "Salix cinerea", "", "Salicaceae"],
    ["3", "Salix sphacelata", "1", "Salicaceae"],
    ["4", "Carex nigra", "", "Cyperaceae"],
    ["5", "Carex fusca", "4", "Cyperaceae"],
    ["6", "Carex goodenowii", "5", "Cyperaceae"],
    ["7", "Betula nana", "", "Betulaceae"],
  ],
};

const lookUp = (more: object): LookUp =>
  lookUpSchema.parse({ name: "taxon", list: "taxa", bring: { taxon_id: "id" }, ...more });
const by = [{ field: "taxon", column: "name" }];
const id = (reference: Reference, entry: number): string => (entry < 0 ? "" : reference.entries[entry]![0]!);

describe("a look-up by key", () => {
  const ask = prepareLookUp(lookUp({ how: "exact", by }), TAXA);
  it.each([
    ["Salix caprea", "exact", "1"],
    ["  SALIX   caprea ", "exact", "1"],
    ["Salix sphacelata", "exact", "1"],
    ["Carex goodenowii", "exact", "4"],
    ["Salix capraea", "none", ""],
    ["", "empty", ""],
  ])("of %s is %s", (value, result, partner) => {
    const found = ask([value], "");
    expect(found.result).toBe(result);
    expect(id(TAXA, found.entry)).toBe(partner);
  });

  it("takes letters as they stand where that is asked", () => {
    const strict = prepareLookUp(lookUp({ how: "exact", by, same: "exactly" }), TAXA);
    expect(strict(["salix caprea"], "").result).toBe("none");
  });

  it("finds several where entries with one key lead to different ones", () => {
    const byFamily = prepareLookUp(lookUp({ how: "exact", by: [{ field: "family", column: "family" }] }), TAXA);
    expect(byFamily(["Salicaceae"], "").result).toBe("several");
    // A name and its synonyms are one partner.
    expect(byFamily(["Cyperaceae"], "")).toMatchObject({ result: "exact", entry: 3 });
    expect(byFamily(["Betulaceae"], "").result).toBe("exact");
  });

  it("asks only entries that meet a condition", () => {
    const only = prepareLookUp(lookUp({ how: "exact", by, only: { family: ["Betulaceae"] } }), TAXA);
    expect([only(["Betula nana"], "").result, only(["Carex nigra"], "").result]).toEqual(["exact", "none"]);
  });

  it("asks only entries that hold on the day", () => {
    const dated = {
      ...TAXA,
      columns: [...TAXA.columns, "from", "to"],
      since: "from",
      until: "to",
      accepted: undefined,
    };
    const entries = [
      ["1", "Ash", "", "", "2020-01-01", "2023-12-31"],
      ["2", "Ash", "", "", "2024-01-01", ""],
    ];
    const on = prepareLookUp(lookUp({ how: "exact", by, on: "day" }), { ...dated, entries });
    expect([id({ ...dated, entries }, on(["Ash"], "2022-05-05").entry), on(["Ash"], "2019-01-01").result]).toEqual([
      "1",
      "none",
    ]);
    expect(id({ ...dated, entries }, on(["ash"], "2025-01-01").entry)).toBe("2");
  });
});

describe("a look-up by score", () => {
  const ask = prepareLookUp(lookUp({ how: "scored", by: [{ ...by[0], compare: "words" }], least: 85, lead: 3 }), TAXA);
  it("finds a misspelled name, and its accepted one", () => {
    expect(ask(["Salix capraea"], "")).toMatchObject({ result: "scored", entry: 0 });
    expect(ask(["Carex goodenovii"], "")).toMatchObject({ result: "scored", entry: 3 });
    expect(ask(["Salix caprea"], "")).toMatchObject({ result: "exact", score: 100 });
  });
  it("does not choose between two that are as alike", () => {
    const two = {
      ...TAXA,
      accepted: undefined,
      entries: [
        ["1", "Carex alba"],
        ["2", "Carex alta"],
      ].map((e) => [...e, "", ""]),
    };
    const found = prepareLookUp(
      lookUp({ how: "scored", by: [{ ...by[0], compare: "edit" }], least: 70, lead: 3 }),
      two,
    );
    expect(found(["Carex ala"], "")).toMatchObject({ result: "several", entry: -1 });
  });
  it("finds nothing in a name that is like none", () => {
    expect(ask(["Quercus robur"], "").result).toBe("none");
  });
  it("answers the same however often and in whatever order it is asked", () => {
    const names = ["Salix capraea", "Betula nanna", "Carex niger", "Quercus", "Salix cinera"];
    const fresh = names.map((n) =>
      prepareLookUp(lookUp({ how: "scored", by: [{ ...by[0], compare: "words" }] }), TAXA)([n], ""),
    );
    const one = prepareLookUp(lookUp({ how: "scored", by: [{ ...by[0], compare: "words" }] }), TAXA);
    const turned = [...names]
      .reverse()
      .map((n) => one([n], ""))
      .reverse();
    expect(turned).toEqual(fresh);
  });
});

describe("a look-up by range", () => {
  const bands = (entries: string[][]): Reference => ({
    name: "bands",
    version: 1,
    columns: ["band", "from", "to"],
    key: "band",
    entries,
  });
  const range = lookUpSchema.parse({
    name: "band",
    list: "bands",
    how: "range",
    field: "altitude",
    from: "from",
    to: "to",
    bring: { band: "band" },
  });
  it("finds the band of a number, its ends in it", () => {
    const list = bands([
      ["low", "", "199"],
      ["middle", "200", "499.5"],
      ["high", "600", ""],
    ]);
    const ask = prepareLookUp(range, list);
    const found = ["-5", "199", "200", "499.5", "550", "600", "8000"].map((v) => id(list, ask([v], "").entry));
    expect(found).toEqual(["low", "low", "middle", "middle", "", "high", "high"]);
  });
  it("refuses ranges that overlap", () => {
    const list = bands([
      ["a", "2026-01-01", "2026-06-30"],
      ["b", "2026-06-30", "2026-12-31"],
    ]);
    expect(() => prepareLookUp(range, list)).toThrow("Two ranges of the list bands overlap.");
  });
});

describe("a list", () => {
  it("leads a circle of synonyms to nobody else", () => {
    const entries = [
      ["1", "a", "2", ""],
      ["2", "b", "1", ""],
      ["3", "c", "9", ""],
    ];
    expect([...acceptedEntries({ ...TAXA, entries })]).toEqual([0, 1, 2]);
  });
  it("must have the columns that a look-up speaks of", () => {
    expect(() => prepareLookUp(lookUp({ how: "exact", by, bring: { taxon_id: "no" } }), TAXA)).toThrow("has no column");
  });
});

describe("in the course of a record", () => {
  const plan = parsePlan({
    format: "good-sieve/plan@1",
    feed: "f",
    contract: {
      fields: [
        { name: "taxon", type: "text", length: 60, required: true },
        { name: "taxon_id", type: "integer", required: true },
        { name: "family", type: "text", length: 40 },
        { name: "score", type: "decimal", precision: 5, scale: 1 },
      ],
    },
    check: [{ name: "a willow", that: "family == 'Salicaceae'", on_failure: "note" }],
    lookup: [
      {
        name: "taxon",
        list: "taxa",
        how: "scored",
        by: [{ field: "taxon", column: "name" }],
        bring: { taxon_id: "id", family: "family" },
        score_in: "score",
      },
    ],
    load: { target: "t" },
  });
  const rows = [["Salix capraea"], ["Carex nigra"], ["Quercus robur"], [""]];
  it("fills its fields, which are then checked like others; what has no partner is held there", () => {
    const compiled = compilePlan(plan, new Map([["taxa", TAXA]]));
    const sifted = siftRows(compiled, ["taxon"], rows);
    expect(fieldValues(sifted, 0)).toEqual(["Salix capraea", "1", "Salicaceae", "92.7"]);
    expect([...sifted.verdict].slice(0, 4)).toEqual([VERDICT.passes, VERDICT.passes, VERDICT.unmatched, VERDICT.held]);
    expect(problemsOf(sifted, compiled, 1).map((p) => p.check)).toEqual(["rule:a willow"]);
    const said = problemsOf(sifted, compiled, 2);
    expect(said.map((p) => p.check)).toEqual(["look-up:taxon"]);
    expect(said[0]!.message).toBe("taxon “Quercus robur” is like no entry of the list taxa.");
  });
  it("passes over a list that is not at hand", () => {
    const sifted = siftRows(compilePlan(plan), ["taxon"], rows);
    expect(fieldValues(sifted, 0)).toEqual(["Salix capraea", "", "", ""]);
  });
  it("never fills what another look-up fills, or what it asks by", () => {
    const twice = { ...plan, lookup: [plan.lookup![0], { ...plan.lookup![0], name: "again" }] };
    expect(() => parsePlan(twice)).toThrow("The plan has");
    const own = { ...plan, lookup: [{ ...plan.lookup![0], bring: { taxon: "name" } }] };
    expect(() => parsePlan(own)).toThrow("The plan has a fault");
  });
});
