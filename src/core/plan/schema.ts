import { afterFault, afterSchema, type AfterAction } from "./after.ts";
import { z } from "zod";
import { limitBytes } from "../check/limit.ts";
import { FIELD_CHECKS, ON_FAILURE, PLAN_FORMAT, type Field } from "./types.ts";
import { STEP_IDS, stepFormulas, stepPart, type StepId } from "../cleanse/index.ts";
import { patternSchema } from "../kernel/pattern.ts";
import { fieldsOf, gateFault, gateSchema, type Gate } from "../gate/index.ts";
import { unionOf } from "../kernel/union.ts";
import { compileFormula } from "../formula/compile.ts";
import { listsIn } from "../formula/lists.ts";
import { tryNamed } from "../formula/try-named.ts";
import { namedFormulasSchema, type NamedFormulas } from "../formula/named.ts";
import { formulaSchema } from "../formula/schema.ts";
import { SieveError } from "../kernel/problem.ts";
import { lookUpFields, lookUpSchema, type LookUp } from "../lookup/schema.ts";
import { matchSchema, type MatchSection } from "../match/schema.ts";
import type { ReadOptions } from "../read/part.ts";
import { readSectionSchema } from "../read/settings.ts";
import { TYPE_IDS, typePart, type TypeId } from "../type/index.ts";
import { ALL_FIELDS, arrivingOf, arrivingSchema } from "./arriving.ts";
import { plainNameSchema } from "./name.ts";
import { betweenFields, betweenPart, betweenSchemas, betweenTitle, type BetweenCheck } from "../check/between/index.ts";

const name = plainNameSchema.describe("Lower-case letters, digits and underscores, beginning with a letter");
const onFailure = z.enum(ON_FAILURE);

const limit = z.union([z.number(), z.string().min(1).max(60)]);

/** Schemas that hold no targets of others. */
export const OWN_SCHEMAS: readonly string[] = [
  "sieve",
  "staging",
  "target",
  "undo",
  "graphile_worker",
  "information_schema",
];

/** The properties that every field may have, of whatever type. */
const common = {
  title: z.string().max(120).optional().describe("What people call it"),
  also: z.array(z.string().min(1).max(200)).max(100).optional().describe("Other names that its column has had"),
  required: z.boolean().optional().describe("It must not be empty"),
  unique: z.boolean().optional().describe("No two records of one load have the same value"),
  least: limit.optional().describe("The least value allowed"),
  most: limit.optional().describe("The greatest value allowed"),
  pattern: patternSchema.optional().describe("A pattern (RE2) that the value must contain; ^ and $ for all of it"),
  on_failure: z
    .union([onFailure, z.partialRecord(z.enum(FIELD_CHECKS), onFailure)])
    .optional()
    .describe("What happens when a check fails: for all checks of the field, or one by one; hold unless said"),
};

function fieldOf<Id extends TypeId>(id: Id): z.ZodObject {
  return z.strictObject({ name, type: z.literal(id), ...typePart(id).options, ...common });
}

const field = unionOf<Field>("type", TYPE_IDS.map(fieldOf)).superRefine((f, context) => {
  const fail = (path: string, message: string): void => context.addIssue({ code: "custom", path: [path], message });
  const part = typePart(f.type);
  const fault = part.fault?.(f);
  if (fault) fail("type", fault);
  if (f.pattern !== undefined && f.type !== "text" && f.type !== "code") {
    fail("pattern", `A pattern is for text and codes, not for the type ${f.type}.`);
  }
  const order = part.order(f);
  for (const side of ["least", "most"] as const) {
    if (f[side] === undefined) continue;
    if (order === null)
      fail(
        side,
        `${f.currency === undefined && f.type === "money" ? "An amount that names its own currency" : `The type ${f.type}`} has no order, so it can't have a ${side} value.`,
      );
    else if (!limitBytes(f, f[side])) fail(side, `${JSON.stringify(f[side])} is not a value of the type ${f.type}.`);
  }
});

const step = unionOf<Step>(
  "do",
  STEP_IDS.map((id) =>
    z.strictObject({
      do: z.literal(id),
      in: z.union([z.literal("*"), z.array(name).min(1)]).describe("The fields it works on, or * for all of them"),
      off: z.boolean().optional().describe("It is passed over for the time being"),
      ...stepPart(id).options,
    }),
  ),
);

/** A name that can stand in a check's key. */
const checkName = z
  .string()
  .min(1)
  .max(80)
  .regex(/^[^:+]*$/, "A check's name has no : and no +.")
  .describe("What holds when it passes, in a few words");

const words = z.string().max(500).describe("What is told to the sender; {field} stands for a value of the record");

/** How columns meet fields, and what happens where they don't. */
const mapSection = z.strictObject({
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
const uniqueCheck = z.strictObject({
  check: z.literal("unique"),
  in: z.array(name).min(2).describe("The fields whose values together are given once"),
  on_failure: onFailure.default("hold"),
});
export type UniqueCheck = z.infer<typeof uniqueCheck>;

/** A check by a formula: over a record, or over cells one by one. */
const ruleCheck = z.strictObject({
  name: checkName,
  that: formulaSchema.describe("A formula that is true for a good record"),
  in: z.array(name).min(1).optional().describe("The fields whose cells it is about, one by one, as `it`"),
  message: words.optional(),
  from_set: z
    .strictObject({ name, version: z.int().min(1) })
    .optional()
    .describe("The set of checks that it was taken from"),
  on_failure: onFailure.default("hold"),
});
export type RuleCheck = z.infer<typeof ruleCheck>;

/** Where good records go, and what they may do there. */
const loadSection = z.strictObject({
  target: z
    .string()
    .regex(/^[A-Za-z_][A-Za-z0-9_$]{0,62}$/)
    .describe("The table that good records go to"),
  schema: z
    .string()
    .regex(/^[A-Za-z_][A-Za-z0-9_$]{0,62}$/)
    .refine((s) => !OWN_SCHEMAS.includes(s) && !s.startsWith("pg_"), "This schema is not for targets.")
    .optional()
    .describe("The schema of a target that was there before; left out, the target is made and kept by Good Sieve"),
  key: z
    .array(name)
    .max(32)
    .default([])
    .describe("The fields that together tell one record of the target from another"),
  whole_record: z
    .boolean()
    .optional()
    .describe("There is no key: a record that the target has already, alike in all fields, is not written again"),
  mode: z.enum(["append", "replace", "upsert"]).default("append"),
  arriving: arrivingSchema.optional(),
  undo: z
    .boolean()
    .optional()
    .describe("Keep rows as they were before a load changes them, so that it can be undone; yes unless said"),
});

/** Why a field can't be filled by the match, or null. */
function unfitFor(
  plan: {
    readonly contract: { readonly fields: readonly Pick<Field, "name" | "type">[] };
    readonly load: { readonly key: readonly string[] };
    readonly match?: Pick<MatchSection, "fields"> | undefined;
  },
  name: string,
): string | null {
  const field = plan.contract.fields.find((f) => f.name === name);
  if (field && !["integer", "decimal", "number", "text"].includes(field.type))
    return "can't hold a score: it must be a number or a text.";
  if (plan.load.key.includes(name)) return "is of the key, which a match never changes.";
  if (plan.match?.fields.some((f) => f.in.includes(name))) return "is compared, so the match can't fill it as well.";
  return null;
}

/** The plan document, sections in the order of a load's course. */
export const planSchema = z
  .strictObject({
    format: z.literal(PLAN_FORMAT),
    feed: name,
    read: readSectionSchema,
    map: mapSection.default({ extra: "note" }),
    formulas: namedFormulasSchema
      .optional()
      .describe("The named formulas that it uses, as they were when it was saved"),
    contract: z.strictObject({ fields: z.array(field).min(1).max(1500) }),
    cleanse: z.array(step).max(500).default([]),
    check: z
      .array(
        z.union([
          uniqueCheck,
          ...betweenSchemas({ name: checkName.optional(), message: words.optional() }, onFailure),
          ruleCheck,
        ]),
      )
      .max(500)
      .default([]),
    lookup: z
      .array(lookUpSchema)
      .max(50)
      .optional()
      .describe("What is looked up in reference lists, and which fields it fills"),
    match: matchSchema
      .optional()
      .describe("How records that are one thing in the world are found, and what is made of them"),
    load: loadSection,
    gates: z
      .array(gateSchema)
      .default([{ limit: "held share", over: 0.2 }, { limit: "nothing read" }, { limit: "required column missing" }]),
    after: z.array(afterSchema).max(20).optional().describe("What is done when a load has ended"),
  })
  .superRefine((value, context) => {
    const plan = value as unknown as Plan;
    const names = new Set<string>();
    plan.contract.fields.forEach((f, i) => {
      if (names.has(f.name)) {
        context.addIssue({
          code: "custom",
          path: ["contract", "fields", i, "name"],
          message: `Two fields are called ${f.name}.`,
        });
      }
      names.add(f.name);
    });
    const known = (list: readonly string[], path: (string | number)[]): void => {
      for (const n of list) {
        if (!names.has(n)) context.addIssue({ code: "custom", path, message: `There is no field ${n}.` });
      }
    };
    plan.cleanse.forEach((s, i) => s.in !== "*" && known(s.in, ["cleanse", i, "in"]));
    const formula = (source: string, it: string | undefined, path: (string | number)[], wanted?: "bool"): void => {
      const at = it === undefined ? -1 : plan.contract.fields.findIndex((f) => f.name === it);
      try {
        const { type } = compileFormula(source, {
          fields: plan.contract.fields,
          it: at < 0 ? undefined : at,
          named: plan.formulas,
        });
        if (wanted && type !== wanted && type !== "dyn") {
          context.addIssue({ code: "custom", path, message: "The formula must be true or false." });
        }
      } catch (error) {
        context.addIssue({ code: "custom", path, message: (error as Error).message });
      }
    };
    for (const [name, own] of Object.entries(plan.formulas ?? {})) {
      try {
        const { [name]: _, ...others } = plan.formulas!;
        tryNamed(name, own, others);
      } catch (error) {
        context.addIssue({ code: "custom", path: ["formulas", name], message: (error as Error).message });
      }
    }
    const rules = new Set<string>();
    plan.check.forEach((c, i) => {
      if (isUnique(c)) return known(c.in, ["check", i, "in"]);
      const name = isBetween(c) ? betweenTitle(c) : c.name;
      if (rules.has(name)) {
        context.addIssue({ code: "custom", path: ["check", i, "name"], message: `Two checks are called ${name}.` });
      }
      rules.add(name);
      if (isBetween(c)) {
        known(betweenFields(c), ["check", i]);
        const fault = betweenPart(c.check).fault(c, (n) => plan.contract.fields.find((f) => f.name === n));
        if (fault) context.addIssue({ code: "custom", path: ["check", i], message: fault });
        return;
      }
      known(c.in ?? [], ["check", i, "in"]);
      for (const it of c.in ?? [undefined]) formula(c.that, it, ["check", i, "that"], "bool");
    });
    plan.cleanse.forEach((s, i) => {
      const part = stepPart(s.do);
      if (s.do === "value-map" && s["unknown"] !== undefined && s["otherwise"] === "empty") {
        context.addIssue({
          code: "custom",
          path: ["cleanse", i, "unknown"],
          message: "A value that becomes empty can't be told of any more: let it stay.",
        });
      }
      for (const option of part.fieldOptions ?? []) {
        if (s[option] !== undefined) known([s[option]].flat() as string[], ["cleanse", i, option]);
      }
      // A step that decides about records, or sorts them, has no cell that it is about.
      const whole = s.do === "leave-out" || s.do === "category";
      const its = whole ? [undefined] : s.in === "*" ? plan.contract.fields.map((f) => f.name) : s.in;
      for (const { option, source } of stepFormulas(part, s)) {
        for (const it of its) formula(source, it, ["cleanse", i, option], whole ? "bool" : undefined);
      }
    });
    known(plan.load.key, ["load", "key"]);
    const lookUps = new Set<string>();
    plan.lookup?.forEach((l, i) => {
      const fail = (path: string, message: string): void =>
        context.addIssue({ code: "custom", path: ["lookup", i, path], message });
      const { asks, fills } = lookUpFields(l);
      known([...asks, ...fills, ...Object.keys(l.default ?? {})], ["lookup", i]);
      if (lookUps.has(l.name)) fail("name", `Two look-ups are called ${l.name}.`);
      lookUps.add(l.name);
      const own = fills.filter((f) => asks.includes(f));
      if (own.length > 0) fail("bring", `The look-up asks by ${own.join(" and ")}, which it can't fill as well.`);
      const before = fills.filter((f) => plan.lookup!.slice(0, i).some((o) => lookUpFields(o).fills.includes(f)));
      if (before.length > 0) fail("bring", `${before.join(" and ")} is filled by another look-up already.`);
    });
    plan.match?.fields.forEach((f, i) => known(f.in, ["match", "fields", i, "in"]));
    if (plan.match && plan.match.against.includes("list") && !plan.match.list) {
      context.addIssue({ code: "custom", path: ["match", "list"], message: "Which reference list is to be said." });
    }
    known(Object.values(plan.match?.list?.columns ?? {}), ["match", "list", "columns"]);
    if (plan.match?.recent) known([plan.match.recent], ["match", "recent"]);
    for (const key of ["score_in", "lead_in"] as const) {
      const filled = plan.match?.[key];
      if (filled === undefined) continue;
      known([filled], ["match", key]);
      const why = unfitFor(plan, filled);
      if (why) context.addIssue({ code: "custom", path: ["match", key], message: `${filled} ${why}` });
    }
    if (plan.match?.trust) known([plan.match.trust.field], ["match", "trust", "field"]);
    if (plan.match?.rank !== undefined) {
      formula(plan.match.rank, undefined, ["match", "rank"]);
      if (listsIn(plan.match.rank, plan.formulas).length > 0) {
        context.addIssue({ code: "custom", path: ["match", "rank"], message: "The rank of records can't ask a list." });
      }
    }
    for (const [rule, needs] of [
      ["trusted", "trust"],
      ["ranked", "rank"],
    ] as const) {
      if (plan.match?.[needs] === undefined && Object.values(plan.match?.keep ?? {}).includes(rule)) {
        context.addIssue({
          code: "custom",
          path: ["match", "keep"],
          message: `The rule ${rule} needs ${needs} to be said.`,
        });
      }
    }
    known(
      Object.keys(plan.match?.keep ?? {}).filter((n) => n !== "*"),
      ["match", "keep"],
    );
    plan.gates.forEach((g, i) => {
      known(fieldsOf(g), ["gates", i]);
      const fault = gateFault(g, {
        field: (n) => plan.contract.fields.find((f) => f.name === n),
        skipEnd: plan.read.skip_end ?? 0,
      });
      if (fault) context.addIssue({ code: "custom", path: ["gates", i], message: fault });
    });
    plan.after?.forEach((action, i) => {
      const fault = afterFault(action, plan);
      if (fault) context.addIssue({ code: "custom", path: ["after", i], message: fault });
    });
    if (plan.load.mode === "replace" && plan.load.schema !== undefined) {
      context.addIssue({
        code: "custom",
        path: ["load", "mode"],
        message: "A table that was there before is not emptied: append to it, or upsert.",
      });
    }
    const { key, whole_record: whole } = plan.load;
    const load = (path: string, message: string): void =>
      context.addIssue({ code: "custom", path: ["load", path], message });
    if (plan.load.mode === "upsert" && key.length === 0 && !whole) {
      load("key", "Upsert needs a key, or the whole record as its key.");
    }
    if (whole && (plan.load.mode !== "upsert" || key.length > 0)) {
      load("whole_record", "The whole record can be the key of an upsert that has no other.");
    }
    const arriving = Object.keys(plan.load.arriving ?? {}).filter((n) => n !== ALL_FIELDS);
    known(arriving, ["load", "arriving"]);
    for (const n of arriving) {
      if (key.includes(n))
        load("arriving", `${n} is of the key, which is the same in a record and the row that it meets.`);
    }
    for (const f of plan.contract.fields) {
      if (!f.required || key.includes(f.name) || arrivingOf(plan, f.name).leave.length === 0) continue;
      load(
        "arriving",
        `${f.name} must not be empty, so no text can mean that it is left: a new row would have nothing there.`,
      );
    }
  });

/** A step of the plan; `do` says which part, the other properties are that part's options. */
export interface Step {
  do: StepId;
  in: "*" | string[];
  off?: boolean;
  [option: string]: unknown;
}

/** A check of the plan's own section: over several fields, between records, or by formula. */
export type PlanCheck = UniqueCheck | BetweenCheck | RuleCheck;

export function isUnique(check: PlanCheck): check is UniqueCheck {
  return "check" in check && check.check === "unique";
}

export function isBetween(check: PlanCheck): check is BetweenCheck {
  return "check" in check && check.check !== "unique";
}

export function isRule(check: PlanCheck): check is RuleCheck {
  return !("check" in check);
}

/** A format and its settings; what is not set is found out from each file. */
export type ReadSection = ReadOptions;

export interface Plan {
  format: typeof PLAN_FORMAT;
  feed: string;
  read: ReadSection;
  map: z.infer<typeof mapSection>;
  formulas?: NamedFormulas;
  contract: { fields: Field[] };
  cleanse: Step[];
  check: PlanCheck[];
  lookup?: LookUp[];
  match?: MatchSection;
  load: z.infer<typeof loadSection>;
  gates: Gate[];
  after?: AfterAction[];
}

/**
 * A plan from a JSON value, defaults filled in. Throws `plan-invalid` with every fault and where in
 * the document it stands.
 */
export function parsePlan(value: unknown): Plan {
  const result = planSchema.safeParse(value);
  if (result.success) return result.data as unknown as Plan;
  const faults = [...new Set(result.error.issues.map((issue) => `${pathWords(issue.path)}: ${issue.message}`))];
  throw new SieveError("plan-invalid", `The plan has ${faults.length === 1 ? "a fault" : `${faults.length} faults`}.`, {
    detail: faults.slice(0, 20).join("\n"),
    hint: "Mend the plan; docs/plan.schema.json describes it.",
  });
}

function pathWords(path: readonly PropertyKey[]): string {
  return path.length === 0 ? "plan" : path.map(String).join(".");
}

/** The JSON Schema (draft 2020-12) of the plan document, made from the same declaration. */
export function planJsonSchema(): object {
  return {
    ...z.toJSONSchema(planSchema, { io: "input" }),
    title: "Good Sieve plan",
    description: "How a feed is read, mapped, cleansed, checked and loaded.",
  };
}
