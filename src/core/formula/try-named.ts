import { SieveError } from "../kernel/problem.ts";
import { compileFormula } from "./compile.ts";
import { FUNCTIONS } from "./functions.ts";
import type { References } from "../kernel/reference.ts";
import { listsIn } from "./lists.ts";
import { formulaName, namedFormulaSchema, type NamedFormula, type NamedFormulas } from "./named.ts";
import { EMPTY, type ValueType } from "./value.ts";

/** What an example of a named formula gives, beside what it must. */
export interface ExampleResult {
  readonly formula: string;
  readonly gives: unknown;
  /** What was wrong, where it gives nothing. */
  readonly fault: string | null;
  readonly holds: boolean;
}

/**
 * Looks at a named formula as a whole: that its name is free, that its body speaks of its parameters
 * alone, and what each of its examples gives. Throws `formula-invalid`.
 * @param others the other named formulas, which it may use
 * @param lists reference lists that its examples ask; where one is not at hand, they are not tried
 */
export function tryNamed(
  name: string,
  formula: NamedFormula,
  others: NamedFormulas,
  lists?: References,
): { type: ValueType; examples: ExampleResult[] } {
  const fail = (message: string, hint: string): never => {
    throw new SieveError("formula-invalid", message, { hint });
  };
  if (!formulaName.safeParse(name).success)
    fail(`“${name}” is no name for a formula.`, "Letters and digits, beginning with a small letter.");
  if (FUNCTIONS.some((f) => f.name === name))
    fail(`There is a function ${name} already.`, "Give the formula another name.");
  const parsed = namedFormulaSchema.safeParse(formula);
  if (!parsed.success) fail(parsed.error.issues.map((i) => i.message).join(" "), "Mend the formula.");
  if (new Set(formula.parameters.map((p) => p.name)).size < formula.parameters.length) {
    fail("Two parameters have one name.", "Give each parameter a name of its own.");
  }
  const named = { ...others, [name]: formula };
  const { type } = compileFormula(formula.body, { fields: formula.parameters, named: others, lists });
  const examples = (formula.examples ?? []).map((e): ExampleResult => {
    const lacking = listsIn(e.formula, named).find((list) => !lists?.has(list));
    if (lacking !== undefined) {
      return {
        formula: e.formula,
        gives: null,
        fault: `It asks the list ${lacking}, which is not at hand here.`,
        holds: true,
      };
    }
    try {
      const made = compileFormula(e.formula, { fields: [], named, lists });
      const value = made.run([]);
      const gives = value === EMPTY ? null : typeof value === "bigint" ? Number(value) : value;
      return { formula: e.formula, gives, fault: null, holds: gives === e.gives };
    } catch (error) {
      return { formula: e.formula, gives: null, fault: (error as Error).message, holds: false };
    }
  });
  return { type, examples };
}
