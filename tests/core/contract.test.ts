import { describe, expect, it } from "vitest";
import { CONTRACT_STANDARDS, giveContract, takeContract, withContract } from "@/core/interop/contract.ts";
import { planOf } from "../support/plans.ts";

const FIELDS = [
  { name: "id", type: "text", title: "Number", also: ["no"] },
  { name: "grams", type: "decimal", precision: 9, scale: 2 },
  { name: "land", type: "code", values: ["GB", "FR"] },
];
const PLAN = planOf(FIELDS, {
  cleanse: [
    { do: "trim", in: "*" },
    { do: "case", in: ["land"], to: "upper" },
    { do: "collapse", in: ["id", "land"] },
  ],
  check: [{ name: "heavy", that: "grams > 0.0" }],
  load: { target: "thing", mode: "upsert", key: ["id"] },
});
const taken = (names: readonly string[], key: string[] = []) => ({
  fields: FIELDS.filter((f) => names.includes(f.name)).map(({ name, type, ...f }) => ({ name, type, ...f })) as never,
  key,
  lost: [],
});

describe("a plan with another contract", () => {
  it("keeps the steps of fields that are still there, and what they were called", () => {
    const fields = [{ name: "id", type: "text" as const }];
    const plan = withContract(PLAN, { fields: fields as never, key: [], lost: [] });
    expect(plan.contract.fields).toEqual([{ name: "id", type: "text", title: "Number", also: ["no"] }]);
    expect(plan.cleanse.map((s) => `${s.do} ${String(s.in)}`)).toEqual(["trim *", "collapse id"]);
    expect(plan.load).toMatchObject({ mode: "upsert", key: ["id"] });
  });

  it("appends where its key is gone, and takes the key of the contract where it has one", () => {
    expect(withContract(PLAN, taken(["grams", "land"])).load).toMatchObject({ mode: "append", key: [] });
    expect(withContract(PLAN, taken(["id", "land"], ["land"])).load).toMatchObject({ mode: "upsert", key: ["land"] });
    const elsewhere = withContract(PLAN, taken(["id", "grams", "land"]), { schema: "vault", target: "packet" });
    expect(elsewhere.load).toMatchObject({ schema: "vault", target: "packet", mode: "upsert" });
  });

  it("can't be one that has a fault", () => {
    const twice = [
      { name: "id", type: "text" as const },
      { name: "id", type: "text" as const },
    ];
    expect(() => withContract(PLAN, { fields: twice as never, key: [], lost: [] })).toThrow(/fault/);
  });
});

describe("which standard a document follows", () => {
  it.each(CONTRACT_STANDARDS)("is told by what is in %s", (as) => {
    expect(takeContract(giveContract(PLAN, as).document).standard).toBe(as);
  });

  it.each([
    [{ tables: [{ tableSchema: { columns: [{ name: "a" }] } }] }, "csvw"],
    [{ resources: [{ schema: { fields: [{ name: "a", type: "string" }] } }] }, "table-schema"],
    [{ items: { properties: { a: { type: "string" } } } }, "json-schema"],
  ])("%o", (document, standard) => {
    const found = takeContract(document);
    expect(found.standard).toBe(standard);
    expect(found.fields.map((f) => f.name)).toEqual(["a"]);
  });

  it.each([null, 3, "x", [], {}, { a: 1 }])("is not that of %o", (document) => {
    expect(() => takeContract(document)).toThrow("no contract that can be understood");
  });
});
