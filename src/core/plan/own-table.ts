import { z } from "zod";
import { quoted } from "../kernel/problem.ts";
import { typePart } from "../type/index.ts";
import { valueOfText } from "../type/of-text.ts";
import type { Field } from "../field/field.ts";
import { plainNameSchema } from "./name.ts";

/** What a table that Good Sieve makes has beside its columns. */
export const ownTableShape = {
  indexes: z
    .array(z.array(plainNameSchema).min(1).max(8))
    .max(20)
    .optional()
    .describe("Of a table that Good Sieve makes: by which fields others look its rows up, beside the key"),
  defaults: z
    .record(plainNameSchema, z.string().min(1).max(1000))
    .optional()
    .describe(
      "Of a table that Good Sieve makes, by field: what the database has there in a row that others add without it; a load fills every field itself",
    ),
};
export type OwnTable = z.infer<z.ZodObject<typeof ownTableShape>>;

/** What is wrong with it, but for names that are none of the table's: where, and words. `schema`: of a table that was there before. */
export function ownTableFaults(
  { indexes = [], defaults = {}, schema }: OwnTable & { readonly schema?: string | undefined },
  field: (name: string) => Field | undefined,
): { at: keyof OwnTable; message: string }[] {
  const faults: { at: keyof OwnTable; message: string }[] = [];
  const fail = (at: keyof OwnTable, message: string): void => void faults.push({ at, message });
  if (new Set(indexes.map((fields) => JSON.stringify(fields))).size < indexes.length)
    fail("indexes", "Two indexes are the same.");
  if (indexes.some((fields) => new Set(fields).size < fields.length)) fail("indexes", "An index has a field once.");
  if (indexes.length > 0 && schema !== undefined)
    fail("indexes", "The indexes of a table that was there before are for its owner to make.");
  for (const [name, text] of Object.entries(defaults)) {
    const of = field(name);
    if (of && valueOfText(of, text) === null)
      fail("defaults", `${quoted(text)} is not ${typePart(of.type).noun}, which ${name} has to be.`);
  }
  if (Object.keys(defaults).length > 0 && schema !== undefined)
    fail("defaults", "The defaults of a table that was there before are for its owner to set.");
  return faults;
}

/** The defaults of a table's columns with another for one of them, or none; undefined where none is left. */
export function withDefault(
  defaults: NonNullable<OwnTable["defaults"]>,
  name: string,
  text: string | undefined,
): OwnTable["defaults"] {
  const { [name]: _, ...others } = defaults;
  const next = text === undefined ? others : { ...others, [name]: text };
  return Object.keys(next).length > 0 ? next : undefined;
}

/** What a table still has without one of its columns: an index over one that goes is not one over the others. */
export function withoutColumn({ indexes = [], defaults = {} }: OwnTable, name: string): OwnTable {
  const left = indexes.filter((fields) => !fields.includes(name));
  const given = withDefault(defaults, name, undefined);
  return { ...(left.length > 0 ? { indexes: left } : {}), ...(given ? { defaults: given } : {}) };
}
