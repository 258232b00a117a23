import { z } from "zod";
import { formulaSchema } from "../formula/schema.ts";
import { copiesSchema } from "./copies.ts";
import { ownTableShape } from "./own-table.ts";
import { othersSchema, plainNameSchema, sqlNameSchema } from "./name.ts";

/** What becomes of the values of many records in the one row that they make. */
export const TAKES = ["first", "last", "least", "most", "sum", "count"] as const;
export type Takes = (typeof TAKES)[number];

/** Types of a value that another table hands on. */
const HANDED_TYPES = ["integer", "uuid", "text"] as const;

const handedSchema = z
  .strictObject({
    target: sqlNameSchema.describe("The table, one of this plan's that is written earlier"),
    column: sqlNameSchema.describe("The column whose value is taken"),
    type: z.enum(HANDED_TYPES).optional().describe("Its type, where the plan does not tell it; integer unless said"),
  })
  .describe("The value that a row of another table has: the one that has the key which the record gives it");
export type Handed = z.infer<typeof handedSchema>;

const furtherFieldSchema = z.strictObject({
  name: plainNameSchema.describe("The column"),
  of: plainNameSchema.optional().describe("The field of the record that it has; the one of its own name unless said"),
  takes: z
    .enum(TAKES)
    .optional()
    .describe("Where many records make one row: which of their values it has, or what they come to; first unless said"),
  handed: handedSchema.optional(),
});
export type FurtherField = z.infer<typeof furtherFieldSchema>;

export const FURTHER_MODES = ["append", "replace", "upsert", "insert only", "update only", "history"] as const;

const validSchema = z.strictObject({
  from: plainNameSchema.describe("The column with the day from which a row holds"),
  until: plainNameSchema.describe("The column with the day until which it held; empty in the row that holds now"),
});
export type Valid = z.infer<typeof validSchema>;

export const furtherSchema = z.strictObject({
  target: sqlNameSchema.describe("The table"),
  schema: othersSchema
    .optional()
    .describe("Its schema, where it was there before; left out, the table is made and kept by Good Sieve"),
  turn: z
    .enum(["before", "after"])
    .default("after")
    .describe("Whether it is written before the plan's own target, as a table that this refers to, or after it"),
  where: formulaSchema.optional().describe("A formula that is true for the records that go there; all go unless said"),
  each: plainNameSchema.optional().describe("A field of the type list: each of its values makes a row"),
  rows: z
    .enum(["record", "key"])
    .default("record")
    .describe("A row for each record, or one for all that have the same key"),
  fields: z
    .array(furtherFieldSchema)
    .min(1)
    .max(500)
    .optional()
    .describe("Its columns; all fields of the contract unless said"),
  numbered: plainNameSchema
    .optional()
    .describe("A column by which the database numbers the rows, in a table that Good Sieve makes"),
  key: z.array(plainNameSchema).max(32).default([]).describe("The columns that tell one row from another"),
  mode: z
    .enum(FURTHER_MODES)
    .default("upsert")
    .describe("How rows are written; history: where something changed a new row holds from the day of the load on"),
  copies: copiesSchema,
  ...ownTableShape,
  valid: validSchema.optional().describe("The columns of a history; valid_from and valid_until unless said"),
});
export type Further = z.infer<typeof furtherSchema>;

/** The fields of the plan's own target that other tables hand on. */
export const takenFromSchema = z.strictObject({
  field: plainNameSchema.describe("The field, which no column needs to bring"),
  from: handedSchema,
});
export type TakenFrom = z.infer<typeof takenFromSchema>;
