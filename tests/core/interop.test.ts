import Ajv from "ajv/dist/2020.js";
import { describe, expect, it } from "vitest";
import { CONTRACT_STANDARDS, giveContract, takeContract } from "@/core/interop/contract.ts";
import type { Plan } from "@/core/plan/document.ts";
import { parsePlan } from "@/core/plan/schema.ts";
import { ACCESSIONS } from "../../demo/plan.ts";

const plan = parsePlan(ACCESSIONS);
const withFields = (taken: { fields: Plan["contract"]["fields"]; key: string[] }): Plan =>
  parsePlan({
    ...plan,
    cleanse: [],
    contract: { fields: taken.fields },
    load: { ...plan.load, key: [], mode: "append" },
  });

describe.each(CONTRACT_STANDARDS)("a contract as %s", (standard) => {
  it("comes back as it went, but for what is listed as lost", () => {
    const { document, lost } = giveContract(plan, standard);
    const taken = takeContract(JSON.parse(JSON.stringify(document)));
    expect(taken.standard).toBe(standard);
    const back = withFields(taken);
    expect(back.contract.fields.map((f) => f.name)).toEqual(plan.contract.fields.map((f) => f.name));
    const mentioned = (name: string, what: RegExp): boolean =>
      lost.some((l) => l.startsWith(`${name}:`) && what.test(l));
    for (const [i, f] of plan.contract.fields.entries()) {
      const again = back.contract.fields[i]!;
      expect(again.type, f.name).toBe(f.type);
      expect(again.required ?? false, f.name).toBe(f.required ?? false);
      if (f.values) expect(again.values, f.name).toEqual(f.values);
      if (f.length) expect(again.length, f.name).toBe(f.length);
      if (f.least !== undefined && !mentioned(f.name, /least/))
        expect(Number.isNaN(Number(f.least)) ? again.least : Number(again.least)).toEqual(
          Number.isNaN(Number(f.least)) ? f.least : Number(f.least),
        );
      if (f.formats && again.formats!.join() !== f.formats.join())
        expect(mentioned(f.name, /format/), f.name).toBe(true);
      if (f.also && (again.also ?? []).join() !== f.also.join())
        expect(mentioned(f.name, /other names/), f.name).toBe(true);
      if (f.on_failure) expect(mentioned(f.name, /check fails/), f.name).toBe(true);
    }
    if (standard !== "json-schema") expect(taken.key).toEqual(plan.load.key);
    else expect(lost.some((l) => l.startsWith("the key"))).toBe(true);
  });
});

describe("a contract brought in", () => {
  it("keeps what a plan can say and lists the rest", () => {
    const taken = takeContract({
      type: "object",
      required: ["Acc No", "kind"],
      allOf: [],
      properties: {
        "Acc No": { type: "string", pattern: "(?=x)y", minLength: 2 },
        kind: { enum: ["a", "b"] },
        kg: { type: "number", multipleOf: 0.01, minimum: 0, exclusiveMaximum: 5 },
        tags: { type: "array", items: {} },
      },
    });
    expect(taken.fields).toMatchObject([
      { name: "acc_no", type: "text", title: "Acc No", also: ["Acc No"], required: true },
      { name: "kind", type: "code", values: ["a", "b"], required: true },
      { name: "kg", type: "decimal", scale: 2, least: 0 },
      { name: "tags", type: "json" },
    ]);
    expect(taken.lost.join("; ")).toMatch(/allOf.*linear time.*exclusiveMaximum/);
    withFields(taken);
  });

  it("understands data packages, strftime formats and several tables", () => {
    const table = takeContract({
      resources: [
        {
          schema: {
            fields: [
              { name: "d", type: "date", format: "%d.%m.%Y" },
              { name: "g", type: "geopoint" },
            ],
            primaryKey: ["d", "x"],
          },
        },
        {},
      ],
    });
    expect(table.fields).toMatchObject([{ type: "date", formats: ["dd.MM.yyyy"] }, { type: "text" }]);
    expect(table.key).toEqual(["d"]);
    expect(table.lost).toEqual([
      "1 more resources",
      "g: the type geopoint, taken as text",
      "the key: there is no field x",
    ]);
    const web = takeContract({
      "@context": "http://www.w3.org/ns/csvw",
      tables: [
        {
          tableSchema: {
            columns: [
              { titles: ["Code", "Land"], datatype: { base: "string", format: "GB|FR" } },
              { name: "n", datatype: "nonNegativeInteger" },
            ],
          },
        },
      ],
    });
    expect(web.fields).toMatchObject([
      { name: "code", type: "code", values: ["GB", "FR"], also: ["Code", "Land"] },
      { name: "n", least: 0 },
    ]);
  });

  it("is refused when it is none", () => {
    for (const none of [null, [], 3, { a: 1 }]) expect(() => takeContract(none)).toThrow("no contract");
  });
});

describe("a contract as JSON Schema", () => {
  it("is valid itself, and judges typed records as the contract does", () => {
    const validate = new Ajv({ strict: false }).compile(giveContract(plan, "json-schema").document);
    const sound = {
      accession: "BHG-2026-000001",
      partner: "BHG",
      scientific_name: "Silene uniflora",
      collected_on: "2026-05-01",
      site: "Gull Ness",
      country: "GB",
      quantity_g: 1.5,
      collector: null,
    };
    expect(validate(sound)).toBe(true);
    expect(validate({ ...sound, partner: "XXX" })).toBe(false);
    expect(validate({ ...sound, accession: "nonsense" })).toBe(false);
    expect(validate({ ...sound, site: undefined })).toBe(false);
  });
});
