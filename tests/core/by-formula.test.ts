import { expect, it } from "vitest";
import { asText, derivingOnly, valuesByFormula } from "@/core/mend/by-formula.ts";
import { planOf } from "../support/plans.ts";

const PLAN = planOf(
  [
    { name: "id", type: "text", required: true },
    { name: "grams", type: "decimal", precision: 9, scale: 2 },
    { name: "day", type: "date", formats: ["dd.MM.yyyy"] },
  ],
  { cleanse: [{ do: "case", in: ["id"], to: "upper" }], load: { target: "x", key: ["id"], mode: "upsert" } },
);
const made = (field: string, by: string, ...records: string[][]): string[] =>
  valuesByFormula(derivingOnly(PLAN, field, by), new Map(), { day: "2026-11-30" })(records);

it("a formula makes a field's values of records, in which the field itself is the text that it has", () => {
  expect(made("grams", "it.replace(',', '.').replace(' g', '')", ["a", "1,5 g", ""], ["b", "2.25", ""])).toEqual([
    "1.5",
    "2.25",
  ]);
  // Other fields have their types, and steps of the plan are not done again.
  expect(made("id", "grams > 2.0 ? it + '-heavy' : it", ["a", "1.5", ""], ["b", "2.25", ""])).toEqual(["a", "b-heavy"]);
});

it("of no records it makes nothing", () => {
  expect(made("grams", "it.replace(',', '.')")).toEqual([]);
});

it("where it has no value, or an empty one, a record keeps what it has", () => {
  expect(made("grams", "string(day)", ["a", "about 4", "31.02.2026"])).toEqual(["about 4"]);
  expect(made("grams", "''", ["a", "about 4", ""])).toEqual(["about 4"]);
  expect(made("grams", "string(1 / (size(id) - 1))", ["a", "about 4", ""])).toEqual(["about 4"]);
});

it("a formula that is none is refused, and the plan is left as it is", () => {
  expect(() => made("grams", "nothing + 1")).toThrow();
  expect(asText(PLAN.contract.fields, "day")[2]).toEqual({ name: "day", type: "text" });
  expect(PLAN.contract.fields[2]).toMatchObject({ type: "date" });
});
