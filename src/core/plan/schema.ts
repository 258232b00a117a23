import { z } from "zod";
import { namedFormulasSchema } from "../formula/named.ts";
import { gateSchema } from "../gate/index.ts";
import { SieveError } from "../kernel/problem.ts";
import { lookUpSchema } from "../lookup/schema.ts";
import { matchSchema } from "../match/schema.ts";
import { readSectionSchema } from "../read/schema.ts";
import { afterSchema } from "./after.ts";
import type { Plan } from "./document.ts";
import { parameterSchema } from "./parameters.ts";
import { checkSchema, fieldSchema, loadSchema, mapSchema, nameSchema, stepSchema } from "./sections.ts";
import { senderOfSchema } from "./senders.ts";
import { faultsOf } from "./sound.ts";
import { PLAN_FORMAT } from "./types.ts";

/** The plan document, sections in the order of a load's course. */
export const planSchema = z
  .strictObject({
    format: z.literal(PLAN_FORMAT),
    feed: nameSchema,
    read: readSectionSchema,
    senders: z
      .array(senderOfSchema)
      .max(200)
      .optional()
      .describe("Who sends a delivery of which nobody has said, by the names of its files; the first that fits"),
    sender_field: nameSchema
      .optional()
      .describe(
        "The field that says whose a record is; where its cell is empty or not sound, it is of whoever sent the delivery",
      ),
    map: mapSchema.default({ extra: "note" }),
    formulas: namedFormulasSchema
      .optional()
      .describe("The named formulas that it uses, as they were when it was saved"),
    parameters: z
      .array(parameterSchema)
      .max(20)
      .optional()
      .describe("Values that a run may be given, which formulas ask by name and brackets: since()"),
    contract: z.strictObject({ fields: z.array(fieldSchema).min(1).max(1500) }),
    cleanse: z.array(stepSchema).max(500).default([]),
    check: z.array(checkSchema).max(500).default([]),
    lookup: z
      .array(lookUpSchema)
      .max(50)
      .optional()
      .describe("What is looked up in reference lists, and which fields it fills"),
    match: matchSchema
      .optional()
      .describe("How records that are one thing in the world are found, and what is made of them"),
    load: loadSchema,
    gates: z
      .array(gateSchema)
      .default([{ limit: "held share", over: 0.2 }, { limit: "nothing read" }, { limit: "required column missing" }]),
    after: z.array(afterSchema).max(20).optional().describe("What is done when a load has ended"),
  })
  .superRefine((value, context) => {
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
