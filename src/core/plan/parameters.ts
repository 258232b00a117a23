import { z } from "zod";
import { FUNCTIONS } from "../formula/functions.ts";
import type { NamedFormulas } from "../formula/named.ts";
import { utf8 } from "../kernel/bytes.ts";
import { SieveError, listed, quoted } from "../kernel/problem.ts";
import { isIsoDay } from "../type/calendar.ts";
import { plainNameSchema } from "./name.ts";
import type { Step } from "./sections.ts";

/** By type of a parameter: what its values are, whether a text is one, and how a formula writes it. */
const TYPES = {
  text: { words: "a text", is: (t: string) => t.length <= 500, formula: (t: string) => JSON.stringify(t) },
  integer: {
    words: "a whole number such as 12",
    is: (t: string) => /^-?\d{1,15}$/.test(t),
    formula: (t: string) => String(Number(t)),
  },
  decimal: {
    words: "a number with a point such as 0.5",
    is: (t: string) => /^-?\d{1,15}(\.\d{1,10})?$/.test(t),
    formula: (t: string) => (t.includes(".") ? t : `${t}.0`),
  },
  boolean: { words: "true or false", is: (t: string) => t === "true" || t === "false", formula: (t: string) => t },
  date: {
    words: "a day such as 2026-05-31",
    is: (t: string) => isIsoDay(utf8(t), 0, t.length),
    formula: (t: string) => `date(${t.split("-").map(Number).join(", ")})`,
  },
} as const;

export const PARAMETER_TYPES = ["text", "integer", "decimal", "boolean", "date"] as const;
export type ParameterType = (typeof PARAMETER_TYPES)[number];

export const parameterSchema = z.strictObject({
  name: plainNameSchema
    .max(40)
    .describe("What formulas call it by, with brackets: since(); queries ask for current_setting('sieve.since')"),
  type: z.enum(PARAMETER_TYPES),
  default: z.string().max(500).describe("What it is in a run that is told nothing else"),
  about: z.string().max(300).optional().describe("What it is for, for whoever starts a run"),
});

/** A value that a run may be given, with what it is otherwise. */
export type Parameter = z.infer<typeof parameterSchema>;

/** A plan's parameters, and the named formulas that its own may use. */
interface Named {
  readonly parameters?: Parameter[] | undefined;
  readonly formulas?: NamedFormulas | undefined;
}

/** What one run is told beside its plan: kept with the load, so that it can be computed again. */
export interface Run {
  /** Values of parameters, by name, as texts; those that are not here are as the plan has them. */
  readonly parameters?: Readonly<Record<string, string>> | undefined;
  /** Steps that are switched off, by their number in the plan from 0, each with the reason. */
  readonly steps?: Readonly<Record<string, string>> | undefined;
  /** Look-ups that are switched off, by name, each with the reason. */
  readonly lookUps?: Readonly<Record<string, string>> | undefined;
  /** Further targets that get nothing, by the name of their table, each with the reason. */
  readonly targets?: Readonly<Record<string, string>> | undefined;
}

/** What is wrong with a plan's parameter, or null. `others`: names that formulas have for something else. */
export function parameterFault({ name, type, default: usual }: Parameter, others: NamedFormulas = {}): string | null {
  if (Object.hasOwn(others, name)) return `${name} is a named formula of the plan already.`;
  if (["feed", "load", "n", "it"].includes(name)) return `${name} means something else already.`;
  if (FUNCTIONS.some((f) => f.name === name)) return `${name} is a function of formulas already.`;
  return TYPES[type].is(usual) ? null : `${quoted(usual)} is not ${TYPES[type].words}.`;
}

/**
 * What a run is given of a plan's parameters, the texts trimmed but for those of the type text, and none that are as the
 * plan has them. Throws `no-parameter` and `parameter-invalid`.
 */
export function parametersGiven(
  { parameters = [] }: Pick<Named, "parameters">,
  given: Readonly<Record<string, string>>,
): Record<string, string> {
  const told: Record<string, string> = {};
  for (const [name, text] of Object.entries(given)) {
    const parameter = parameters.find((p) => p.name === name);
    if (!parameter) {
      throw new SieveError("no-parameter", `The plan has no parameter ${quoted(name)}.`, {
        detail: parameters.length > 0 ? `It has ${listed(parameters.map((p) => p.name))}.` : "It has none.",
        hint: "Name one of the plan's parameters.",
      });
    }
    const { is, words } = TYPES[parameter.type];
    const value = parameter.type === "text" ? text : text.trim();
    if (!is(value)) {
      throw new SieveError("parameter-invalid", `The parameter ${name} can't be ${quoted(text)}.`, {
        detail: `It is ${words}.`,
        hint: "Give it such a value, or leave it as the plan has it.",
      });
    }
    if (value !== parameter.default) told[name] = value;
  }
  return told;
}

/** The values of a plan's parameters in a run, by name. */
export function valuesOf(
  { parameters = [] }: Pick<Named, "parameters">,
  given: Run["parameters"] = {},
): Record<string, string> {
  return Object.fromEntries(
    parameters.map((p) => [p.name, Object.hasOwn(given, p.name) ? given[p.name]! : p.default] as const),
  );
}

/**
 * The settings that queries and statements of a plan may ask for, by `current_setting('sieve.since')`: the values of its
 * parameters in a run, and what they are about (`own`), which no parameter can stand for.
 */
export function settingsOf(
  parameters: Readonly<Record<string, string>>,
  own: Readonly<Record<string, string>> = {},
): Record<string, string> {
  const all = { ...parameters, ...own };
  return Object.fromEntries(Object.entries(all).map(([name, value]) => [`sieve.${name}`, value]));
}

/**
 * The formulas that a plan's own may use by their names: its named formulas, and its parameters with their values. What
 * is given to a parameter that the plan has no more is passed over, as a record may be released by a later plan.
 */
export function namedOf(
  { formulas, parameters = [] }: Named,
  given: Run["parameters"] = {},
): NamedFormulas | undefined {
  if (parameters.length === 0) return formulas;
  const values = valuesOf({ parameters }, given);
  const bodies = parameters.map(({ name, type }) => {
    return [name, { parameters: [], body: TYPES[type].formula(values[name]!) }] as const;
  });
  return { ...formulas, ...Object.fromEntries(bodies) };
}

/** The plan without the steps that are switched off for a run. */
export function withoutSteps<P extends { cleanse: Step[] }>(plan: P, steps: Run["steps"] = {}): P {
  if (Object.keys(steps).length === 0) return plan;
  return { ...plan, cleanse: plan.cleanse.map((s, i) => (Object.hasOwn(steps, i) ? { ...s, off: true } : s)) };
}
