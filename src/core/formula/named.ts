import { z } from "zod";
import { SieveError } from "../kernel/problem.ts";
import type { Unchanging } from "../kernel/unchanging.ts";
import type { TypeId } from "../type/index.ts";
import { tokens, type Token } from "./syntax.ts";

/** What a parameter of a named formula can be, in the words of field types. */
export const PARAMETER_TYPES = [
  "text",
  "integer",
  "decimal",
  "boolean",
  "date",
  "timestamp",
] as const satisfies readonly TypeId[];

export const formulaName = z
  .string()
  .regex(/^[a-z][A-Za-z0-9]{1,39}$/, "Letters and digits, beginning with a small letter, such as titledName");

export const namedFormulaSchema = z.strictObject({
  parameters: z
    .array(
      z.strictObject({
        name: z.string().regex(/^[a-z][a-z0-9_]{0,39}$/, "Small letters, digits and underscores"),
        type: z.enum(PARAMETER_TYPES),
      }),
    )
    .max(8),
  body: z.string().min(1).max(2000).describe("A formula over the parameters"),
  about: z.string().max(300).optional(),
  examples: z
    .array(
      z.strictObject({
        formula: z.string().min(1).max(500),
        gives: z.union([z.string(), z.number(), z.boolean(), z.null()]),
      }),
    )
    .max(50)
    .optional()
    .describe("Formulas that use it, and what they must give"),
});

/** A formula that is written once and used by its name in any plan. */
export type NamedFormula = Unchanging<z.infer<typeof namedFormulaSchema>>;
export type NamedFormulas = Readonly<Record<string, NamedFormula>>;

/** Named formulas in plans, by name. */
export const namedFormulasSchema = z.record(formulaName, namedFormulaSchema);

const MOST_EXPANDED = 20_000;
/** Named formulas inside each other. */
const MOST_DEEP = 8;

function refuse(message: string, source: string, t: Pick<Token, "from" | "to">): never {
  throw new SieveError("formula-invalid", message, {
    detail: `${source.slice(0, t.from)}▸${source.slice(t.from)}`,
    hint: "References has the named formulas.",
    facts: { from: t.from, to: t.to },
  });
}

/** Whether a token calls a function, and not a method. */
function calls(list: readonly Token[], i: number): boolean {
  return list[i]!.kind === "name" && list[i + 1]?.text === "(" && list[i - 1]?.text !== ".";
}

/** The named formulas that a formula uses, those that they use in turn among them. */
export function namedIn(source: string, named: NamedFormulas, seen: Set<string> = new Set()): Set<string> {
  const list = tokens(source);
  list.forEach((t, i) => {
    if (!calls(list, i) || !Object.hasOwn(named, t.text) || seen.has(t.text)) return;
    seen.add(t.text);
    namedIn(named[t.text]!.body, named, seen);
  });
  return seen;
}

/**
 * A formula with each named one in it written out: its body, the arguments in the place of its
 * parameters. Throws `formula-invalid`, at its place, for a wrong number of arguments, for formulas
 * that use one another in a circle, and for what becomes too long.
 */
export function expandNamed(source: string, named: NamedFormulas, within: readonly string[] = []): string {
  const list = tokens(source);
  let out = "";
  let at = 0;
  for (let i = 0; i < list.length; i++) {
    const t = list[i]!;
    if (!calls(list, i) || !Object.hasOwn(named, t.text)) continue;
    const { parameters, body } = named[t.text]!;
    if (within.includes(t.text) || within.length >= MOST_DEEP) refuse(`${t.text} would use itself.`, source, t);
    const args: string[] = [];
    let depth = 0;
    let from = list[i + 1]!.to;
    let j = i + 1;
    for (; j < list.length; j++) {
      const { kind, from: here, to } = list[j]!;
      if (kind === "open") depth++;
      else if (kind === "close") depth--;
      if ((kind === "comma" && depth === 1) || depth === 0) {
        const arg = source.slice(from, here).trim();
        if (arg !== "" || args.length > 0 || kind === "comma") args.push(arg);
        from = to;
      }
      if (depth === 0) break;
    }
    if (depth !== 0) refuse("A bracket is not closed.", source, list[i + 1]!);
    if (args.length !== parameters.length) {
      const takes = parameters.length === 1 ? "1 value" : `${parameters.length} values`;
      refuse(`${t.text} takes ${takes}: ${parameters.map((p) => p.name).join(", ")}.`, source, t);
    }
    const values = new Map(parameters.map((p, k) => [p.name, `(${expandNamed(args[k]!, named, within)})`]));
    out += `${source.slice(at, t.from)}(${put(expandNamed(body, named, [...within, t.text]), values)})`;
    if (out.length > MOST_EXPANDED) refuse("The formula becomes too long with all that it uses.", source, t);
    at = list[j]!.to;
    i = j;
  }
  return out + source.slice(at);
}

/** A body with values in the place of its parameters. */
function put(body: string, values: ReadonlyMap<string, string>): string {
  const list = tokens(body);
  let out = "";
  let at = 0;
  list.forEach((t, i) => {
    const value =
      t.kind === "name" && list[i - 1]?.text !== "." && list[i + 1]?.text !== "(" ? values.get(t.text) : undefined;
    if (value === undefined) return;
    out += body.slice(at, t.from) + value;
    at = t.to;
  });
  return out + body.slice(at);
}
