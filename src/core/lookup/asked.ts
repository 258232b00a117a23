import { z } from "zod";
import { plainNameSchema } from "../plan/name.ts";

/** Where a list is kept by another system, which is asked for it as it is whenever a load needs it. */
export const askedSchema = z.union([
  z
    .strictObject({
      connection: plainNameSchema.describe("The connection to the other database"),
      sql: z.string().min(1).max(20_000).describe("One query; its columns are those of the list"),
    })
    .describe("By a query of another database"),
  z
    .strictObject({
      table: z
        .string()
        .regex(/^[A-Za-z_][A-Za-z0-9_$]{0,62}\.[A-Za-z_][A-Za-z0-9_$]{0,62}$/)
        .describe("A table of the database that the application works in, with its schema"),
    })
    .describe("A table as it is"),
]);
export type Asked = z.infer<typeof askedSchema>;

/** Where a list is asked, in words. */
export function askedWords(asked: Asked): string {
  return "table" in asked ? `the table ${asked.table}` : `a query on ${asked.connection}`;
}
