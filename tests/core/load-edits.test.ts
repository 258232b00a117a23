import { describe, expect, it } from "vitest";
import type { Plan } from "@/core/plan/document.ts";
import { MODES, modeOf, withKey, withMode, withOption, withWholeRecord } from "@/ui/plan/load/load-edits.ts";
import { planOf } from "../support/plans.ts";

const fields = [
  { name: "id", type: "text" },
  { name: "garden", type: "text" },
  { name: "ended", type: "date" },
];
const planWith = (load: object, more: object = {}): Plan => planOf(fields, { load: { target: "t", ...load }, ...more });
const full = planWith({
  key: ["id"],
  mode: "upsert",
  arriving: { garden: { value: "fix" } },
  gone: { do: "mark", field: "ended" },
});

describe("the mode of a load", () => {
  it("is one choice of five, and each gives a plan that is sound", () => {
    for (const mode of MODES) {
      const load = withMode(full.load, mode);
      expect(modeOf(load)).toBe(mode);
      expect(() => planWith(load)).not.toThrow();
    }
  });
  it("keeps what the next one can have, and nothing else", () => {
    expect(withMode(full.load, "update")).toMatchObject({ only: "update", arriving: {}, gone: {} });
    expect(withMode(full.load, "insert")).not.toHaveProperty("gone");
    expect(Object.keys(withMode(withMode(full.load, "insert"), "append")).sort()).toEqual(["key", "mode", "target"]);
  });
  it("does without a key where that is all it needs one for", () => {
    const alone = withMode(full.load, "insert");
    expect(withKey(alone, ["id", "garden"])).toMatchObject({ key: ["id", "garden"], only: "insert" });
    expect(withKey(alone, [])).not.toHaveProperty("only");
    expect(withKey(full.load, ["id", "garden"])).not.toHaveProperty("arriving");
  });
});

describe("an option of a load", () => {
  it("is set, or is not there at all", () => {
    const named = withOption(full, "held_in", "t_held");
    expect(named.load.held_in).toBe("t_held");
    expect(withOption(named, "held_in", undefined).load).not.toHaveProperty("held_in");
    expect(withOption(full, "undo", false).load).toMatchObject({ undo: false, key: ["id"] });
  });
});

describe("a load whose key is the whole record", () => {
  const plain = planWith({ mode: "replace", slice: "garden" });

  it("is an upsert without all that needs another key, and without it one that adds", () => {
    const whole = withWholeRecord(plain.load, true);
    expect(whole).toMatchObject({ mode: "upsert", whole_record: true });
    expect(whole).not.toHaveProperty("slice");
    expect(() => planWith(whole)).not.toThrow();
    expect(withWholeRecord(whole, false)).toMatchObject({ mode: "append" });
    expect(withWholeRecord(plain.load, false)).toMatchObject({ mode: "replace", slice: "garden" });
    expect(withWholeRecord({ ...full.load, key: [] }, true)).not.toHaveProperty("arriving");
  });
});

describe("rows that are only inserted, or only updated", () => {
  const fault = (load: object, more: object = {}): string => {
    try {
      planWith(load, more);
      return "";
    } catch (error) {
      return (error as { detail: string }).detail;
    }
  };
  it("are of an upsert by a key, without a match", () => {
    expect(fault({ mode: "append", key: ["id"], only: "insert" })).toMatch(/is of an upsert by a key/);
    expect(fault({ mode: "upsert", whole_record: true, only: "update" })).toMatch(/is of an upsert by a key/);
    expect(fault({ mode: "upsert", key: ["id"], only: "update" })).toBe("");
    const match = { against: ["delivery"], fields: [{ in: ["garden"], by: "equal" }] };
    expect(fault({ mode: "upsert", key: ["id"], only: "update" }, { match })).toMatch(/Where records are matched/);
    const gone = { do: "remove" };
    expect(fault({ mode: "upsert", key: ["id"], only: "insert", gone })).toMatch(/can be marked or removed/);
    expect(fault({ mode: "upsert", key: ["id"], only: "update", gone })).toBe("");
  });
});
