import { describe, expect, it } from "vitest";
import { removeField, renameField } from "@/core/plan/edit.ts";
import { usedIn } from "@/core/plan/uses.ts";
import { parsePlan } from "@/core/plan/schema.ts";
import { replacedWords, sliceOf, sliceWords } from "@/core/plan/slice.ts";
import { planOf } from "../support/plans.ts";

const FIELDS = [
  { name: "garden", type: "text" },
  { name: "day", type: "date" },
  { name: "n", type: "integer" },
];
const plan = (load: object, more: object = {}) =>
  planOf(FIELDS, { load: { target: "thing", mode: "replace", ...load }, ...more });
const AFTER = [{ do: "file", folder: "out", format: "csv", partition: "garden,day:month" }];

describe("a slice", () => {
  it("is by fields, days by their year, month or day", () => {
    const parts = sliceOf(plan({ slice: " garden, day:month" }));
    expect(parts).toEqual([{ field: "garden" }, { field: "day", by: "month" }]);
    expect(sliceWords(parts)).toBe("garden, month of day");
    expect(sliceOf(plan({}))).toEqual([]);
    expect(replacedWords({ rows: 1, slices: 1 }, "would be ")).toBe("1 row would be replaced, of 1 slice that came");
    expect(replacedWords({ rows: 1200, slices: null }, "")).toBe("1,200 rows replaced, all that the target had");
  });

  it.each<[object, object, string]>([
    [{ slice: "garden", mode: "upsert", key: ["n"] }, {}, "the mode must be replace"],
    [{ slice: "gardn" }, {}, "no field gardn"],
    [{ slice: "garden:month" }, {}, "garden is no day"],
    [{ slice: "garden,garden" }, {}, "said twice"],
    [{ slice: " " }, {}, "needs a field"],
    [{ slice: "n" }, { match: { fields: [{ in: ["garden"], by: "words" }] } }, "matched"],
    [{ schema: "outside" }, {}, "not emptied"],
  ])("that is none is refused in words: %o", (load, more, words) => {
    expect(() => plan(load, more)).toThrow();
    try {
      plan(load, more);
    } catch (error) {
      expect(`${(error as Error).message} ${(error as { detail?: string }).detail}`).toContain(words);
    }
  });

  it("follows a field's name, and never becomes all rows when its field goes; folders of files follow too", () => {
    const before = plan({ slice: "garden,day:month" }, { after: AFTER });
    const renamed = renameField(before, "day", "sown_on");
    expect(renamed.load.slice).toBe("garden,sown_on:month");
    expect(renamed.after![0]).toMatchObject({ partition: "garden,sown_on:month" });
    parsePlan(JSON.parse(JSON.stringify(renamed)));
    expect(usedIn(before, "day").map((u) => u.says)).toEqual(
      expect.arrayContaining(["what is replaced", "folders of files after a load"]),
    );
    expect(usedIn(before, "n").map((u) => u.says)).not.toContain("what is replaced");
    const without = removeField(before, "day");
    expect(without.load).toMatchObject({ mode: "append" });
    expect(without.load.slice).toBeUndefined();
    expect(without.after![0]).toMatchObject({ partition: "garden" });
    expect(removeField(removeField(before, "day"), "garden").after![0]).not.toHaveProperty("partition");
    expect(removeField(before, "n").load.slice).toBe("garden,day:month");
  });
});
