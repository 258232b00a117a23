import type { Expr } from "@bufbuild/cel-spec/cel/expr/syntax_pb.js";

/**
 * What a formula can cost at most for one record, estimated from its text before any record is seen: lists within
 * lists multiply, and so does text that is replaced by longer text.
 */
export interface Estimate {
  /** Steps; a function on a text takes one more for every 64 characters. */
  readonly cost: number;
  /** Characters of the text, or of an element of the list, that it gives. */
  readonly text: number;
  /** Elements of the list that it gives; 0 for what is none. */
  readonly list: number;
}

/** Characters that a cell is taken to have. */
export const CELL = 200;
/** More steps, characters or elements than these are not let in. */
export const MOST_COST = 200_000;
export const MOST_TEXT = 2_000_000;
export const MOST_LIST = 100_000;

type Bound = ReadonlyMap<string, Pick<Estimate, "text" | "list">>;

export function estimate(expr: Expr | undefined, bound: Bound = new Map()): Estimate {
  const { exprKind } = expr ?? { exprKind: { case: undefined } };
  switch (exprKind.case) {
    case "constExpr": {
      const { constantKind } = exprKind.value;
      const long = constantKind.case === "stringValue" || constantKind.case === "bytesValue";
      return { cost: 1, text: long ? constantKind.value.length : 8, list: 0 };
    }
    case "identExpr":
      return { cost: 1, ...(bound.get(exprKind.value.name) ?? { text: CELL, list: 0 }) };
    case "selectExpr": {
      const of = estimate(exprKind.value.operand, bound);
      return { ...of, cost: of.cost + 1 };
    }
    case "callExpr": {
      const { function: name, target, args } = exprKind.value;
      return call(
        name,
        [...(target ? [target] : []), ...args].map((a) => estimate(a, bound)),
      );
    }
    case "listExpr": {
      const each = exprKind.value.elements.map((e) => estimate(e, bound));
      // One that is written out is there once.
      const written = exprKind.value.elements.every((e) => e.exprKind.case === "constExpr");
      return { cost: written ? 1 : 1 + sum(each), text: Math.max(0, ...each.map((e) => e.text)), list: each.length };
    }
    case "structExpr": {
      const each = exprKind.value.entries.flatMap((e) => [
        ...(e.keyKind.case === "mapKey" ? [estimate(e.keyKind.value, bound)] : []),
        estimate(e.value, bound),
      ]);
      return { cost: 1 + sum(each), text: Math.max(0, ...each.map((e) => e.text)), list: each.length };
    }
    case "comprehensionExpr": {
      const c = exprKind.value;
      const range = estimate(c.iterRange, bound);
      const start = estimate(c.accuInit, bound);
      // What is no list, as far as can be seen, may be one of a cell's length.
      const turns = Math.max(1, range.list === 0 ? range.text : range.list);
      const inner = new Map(bound);
      for (const name of [c.iterVar, c.iterVar2]) if (name) inner.set(name, { text: range.text, list: 0 });
      inner.set(c.accuVar, { text: start.text, list: Math.min(turns, start.list + 1) });
      const [goesOn, step, end] = [c.loopCondition, c.loopStep, c.result].map((e) => estimate(e, inner)) as [
        Estimate,
        Estimate,
        Estimate,
      ];
      const cost = range.cost + start.cost + turns * (goesOn.cost + step.cost) + end.cost;
      return { cost, text: step.text, list: turns };
    }
    default:
      return { cost: 1, text: CELL, list: 0 };
  }
}

const sum = (each: readonly Estimate[]): number => each.reduce((n, e) => n + e.cost, 0);

function call(name: string, each: readonly Estimate[]): Estimate {
  const [first = { cost: 0, text: 0, list: 0 }, second, third] = each;
  const cost = 1 + sum(each) + each.reduce((n, e) => n + (e.text * Math.max(1, e.list)) / 64, 0);
  const longest = Math.max(0, ...each.map((e) => e.text));
  switch (name) {
    case "_+_":
      return first.list > 0 || (second?.list ?? 0) > 0
        ? { cost, text: longest, list: first.list + (second?.list ?? 0) }
        : { cost, text: first.text + (second?.text ?? 0), list: 0 };
    case "replace": {
      const [old, by] = [second?.text ?? 0, third?.text ?? 0];
      const text = old === 0 ? (first.text + 1) * (by + 1) : first.text * Math.max(1, by / old) + by;
      return { cost, text, list: 0 };
    }
    case "split":
      return { cost, text: first.text, list: Math.ceil(first.text / Math.max(1, second?.text ?? 0)) + 1 };
    case "join":
      return { cost, text: Math.max(1, first.list) * (first.text + (second?.text ?? 0)), list: 0 };
    case "format":
      return { cost, text: first.text + Math.max(1, second?.list ?? 1) * (second?.text ?? 0), list: 0 };
    case "_?_:_":
      return {
        cost,
        text: Math.max(second?.text ?? 0, third?.text ?? 0),
        list: Math.max(second?.list ?? 0, third?.list ?? 0),
      };
    default:
      return {
        cost,
        text: longest,
        list: name.startsWith("_") || name === "size" ? 0 : Math.max(0, ...each.map((e) => e.list)),
      };
  }
}
