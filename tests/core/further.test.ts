import { describe, expect, it } from "vitest";
import { compilePlan } from "@/core/course/compile.ts";
import { intoFurther } from "@/core/course/into-further.ts";
import { siftRows } from "@/core/course/recheck.ts";
import { differences } from "@/core/plan/difference.ts";
import type { Plan } from "@/core/plan/document.ts";
import { removeField, renameField } from "@/core/plan/edit.ts";
import { usedIn } from "@/core/plan/uses.ts";
import type { Further } from "@/core/plan/further-schema.ts";
import { assertFurther, furtherLine, furtherOf, furtherPlan, furtherWords, hasFilters } from "@/core/plan/further.ts";
import { parsePlan } from "@/core/plan/schema.ts";
import {
  addFurther,
  moveUp,
  setColumn,
  setFurther,
  setMode,
  setRows,
  sourceOf,
  sourcesOf,
  withSource,
  withTakes,
} from "@/ui/plan/load/further-edits.ts";

/** Tables that are written beside a plan's own target: what a plan may say of them, and what follows. */

const FIELDS = [
  { name: "id", type: "integer", required: true },
  { name: "partner", type: "text", length: 20, title: "Garden", required: true },
  { name: "weight", type: "decimal", precision: 9, scale: 3 },
  { name: "day", type: "date" },
  { name: "sound", type: "boolean" },
  { name: "names", type: "list", of: "date", by: ";" },
  { name: "partner_id", type: "integer" },
];

function planOf(further: object[], load: object = {}, more: object = {}): Plan {
  return parsePlan({
    format: "good-sieve/plan@1",
    feed: "seeds",
    contract: { fields: FIELDS },
    load: { target: "seeds", key: ["id"], mode: "upsert", further, ...load },
    ...more,
  });
}

/** What is said of a plan that is not sound. */
function faults(further: object[], load: object = {}, more: object = {}): string {
  try {
    planOf(further, load, more);
    return "";
  } catch (error) {
    return (error as { detail: string }).detail;
  }
}

const PARTNERS = {
  target: "partner",
  turn: "before",
  rows: "key",
  fields: [
    { name: "name", of: "partner" },
    { name: "weight", takes: "sum" },
    { name: "records", takes: "count" },
  ],
  key: ["name"],
  numbered: "partner_id",
};
const DAYS = {
  target: "day",
  each: "names",
  fields: [{ name: "id" }, { name: "day", of: "names" }],
  key: ["id", "day"],
};

describe("what a plan may say of further targets", () => {
  it.each([
    [[{ target: "seeds", key: ["id"] }], "seeds is written already"],
    [[{ target: "a", key: [] }], "The mode upsert needs a key"],
    [[{ target: "a", mode: "insert only" }], "The mode insert only needs a key"],
    [[{ target: "a", key: ["nothing"] }], "There is no column nothing"],
    [[{ target: "a", fields: [{ name: "x" }], mode: "append" }], "There is no field x"],
    [
      [{ target: "a", fields: [{ name: "id" }, { name: "id", of: "day" }], mode: "append" }],
      "Two columns have the same name",
    ],
    [[{ target: "a", rows: "key", mode: "append" }], "a key tells the rows"],
    [[{ target: "a", each: "partner", key: ["id"] }], "partner is no field of the type list"],
    [[{ target: "a", fields: [{ name: "id", takes: "sum" }], key: [], mode: "append" }], "each makes its own row"],
    [[{ ...PARTNERS, fields: [{ name: "name", of: "partner", takes: "last" }] }], "name is of the key"],
    [
      [
        {
          ...PARTNERS,
          fields: [
            { name: "name", of: "partner" },
            { name: "day", takes: "sum" },
          ],
        },
      ],
      "day is no number",
    ],
    [
      [
        {
          ...PARTNERS,
          fields: [
            { name: "name", of: "partner" },
            { name: "sound", takes: "least" },
          ],
        },
      ],
      "boolean has no least",
    ],
    [[{ target: "load", schema: "sieve", key: ["id"] }], "This schema is not for targets"],
    [[{ target: "a", schema: "app", mode: "replace", key: ["id"] }], "is not emptied"],
    [[{ target: "a", schema: "app", numbered: "n", key: ["id"] }], "Only a table that Good Sieve makes"],
    [[{ target: "a", key: ["id"], valid: { from: "a", until: "b" } }], "Only a history has columns"],
    [[{ target: "a", key: ["id"], mode: "history", valid: { from: "day", until: "b" } }], "two columns of their own"],
    [[{ target: "a", mode: "history" }], "The mode history needs a key"],
    [[{ target: "a", key: ["id"], where: "weight + 1.0" }], "must be true or false"],
    [[{ target: "a", key: ["id"], where: "height > 1.0" }], "height"],
  ])("%j: %s", (further, says) => {
    expect(faults(further)).toContain(says);
  });

  it("hands on only what is written earlier, by a key that a record has", () => {
    const handing = (target: string): object => ({ name: "p", handed: { target, column: "partner_id" } });
    const child = (target: string, more: object = {}): object => ({
      target: "child",
      fields: [{ name: "id" }, handing(target)],
      key: ["id"],
      ...more,
    });
    expect(faults([PARTNERS, child("partner")])).toBe("");
    expect(faults([child("partner"), PARTNERS])).toBe("");
    expect(faults([{ ...PARTNERS, turn: "after" }, child("partner")])).toBe("");
    expect(faults([child("partner"), { ...PARTNERS, turn: "after" }])).toContain("partner is written later");
    expect(faults([child("seeds")])).toBe("");
    expect(faults([child("seeds", { turn: "before" })])).toContain("seeds is written later");
    expect(faults([child("seeds")], { key: [], whole_record: true })).toContain("seeds has no key");
    expect(faults([child("nobody")])).toContain("There is no target nobody");
    expect(faults([DAYS, { ...child("day"), target: "c" }])).toContain("a value of the list names");
    const taken = (from: string, field = "partner_id"): object => ({
      taken_from: [{ field, from: { target: from, column: "partner_id" } }],
    });
    expect(faults([PARTNERS], taken("partner"))).toBe("");
    expect(faults([{ ...PARTNERS, turn: "after" }], taken("partner"))).toContain("partner is written later");
    expect(faults([PARTNERS], taken("partner", "id"))).toContain("id is of the key");
    expect(faults([PARTNERS], taken("partner", "partner"))).toContain("must not be required");
    expect(faults([PARTNERS], { numbered: "weight" })).toContain("beside its fields");
  });

  it("is not together with a match", () => {
    const match = { against: ["target"], fields: [{ in: ["partner"], by: "words" }] };
    expect(faults([PARTNERS], {}, { match })).toContain("Where records are matched");
  });
});

describe("the plan of a further target", () => {
  it("has its columns with the types of what they come of", () => {
    const plan = planOf([
      PARTNERS,
      DAYS,
      {
        target: "child",
        fields: [{ name: "id" }, { name: "p", handed: { target: "partner", column: "name" } }],
        key: ["id"],
      },
    ]);
    const [partner, day, child] = furtherOf(plan).map((f) => furtherPlan(plan, f));
    expect(partner!.contract.fields).toEqual([
      { name: "name", type: "text", length: 20, title: "Garden" },
      { name: "weight", type: "decimal", precision: 38, scale: 3 },
      { name: "records", type: "integer" },
    ]);
    expect(partner!.load).toEqual({ target: "partner", key: ["name"], mode: "upsert", numbered: "partner_id" });
    expect(day!.contract.fields[1]).toEqual({ name: "day", type: "date" });
    expect(child!.contract.fields[1]).toMatchObject({ name: "p", type: "text", length: 20 });
    const whole = planOf([{ target: "copy", key: ["id"], mode: "update only" }], { undo: false });
    const copy = furtherPlan(whole, furtherOf(whole)[0]!);
    expect(copy.contract.fields).toHaveLength(FIELDS.length);
    expect(copy.contract.fields[0]).toMatchObject({ required: true });
    expect(copy.load).toMatchObject({ mode: "upsert", undo: false });
  });

  it("keeps a history by its key and the day from which a row holds", () => {
    const plan = planOf([{ target: "past", fields: [{ name: "id" }], key: ["id"], mode: "history" }]);
    const [past] = furtherOf(plan);
    const own = furtherPlan(plan, past!);
    expect(own.load).toMatchObject({ key: ["id", "valid_from"], mode: "upsert" });
    expect(own.contract.fields.slice(1)).toEqual([
      { name: "valid_from", type: "date", required: true },
      { name: "valid_until", type: "date" },
    ]);
    expect(furtherWords(past!)).toBe("a row for each record, each change kept as a row of its own");
  });

  it("lets cells arrive as the plan's own target does, where each record makes a row", () => {
    const arriving = { weight: { empty: "clear" }, day: { value: "fix" }, "*": { value: "fill" } };
    const plan = planOf(
      [{ target: "copy", fields: [{ name: "id" }, { name: "grams", of: "weight" }], key: ["id"] }, PARTNERS],
      { arriving },
    );
    const [partner, copy] = furtherOf(plan).map((f) => furtherPlan(plan, f));
    expect(copy!.load.arriving).toEqual({ "*": { value: "fill" }, grams: { empty: "clear" } });
    expect(partner!.load.arriving).toBeUndefined();
  });

  it("says in words what it is, and when its balance does not close", () => {
    const plan = planOf([PARTNERS, DAYS, { target: "c", key: ["id"], mode: "insert only", where: "sound" }]);
    expect(furtherOf(plan).map(furtherWords)).toEqual([
      "one row for each name, upsert",
      "a row for each of names, upsert",
      "a row for each record, insert only, only where sound",
    ]);
    const counts = { target: "t", words: "", records: 5, filtered: 1, none: 1, sent: 3, rows: 2 };
    expect(() => assertFurther({ ...counts, inserted: 1, updated: 0, unchanged: 1, left: 0 })).not.toThrow();
    expect(() => assertFurther({ ...counts, inserted: 1, updated: 0, unchanged: 0, left: 0 })).toThrow(
      "does not close",
    );
    expect(furtherLine({ ...counts, inserted: 1, updated: 0, unchanged: 1, left: 0 })).toBe(
      "t: 2 rows of 5 records, but for 1 left by its filter and 1 that give no row = 1 inserted + 1 unchanged",
    );
    expect(
      furtherLine({ ...counts, filtered: 0, none: 0, inserted: 2, updated: 0, unchanged: 0, left: 0 }, "would be "),
    ).toBe("t: 2 rows of 5 records = 2 would be inserted");
    expect(() => assertFurther({ ...counts, sent: 2, inserted: 2, updated: 0, unchanged: 0, left: 0 })).toThrow();
  });

  it("gets the records for which its filter is true, and no others", () => {
    const plan = planOf([
      { target: "a", key: ["id"], where: "weight > 2.0" },
      { target: "b", key: ["id"] },
      { target: "c", key: ["id"], where: "partner.startsWith('K')" },
    ]);
    expect(hasFilters(plan)).toBe(true);
    expect(hasFilters(planOf([PARTNERS]))).toBe(false);
    const compiled = compilePlan(plan);
    const columns = FIELDS.map((f) => f.name);
    const sifted = siftRows(compiled, columns, [
      ["1", "Kew", "3.5", "", "", "", ""],
      ["2", "Oslo", "2", "", "", "", ""],
      ["3", "Kyoto", "", "", "", "", ""],
    ]);
    const into = intoFurther(compiled, sifted);
    expect([0, 1, 2].map(into)).toEqual([[0, 1, 2], [1], [1, 2]]);
  });
});

describe("a plan's further targets when the plan changes", () => {
  const plan = planOf(
    [
      { ...PARTNERS, where: "weight > 0.0" },
      DAYS,
      {
        target: "child",
        fields: [{ name: "id" }, { name: "p", handed: { target: "partner", column: "partner_id" } }],
        key: ["id"],
      },
    ],
    { taken_from: [{ field: "partner_id", from: { target: "partner", column: "partner_id" } }] },
  );
  const target = (of: Plan, name: string): Further => of.load.further!.find((f) => f.target === name)!;

  it("follow a field that is called otherwise, and keep the names of their columns", () => {
    const next = renameField(renameField(plan, "weight", "grams"), "names", "seen_on");
    expect(target(next, "partner")).toMatchObject({
      where: "grams > 0.0",
      fields: [{ name: "name", of: "partner" }, { name: "weight", of: "grams", takes: "sum" }, { name: "records" }],
    });
    expect(target(next, "day")).toMatchObject({
      each: "seen_on",
      fields: [{ name: "id" }, { name: "day", of: "seen_on" }],
    });
    expect(renameField(plan, "partner_id", "whose").load.taken_from).toEqual([
      { field: "whose", from: { target: "partner", column: "partner_id" } },
    ]);
    expect(parsePlan(next)).toEqual(next);
    const all = planOf([{ target: "copy", key: ["id"] }]);
    expect(target(renameField(all, "day", "when"), "copy").fields).toContainEqual({ name: "day", of: "when" });
  });

  it("go where they can't be without a field, with what they would have handed on", () => {
    expect(removeField(plan, "names").load.further!.map((f) => f.target)).toEqual(["partner", "child"]);
    const without = removeField(plan, "partner");
    expect(without.load.further!.map((f) => f.target)).toEqual(["day"]);
    expect(without.load.taken_from).toBeUndefined();
    expect(removeField(plan, "weight").load.further!.map((f) => f.target)).toEqual(["day"]);
    expect(target(removeField(plan, "day"), "partner")).toEqual(target(plan, "partner"));
  });

  it("are said among the uses of a field, and in what differs between two plans", () => {
    expect(usedIn(plan, "weight").map((u) => u.says)).toContain("says what goes to partner");
    expect(usedIn(plan, "names").map((u) => u.says)).toContain("each of its values makes a row of day");
    expect(usedIn(plan, "partner").map((u) => u.says)).toContain("partner.name");
    const next = setFurther(plan, 1, { ...target(plan, "day"), mode: "insert only" });
    expect(differences(plan, next)).toEqual([
      { stage: "Load", what: "further target day, mode", was: "upsert", is: "insert only" },
    ]);
    expect(differences(plan, setFurther(plan, 2, null))).toMatchObject([
      { stage: "Load", what: "further target child", is: null },
    ]);
  });

  it("are edited by a person, and each edit is a sound plan", () => {
    const begun = planOf([PARTNERS], {});
    const more = addFurther(addFurther(begun));
    expect(more.load.further!.map((f) => f.target)).toEqual(["partner", "seeds_also", "seeds_also_2"]);
    expect(parsePlan(more)).toEqual(more);
    expect(moveUp(more, 2).load.further!.map((f) => f.target)).toEqual(["partner", "seeds_also_2", "seeds_also"]);
    const renamed = setFurther(plan, 0, { ...target(plan, "partner"), target: "garden" });
    expect(target(renamed, "child").fields![1]!.handed!.target).toBe("garden");
    expect(renamed.load.taken_from![0]!.from.target).toBe("garden");
    expect(setFurther(plan, 0, null).load.taken_from).toBeUndefined();
    const one = { ...target(more, "seeds_also"), key: ["partner"] };
    const many = setRows(one, more, "key");
    const summed = setColumn(many, more, 2, withTakes({ name: "weight" }, "sum"));
    expect(parsePlan(setFurther(more, 1, summed)).load.further![1]!.fields![2]).toEqual({
      name: "weight",
      takes: "sum",
    });
    expect(setRows(summed, more, "record").fields![2]).toEqual({ name: "weight" });
    expect(setColumn(many, more, 1, { name: "whose", of: "partner" }).key).toEqual(["whose"]);
    expect(setColumn(many, more, 1, null).key).toEqual([]);
    const past: Further = { ...one, mode: "history", valid: { from: "a", until: "b" } };
    expect(setMode(past, "upsert")).toEqual({ ...one, mode: "upsert" });
    expect(setMode(past, "history")).toEqual(past);
    const sources = sourcesOf(more, many, 1).map((s) => s.value);
    expect(sources).toContain("count");
    expect(sources).toContain("handed partner partner_id");
    for (const source of ["count", "handed partner partner_id", "field day"])
      expect(sourceOf(withSource({ name: "x" }, source))).toBe(source);
  });
});
