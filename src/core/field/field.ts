import { z } from "zod";
import { unionOf } from "../kernel/union.ts";
import { plainNameSchema } from "../plan/name.ts";
import { ON_FAILURE } from "../plan/types.ts";
import { TYPE_IDS, typePart, type TypeId } from "../type/index.ts";
import type { Typed } from "../type/typed.ts";
import { CHECK_OPTIONS, checkPart, FIELD_CHECKS } from "./checks/index.ts";

export const nameSchema = plainNameSchema.describe(
  "Lower-case letters, digits and underscores, beginning with a letter",
);

const onFailure = z.enum(ON_FAILURE);

/** What every field may have, of whatever type; its type adds properties of its own. */
const fieldShape = {
  name: nameSchema,
  type: z.enum(TYPE_IDS),
  title: z.string().max(120).optional().describe("What people call it"),
  also: z.array(z.string().min(1).max(200)).max(100).optional().describe("Other names that its column has had"),
  ...CHECK_OPTIONS,
  on_failure: z
    .union([onFailure, z.partialRecord(z.enum(FIELD_CHECKS), onFailure)])
    .optional()
    .describe("What happens when a check fails: for all checks of the field, or one by one; hold unless said"),
};

type OfEveryType = z.infer<z.ZodObject<typeof fieldShape>>;

/** A field of the contract; which of the types' properties may be there depends on its type. */
export type Field = OfEveryType & Omit<Typed, keyof OfEveryType>;

function fieldOf<Id extends TypeId>(id: Id): z.ZodObject {
  const { name, type: _, ...common } = fieldShape;
  return z.strictObject({ name, type: z.literal(id), ...typePart(id).options, ...common });
}

export const fieldSchema = unionOf<Field>("type", TYPE_IDS.map(fieldOf)).superRefine((f, context) => {
  const fail = (path: string, message: string | null | undefined): void => {
    if (message) context.addIssue({ code: "custom", path: [path], message });
  };
  fail("type", typePart(f.type).fault?.(f));
  for (const id of FIELD_CHECKS) {
    const part = checkPart(id);
    const [option] = Object.keys(part.options);
    if (option !== undefined && part.asked(f)) fail(option, part.misfit?.(f) ?? part.fault?.(f));
  }
});
