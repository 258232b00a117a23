import { z } from "zod";
import { namedFormulasSchema } from "../formula/named.ts";
import { gateSchema } from "../gate/index.ts";
import { unchanging } from "../kernel/union.ts";
import { lookUpSchema } from "../lookup/schema.ts";
import { matchSchema } from "../match/schema.ts";
import { readSectionSchema } from "../read/schema.ts";
import { afterSchema } from "./after.ts";
import { fieldSchema, nameSchema } from "../field/field.ts";
import { parameterSchema } from "./parameters.ts";
import { checkSchema, loadSchema, mapSchema, stepSchema } from "./sections.ts";
import { senderOfSchema } from "./senders.ts";
import { PLAN_FORMAT } from "./types.ts";

/** The sections of a plan, in the order of a load's course. */
export const planShape = {
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
  formulas: unchanging(namedFormulasSchema)
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
    .array(unchanging(lookUpSchema))
    .max(50)
    .optional()
    .describe("What is looked up in reference lists, and which fields it fills"),
  match: unchanging(matchSchema)
    .optional()
    .describe("How records that are one thing in the world are found, and what is made of them"),
  load: loadSchema,
  gates: z
    .array(gateSchema)
    .default([{ limit: "held share", over: 0.2 }, { limit: "nothing read" }, { limit: "required column missing" }]),
  after: z.array(afterSchema).max(20).optional().describe("What is done when a load has ended"),
};
