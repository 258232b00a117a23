import { z } from "zod";
import { patternSchema } from "../kernel/pattern.ts";
import { TYPE_IDS, type TYPES, type TypeId } from "../type/index.ts";
import { limits, type TypePart } from "../type/part.ts";
import { plainNameSchema } from "./name.ts";
import { FIELD_CHECKS, ON_FAILURE } from "./types.ts";

export const nameSchema = plainNameSchema.describe(
  "Lower-case letters, digits and underscores, beginning with a letter",
);

const onFailure = z.enum(ON_FAILURE);

/** What every field may have, of whatever type; its type adds properties of its own. */
export const fieldShape = {
  name: nameSchema,
  type: z.enum(TYPE_IDS),
  title: z.string().max(120).optional().describe("What people call it"),
  also: z.array(z.string().min(1).max(200)).max(100).optional().describe("Other names that its column has had"),
  required: z.boolean().optional().describe("It must not be empty"),
  unique: z.boolean().optional().describe("No two records of one load have the same value"),
  ...limits,
  pattern: patternSchema.optional().describe("A pattern (RE2) that the value must contain; ^ and $ for all of it"),
  on_failure: z
    .union([onFailure, z.partialRecord(z.enum(FIELD_CHECKS), onFailure)])
    .optional()
    .describe("What happens when a check fails: for all checks of the field, or one by one; hold unless said"),
};

type OptionsOfType<Part> = Part extends TypePart<infer Options> ? Options : never;
type Options = OptionsOfType<(typeof TYPES)[TypeId]>;
type NameOf<O> = O extends unknown ? keyof O : never;
type ValueOf<O, Name> = O extends unknown ? (Name extends keyof O ? O[Name] : never) : never;

/** A field of the contract; which of the types' properties may be there depends on its type. */
export type Field = z.infer<z.ZodObject<typeof fieldShape>> & {
  [Name in Exclude<NameOf<Options>, keyof typeof fieldShape>]?: ValueOf<Options, Name> | undefined;
};
