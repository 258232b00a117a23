import { SURVIVORSHIP, type Survivorship } from "./keep/index.ts";
import { z } from "zod";
import { formulaSchema } from "../formula/schema.ts";
import { unionOf } from "../kernel/union.ts";
import type { Unchanging } from "../kernel/unchanging.ts";
import { plainNameSchema } from "../plan/name.ts";
import { COMPARATOR_IDS, comparatorPart, type ComparatorId } from "./compare/index.ts";
import type { TextOptions } from "./part.ts";

const name = plainNameSchema;

/** What is said of each thing that is compared, however that is done. */
const comparedShape = {
  in: z.array(name).min(1).max(8).describe("The field; several are put together with a space"),
  by: z.enum(COMPARATOR_IDS),
  shared: z
    .boolean()
    .optional()
    .describe(
      "Whether records that are not the same may have it in common, as people of one household have their address; addresses, places and countries may unless it is said",
    ),
  weights: z
    .array(z.number().min(-60).max(60))
    .optional()
    .describe("Bits of evidence for each level, from equal to different; estimated from the data unless set"),
};

/** One thing that is compared: a field, or several put together, and how; what else it has are options of its comparator. */
export type MatchField = Unchanging<z.infer<z.ZodObject<typeof comparedShape, z.core.$loose>>>;

/** The settings of a field's comparator. */
export function comparatorOptions({
  in: _,
  by: __,
  weights: ___,
  shared: ____,
  ...options
}: MatchField): Readonly<Record<string, unknown>> {
  return options;
}

/** What is said of a field, or else is so of addresses, places and countries. */
export function mayBeShared({ by, shared, ...options }: MatchField): boolean {
  const { as } = options as TextOptions;
  return shared ?? (by === "address" || by === "distance" || as === "place" || as === "country");
}

export const MATCH_AGAINST = ["delivery", "target", "list"] as const;

/** The fields that a match fills itself. */
export function filledByMatch({ score_in, lead_in }: Pick<MatchSection, "score_in" | "lead_in">): string[] {
  return [score_in, lead_in].filter((f) => f !== undefined);
}

/** What is compared of a record: the field's value, or several put together with a space, those that are there. */
export function comparedText({ in: names }: Pick<MatchField, "in">, valueOf: (name: string) => string): string {
  return names
    .map(valueOf)
    .filter((v) => v !== "")
    .join(" ");
}

/** What is compared, by the names of its fields. */
export function comparedNames({ fields }: Pick<MatchSection, "fields">): string[] {
  return fields.map((f) => f.in.join(" + "));
}

/** Gives what is compared of a record, by match field, from its values in the order of the plan's fields. */
export function comparedOf(
  section: Pick<MatchSection, "fields">,
  fields: readonly { readonly name: string }[],
): (values: readonly string[]) => string[] {
  const at = new Map(fields.map((f, i) => [f.name, i]));
  return (values) => section.fields.map((f) => comparedText(f, (name) => values[at.get(name)!]!));
}

/** The rule of each field: its own, that of all others, or what suits the rest of the section. */
export function keepRules(section: MatchSection, fields: readonly { readonly name: string }[]): Survivorship[] {
  const other = keepOthers(section);
  return fields.map((f) => section.keep?.[f.name] ?? other);
}

/** The rule for fields that have none of their own. */
export function keepOthers(section: MatchSection): Survivorship {
  return section.keep?.["*"] ?? (section.recent ? "recent" : "complete");
}

/** The limits of a match; what is left out follows from the data. */
const limitsSchema = z
  .strictObject({
    same: z
      .number()
      .min(0)
      .max(100)
      .optional()
      .describe("From this score on two records are the same; follows from the data unless set"),
    ask: z
      .number()
      .min(0)
      .max(100)
      .optional()
      .describe("From this score on a person is asked; follows from the data unless set"),
    precision: z
      .number()
      .min(0.5)
      .max(0.9999)
      .optional()
      .describe(
        "The share of what is joined that is to be the same, where same is left out: 0.995 unless set, and a little less where that would leave much undone",
      ),
    lead: z
      .number()
      .min(0)
      .max(100)
      .optional()
      .describe("How far the best candidate must be ahead of the next; a person is asked where it is not"),
  })
  .refine(
    (l) => l.ask === undefined || l.same === undefined || l.ask <= l.same,
    "The limit for asking can't be above the limit for the same.",
  );
export type MatchLimits = Unchanging<z.infer<typeof limitsSchema>>;

/** The settings of what is compared by one comparator, which says how many levels it tells apart. */
function comparedBy(id: ComparatorId): z.ZodObject {
  const { by: _, weights, ...common } = comparedShape;
  const { options, levels } = comparatorPart(id);
  const bits = weights.unwrap().length(levels.length + 2);
  return z.strictObject({
    ...common,
    by: z.literal(id),
    ...options,
    weights: bits.optional().describe(weights.description!),
  });
}

/** What is compared with what, from which score on it is the same, and what is kept of it. */
export const matchSchema = z.strictObject({
  against: z
    .array(z.enum(MATCH_AGAINST))
    .min(1)
    .default(["delivery"])
    .describe(
      "What records are compared with: the others of the delivery, the target, a reference list, or some of these",
    ),
  list: z
    .strictObject({
      name: name.describe("The reference list"),
      columns: z
        .record(z.string().min(1).max(200), name)
        .optional()
        .describe("By column of the list: the field that it is; columns are the fields of their names unless said"),
    })
    .optional()
    .describe("The list whose entries records are compared with; an entry is never changed"),
  fields: z
    .array(unionOf<MatchField>("by", COMPARATOR_IDS.map(comparedBy)))
    .min(1)
    .max(16),
  limits: limitsSchema.default({}),
  recent: name.optional().describe("The field by whose value one record is more recent than another"),
  trust: z
    .strictObject({
      field: name.describe("The field that tells whom a record is from"),
      order: z
        .array(z.string().min(1).max(1000))
        .min(1)
        .max(500)
        .describe("Its values, the most trusted first; others come last"),
    })
    .optional()
    .describe("Whom to trust, for the fields whose rule is trusted"),
  rank: formulaSchema
    .optional()
    .describe("A formula, for the fields whose rule is ranked: of two records the one for which it gives more"),
  score_in: name
    .optional()
    .describe("The field of what is kept that gets the least score by which its records were joined, from 0 to 100"),
  lead_in: name
    .optional()
    .describe(
      "The field that gets how far that was ahead of the next candidate, at the least; empty where there was none",
    ),
  keep: z
    .record(z.union([z.literal("*"), name]), z.enum(SURVIVORSHIP))
    .optional()
    .describe("By field, or * for all others: whose value the kept record has"),
});
export type MatchSection = Unchanging<z.infer<typeof matchSchema>>;
