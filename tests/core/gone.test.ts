import { describe, expect, it } from "vitest";
import { removeField, renameField } from "@/core/plan/edit.ts";
import { usedIn } from "@/core/plan/uses.ts";
import { arrivingOf } from "@/core/plan/arriving.ts";
import { compilePlan } from "@/core/course/compile.ts";
import { judgeGates } from "@/core/report/judge.ts";
import { goneField, goneWords } from "@/core/plan/gone.ts";
import { goneRowsWords } from "@/ui/loads/load-words.ts";
import { planOf } from "../support/plans.ts";

/** What a plan says of rows that no longer come. */

const FIELDS = [
  { name: "id", type: "integer", required: true },
  { name: "garden", type: "text" },
  { name: "ended_on", type: "date" },
];
const planWith = (gone: object, load: object = {}, more: object = {}) =>
  planOf(FIELDS, { load: { target: "x", key: ["id"], mode: "upsert", gone, ...load }, ...more });
const faults = (gone: object, load: object = {}, more: object = {}): string => {
  try {
    planWith(gone, load, more);
    return "";
  } catch (error) {
    return (error as { detail: string }).detail;
  }
};
const MARK = { do: "mark", field: "ended_on" };

describe("a plan that looks for rows which no longer come", () => {
  it("has a key to know them by, and a field that can be marked", () => {
    expect(faults(MARK)).toBe("");
    expect(faults({ do: "remove", within: ["garden"] })).toBe("");
    expect(faults({ do: "remove" }, { mode: "append" })).toContain("an upsert by a key alone");
    expect(faults({ do: "remove" }, { key: [], whole_record: true })).toContain("an upsert by a key alone");
    expect(faults({ do: "remove", within: ["partner"] })).toContain("load.gone.within: There is no field partner.");
    expect(faults({ do: "mark", field: "gone_on" })).toContain("There is no field gone_on.");
    expect(faults({ do: "mark", field: "garden" })).toContain("must be of the type date");
    expect(faults({ do: "mark", field: "id" })).toContain("is of the key");
    expect(faults(MARK, { arriving: { ended_on: { empty: "keep" } } })).toContain("has a rule for arriving cells");
    expect(
      faults({ do: "remove" }, {}, { match: { against: ["target"], fields: [{ in: ["garden"], by: "words" }] } }),
    ).toContain("Where records are matched");
  });

  it("stops past a tenth unless it says otherwise, by a gate of its own where it has one", () => {
    const gates = (plan: ReturnType<typeof planWith>, rows: number) =>
      judgeGates(compilePlan(plan), {
        read: 1,
        held: 0,
        files: [],
        filled: [],
        history: [],
        figures: [],
        controls: [],
        received: null,
        problems: new Map(),
        drift: [],
        gone: { did: "remove", rows, of: 100, referred: 0, unsure: 0, left: false },
      }).map((g) => [g.gate, g.passed]);
    expect(gates(planWith({ do: "remove" }), 10)).toEqual([["gone share", true]]);
    expect(gates(planWith({ do: "remove" }), 11)).toEqual([["gone share", false]]);
    expect(gates(planWith({ do: "remove", at_most: 0.5 }), 50)).toEqual([["gone share", true]]);
    const own = planWith({ do: "remove" }, {}, { gates: [{ limit: "gone share", over: 0.02 }] });
    expect(gates(own, 3)).toEqual([["gone share", false]]);
    expect(gates(planOf(FIELDS), 99)).toEqual([]);
  });

  it("clears the mark of what comes again, and needs no column for it", () => {
    const plan = planWith(MARK, { arriving: { "*": { empty: "keep", value: "fix" } } });
    expect(arrivingOf(plan, "ended_on")).toEqual({ empty: "clear", leave: [], value: "replace" });
    expect(arrivingOf(plan, "garden")).toMatchObject({ empty: "keep", value: "fix" });
    expect(compilePlan(plan).made.has("ended_on")).toBe(true);
    expect(compilePlan(planWith({ do: "remove" })).made.size).toBe(0);
    expect(goneField(planWith({ do: "remove" }).load)).toBeUndefined();
  });

  it("follows a renamed field, and ends with one that it can't be without", () => {
    const plan = planWith({ ...MARK, within: ["garden"] });
    const renamed = renameField(renameField(plan, "ended_on", "closed"), "garden", "partner");
    expect(renamed.load.gone).toMatchObject({ field: "closed", within: ["partner"] });
    expect(usedIn(plan, "garden").map((u) => u.says)).toContain("what becomes of rows that no longer come");
    expect(removeField(plan, "garden").load.gone).toBeUndefined();
    expect(removeField(plan, "id").load.gone).toBeUndefined();
    expect(removeField(planWith({ do: "remove" }), "garden").load.gone).toMatchObject({ do: "remove" });
    expect(goneWords(plan.load.gone!)).toBe("rows of the same garden that no longer come are marked in ended_on");
    expect(goneWords(planWith({ do: "remove" }).load.gone!)).toBe("rows that no longer come are removed");
  });
});

describe("what became of rows that did not come, in words", () => {
  const rows = { did: "remove", rows: 3, of: 10, referred: 0, unsure: 0, left: false } as const;
  it.each([
    [rows, false, "3 of 10 rows of the target did not come: 3 removed."],
    [rows, true, "3 of 10 rows of the target did not come: 3 would be removed."],
    [
      { ...rows, referred: 1 },
      false,
      "3 of 10 rows of the target did not come: 2 removed, 1 left, as other tables refer to them.",
    ],
    [{ ...rows, did: "mark", referred: 1 }, false, "3 of 10 rows of the target did not come: 3 marked."],
    [{ ...rows, rows: 0 }, false, "All 10 rows of the target that were looked for came."],
    [
      { ...rows, unsure: 1, left: true },
      false,
      "3 of 10 rows of the target did not come; they are left as they are, as 1 held record has no sound key and any of them may be theirs.",
    ],
    [
      { ...rows, unsure: 2, left: true },
      true,
      "3 of 10 rows of the target did not come; they are left as they are, as 2 held records have no sound key and any of them may be theirs.",
    ],
  ] as const)("%j: %s", (gone, would, words) => {
    expect(goneRowsWords(gone, would)).toBe(words);
  });
});
