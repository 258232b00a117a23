import { describe, expect, it } from "vitest";
import { withContract } from "@/core/interop/contract.ts";
import { arrivingOf } from "@/core/plan/arriving.ts";
import { removeField, renameField } from "@/core/plan/edit.ts";
import { usedIn } from "@/core/plan/uses.ts";
import { parsePlan } from "@/core/plan/schema.ts";
import { csv, siftAll } from "../support/sift.ts";

const document = (load: object, fields: object[] = []) => ({
  format: "good-sieve/plan@1",
  feed: "seeds",
  contract: {
    fields: [
      { name: "id", type: "text", required: true },
      { name: "n", type: "integer" },
      { name: "day", type: "date", formats: ["yyyy-MM-dd"] },
      ...fields,
    ],
  },
  load: { target: "seeds", key: ["id"], mode: "upsert", ...load },
});
const faults = (load: object, fields: object[] = []): string => {
  try {
    parsePlan(document(load, fields));
    return "";
  } catch (error) {
    return (error as { detail: string }).detail;
  }
};

describe("what arriving cells may do", () => {
  it("is said for all fields and by field; an empty cell keeps and a value replaces unless said", () => {
    const plan = parsePlan(document({ arriving: { "*": { empty: "clear", leave: ["0"] }, n: { value: "fix" } } }));
    expect(arrivingOf(plan, "n")).toEqual({ empty: "clear", leave: ["0"], value: "fix" });
    expect(arrivingOf(plan, "day")).toEqual({ empty: "clear", leave: ["0"], value: "replace" });
    expect(arrivingOf(parsePlan(document({})), "n")).toEqual({ empty: "keep", leave: [], value: "replace" });
  });

  it("is refused where it can't be so", () => {
    expect(faults({ arriving: { id: { empty: "clear" } } })).toContain("id is of the key");
    expect(faults({ arriving: { x: { empty: "clear" } } })).toContain("There is no field x");
    const must = [{ name: "site", type: "text", required: true }];
    expect(faults({ arriving: { site: { leave: ["XXX"] } } }, must)).toContain("site must not be empty");
    expect(faults({ arriving: { site: { empty: "clear" } } }, must)).toBe("");
    expect(faults({ key: [] })).toContain("Upsert needs a key, or the whole record");
    expect(faults({ key: [], whole_record: true })).toBe("");
    expect(faults({ whole_record: true })).toContain("that has no other");
  });

  it("follows a renamed field, is told of, goes with its field, and with another contract", () => {
    const plan = parsePlan(document({ arriving: { n: { empty: "clear" }, day: { value: "fill" } } }));
    expect(renameField(plan, "n", "count").load.arriving).toEqual({
      count: { empty: "clear" },
      day: { value: "fill" },
    });
    expect(usedIn(plan, "n").map((u) => u.says)).toContain("what its arriving cells do");
    expect(removeField(plan, "day").load.arriving).toEqual({ n: { empty: "clear" } });
    expect(removeField(removeField(plan, "day"), "n").load.arriving).toBeUndefined();
    const fields = plan.contract.fields.filter((f) => f.name !== "day");
    expect(withContract(plan, { fields, key: ["n"], lost: [] }).load).toMatchObject({ key: ["n"], mode: "upsert" });
    expect(withContract(plan, { fields, key: ["n"], lost: [] }).load.arriving).toBeUndefined();
  });

  it("of a text that means “leave it” asks no check more than that, whatever its field's type", async () => {
    const plan = parsePlan(
      document({ arriving: { n: { leave: ["XXX", "0"] }, day: { leave: ["XXX"] } } }, [{ name: "t", type: "text" }]),
    );
    const { records, balance } = await siftAll(plan, [
      csv("id,n,day,t\na,XXX,XXX,XXX\nb,0,2026-01-01,0\nc,YYY,XXX,\n"),
    ]);
    expect(records.map((r) => r.values)).toEqual([
      ["a", "", "", "XXX"],
      ["b", "", "2026-01-01", "0"],
      ["c", "YYY", "", ""],
    ]);
    // As it came it is kept with a record that is held for something else.
    expect(records[2]!.cleansed).toEqual(["c", "YYY", "XXX", ""]);
    expect(balance.outcomes).toMatchObject({ inserted: 2, held: 1 });
  });
});
