import { describe, expect, it } from "vitest";
import { compilePlan } from "@/core/course/compile.ts";
import { recheck } from "@/core/course/recheck.ts";
import { mendedValues } from "@/core/mend/values.ts";
import type { HeldRecord } from "@/store/held.ts";
import { idOf, stayedWords, timeWords, verdictOf } from "@/ui/quarantine/held.ts";
import { planOf } from "../support/plans.ts";

const compiled = compilePlan(
  planOf(
    [
      { name: "id", type: "text", required: true, unique: true },
      { name: "n", type: "integer" },
      { name: "mother", type: "text" },
    ],
    {
      load: { target: "x", key: ["id"] },
      check: [{ check: "has parent", fields: ["mother"], of: ["id"] }],
    },
  ),
);

function held(values: string[], problems: string[], more: Partial<HeldRecord> = {}): HeldRecord {
  return {
    load: 7,
    record: 3,
    fields: ["id", "n", "mother"],
    values,
    mended: null,
    problems: problems.map((check) => ({
      check,
      field: "",
      value: "",
      message: check,
      expected: "",
      onFailure: "hold",
    })),
    ...more,
  } as unknown as HeldRecord;
}

describe("the values of a held record", () => {
  it("are what is typed now, else what was mended, else what arrived, by the name of the field", () => {
    const record = { fields: ["n", "gone", "id"], values: ["x", "y", "A"], mended: { n: "1", mother: "M" } };
    expect(mendedValues(record, {}, compiled)).toEqual(["A", "1", "M"]);
    expect(mendedValues(record, { n: "", id: "B" }, compiled)).toEqual(["B", "", "M"]);
    expect(mendedValues({ fields: [], values: [], mended: null }, {}, compiled)).toEqual(["", "", ""]);
  });
});

describe("whether a held record would pass", () => {
  it("is told by the checks of the plan in force", () => {
    const record = held(["A", "x", ""], ["n:type"]);
    expect(verdictOf(record, compiled)).toMatchObject({ passes: false, unsure: false });
    expect(verdictOf(record, compiled, { n: "1" })).toMatchObject({ passes: true, unsure: false, problems: [] });
    expect(verdictOf(record, compiled, { n: "1" }).values).toEqual(recheck(compiled, ["A", "1", ""]).values);
  });

  it.each(["id:unique", "target:taken", "target:a_rule", "between:mother is the id of a good record"])(
    "is not sure where only the store can tell: %s stays until its fields are mended",
    (check) => {
      const record = held(["A", "1", "M"], [check]);
      expect(verdictOf(record, compiled)).toMatchObject({ passes: false, unsure: true });
      expect(verdictOf(record, compiled, { n: "2" })).toMatchObject({ passes: false, unsure: true });
      const about = check.startsWith("between") ? "mother" : "id";
      expect(verdictOf(record, compiled, { [about]: "B" })).toMatchObject({ passes: true, unsure: true });
    },
  );

  it("is not hindered by what is only noted, nor by a gap, which is not asked again of one record", () => {
    const noted = held(["A", "1", "M"], []);
    const problem = { check: "id:unique", field: "", value: "", message: "", expected: "", onFailure: "note" as const };
    expect(verdictOf({ ...noted, problems: [problem] }, compiled)).toMatchObject({ passes: true, unsure: true });
    expect(verdictOf(held(["A", "1", "M"], ["between:n has no gaps"]), compiled)).toMatchObject({
      passes: true,
      unsure: false,
    });
  });
});

it("why a record stayed is said in words", () => {
  const problems = [{ message: "n is empty." }, { message: "id “A” is there." }];
  expect([
    stayedWords({ problems }),
    stayedWords({ problems: [], overtaken: { by: 12 } }),
    stayedWords({ problems: [], overtaken: { by: null } }),
    stayedWords({ problems, overtaken: { by: 1 }, ended: "released" }),
    idOf({ load: 7, record: 3 }),
  ]).toEqual([
    "n is empty. id “A” is there.",
    "its key has been written since by writing 12, so it is overtaken",
    "its key has been written since by another program, so it is overtaken",
    "it is released already",
    "7:3",
  ]);
});

it("how often a record has come is said in words", () => {
  expect([1, 2, 3, 10].map(timeWords)).toEqual([
    "It is held for the first time.",
    "It is held for the second time.",
    "It is held for the third time.",
    "It is held for the tenth time.",
  ]);
  expect(timeWords(11)).toBe("It has come and was held 11 times.");
});
