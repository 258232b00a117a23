import { checkPart, FIELD_CHECKS } from "../field/checks/index.ts";
import { withoutArriving } from "../plan/arriving.ts";
import { SieveError } from "../kernel/problem.ts";
import { removeField } from "../plan/edit.ts";
import type { Plan } from "../plan/document.ts";
import { parsePlan } from "../plan/schema.ts";
import type { Given, StandardPart, Taken } from "./part.ts";
import { STANDARD_PARTS } from "./parts.ts";

export type ContractStandard = (typeof STANDARD_PARTS)[number]["id"];
export const CONTRACT_STANDARDS: readonly ContractStandard[] = STANDARD_PARTS.map((p) => p.id).reverse();

const standardOf = (id: ContractStandard): StandardPart => STANDARD_PARTS.find((p) => p.id === id)!;

export function standardTitle(id: ContractStandard): string {
  return standardOf(id).title;
}

/** The contract of a plan in an open standard. */
export function giveContract(plan: Plan, as: ContractStandard): Given {
  const part = standardOf(as);
  const { document, lost } = part.give(plan);
  const unsaid = plan.contract.fields.flatMap((f) => [
    ...FIELD_CHECKS.flatMap((id) => {
      const check = checkPart(id);
      return id === "type" || !check.asked(f) || part.says(f, id) ? [] : [`${f.name}: ${check.words(f)}`];
    }),
    ...(f.on_failure ? [`${f.name}: what happens when a check fails`] : []),
  ]);
  return { document, lost: [...lost, ...unsaid] };
}

/** Fields from a document of any of the standards, told by what is in it. Throws `contract-unknown`. */
export function takeContract(document: unknown): Taken & { standard: ContractStandard } {
  if (typeof document === "object" && document !== null && !Array.isArray(document)) {
    const d = document as Record<string, unknown>;
    const part = STANDARD_PARTS.find((p) => p.knows(d));
    if (part) return { ...part.take(d), standard: part.id };
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
  const { whole_record: whole, indexes, defaults, ...own } = withoutArriving({ ...rest.load, ...load, key }, key);
  const record = whole === true && key.length === 0;
  return parsePlan({
    ...rest,
    contract: { fields },
    load: {
      ...own,
      // Those of a table that was there before are for its owner to make.
      ...(indexes && own.schema === undefined ? { indexes } : {}),
      ...(defaults && own.schema === undefined ? { defaults } : {}),
      ...(record ? { whole_record: true } : {}),
      ...(key.length === 0 && own.mode === "upsert" && !record ? { mode: "append" } : {}),
    },
  });
}
