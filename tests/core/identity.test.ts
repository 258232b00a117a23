import { describe, expect, it } from "vitest";
import { fieldsNamed, printCheck, readCheck, type CheckIdentity } from "@/core/check/identity.ts";
import { faultTitle } from "@/core/course/problem-words.ts";
import { FIELD_CHECKS } from "@/core/field/checks/index.ts";
import { csv, siftAll } from "../support/sift.ts";
import { planOf } from "../support/plans.ts";

const IDS: [string, CheckIdentity][] = [
  ["read:nul", { kind: "read", reason: "nul" }],
  ["site:required", { kind: "field", fields: ["site"], check: "required" }],
  ["a+b:unique", { kind: "field", fields: ["a", "b"], check: "unique" }],
  ["site:mapped", { kind: "mapped", field: "site" }],
  ["rule:seeds are counted", { kind: "rule", name: "seeds are counted", field: null }],
  ["rule:seeds are counted:seeds", { kind: "rule", name: "seeds are counted", field: "seeds" }],
  ["between:n has no gaps", { kind: "between", name: "n has no gaps" }],
  ["look-up:sites", { kind: "look-up", name: "sites", several: false }],
  ["look-up:sites:several", { kind: "look-up", name: "sites", several: true }],
  ["target:taken", { kind: "taken" }],
  ["target:positive: or none", { kind: "target", rule: "positive: or none" }],
  ["file:extra column x", { kind: "file", drift: "extra column x" }],
];

describe("the key of a check", () => {
  it.each(IDS)("%s is written and read", (key, id) => {
    expect(printCheck(id)).toBe(key);
    expect(readCheck(key)).toEqual(id);
  });

  it.each(["read", "rule", "between", "target", "file", "field"])(
    "of a field called %s is no other check's",
    (name) => {
      for (const check of FIELD_CHECKS) {
        const id: CheckIdentity = { kind: "field", fields: [name], check };
        expect(readCheck(printCheck(id))).toEqual(id);
      }
      const mapped: CheckIdentity = { kind: "mapped", field: name };
      expect(readCheck(printCheck(mapped))).toEqual(mapped);
    },
  );

  it("of several fields together is theirs, whatever they are called", () => {
    const id: CheckIdentity = { kind: "field", fields: ["read", "file"], check: "unique" };
    expect(printCheck(id)).toBe("read+file:unique");
    expect(readCheck("read+file:unique")).toEqual(id);
  });

  it("has no mark in a name that parts words", () => {
    expect(printCheck({ kind: "between", name: "a: b + c" })).toBe("between:a  b   c");
  });

  it("names fields where it is about some", () => {
    expect(IDS.map(([, id]) => fieldsNamed(id).length)).toEqual([0, 1, 2, 1, 0, 1, 0, 0, 0, 0, 0, 0]);
  });

  it("that nobody knows is told as it stands", () => {
    expect(faultTitle("odd", [])).toBe("not so that odd");
  });
});

describe("a field called file, read or target", () => {
  it.each(["file", "read", "target"])("%s: its problems are told as those of a field", async (name) => {
    const plan = planOf([
      { name, type: "integer", required: true, unique: true },
      { name: "n", type: "integer" },
    ]);
    const { report } = await siftAll(plan, [csv(`${name},n\n1,1\nx,2\n,3\n1,4\n`)]);
    const faults = report.checks.filter((c) => c.problems > 0).map((c) => [c.fault, c.stage, c.problems]);
    expect(faults).toEqual([
      [`${name} is not a whole number`, "check", 1],
      [`${name} is empty`, "check", 1],
      [`${name} given twice`, "check", 1],
    ]);
  });
});

describe("the heading over records that share a fault", () => {
  const fields = [
    { name: "grams", type: "decimal", least: 1, most: 9 },
    { name: "site", type: "text", length: 5, pattern: "^[A-Z]" },
  ] as const;
  it.each([
    ["grams:type", "grams is not a number that fits", "grams is not of its type"],
    ["grams:required", "grams is empty", "grams is empty"],
    ["grams:least", "grams is less than 1", "grams is less than its least"],
    ["grams:most", "grams is more than 9", "grams is more than its most"],
    ["site:length", "site is too long", "site is too long"],
    ["site:pattern", "site does not fit its pattern", "site does not fit its pattern"],
    ["site+grams:unique", "site and grams given twice", "site and grams given twice"],
  ])("of %s says what is wrong, with the field's facts where the plan still has it", (key, known, unknown) => {
    expect(faultTitle(key, fields)).toBe(known);
    expect(faultTitle(key, [])).toBe(unknown);
  });
});
