import { parse } from "@bufbuild/cel";
import type { Expr, ParsedExpr } from "@bufbuild/cel-spec/cel/expr/syntax_pb.js";
import { NO_REFERENCES } from "../kernel/reference.ts";
import { SieveError, grouped } from "../kernel/problem.ts";
import { CELL, MOST_COST, MOST_LIST, MOST_TEXT, estimate } from "./cost.ts";
import { expandNamed } from "./named.ts";
import { referenceOf } from "./reference.ts";
import { syntaxFault, type FormulaFault } from "./syntax.ts";
import { Compiler, NO_DAY } from "./compiler.ts";
import { Unsupported, type Node } from "./node.ts";
import type { Scope } from "./scope.ts";
import { BAIL, EMPTY, microsOf, valueTypeOf, type Value, type ValueType } from "./value.ts";

/** A formula made ready. */
export interface Formula {
  readonly source: string;
  readonly type: ValueType;
  /** Numbers of the fields it speaks of: its slots, in this order. */
  readonly uses: readonly number[];
  /** Types of the slots. */
  readonly types: readonly ValueType[];
  /** Compiled to functions of our own; otherwise the library takes every record. */
  readonly compiled: boolean;
  /**
   * The formula's value for a record whose fields' values are in the slots; null is empty. EMPTY when
   * a field is that the formula does not ask about. Throws an Error where there is no value.
   */
  run(slots: readonly (Value | bigint)[]): Value | bigint | typeof EMPTY;
  /** The same, always by the library. */
  reference(slots: readonly (Value | bigint)[]): Value | bigint | typeof EMPTY;
}

const MOST_LENGTH = 4000;
/** The same with named formulas written out. */
const MOST_EXPANDED = 20_000;

/** Thrown with `formula-invalid`; `facts` has the fault with its place. */
function invalid(source: string, fault: FormulaFault): SieveError {
  return new SieveError("formula-invalid", fault.message, {
    detail: `${source.slice(0, fault.from)}▸${source.slice(fault.from)}`,
    hint: "docs/formulas.md has the functions, with examples.",
    facts: { from: fault.from, to: fault.to },
  });
}

/**
 * Compiles a formula of the Common Expression Language. Throws `formula-invalid` with what is wrong
 * and where: syntax, names, and types, as far as they are known before a record is seen.
 */
export function compileFormula(written: string, scope: Scope): Formula {
  const { named } = scope;
  const source = named ? expandNamed(written, named) : written;
  if (source === written) return compileWritten(source, scope);
  if (written.length > MOST_LENGTH) return compileWritten(written, scope);
  try {
    return { ...compileWritten(source, scope, MOST_EXPANDED), source: written };
  } catch (error) {
    if (!(error instanceof SieveError)) throw error;
    // The place is one in the formula that was written out: nobody has seen that one.
    throw new SieveError(error.code, error.message, {
      detail: `${written}, which is ${source.slice(0, 400)}`,
      hint: error.hint,
      facts: { from: 0, to: written.length },
    });
  }
}

/** Refuses a formula for what stands at a place in it. */
type Fail = (message: string, from: number, to?: number) => never;

/** A formula's expression; what can't be understood is refused at its place. */
function parsedOf(source: string, most: number, fail: Fail): ParsedExpr & { expr: Expr } {
  if (source.length > most) fail(`A formula has at most ${most} characters.`, most, source.length);
  const broken = syntaxFault(source);
  if (broken) throw invalid(source, broken);
  try {
    return parse(source);
  } catch (error) {
    const { location, rawMessage } = error as { location?: { start: { offset: number } }; rawMessage?: string };
    return fail(
      `The formula can't be understood: ${rawMessage ?? (error as Error).message}.`,
      location?.start.offset ?? 0,
    );
  }
}

/** Refuses what would take or make more than a formula may; gives the steps that a record takes. */
function costOf({ expr }: { expr: Expr }, source: string, fail: Fail): number {
  const { cost, text: length, list } = estimate(expr);
  if (cost > MOST_COST || length > MOST_TEXT || list > MOST_LIST) {
    const steps = `It would take up to ${grouped(Math.round(cost))} steps a record`;
    fail(
      cost > MOST_COST
        ? `${steps}, and ${grouped(MOST_COST)} are allowed: lists within lists multiply.`
        : `What it makes of a cell could have ${grouped(Math.round(Math.max(length, list)))} characters or elements.`,
      0,
      source.length,
    );
  }
  return cost;
}

function compileWritten(source: string, scope: Scope, most = MOST_LENGTH): Formula {
  const fail: Fail = (message, from, to = from + 1) => {
    throw invalid(source, { message, from: Math.min(from, source.length), to: Math.min(to, source.length) });
  };
  const parsed = parsedOf(source, most, fail);
  const positions = parsed.sourceInfo?.positions ?? {};
  const compiler = new Compiler(scope, (expr, message, length = 1) => {
    const stands = positions[String(expr.id)] ?? 0;
    // A call stands where its bracket opens; its name is before that.
    const at = source[stands] === "(" && length > 1 ? Math.max(0, stands - length) : stands;
    return fail(message, at, at + length);
  });
  compiler.survey(parsed.expr, [], 0);
  const cost = costOf(parsed, source, fail);
  let node: Node | null = null;
  try {
    node = compiler.compile(parsed.expr);
  } catch (error) {
    if (!(error instanceof Unsupported)) throw error;
  }
  const uses = [...compiler.slots.keys()];
  const types = uses.map((f) => valueTypeOf(scope.fields[f]!));
  const needs = uses.flatMap((f, i) => (compiler.asked.has(f) ? [] : [i]));
  const names = uses.map((f) => scope.fields[f]!.name);
  if (compiler.usesIt) names.push("it");
  const day = scope.day === undefined ? null : microsOf(scope.day);
  const slow = referenceOf(parsed, compiler.asksLists ? (scope.lists ?? NO_REFERENCES) : null);
  const it = scope.it === undefined ? -1 : uses.indexOf(scope.it);
  const isEmpty = (slots: readonly (Value | bigint)[]): boolean => {
    for (let i = 0; i < needs.length; i++) if (slots[needs[i]!] === null) return true;
    return false;
  };
  const reference = (slots: readonly (Value | bigint)[]): Value | bigint | typeof EMPTY => {
    if (isEmpty(slots)) return EMPTY;
    if (compiler.loops > 0) withinBudget(slots, cost, compiler.loops);
    if (compiler.usesDay && day === null) throw new Error(NO_DAY);
    return compiler.usesIt
      ? slow(names, [...types, types[it]!], [...slots, slots[it]!], day)
      : slow(names, types, slots, day);
  };
  const run = node?.run;
  return {
    source,
    type: node?.type ?? "dyn",
    uses,
    types,
    compiled: run !== undefined,
    reference,
    run: run
      ? (slots) => {
          if (isEmpty(slots)) return EMPTY;
          try {
            return run(slots);
          } catch (error) {
            if (error === BAIL) return reference(slots);
            throw error;
          }
        }
      : reference,
  };
}

/** Throws where a record's texts are so long that loops over them would take more than a formula may. */
function withinBudget(slots: readonly (Value | bigint)[], cost: number, loops: number): void {
  let longest = 0;
  for (const s of slots) if (typeof s === "string" && s.length > longest) longest = s.length;
  if (longest <= CELL) return;
  if (cost * (longest / CELL) ** loops > MOST_COST * 50) {
    throw new Error(`A text of ${grouped(longest)} characters is too long for what the formula does with it.`);
  }
}
