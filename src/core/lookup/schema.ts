import { z } from "zod";
import type { Unchanging } from "../kernel/unchanging.ts";
import { plainNameSchema } from "../plan/name.ts";
import { TEXT_KINDS, type TextKind } from "../match/part.ts";

const name = plainNameSchema;
const column = z.string().min(1).max(200);
const onFailure = ["hold", "note", "stop", "pass"] as const;
export type LookUpPolicy = (typeof onFailure)[number];
/** What can be done with a record that has no partner; propose: an entry for it is proposed to who keeps the list. */
export const ON_NONE = [...onFailure, "propose"] as const;
export type NonePolicy = (typeof ON_NONE)[number];

/** How a scored look-up compares a field with a column. */
export const SCORED_BY = ["person", "words", "edit", "jaro-winkler", "q-gram"] as const;

const common = {
  name: z
    .string()
    .min(1)
    .max(60)
    .regex(/^[^:+]*$/, "A look-up's name has no : and no +.")
    .describe("What is looked up, in a word or two"),
  list: name.describe("The reference list, or what the file is called by that is the list"),
  file: z
    .string()
    .min(1)
    .max(200)
    .optional()
    .describe("The list is a file of the same delivery, by its name; * stands for anything"),
  bring: z.record(name, column).default({}).describe("By field: the column of the partner whose value it gets"),
  only: z
    .record(column, z.array(z.string().max(200)).min(1).max(200))
    .optional()
    .describe("By column: values that an entry must have one of to be asked for"),
  on: name.optional().describe("A date field: only entries that hold on its day are asked for"),
  none: z
    .enum(ON_NONE)
    .default("hold")
    .describe(
      "What is done with a record that has no partner; pass: it goes on, and is only counted; propose: it goes on, and an entry is proposed",
    ),
  several: z.enum(onFailure).default("hold").describe("What is done with a record that fits several entries"),
  default: z.record(name, z.string().max(1000)).optional().describe("By field: what it gets without a partner"),
};

const exactBy = z
  .array(z.strictObject({ field: name, column }))
  .min(1)
  .max(8);

const exactSchema = z.strictObject({
  how: z.literal("exact"),
  ...common,
  by: exactBy.describe("The fields and the columns that must be the same"),
  same: z
    .enum(["exactly", "but for case, accents and marks"])
    .optional()
    .describe("When two values are the same; but for case, accents and marks unless said"),
});

const scoredSchema = z.strictObject({
  how: z.literal("scored"),
  ...common,
  by: z
    .array(
      z.strictObject({
        field: name,
        column,
        compare: z.enum(SCORED_BY).default("words").describe("The comparator"),
        as: z.enum(TEXT_KINDS).optional().describe("What the text is, for what does not matter in it"),
      }),
    )
    .min(1)
    .max(8)
    .describe("The fields and the columns that are compared; the score is the mean of their likeness"),
  least: z
    .number()
    .min(1)
    .max(100)
    .optional()
    .describe(
      "The least score, of 100, of a partner; estimated from how near the list's entries are to each other unless said",
    ),
  lead: z
    .number()
    .min(0)
    .max(100)
    .optional()
    .describe("How far the best must be ahead of the next; estimated from the list unless said"),
  score_in: name.optional().describe("A field that gets the score"),
  lead_in: name.optional().describe("A field that gets the lead"),
});

const rangeSchema = z.strictObject({
  how: z.literal("range"),
  ...common,
  field: name.describe("A date or a number"),
  from: column.describe("The column with the beginning of each entry's range"),
  to: column.describe("The column with its end, which is in it; empty: no end"),
  by: exactBy.optional().describe("Fields and columns that must be the same as well"),
});

export const lookUpSchema = z.discriminatedUnion("how", [exactSchema, scoredSchema, rangeSchema]);

export type ExactLookUp = Unchanging<z.infer<typeof exactSchema>>;
export type ScoredLookUp = Unchanging<z.infer<typeof scoredSchema>>;
export type RangeLookUp = Unchanging<z.infer<typeof rangeSchema>>;
export type LookUp = ExactLookUp | ScoredLookUp | RangeLookUp;

/** Names of the lists that are kept, and not files of the delivery. */
export function keptLists(lookUps: readonly LookUp[]): string[] {
  return [...new Set(lookUps.flatMap((l) => (l.file === undefined ? [l.list] : [])))];
}

/** Every field that a look-up asks about or fills. */
export function lookUpFields(l: LookUp): { asks: string[]; fills: string[] } {
  const asks = [...(l.by ?? []).map((b) => b.field), ...(l.how === "range" ? [l.field] : []), ...(l.on ? [l.on] : [])];
  const fills = [...Object.keys(l.bring), ...(l.how === "scored" ? [l.score_in, l.lead_in] : [])];
  return { asks, fills: fills.filter((f): f is string => f !== undefined) };
}

/** Fields and their columns as a look-up by score has them; `as` where both hold what is known by several names. */
export function byLikeness(
  pairs: readonly { readonly field: string; readonly column: string; readonly as?: TextKind }[],
): ScoredLookUp["by"] {
  return pairs.map(({ field, column, as }) => ({ field, column, compare: "words", ...(as && { as }) }));
}
