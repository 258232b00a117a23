import { compilePlan } from "../course/compile.ts";
import type { LoadInputs } from "../course/compiled.ts";
import { cleansedValues } from "../course/of-record.ts";
import { siftRows } from "../course/recheck.ts";
import type { References } from "../kernel/reference.ts";
import type { Plan } from "../plan/document.ts";
import type { Field } from "../field/field.ts";

/** Fields of which one is the text that it has, since what is to be mended in it is of no other type yet. */
export function asText(fields: readonly Field[], field: string): Field[] {
  return fields.map((f) => (f.name === field ? { name: f.name, type: "text" } : f));
}

/** A plan that does nothing but derive one field by a formula, in which the field itself is a text. */
export function derivingOnly(plan: Plan, field: string, by: string): Plan {
  const { lookup: _, match: __, load, contract, ...rest } = plan;
  return {
    ...rest,
    contract: { fields: asText(contract.fields, field) },
    cleanse: [{ do: "derive", in: [field], by }],
    check: [],
    load: { target: load.target, key: [], mode: "append" },
  };
}

/**
 * What a formula makes of one field in records that are given as values by field, in the order of the contract: its values,
 * as a step of the plan would have written them. One for which the formula has no value, or an empty one, stays as it is.
 * @param deriving a plan of `derivingOnly`
 * @throws SieveError `formula-invalid`
 */
export function valuesByFormula(
  deriving: Plan,
  references: References,
  inputs: LoadInputs,
): (records: readonly (readonly string[])[]) => string[] {
  const compiled = compilePlan(deriving, references, inputs);
  const names = compiled.fields.map((f) => f.name);
  const at = compiled.steps[0]!.fields[0]!;
  return (records) => {
    // A block without records has no cells to read.
    if (records.length === 0) return [];
    const sifted = siftRows(compiled, names, records);
    return records.map((own, r) => cleansedValues(sifted, r)[at]! || own[at]!);
  };
}
