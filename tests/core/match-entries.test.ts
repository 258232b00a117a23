import { describe, expect, it } from "vitest";
import { entriesAsRecords } from "@/core/course/match-entries.ts";
import type { Reference } from "@/core/kernel/reference.ts";
import { compilePlan } from "@/core/course/compile.ts";
import { removeField, renameField } from "@/core/plan/edit.ts";
import { listsOf, usesOfList } from "@/core/plan/uses.ts";
import { parsePlan } from "@/core/plan/schema.ts";
import { planOf } from "../support/plans.ts";

const MATCH = {
  against: ["delivery", "list"],
  fields: [
    { in: ["name"], by: "person" },
    { in: ["born"], by: "date" },
  ],
  list: { name: "known", columns: { "Full name": "name" } },
};
const plan = planOf(
  [
    { name: "id", type: "text" },
    { name: "name", type: "text" },
    { name: "born", type: "date", formats: ["yyyy-MM-dd", "d.M.yyyy"] },
    { name: "sheets", type: "integer" },
  ],
  {
    cleanse: [
      { do: "trim", in: "*" },
      { do: "collapse", in: ["name"] },
      { do: "leave-out", in: "*", when: "name == 'Nobody'" },
    ],
    match: MATCH,
  },
);
const known: Reference = {
  name: "known",
  version: 3,
  columns: ["no", "Full name", "Born", "sheets", "from", "to"],
  key: "no",
  since: "from",
  until: "to",
  entries: [
    ["K1", " Sorrel   Ness ", "3.4.1961", "12", "", ""],
    ["K2", "Bram Oake", "long ago", "many", "2020-01-01", "2026-06-30"],
    ["K3", "Ivo Thorn", "1970-05-06", "", "2026-07-01", ""],
    ["K4", "Nobody", "", "", "", ""],
  ],
};

describe("entries of a list as records", () => {
  const of = (day: string, own = plan) => entriesAsRecords(compilePlan(own), own.match!, known, day);

  it("are cleansed as records are, their columns met by name or as said", () => {
    expect(of("2026-03-01")).toEqual([
      { list: "known", key: "K1", values: ["", "Sorrel Ness", "1961-04-03", "12"] },
      // What is no value of the field's type can't be kept, and is not compared.
      { list: "known", key: "K2", values: ["", "Bram Oake", "", ""] },
    ]);
  });

  it("are those that hold on the day", () => {
    const keys = (day: string): string[] => of(day).map((e) => e.key);
    expect(keys("2019-12-31")).toEqual(["K1"]);
    expect(keys("2020-01-01")).toEqual(["K1", "K2"]);
    expect(keys("2026-06-30")).toEqual(["K1", "K2"]);
    expect(keys("2026-07-01")).toEqual(["K1", "K3"]);
  });

  it("are refused where the list has no column of what is compared", () => {
    const other = parsePlan({
      ...plan,
      match: { ...MATCH, fields: [{ in: ["name"], by: "person" }], list: { name: "known" } },
    });
    expect(() => of("2026-03-01", other)).toThrow("has no column of what is compared");
  });
});

describe("a plan that compares with a list", () => {
  it("must say which, and only of fields that there are", () => {
    const { list, ...without } = MATCH;
    expect(() => parsePlan({ ...plan, match: without })).toThrow();
    expect(() => parsePlan({ ...plan, match: { ...MATCH, list: { ...list, columns: { x: "nothing" } } } })).toThrow();
  });

  it("asks for it only while it compares with it, and says where it is used", () => {
    expect(listsOf(plan)).toEqual(["known"]);
    expect(listsOf({ ...plan, match: { ...plan.match!, against: ["delivery"] } })).toEqual([]);
    expect(usesOfList(plan, "known")).toEqual([{ stage: "Match", says: "records are compared with it" }]);
    expect(usesOfList(plan, "other")).toEqual([]);
  });

  it("follows when a field is renamed or removed", () => {
    const renamed = renameField(plan, "name", "person");
    expect(renamed.match!.list).toEqual({ name: "known", columns: { "Full name": "person" } });
    const entries = entriesAsRecords(compilePlan(parsePlan(renamed)), renamed.match!, known, "2026-03-01");
    expect(entries.map((e) => e.values[1])).toEqual(["Sorrel Ness", "Bram Oake"]);
    const removed = removeField({ ...plan, cleanse: [] }, "name");
    expect(removed.match).toMatchObject({ fields: [{ in: ["born"] }], list: { name: "known" } });
    expect(removed.match!.list).not.toHaveProperty("columns");
    expect(() => parsePlan(removed)).not.toThrow();
  });
});
