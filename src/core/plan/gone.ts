import { z } from "zod";
import { plainNameSchema } from "./name.ts";

const within = z
  .array(plainNameSchema)
  .min(1)
  .max(8)
  .optional()
  .describe(
    "Only rows that have, in these fields, values that came in the delivery: the rows of one partner, one month",
  );
const unsure = z
  .enum(["leave", "go on"])
  .default("leave")
  .describe(
    "Where records are held whose key is not known, any row may be theirs: leave all rows as they are, or go on all the same",
  );
const at_most = z
  .number()
  .min(0)
  .max(1)
  .default(0.1)
  .describe("A greater share of the rows that would be gone stops the load, as a gate");

/** What becomes of rows of the target whose key no longer comes, where each delivery is all there is. */
export const goneSchema = z.discriminatedUnion("do", [
  z.strictObject({ do: z.literal("remove").describe("The row is taken away"), within, unsure, at_most }),
  z.strictObject({
    do: z.literal("mark").describe("A field gets the day of the load; it is cleared again when the key comes again"),
    field: plainNameSchema.describe("A field of the type date, which no column needs to bring"),
    within,
    unsure,
    at_most,
  }),
]);
export type Gone = z.infer<typeof goneSchema>;

/** The field in which rows are marked that no longer come; undefined where none is. */
export const goneField = ({ gone }: { readonly gone?: Gone | undefined }): string | undefined =>
  gone?.do === "mark" ? gone.field : undefined;

/** The fields that it speaks of, with where in the document. */
export const goneFields = (gone: Gone): { readonly name: string; readonly at: string }[] => [
  ...(gone.do === "mark" ? [{ name: gone.field, at: "field" }] : []),
  ...(gone.within ?? []).map((name) => ({ name, at: "within" })),
];

/** What becomes of such rows, in words. */
export function goneWords(gone: Gone): string {
  const which = gone.within ? ` of the same ${gone.within.join(" and ")}` : "";
  return gone.do === "remove"
    ? `rows${which} that no longer come are removed`
    : `rows${which} that no longer come are marked in ${gone.field}`;
}
