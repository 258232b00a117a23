import type { SieveError } from "@/core/kernel/problem.ts";
import { describe, expect, it } from "vitest";
import { copyFaults, copyLine, outlookLine, assertCopied, type CopyCounts } from "@/core/plan/copies.ts";
import { furtherPlan } from "@/core/plan/further.ts";
import { parsePlan } from "@/core/plan/schema.ts";

const COUNTS: CopyCounts = {
  target: "target.seed",
  connection: "warehouse",
  table: "public.seed",
  how: "two phases",
  ...{ rows: 1_007, inserted: 1_000, updated: 3, unchanged: 0, removed: 2, left: 2 },
};

function planWith(load: object): ReturnType<typeof parsePlan> {
  return parsePlan({
    format: "good-sieve/plan@1",
    feed: "seed",
    contract: {
      fields: [
        { name: "id", type: "integer" },
        { name: "site", type: "text" },
      ],
    },
    load: { target: "seed", ...load },
  });
}

/** What is said of a plan that is refused. */
function refusal(load: object): string {
  try {
    planWith(load);
    return "";
  } catch (error) {
    return (error as SieveError).detail;
  }
}

describe("copies of a plan's targets", () => {
  it("are said in a line, with what was left", () => {
    expect(copyLine(COUNTS)).toBe(
      "public.seed on warehouse: 1,007 rows = 1,000 inserted + 3 updated + 2 removed + 2 left, by two-phase commit",
    );
    expect(() => assertCopied(COUNTS)).not.toThrow();
    expect(() => assertCopied({ ...COUNTS, left: 1 })).toThrow("does not close");
    const place = { target: "t", connection: "warehouse", table: "public.seed" };
    expect(outlookLine({ ...place, how: "in order", exists: false, hindrance: "" })).toBe(
      "public.seed on warehouse: would be made, in order, and taken back where what comes after it fails",
    );
    expect(outlookLine({ ...place, how: null, exists: false, hindrance: "It is away." })).toBe(
      "public.seed on warehouse: It is away.",
    );
  });

  it("need a key and the rows that a load changes, and are each another table", () => {
    const one = { connection: "warehouse" };
    const about = { target: "seed", key: ["id"] };
    expect(copyFaults([one, { ...one, schema: "stock" }], about)).toEqual([]);
    expect(copyFaults([one, { ...one, table: "seed", schema: "public" }], about)).toMatchObject([{ at: 1 }]);
    expect(copyFaults([one], { ...about, key: [] })).toHaveLength(1);
    expect(copyFaults([one], { ...about, undo: false })).toHaveLength(1);
  });

  it("are refused by the plan where they can't be, at their place", () => {
    const copies = [{ connection: "warehouse" }];
    expect(planWith({ key: ["id"], copies }).load.copies).toEqual(copies);
    expect(refusal({ copies })).toContain("load.copies.0");
    const further = [{ target: "site", mode: "append", fields: [{ name: "site" }], copies }];
    expect(refusal({ key: ["id"], further })).toContain("load.further.0.copies.0");
    const keyed = planWith({
      key: ["id"],
      further: [{ target: "site", rows: "key", key: ["site"], fields: [{ name: "site" }], copies }],
    });
    expect(furtherPlan(keyed, keyed.load.further![0]!).load.copies).toEqual(copies);
    expect(refusal({ key: ["id"], copies: [{ connection: "warehouse", schema: "undo" }] })).toContain(
      "not for targets",
    );
  });
});
