import { describe, expect, it } from "vitest";
import { extraOf, mapColumns, plainName } from "@/core/map/columns.ts";
import { hasKey } from "@/core/map/with-look-up.ts";
import type { ProposedLookUp } from "@/core/map/propose-look-up.ts";
import type { LookUp } from "@/core/lookup/schema.ts";
import type { Field } from "@/core/field/field.ts";

/** How columns meet fields, and what they have beside them. */

describe("what a record has in columns that no field takes", () => {
  it("is an object of what is filled, or nothing", () => {
    const columns = ["id", "note", "sort"];
    expect(extraOf(columns, ["1", "dry", "a,b"], ["note", "sort"])).toBe('{"note":"dry","sort":"a,b"}');
    expect(extraOf(columns, ["1", "dry", ""], ["note", "sort"])).toBe('{"note":"dry"}');
    expect(extraOf(columns, ["1", "", ""], ["note", "sort"])).toBe("");
    expect(extraOf(columns, ["1"], ["note", "sort"])).toBe("");
    expect(extraOf(columns, ["1", "dry", "x"], [])).toBe("");
  });
});

describe("columns", () => {
  const met = (columns: string[], ...fields: Field[]): number[] => [...mapColumns(columns, fields).column];
  const field = (name: string, more: object = {}): Field => ({ name, type: "text", ...more });

  it("are met by the field's own name, then by its title, then by its other names, each once", () => {
    expect(met(["Weight (g)"], field("weight", { title: "Weight, g" }))).toEqual([0]);
    expect(met(["Seed weight", "weight"], field("weight", { title: "Seed weight" }))).toEqual([1]);
    expect(met(["mass", "Seed weight"], field("weight", { title: "Seed weight", also: ["mass"] }))).toEqual([1]);
    expect(met(["mass"], field("weight", { also: ["gram", "mass"] }), field("mass"))).toEqual([-1, 0]);
    expect(met(["mass"], field("weight", { also: ["mass"] }), field("bulk", { also: ["mass"] }))).toEqual([0, -1]);
    expect(met(["Weights", ""], field("weight"))).toEqual([-1]);
  });

  it("have names but for case, accents and all that is no letter or digit", () => {
    expect(["Accession  No.", "accession_no", "ACCESSION-NO", "(accession) — no"].map(plainName)).toEqual(
      Array(4).fill("accessionno"),
    );
    expect(plainName("№ 1")).toBe("no1");
    expect(plainName("...")).toBe("");
  });
});

describe("a look-up", () => {
  const by = (...pairs: string[]) => pairs.map((p) => ({ field: p.split(" ")[0]!, column: p.split(" ")[1]! }));
  const has = (own: string[], proposed: string[]): boolean =>
    hasKey({ by: by(...own) } as unknown as LookUp, { by: by(...proposed) } as unknown as ProposedLookUp);

  it("goes by a key where all its pairs are those, in any order", () => {
    expect(has(["site Code", "day Day"], ["day Day", "site Code"])).toBe(true);
    expect(has(["site Code"], ["site Name"])).toBe(false);
    expect(has(["site Code"], ["place Code"])).toBe(false);
    expect(has(["site Code"], ["site Code", "day Day"])).toBe(false);
    expect(has(["site Code", "day Day"], ["site Code"])).toBe(false);
    expect(has(["site Code", "day Day"], ["site Code", "day Name"])).toBe(false);
  });
});
