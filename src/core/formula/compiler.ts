import type { Expr } from "@bufbuild/cel-spec/cel/expr/syntax_pb.js";
import { listed } from "../kernel/problem.ts";
import { NO_REFERENCES } from "../kernel/reference.ts";
import type { FormulaFunction } from "./define.ts";
import { FUNCTIONS } from "./functions.ts";
import { patternOf } from "./patterns.ts";
import { LIST_FUNCTIONS } from "./lists.ts";
import { Unsupported, constant, constantOf, isNull, present, text, number, type Node, type Run } from "./node.ts";
import { arithmetic, compare, constantTime, logic, need, not, type Fail } from "./operators.ts";
import type { Scope } from "./scope.ts";
import { BAIL, TYPE_WORDS, microsOf, valueTypeOf, type Value } from "./value.ts";

const MOST_NODES = 1000;
/** Macros over lists inside each other: each multiplies what a record can cost. */
const MOST_NESTED = 2;
/** Why a formula that asks for the day of the load has no value without one. */
export const NO_DAY = "The day of the load is not at hand.";
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

/** CEL's own functions that are not compiled, or not for every type: with how many arguments each is called, by itself and behind a value (CEL's definition and its extension for strings). */
const CEL_FORMS: ReadonlyMap<string, { readonly plain: readonly number[]; readonly method: readonly number[] }> =
  new Map(
    (
      [
        ["size", [1], [0]],
        ["matches", [2], [1]],
        ...["contains", "startsWith", "endsWith", "charAt", "format"].map((n) => [n, [], [1]] as const),
        ...["string", "int", "double", "uint", "bool", "bytes", "type", "dyn", "timestamp", "duration"].map(
          (n) => [n, [1], []] as const,
        ),
        ...["getDayOfMonth", "getDayOfWeek", "getDayOfYear", "getMilliseconds", "getMinutes", "getSeconds"].map(
          (n) => [n, [], [0, 1]] as const,
        ),
        ...["getFullYear", "getMonth", "getDate", "getHours", "join"].map((n) => [n, [], [0, 1]] as const),
        ...["indexOf", "lastIndexOf", "split", "substring"].map((n) => [n, [], [1, 2]] as const),
        ...["lowerAscii", "upperAscii", "reverse", "trim"].map((n) => [n, [], [0]] as const),
        ["replace", [], [2, 3]],
        ["quote", [1], [1]],
      ] as const
    ).map(([name, plain, method]) => [name, { plain, method }]),
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

/** Makes a formula's parts ready, from the syntax tree of the library. */
export class Compiler {
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
    private readonly fail: Fail,
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
        this.known(expr, name, target !== undefined, args.length);
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
  private known(expr: Expr, name: string, method: boolean, given: number): void {
    if (!/^[a-z]/i.test(name)) return;
    const cel = CEL_FORMS.get(name);
    if ((method ? cel?.method : cel?.plain)?.includes(given)) return;
    const own = FUNCTIONS.filter((f) => f.name === name);
    // What ours are given is said with their types, where it is of another number.
    if (own.some((f) => f.method === method && (!cel || f.params.length === given))) return;
    if (own.length === 0 && !cel) this.fail(expr, `There is no function ${name}.`, name.length);
    const shapes = own.length > 0 ? own.map(shape) : [cel!.method.length > 0 ? `value.${name}(…)` : `${name}(…)`];
    this.fail(expr, `${name} is called as ${shapes.join(" or ")}.`, name.length);
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
        return logic(this.fail, expr, name === "_&&_", nodes);
      case "!_":
        need(this.fail, args[0]!, nodes[0]!, "bool");
        return { type: "bool", throws: nodes[0]!.throws, run: not(nodes[0]!.run) };
      case "_?_:_": {
        const [test, yes, no] = nodes as [Node, Node, Node];
        need(this.fail, args[0]!, test, "bool");
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
        return arithmetic(this.fail, expr, name[1]!, nodes as [Node, Node]);
      case "_==_":
      case "_!=_":
      case "_<_":
      case "_<=_":
      case "_>_":
      case "_>=_":
        return compare(this.fail, expr, name.slice(1, -1), nodes as [Node, Node]);
      case "timestamp":
      case "duration":
        return constantTime(this.fail, expr, name, nodes);
    }
    return this.named(expr, name, target !== undefined, nodes);
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

  private named(expr: Expr, name: string, method: boolean, nodes: readonly Node[]): Node {
    const known = FUNCTIONS.filter((f) => f.name === name && f.method === method);
    // CEL has more functions than we compile.
    if (known.length === 0) throw new Unsupported();
    const fits = known.find((f) => f.args.length === nodes.length && f.args.every((t, i) => t === nodes[i]!.type));
    if (!fits) {
      if (nodes.some((n) => n.type === "dyn" || n.type === "list") || CEL_FORMS.has(name)) throw new Unsupported();
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
