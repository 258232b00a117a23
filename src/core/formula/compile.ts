import { parse } from "@bufbuild/cel";
import type { Expr, ParsedExpr } from "@bufbuild/cel-spec/cel/expr/syntax_pb.js";
import { NO_REFERENCES, type References } from "../kernel/reference.ts";
import { SieveError, grouped, listed } from "../kernel/problem.ts";
import type { TypeId } from "../type/index.ts";
import { CELL, MOST_COST, MOST_LIST, MOST_TEXT, estimate } from "./cost.ts";
import { FUNCTIONS, patternOf } from "./functions.ts";
import type { FormulaFunction } from "./define.ts";
import { LIST_FUNCTIONS } from "./lists.ts";
import { expandNamed, type NamedFormulas } from "./named.ts";
import { referenceOf } from "./reference.ts";
import { syntaxFault, type FormulaFault } from "./syntax.ts";
import { BAIL, EMPTY, MICROS, TYPE_WORDS, microsOf, valueTypeOf, type Value, type ValueType } from "./value.ts";

/** What a formula can speak of. */
export interface Scope {
  readonly fields: readonly { readonly name: string; readonly type: TypeId }[];
  /** The number of the field that `it` is. */
  readonly it?: number | undefined;
  /** Formulas that can be used by their names. */
  readonly named?: NamedFormulas | undefined;
  /** Reference lists that it can ask; a formula that asks another one has no value. */
  readonly lists?: References | undefined;
  /** The day of the load, as ISO 8601; a formula that asks for it where there is none has no value. */
  readonly day?: string | undefined;
}

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
const MOST_NODES = 1000;
/** Macros over lists inside each other: each multiplies what a record can cost. */
const MOST_NESTED = 2;

/** Thrown with `formula-invalid`; `facts` has the fault with its place. */
function invalid(source: string, fault: FormulaFault): SieveError {
  return new SieveError("formula-invalid", fault.message, {
    detail: `${source.slice(0, fault.from)}▸${source.slice(fault.from)}`,
    hint: "docs/formulas.md has the functions, with examples.",
    facts: { from: fault.from, to: fault.to },
  });
}

/** Our compiler has no word for it, and leaves it to the library. */
class Unsupported extends Error {}

type Run = (s: readonly (Value | bigint)[]) => Value;

interface Node {
  readonly type: ValueType;
  readonly run: Run;
  /** It may have no value for some record. */
  readonly throws: boolean;
  readonly constant?: Value;
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

function compileWritten(source: string, scope: Scope, most = MOST_LENGTH): Formula {
  const fail = (message: string, from: number, to = from + 1): never => {
    throw invalid(source, { message, from: Math.min(from, source.length), to: Math.min(to, source.length) });
  };
  if (source.length > most) fail(`A formula has at most ${most} characters.`, most, source.length);
  const broken = syntaxFault(source);
  if (broken) throw invalid(source, broken);
  let parsed: ParsedExpr & { expr: Expr };
  try {
    parsed = parse(source);
  } catch (error) {
    const { location, rawMessage } = error as { location?: { start: { offset: number } }; rawMessage?: string };
    return fail(
      `The formula can't be understood: ${rawMessage ?? (error as Error).message}.`,
      location?.start.offset ?? 0,
    );
  }
  const positions = parsed.sourceInfo?.positions ?? {};
  const compiler = new Compiler(scope, (expr, message, length = 1) => {
    const stands = positions[String(expr.id)] ?? 0;
    // A call stands where its bracket opens; its name is before that.
    const at = source[stands] === "(" && length > 1 ? Math.max(0, stands - length) : stands;
    return fail(message, at, at + length);
  });
  compiler.survey(parsed.expr, [], 0);
  const { cost, text: length, list } = estimate(parsed.expr);
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

class Compiler {
  /** By number of a field, its slot. */
  readonly slots = new Map<number, number>();
  /** Fields that the formula asks whether they are empty. */
  readonly asked = new Set<number>();
  usesIt = false;
  /** How deep its lists are gone through inside each other. */
  loops = 0;
  asksLists = false;
  /** It asks for the day of the load. */
  usesDay = false;
  private nodes = 0;

  constructor(
    private readonly scope: Scope,
    private readonly fail: (expr: Expr, message: string, length?: number) => never,
  ) {}

  /** Looks at every name, whether or not the rest can be compiled. */
  survey(expr: Expr, bound: readonly string[], nested: number): void {
    if (++this.nodes > MOST_NODES) this.fail(expr, `A formula has at most ${MOST_NODES} parts.`);
    const { exprKind } = expr;
    switch (exprKind.case) {
      case "identExpr":
        if (!bound.includes(exprKind.value.name)) this.field(expr, exprKind.value.name);
        return;
      case "selectExpr":
        if (this.isLoad(exprKind.value.operand, bound)) this.ofLoad(expr, exprKind.value.field);
        else if (exprKind.value.operand) this.survey(exprKind.value.operand, bound, nested);
        return;
      case "callExpr": {
        const { args } = exprKind.value;
        const { name, target } = called(exprKind.value, (n) => this.isField(n) || bound.includes(n));
        this.known(expr, name, target !== undefined);
        if (LIST_FUNCTIONS.has(name)) this.asksList(expr, name, args);
        if ((name === "_==_" || name === "_!=_") && args.some(isNull)) {
          for (const a of args) {
            const field = a.exprKind.case === "identExpr" && !bound.includes(a.exprKind.value.name);
            if (field) this.asked.add(this.field(a, (a.exprKind.value as { name: string }).name));
          }
        }
        if (target) this.survey(target, bound, nested);
        for (const a of args) this.survey(a, bound, nested);
        return;
      }
      case "listExpr":
        for (const e of exprKind.value.elements) this.survey(e, bound, nested);
        return;
      case "structExpr":
        for (const entry of exprKind.value.entries) {
          if (entry.keyKind.case === "mapKey") this.survey(entry.keyKind.value, bound, nested);
          if (entry.value) this.survey(entry.value, bound, nested);
        }
        return;
      case "comprehensionExpr": {
        const c = exprKind.value;
        if (nested >= MOST_NESTED) this.fail(expr, `At most ${MOST_NESTED} of these may stand inside each other.`);
        this.loops = Math.max(this.loops, nested + 1);
        if (c.iterRange) this.survey(c.iterRange, bound, nested);
        const inner = [...bound, c.iterVar, c.iterVar2, c.accuVar];
        for (const e of [c.accuInit, c.loopCondition, c.loopStep, c.result]) if (e) this.survey(e, inner, nested + 1);
      }
    }
  }

  /** Whether a name is one of the scope's fields. */
  private isField(name: string): boolean {
    return this.scope.fields.some((f) => f.name === name);
  }

  /** Whether an expression is what stands for the load, and no field of that name. */
  private isLoad(expr: Expr | undefined, bound: readonly string[]): boolean {
    if (expr?.exprKind.case !== "identExpr") return false;
    const { name } = expr.exprKind.value;
    return name === LOAD && !bound.includes(name) && !this.isField(name);
  }

  /** What is asked of the load; there is its day alone. */
  private ofLoad(expr: Expr, what: string): void {
    if (what !== "day")
      this.fail(expr, `Of the load a formula knows ${LOAD}.day, and not ${LOAD}.${what}.`, LOAD.length);
    this.usesDay = true;
  }

  /** A function must be one of ours or of the language, also where the rest of the formula is left to the library. */
  private known(expr: Expr, name: string, method: boolean): void {
    if (!/^[a-z]/i.test(name) || CEL_NAMES.has(name)) return;
    if (FUNCTIONS.some((f) => f.name === name && f.method === method)) return;
    const other = FUNCTIONS.find((f) => f.name === name);
    this.fail(expr, other ? `${name} is called as ${shape(other)}.` : `There is no function ${name}.`, name.length);
  }

  /** The names of lists and of their columns are written out, so that it is known what a plan asks. */
  private asksList(expr: Expr, name: string, args: readonly Expr[]): void {
    this.asksLists = true;
    const [list, column] = [0, name === "fromList" ? 2 : -1].map((i) => args[i] && writtenText(args[i]));
    if (list === null) this.fail(args[0]!, "The name of a list is written out, in quotes.");
    if (column === null) this.fail(args[2]!, "The name of a column is written out, in quotes.");
    const known = list === undefined ? undefined : this.scope.lists?.get(list);
    if (known && column !== undefined && !known.columns.includes(column)) {
      this.fail(expr, `The list ${list} has no column ${column}. It has ${listed(known.columns)}.`, name.length);
    }
  }

  private field(expr: Expr, name: string): number {
    const { fields, it } = this.scope;
    if (name === "it") {
      if (it === undefined) this.fail(expr, "There is no cell here that “it” could be.", 2);
      this.usesIt = true;
    }
    const f = name === "it" ? it! : fields.findIndex((x) => x.name === name);
    if (f < 0) {
      const near = fields.map((x) => x.name).filter((x) => x[0] === name[0] || x.includes(name) || name.includes(x));
      this.fail(
        expr,
        `There is no field ${name}.${near.length > 0 ? ` There is ${listed(near.slice(0, 3))}.` : ""}`,
        name.length,
      );
    }
    if (!this.slots.has(f)) this.slots.set(f, this.slots.size);
    return f;
  }

  compile(expr: Expr): Node {
    const { exprKind } = expr;
    switch (exprKind.case) {
      case "constExpr":
        return constant(exprKind.value.constantKind);
      case "identExpr": {
        const f = this.field(expr, exprKind.value.name);
        const slot = this.slots.get(f)!;
        const type = valueTypeOf(this.scope.fields[f]!);
        const empty = this.asked.has(f);
        if (type === "int") {
          return {
            type,
            throws: empty,
            run: (s) => {
              const v = s[slot]!;
              if (typeof v === "bigint") throw BAIL;
              return v;
            },
          };
        }
        return { type, throws: empty, run: (s) => s[slot] as Value };
      }
      case "selectExpr": {
        if (!this.isLoad(exprKind.value.operand, [])) throw new Unsupported();
        const { day } = this.scope;
        if (day !== undefined) return constantOf("timestamp", microsOf(day));
        return {
          type: "timestamp",
          throws: true,
          run: () => {
            throw new Error(NO_DAY);
          },
        };
      }
      case "callExpr": {
        const { name, target } = called(exprKind.value, (n) => this.isField(n));
        return this.call(expr, name, target, exprKind.value.args);
      }
      case "listExpr": {
        const items = exprKind.value.elements.map((e) => this.compile(e));
        if (items.every((i) => i.constant !== undefined)) {
          const list = items.map((i) => i.constant!);
          return { type: "list", throws: false, constant: list, run: () => list };
        }
        throw new Unsupported();
      }
      default:
        throw new Unsupported();
    }
  }

  private call(expr: Expr, name: string, target: Expr | undefined, args: readonly Expr[]): Node {
    if ((name === "_==_" || name === "_!=_") && args.some(isNull)) return this.nullTest(name, args);
    if (name === "@in") return this.isIn(args);
    const nodes = [...(target ? [target] : []), ...args].map((a) => this.compile(a));
    switch (name) {
      case "_&&_":
      case "_||_":
        return this.logic(expr, name === "_&&_", nodes);
      case "!_":
        this.need(args[0]!, nodes[0]!, "bool");
        return { type: "bool", throws: nodes[0]!.throws, run: not(nodes[0]!.run) };
      case "_?_:_": {
        const [test, yes, no] = nodes as [Node, Node, Node];
        this.need(args[0]!, test, "bool");
        if (yes.type !== no.type && yes.type !== "null" && no.type !== "null") {
          this.fail(args[2]!, `Before “:” stands ${TYPE_WORDS[yes.type]} and after it ${TYPE_WORDS[no.type]}.`);
        }
        const [a, b, c] = [test.run, yes.run, no.run];
        return {
          type: yes.type === "null" ? no.type : yes.type,
          throws: nodes.some((n) => n.throws),
          run: (s) => (a(s) === true ? b(s) : c(s)),
        };
      }
      case "-_": {
        const [n] = nodes as [Node];
        if (n.type !== "int" && n.type !== "double") this.fail(args[0]!, `${TYPE_WORDS[n.type]} has no sign.`);
        const { run } = n;
        return {
          type: n.type,
          throws: n.throws,
          run: n.type === "int" ? (s) => 0 - number(run(s)) : (s) => -number(run(s)),
        };
      }
      case "_+_":
      case "_-_":
      case "_*_":
      case "_/_":
      case "_%_":
        return this.arithmetic(expr, name[1]!, nodes as [Node, Node]);
      case "_==_":
      case "_!=_":
      case "_<_":
      case "_<=_":
      case "_>_":
      case "_>=_":
        return this.compare(expr, name.slice(1, -1), nodes as [Node, Node]);
      case "timestamp":
      case "duration":
        return this.time(expr, name, nodes);
    }
    return this.named(expr, name, target !== undefined, nodes);
  }

  private need(expr: Expr, node: Node, type: ValueType): void {
    if (node.type !== type)
      this.fail(expr, `Here ${TYPE_WORDS[type]} is needed, and this is ${TYPE_WORDS[node.type]}.`);
  }

  private nullTest(name: string, args: readonly Expr[]): Node {
    const other = args.find((a) => !isNull(a)) ?? args[0]!;
    const { run, throws } = this.compile(other);
    const wanted = name === "_==_";
    return {
      type: "bool",
      throws: throws && other.exprKind.case !== "identExpr",
      run: (s) => (run(s) === null) === wanted,
    };
  }

  private isIn(args: readonly Expr[]): Node {
    const [item, list] = args.map((a) => this.compile(a)) as [Node, Node];
    if (list.type !== "list") this.fail(args[1]!, `After “in” a list is needed, and this is ${TYPE_WORDS[list.type]}.`);
    if (!list.constant) {
      // A field's list: what it has is known with each record.
      const [own, all] = [item.run, list.run];
      if (item.type === "list" || item.type === "dyn") throw new Unsupported();
      return {
        type: "bool",
        throws: true,
        run: (s) => (present(all(s)) as readonly Value[]).includes(present(own(s))),
      };
    }
    const values = list.constant as readonly Value[];
    if (values.some((v) => typeof v !== typeof values[0] || v === null || typeof v === "object"))
      throw new Unsupported();
    const found = new Set(values);
    const { run } = item;
    return { type: "bool", throws: item.throws, run: (s) => found.has(run(s)) };
  }

  /** Each side may say it alone, even where the other has no value. */
  private logic(expr: Expr, and: boolean, [left, right]: Node[]): Node {
    const args = expr.exprKind.case === "callExpr" ? expr.exprKind.value.args : [];
    this.need(args[0]!, left!, "bool");
    this.need(args[1]!, right!, "bool");
    const [a, b] = [left!.run, right!.run];
    const decides = !and;
    if (!left!.throws) {
      return {
        type: "bool",
        throws: right!.throws,
        run: and ? (s) => a(s) === true && b(s) : (s) => a(s) === true || b(s),
      };
    }
    const run: Run = (s) => {
      let first: Value;
      try {
        first = present(a(s));
      } catch (error) {
        if (error === BAIL) throw error;
        if (b(s) === decides) return decides;
        throw error;
      }
      return first === decides ? decides : present(b(s));
    };
    return { type: "bool", throws: true, run };
  }

  private arithmetic(expr: Expr, sign: string, [left, right]: [Node, Node]): Node {
    const [a, b] = [left.run, right.run];
    const throws = left.throws || right.throws;
    const pair = `${left.type} ${sign} ${right.type}`;
    if (pair === "string + string") {
      return { type: "string", throws, run: (s) => text(a(s)) + text(b(s)) };
    }
    if (left.type === "double" && right.type === "double") {
      switch (sign) {
        case "+":
          return { type: "double", throws, run: (s) => number(a(s)) + number(b(s)) };
        case "-":
          return { type: "double", throws, run: (s) => number(a(s)) - number(b(s)) };
        case "*":
          return { type: "double", throws, run: (s) => number(a(s)) * number(b(s)) };
        case "/":
          return { type: "double", throws, run: (s) => number(a(s)) / number(b(s)) };
      }
    }
    if (left.type === "int" && right.type === "int") {
      switch (sign) {
        case "+":
          return { type: "int", throws: true, run: (s) => safe(number(a(s)) + number(b(s))) };
        case "-":
          return { type: "int", throws: true, run: (s) => safe(number(a(s)) - number(b(s))) };
        case "*":
          return { type: "int", throws: true, run: (s) => safe(number(a(s)) * number(b(s))) };
        case "/":
          return { type: "int", throws: true, run: (s) => safe(Math.trunc(number(a(s)) / divisor(b(s)))) + 0 };
        case "%":
          return { type: "int", throws: true, run: (s) => (number(a(s)) % divisor(b(s))) + 0 };
      }
    }
    if (pair === "timestamp - timestamp") {
      return { type: "duration", throws, run: (s) => safe(number(a(s)) - number(b(s))) };
    }
    if (pair === "timestamp + duration" || pair === "duration + timestamp") {
      return { type: "timestamp", throws: true, run: (s) => time(number(a(s)) + number(b(s))) };
    }
    if (pair === "timestamp - duration") {
      return { type: "timestamp", throws: true, run: (s) => time(number(a(s)) - number(b(s))) };
    }
    if (left.type === "list" || right.type === "list" || left.type === "duration") throw new Unsupported();
    const mixed = [left.type, right.type].sort().join() === "double,int";
    return this.fail(
      expr,
      mixed
        ? `A whole and a decimal number can't be reckoned together: write 2.0 for 2, or double(…).`
        : `${cap(TYPE_WORDS[left.type])} and ${TYPE_WORDS[right.type]} can't stand on the two sides of “${sign}”.`,
    );
  }

  private compare(expr: Expr, sign: string, [left, right]: [Node, Node]): Node {
    const numeric = (n: Node): boolean => n.type === "int" || n.type === "double";
    const equality = sign === "==" || sign === "!=";
    const both = numeric(left) && numeric(right);
    if (!both && left.type !== right.type) {
      this.fail(expr, `${cap(TYPE_WORDS[left.type])} can't be compared with ${TYPE_WORDS[right.type]}.`);
    }
    if (left.type === "list" || left.type === "dyn") throw new Unsupported();
    const [a, b] = [left.run, right.run];
    const throws = left.throws || right.throws;
    const node = (run: Run): Node => ({ type: "bool", throws, run });
    if (equality) {
      const wanted = sign === "==";
      return node((s) => (a(s) === b(s)) === wanted);
    }
    if (left.type === "string") {
      switch (sign) {
        case "<":
          return node((s) => order(text(a(s)), text(b(s))) < 0);
        case "<=":
          return node((s) => order(text(a(s)), text(b(s))) <= 0);
        case ">":
          return node((s) => order(text(a(s)), text(b(s))) > 0);
        default:
          return node((s) => order(text(a(s)), text(b(s))) >= 0);
      }
    }
    const bool = left.type === "bool";
    const n = bool ? (v: Value): number => (present(v) === true ? 1 : 0) : number;
    switch (sign) {
      case "<":
        return node((s) => n(a(s)) < n(b(s)));
      case "<=":
        return node((s) => n(a(s)) <= n(b(s)));
      case ">":
        return node((s) => n(a(s)) > n(b(s)));
      default:
        return node((s) => n(a(s)) >= n(b(s)));
    }
  }

  private time(expr: Expr, name: "timestamp" | "duration", nodes: readonly Node[]): Node {
    const written = nodes[0]?.constant;
    if (nodes.length !== 1 || typeof written !== "string") throw new Unsupported();
    if (name === "timestamp") {
      // 31 February is no time, whatever the library says.
      if (!/^\d{4}-\d\d-\d\dT\d\d:\d\d:\d\d(\.\d{1,6})?Z$/.test(written)) throw new Unsupported();
      const micros = microsOf(written);
      if (
        Number.isNaN(micros) ||
        written < "0001" ||
        new Date(micros / 1000).toISOString().slice(0, 10) !== written.slice(0, 10)
      ) {
        this.fail(expr, `“${written}” is no time that exists.`, name.length);
      }
      return { type: "timestamp", throws: false, constant: micros, run: () => micros };
    }
    const match = /^(-?)(?:(\d+)h)?(?:(\d+)m)?(?:(\d+)s)?$/.exec(written);
    if (!match || written.length < 2) throw new Unsupported();
    const [, sign, h = "0", m = "0", sec = "0"] = match;
    const seconds = Number(h) * 3600 + Number(m) * 60 + Number(sec);
    if (seconds > 315_576_000_000) this.fail(expr, "A length of time is at most 10,000 years.", name.length);
    const micros = seconds * MICROS * (sign ? -1 : 1);
    return { type: "duration", throws: false, constant: micros, run: () => micros };
  }

  private named(expr: Expr, name: string, method: boolean, nodes: readonly Node[]): Node {
    const known = FUNCTIONS.filter((f) => f.name === name && f.method === method);
    // CEL has more functions than we compile.
    if (known.length === 0) throw new Unsupported();
    const fits = known.find((f) => f.args.length === nodes.length && f.args.every((t, i) => t === nodes[i]!.type));
    if (!fits) {
      if (nodes.some((n) => n.type === "dyn" || n.type === "list") || CEL_NAMES.has(name)) throw new Unsupported();
      const f = known[0]!;
      this.fail(
        expr,
        `${shape(f)} takes ${listed(f.args.map((t) => TYPE_WORDS[t]))}, and is given ${listed(nodes.map((n) => TYPE_WORDS[n.type])) || "nothing"}.`,
        name.length,
      );
    }
    const { withLists } = fits!;
    return apply(withLists ? { ...fits!, run: withLists(this.scope.lists ?? NO_REFERENCES) } : fits!, nodes);
  }
}

/** What stands for the load that a formula is part of. */
const LOAD = "load";

/** A call's name and value: functions of a name space, such as `math.abs`, have the name space in their names. */
function called(
  { function: name, target }: { readonly function: string; readonly target?: Expr | undefined },
  isName: (name: string) => boolean,
): { name: string; target: Expr | undefined } {
  const space = target?.exprKind.case === "identExpr" ? target.exprKind.value.name : "";
  if (space === "" || isName(space)) return { name, target };
  const full = `${space}.${name}`;
  return FUNCTIONS.some((f) => f.name === full) ? { name: full, target: undefined } : { name, target };
}

/** The text that stands in a formula; null for anything else. */
function writtenText(expr: Expr): string | null {
  const { exprKind } = expr;
  if (exprKind.case !== "constExpr" || exprKind.value.constantKind.case !== "stringValue") return null;
  return exprKind.value.constantKind.value;
}

/** Names of CEL's own functions and macros that are not compiled, or not for every type. */
const CEL_NAMES = new Set(
  `size contains startsWith endsWith matches string int double uint bool bytes type dyn timestamp duration
  getDayOfMonth getDayOfWeek getDayOfYear getMilliseconds getMinutes getSeconds getFullYear getMonth getDate getHours
  charAt indexOf lastIndexOf lowerAscii upperAscii replace split substring join format quote reverse trim`.split(/\s+/),
);

function shape(f: FormulaFunction): string {
  return f.method ? `value.${f.name}(${f.params.join(", ")})` : `${f.name}(${f.params.join(", ")})`;
}

function apply(f: FormulaFunction, nodes: readonly Node[]): Node {
  const runs = nodes.map((n) => n.run);
  const call = f.run as (...values: Value[]) => Value;
  const [a, b, c] = runs;
  const pattern = f.name === "matches" ? nodes[1]!.constant : undefined;
  if (typeof pattern === "string") {
    const compiled = patternOf(pattern);
    return { type: "bool", throws: nodes[0]!.throws, run: (s) => compiled.test(text(a!(s))) };
  }
  const run: Run =
    runs.length === 1
      ? (s) => call(present(a!(s)))
      : runs.length === 2
        ? (s) => call(present(a!(s)), present(b!(s)))
        : runs.length === 3
          ? (s) => call(present(a!(s)), present(b!(s)), present(c!(s)))
          : (s) => call(...runs.map((r) => present(r(s))));
  return { type: f.result, throws: true, run };
}

function constantOf(type: ValueType, value: Value): Node {
  return { type, throws: false, constant: value, run: () => value };
}

function constant(kind: { case: string | undefined; value?: unknown }): Node {
  const made = constantOf;
  switch (kind.case) {
    case "nullValue":
      return { type: "null", throws: false, run: () => null };
    case "boolValue":
      return made("bool", kind.value as boolean);
    case "stringValue":
      return made("string", kind.value as string);
    case "doubleValue":
      return made("double", kind.value as number);
    case "int64Value": {
      const n = Number(kind.value as bigint);
      if (!Number.isSafeInteger(n)) throw new Unsupported();
      return made("int", n);
    }
    default:
      throw new Unsupported();
  }
}

function isNull(expr: Expr): boolean {
  return expr.exprKind.case === "constExpr" && expr.exprKind.value.constantKind.case === "nullValue";
}

const NO_DAY = "The day of the load is not at hand.";
const NO_VALUE = "A field that the formula reckons with is empty.";

function present(v: Value): Exclude<Value, null> {
  if (v === null) throw new Error(NO_VALUE);
  return v;
}

function number(v: Value): number {
  if (v === null) throw new Error(NO_VALUE);
  return v as number;
}

function text(v: Value): string {
  if (v === null) throw new Error(NO_VALUE);
  return v as string;
}

function safe(n: number): number {
  if (!Number.isSafeInteger(n)) throw BAIL;
  // Whole numbers have no zero below zero.
  return n + 0;
}

function divisor(v: Value): number {
  const n = number(v);
  if (n === 0) throw new Error("A whole number is divided by zero.");
  return n;
}

/** Years 1 to 9999. */
function time(micros: number): number {
  if (micros < -62_135_596_800 * MICROS || micros >= 253_402_300_800 * MICROS) {
    throw new Error("The time is outside of the years 1 to 9999.");
  }
  return micros;
}

function not(run: Run): Run {
  return (s) => present(run(s)) === false;
}

/** Compares texts by code points, as CEL does; by UTF-16 units where that is the same. */
function order(a: string, b: string): number {
  const n = Math.min(a.length, b.length);
  for (let i = 0; i < n; i++) {
    const x = a.charCodeAt(i);
    const y = b.charCodeAt(i);
    if (x === y) continue;
    const high = (u: number): boolean => u >= 0xd800 && u <= 0xdfff;
    if (high(x) !== high(y)) return high(x) ? 1 : -1;
    return x - y;
  }
  return a.length - b.length;
}

const cap = (words: string): string => words[0]!.toUpperCase() + words.slice(1);
