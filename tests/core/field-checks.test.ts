import { describe, expect, it } from "vitest";
import { checkPart, FIELD_CHECKS } from "@/core/field/checks/index.ts";
import type { Checked } from "@/core/field/checks/part.ts";
import { fieldSchema, type Field } from "@/core/field/field.ts";
import { giveContract, takeContract, CONTRACT_STANDARDS } from "@/core/interop/contract.ts";
import { TYPE_IDS, typePart } from "@/core/type/index.ts";
import {
  canHave,
  CHECK_COLUMNS,
  FURTHER_CHECKS,
  withChecked,
  withProperty,
  withType,
} from "@/ui/plan/check/field-edits.ts";
import { planOf } from "../support/plans.ts";
import { csv, siftAll } from "../support/sift.ts";

const faults = (field: object): string[] =>
  fieldSchema.safeParse(field).error?.issues.map((i) => `${i.path.join(".")}: ${i.message}`) ?? [];

/** A field of each type that has limits where the type has an order, and every check that it can have. */
function full(type: Field["type"]): Field {
  const typed: Record<string, unknown> = { ...typePart(type).examples[0]!.options };
  const field = { name: "x", type, ...typed, required: true, unique: true } as Field;
  if (type === "text") Object.assign(field, { length: 9, shortest: 2 });
  if (type === "money") Object.assign(field, { currency: "EUR" });
  const limit: Record<string, string> = { date: "2020-02-03", time: "08:00:00", timestamp: "2020-02-03 08:00:00" };
  for (const side of ["least", "most"] as const) {
    if (canHave(field, side)) Object.assign(field, { [side]: limit[type] ?? 4 });
  }
  if (canHave(field, "pattern")) Object.assign(field, { pattern: "^a+$" });
  return field;
}

describe("checks on a field's cells", () => {
  const examples = FIELD_CHECKS.flatMap((id) => checkPart(id).examples.map((e) => ({ id, ...e })));
  it.each(examples)("$id of $field.name", async ({ id, field, pass, fail }) => {
    const plan = planOf([field, { name: "beside", type: "text" }]);
    const texts = [...pass, ...fail];
    const { records } = await siftAll(plan, [csv(`${field.name},beside\n${texts.map((t) => `"${t}",b\n`).join("")}`)]);
    const failed = records.map((r) => r.problems.filter((p) => p.check === `${field.name}:${id}`).length);
    expect(failed).toEqual(texts.map((t) => (fail.includes(t) ? 1 : 0)));
  });
  it("say in words what is asked, what fails and what was expected", () => {
    const field: Checked<Record<never, never>> & object = { name: "x", type: "text", length: 3 };
    const said = (id: (typeof FIELD_CHECKS)[number], more: object): string[] => {
      const part = checkPart(id);
      const f = { ...field, ...more };
      return [part.words(f), part.title(f), part.failing("x", f), part.message(f, "é"), part.expected(f)];
    };
    expect(said("shortest", { shortest: 2 })).toEqual([
      "at least 2 characters",
      "x has at least 2 characters",
      "x is too short",
      "x “é” has 1 character.",
      "at least 2 characters",
    ]);
    expect(said("pattern", { pattern: "a" })[0]).toBe("fits a");
    expect(said("least", { type: "integer", least: 2 })[0]).toBe("at least 2");
    expect(said("most", { type: "integer", most: 2 })[0]).toBe("at most 2");
    expect(said("length", {})[0]).toBe("at most 3 characters");
    expect(said("type", { type: "integer" })[0]).toBe("a whole number");
    expect([said("required", {})[0], said("unique", {})[0]]).toEqual(["required", "unique"]);
  });
  it("have options that no type has, but the limits that types choose a column by", () => {
    const ofTypes = new Set(TYPE_IDS.flatMap((id) => Object.keys(typePart(id).options)));
    const ofChecks = FIELD_CHECKS.flatMap((id) => Object.keys(checkPart(id).options));
    expect(ofChecks.filter((o) => ofTypes.has(o))).toEqual([]);
    expect(new Set(ofChecks).size).toBe(ofChecks.length);
  });
  it("are refused where the type can't have them, and where what is said can't be", () => {
    expect(faults({ name: "x", type: "integer", pattern: "a" })).toEqual([
      "pattern: A pattern is for text and codes, not for the type integer.",
    ]);
    expect(faults({ name: "x", type: "boolean", least: 1 })[0]).toMatch(/^least: .*has no order/);
    expect(faults({ name: "x", type: "integer", most: "many" })).toEqual([
      'most: "many" is not a value of the type integer.',
    ]);
    expect(faults({ name: "x", type: "date", formats: ["yyyy-MM-dd"], shortest: 3 })).toEqual([
      "shortest: Only a text can have a shortest value, not the type date.",
    ]);
    expect(faults({ name: "x", type: "text", shortest: 5, length: 4 })).toEqual([
      "shortest: No value has at least 5 and at most 4 characters.",
    ]);
    expect(faults({ name: "x", type: "text", shortest: 4, length: 4 })).toEqual([]);
  });
});

describe.each(CONTRACT_STANDARDS)("checks of a contract as %s", (standard) => {
  it.each(TYPE_IDS)("of a field of the type %s come back or are told as lost", (type) => {
    const field = full(type);
    expect(faults(field)).toEqual([]);
    const { document, lost } = giveContract(planOf([field]), standard);
    const [back] = takeContract(JSON.parse(JSON.stringify(document))).fields as Record<string, unknown>[];
    for (const id of FIELD_CHECKS) {
      const part = checkPart(id);
      for (const option of Object.keys(part.options)) {
        if (!part.asked(field)) continue;
        const told = lost.includes(`x: ${part.words(field)}`);
        const kept = back![option] !== undefined;
        expect([option, told || kept], JSON.stringify(document)).toEqual([option, true]);
        expect([option, told && kept]).toEqual([option, false]);
      }
    }
  });
});

describe("checks in the table of fields", () => {
  it("stand as columns, those that are so or not first, and the others with what more there is", () => {
    expect(CHECK_COLUMNS.map((c) => [c.check, c.option, c.kind])).toEqual([
      ["required", "required", "yes"],
      ["unique", "unique", "yes"],
      ["least", "least", "value"],
      ["most", "most", "value"],
      ["pattern", "pattern", "text"],
    ]);
    expect(FURTHER_CHECKS).toEqual(["shortest"]);
  });
  it("are set as somebody types them, and taken away by nothing", () => {
    const [required, , least, , pattern] = CHECK_COLUMNS;
    const n: Field = { name: "n", type: "integer" };
    expect(withChecked(n, required!, true)).toEqual({ ...n, required: true });
    expect(withChecked({ ...n, required: true }, required!, false)).toEqual(n);
    expect(withChecked(n, least!, " 5 ")).toEqual({ ...n, least: "5" });
    expect(withChecked({ ...n, least: "5" }, least!, " ")).toEqual(n);
    const t: Field = { name: "t", type: "text" };
    expect(withChecked(t, pattern!, "a ")).toEqual({ ...t, pattern: "a " });
    expect(withChecked(t, least!, "5")).toBe(t);
    expect(withChecked(n, pattern!, "a")).toBe(n);
    const number = { check: "shortest", option: "shortest", kind: "number" } as const;
    expect(withChecked(t, number, "3")).toEqual({ ...t, shortest: 3 });
  });
  it("stay with a field of another type where every type can have them", () => {
    const f: Field = {
      name: "x",
      type: "text",
      title: "X",
      length: 4,
      shortest: 2,
      pattern: "a",
      required: true,
      unique: true,
    };
    expect(withType(f, "integer")).toEqual({ name: "x", type: "integer", title: "X", required: true, unique: true });
    expect(withType(f, "text")).toEqual(withProperty(f, { shortest: undefined, pattern: undefined }));
  });
});

describe("what another standard says of a field", () => {
  const said = { minLength: 2, maxLength: 3, minimum: 4, maximum: 5, pattern: "a" };
  it.each([
    ["json-schema", (type: string) => ({ properties: { x: { type, ...said } } })],
    ["table-schema", (type: string) => ({ fields: [{ name: "x", type, constraints: said }] })],
    ["csvw", (type: string) => ({ tableSchema: { columns: [{ name: "x", datatype: { base: type, ...said } }] } })],
  ] as const)("of %s is taken or told", (standard, document) => {
    const number = takeContract(document("integer"));
    expect(number.fields).toEqual([{ name: "x", type: "integer", least: 4, most: 5 }]);
    expect(number.lost).toEqual(["x: minLength", "x: maxLength", "x: pattern"]);
    const text = takeContract(document("string"));
    expect(text.fields).toMatchObject([{ name: "x", type: "text", shortest: 2, length: 3 }]);
    expect(text.lost).toEqual(["x: minimum", "x: maximum"]);
    expect(text.fields[0]!.pattern).toBe({ "json-schema": "a", "table-schema": "^(?:a)$", csvw: undefined }[standard]);
  });
  it("of limits by their other names is taken or told", () => {
    const limits = { minInclusive: 1, maxInclusive: 9, minExclusive: 0, maxExclusive: 10 };
    const taken = takeContract({ tableSchema: { columns: [{ name: "x", datatype: { base: "integer", ...limits } }] } });
    expect(taken.fields).toEqual([{ name: "x", type: "integer", least: 1, most: 9 }]);
    expect(taken.lost).toEqual(["x: minExclusive", "x: maxExclusive"]);
  });
  it("of characters is passed over where it can't be", () => {
    const taken = takeContract({
      properties: { x: { type: "string", minLength: 5, maxLength: 3 }, y: { type: "string", minLength: 0 } },
    });
    expect(taken.fields).toEqual([
      { name: "x", type: "text", length: 3 },
      { name: "y", type: "text" },
    ]);
    expect(taken.lost).toEqual(["x: minLength"]);
  });
});
