import { z } from "zod";
import { SieveError } from "../kernel/problem.ts";
import type { Plan } from "./document.ts";
import { planShape } from "./shape.ts";
import { faultsOf } from "./sound.ts";

/** The plan document, whose parts go together. */
export const planSchema = z.strictObject(planShape).superRefine((value, context) => {
  for (const { path, message } of faultsOf(value)) {
    context.addIssue({ code: "custom", path: [...path], message });
  }
});

/**
 * A plan from a JSON value, defaults filled in. Throws `plan-invalid` with every fault and where in
 * the document it stands.
 */
export function parsePlan(value: unknown): Plan {
  const result = planSchema.safeParse(value);
  if (result.success) return result.data;
  const faults = [...new Set(result.error.issues.map((issue) => `${pathWords(issue.path)}: ${issue.message}`))];
  throw new SieveError("plan-invalid", `The plan has ${faults.length === 1 ? "a fault" : `${faults.length} faults`}.`, {
    detail: faults.slice(0, 20).join("\n"),
    hint: "Mend the plan; docs/plan.schema.json describes it.",
  });
}

function pathWords(path: readonly PropertyKey[]): string {
  return path.length === 0 ? "plan" : path.map(String).join(".");
}

/** The JSON Schema (draft 2020-12) of the plan document, made from the same declaration. */
export function planJsonSchema(): object {
  return {
    ...z.toJSONSchema(planSchema, { io: "input" }),
    title: "Good Sieve plan",
    description: "How a feed is read, mapped, cleansed, checked and loaded.",
  };
}
