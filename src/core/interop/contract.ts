import { withoutArriving } from "../plan/arriving.ts";
import { SieveError } from "../kernel/problem.ts";
import { removeField } from "../plan/edit.ts";
import { parsePlan, type Plan } from "../plan/schema.ts";
import type { Field } from "../plan/types.ts";
import { fromCsvw, toCsvw } from "./csvw.ts";
import { fromJsonSchema, toJsonSchema } from "./json-schema.ts";
import { fromTableSchema, toTableSchema } from "./table-schema.ts";

/** Open standards in which a contract can be given out and brought in. */
export const CONTRACT_STANDARDS = ["json-schema", "table-schema", "csvw"] as const;
export type ContractStandard = (typeof CONTRACT_STANDARDS)[number];

export const STANDARD_TITLES: Record<ContractStandard, string> = {
  "json-schema": "JSON Schema",
  "table-schema": "Table Schema",
  csvw: "CSV on the Web",
};

/** What came of it, and what the other side has no words for. */
export interface Given {
  readonly document: object;
  readonly lost: readonly string[];
}

export interface Taken {
  readonly fields: Field[];
  readonly key: string[];
  readonly lost: readonly string[];
}

/** The contract of a plan in an open standard. */
export function giveContract(plan: Plan, as: ContractStandard): Given {
  switch (as) {
    case "json-schema":
      return toJsonSchema(plan);
    case "table-schema":
      return toTableSchema(plan);
    case "csvw":
      return toCsvw(plan);
  }
}

/** Fields from a document of any of the standards, told by what is in it. Throws `contract-unknown`. */
export function takeContract(document: unknown): Taken & { standard: ContractStandard } {
  if (typeof document === "object" && document !== null && !Array.isArray(document)) {
    const d = document as Record<string, unknown>;
    if ("@context" in d || "tableSchema" in d || "tables" in d) return { ...fromCsvw(d), standard: "csvw" };
    if (Array.isArray(d["fields"]) || "resources" in d) return { ...fromTableSchema(d), standard: "table-schema" };
    if ("properties" in d || "$schema" in d || "items" in d) return { ...fromJsonSchema(d), standard: "json-schema" };
  }
  throw new SieveError("contract-unknown", "The document is no contract that can be understood.", {
    detail: "It is neither JSON Schema with properties, nor Table Schema with fields, nor CSV on the Web metadata.",
    hint: "Check that it is the right file.",
  });
}

/**
 * The plan with another contract: without the steps, checks and all else that can't be without a
 * field that is gone; fields keep the names that people and files have called them by. Throws
 * `plan-invalid`.
 */
export function withContract(plan: Plan, taken: Taken, load: Partial<Plan["load"]> = {}): Plan {
  const known = new Set(taken.fields.map((f) => f.name));
  const before = new Map(plan.contract.fields.map((f) => [f.name, f]));
  const fields = taken.fields.map((f) => {
    const { title, also } = before.get(f.name) ?? {};
    return { ...(title ? { title } : {}), ...(also ? { also } : {}), ...f };
  });
  const rest = plan.contract.fields.reduce((p, { name }) => (known.has(name) ? p : removeField(p, name)), plan);
  const key = taken.key.length > 0 ? taken.key : rest.load.key;
  const { whole_record: whole, ...own } = withoutArriving({ ...rest.load, ...load, key }, key);
  const record = whole === true && key.length === 0;
  return parsePlan({
    ...rest,
    contract: { fields },
    load: {
      ...own,
      ...(record ? { whole_record: true } : {}),
      ...(key.length === 0 && own.mode === "upsert" && !record ? { mode: "append" } : {}),
    },
  });
}
