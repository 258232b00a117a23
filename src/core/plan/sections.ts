import { z } from "zod";
import { betweenSchemas, type BetweenCheck } from "../check/between/index.ts";
import { checkMessage, checkName } from "../check/said.ts";
import { STEP_IDS, stepPart } from "../cleanse/index.ts";
import { formulaSchema } from "../formula/schema.ts";
import { unionOf } from "../kernel/union.ts";
import { arrivingSchema } from "./arriving.ts";
import { copiesSchema } from "./copies.ts";
import { furtherSchema, takenFromSchema } from "./further-schema.ts";
import { goneSchema } from "./gone.ts";
import { othersSchema, sqlNameSchema } from "./name.ts";
import { ownTableShape } from "./own-table.ts";
import { nameSchema } from "../field/field.ts";
import { ON_FAILURE } from "./types.ts";

const onFailure = z.enum(ON_FAILURE);

/** What every step has. */
const stepShape = {
  do: z.enum(STEP_IDS),
  in: z.union([z.literal("*"), z.array(nameSchema).min(1)]).describe("The fields it works on, or * for all of them"),
  off: z.boolean().optional().describe("It is passed over for the time being"),
};

/** A step of the plan; `do` says which part, the other properties are that part's options. */
export type Step = z.infer<z.ZodObject<typeof stepShape, z.core.$loose>>;

export const stepSchema = unionOf<Step>(
  "do",
  STEP_IDS.map((id) => z.strictObject({ ...stepShape, do: z.literal(id), ...stepPart(id).options })),
);

/** How columns meet fields, and what happens where they don't. */
export const mapSchema = z.strictObject({
  extra: z
    .enum(["keep", "leave", "note", "hold", "stop"])
    .default("note")
    .describe("What to do with columns that no field takes; keep: take them along as JSON in the column _extra"),
  missing: z.enum(["note", "hold", "stop"]).optional().describe("What to do where a field's column is missing"),
  reordered: z
    .enum(["leave", "note", "hold", "stop"])
    .optional()
    .describe("What to do where columns stand in another order than in the sender's delivery before"),
  retyped: z
    .enum(["note", "hold", "stop"])
    .optional()
    .describe("What to do where much of what comes in a field is not of its type"),
  codes: z
    .enum(["leave", "note", "hold", "stop"])
    .optional()
    .describe("What to do where a code field gets values again and again that are not in its list"),
});

/** That the values of some fields together are given once in a load. */
const uniqueSchema = z.strictObject({
  check: z.literal("unique"),
  in: z.array(nameSchema).min(2).describe("The fields whose values together are given once"),
  on_failure: onFailure.default("hold"),
});
export type UniqueCheck = z.infer<typeof uniqueSchema>;

/** A check by a formula: over a record, or over cells one by one. */
export const ruleSchema = z.strictObject({
  name: checkName,
  that: formulaSchema.describe("A formula that is true for a good record"),
  in: z.array(nameSchema).min(1).optional().describe("The fields whose cells it is about, one by one, as `it`"),
  message: checkMessage.optional(),
  from_set: z
    .strictObject({ name: nameSchema, version: z.int().min(1) })
    .optional()
    .describe("The set of checks that it was taken from"),
  on_failure: onFailure.default("hold"),
});
export type RuleCheck = z.infer<typeof ruleSchema>;

/** A check of the plan's own section: over several fields, between records, or by formula. */
export const checkSchema = z.union([uniqueSchema, ...betweenSchemas(), ruleSchema]);
export type PlanCheck = UniqueCheck | BetweenCheck | RuleCheck;

/** Where good records go, and what they may do there. */
export const loadSchema = z.strictObject({
  target: sqlNameSchema.describe("The table that good records go to"),
  schema: othersSchema
    .optional()
    .describe("The schema of a target that was there before; left out, the target is made and kept by Good Sieve"),
  key: z
    .array(nameSchema)
    .max(32)
    .default([])
    .describe("The fields that together tell one record of the target from another"),
  whole_record: z
    .boolean()
    .optional()
    .describe("There is no key: a record that the target has already, alike in all fields, is not written again"),
  mode: z.enum(["append", "replace", "upsert"]).default("append"),
  only: z
    .enum(["insert", "update"])
    .optional()
    .describe(
      "Of an upsert by a key: insert, where rows that are there stay as they are; or update, where records whose key has no row are held",
    ),
  slice: z
    .string()
    .max(600)
    .optional()
    .describe(
      "Of a replacement: only the rows of this feed that have, in these fields, what came, such as `partner,collected_on:month`; days by year, month or day",
    ),
  arriving: arrivingSchema.optional(),
  gone: goneSchema
    .optional()
    .describe("Each delivery is all there is: what becomes of rows whose key no longer comes; they stay unless said"),
  undo: z
    .boolean()
    .optional()
    .describe("Keep rows as they were before a load changes them, so that it can be undone; yes unless said"),
  further: z
    .array(furtherSchema)
    .min(1)
    .max(20)
    .optional()
    .describe("Tables that are written beside the target, in this order and in the same transaction"),
  copies: copiesSchema,
  taken_from: z
    .array(takenFromSchema)
    .max(20)
    .optional()
    .describe("Fields of the target that have a value of a row of a further target which is written before it"),
  without: z
    .array(nameSchema)
    .min(1)
    .max(1000)
    .optional()
    .describe(
      "Fields that the target has no column of: they are checked like all others, and go to further targets and files",
    ),
  held_in: nameSchema
    .optional()
    .describe(
      "A view in the schema of targets that shows others of the database what is held, as it is at each moment",
    ),
  ...ownTableShape,
  comments: z
    .boolean()
    .optional()
    .describe("Of a table that Good Sieve makes: each column has its field's title as its comment in the database"),
  held_days: z
    .int()
    .min(1)
    .max(365)
    .optional()
    .describe("Days after which a held record should have been worked on; past them it is late, which Today says"),
  numbered: nameSchema
    .optional()
    .describe("A column by which the database numbers the rows, in a table that Good Sieve makes"),
});
