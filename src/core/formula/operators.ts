import type { Expr } from "@bufbuild/cel-spec/cel/expr/syntax_pb.js";
import { Unsupported, number, present, safe, divisor, text, type Node, type Run } from "./node.ts";
import { BAIL, MICROS, TYPE_WORDS, microsOf, type Value, type ValueType } from "./value.ts";

/** Throws where a part of a formula can't stand; `length`: of the name that is meant. */
export type Fail = (expr: Expr, message: string, length?: number) => never;

export function need(fail: Fail, expr: Expr, node: Node, type: ValueType): void {
  if (node.type !== type) fail(expr, `Here ${TYPE_WORDS[type]} is needed, and this is ${TYPE_WORDS[node.type]}.`);
}

/** Each side may say it alone, even where the other has no value. */
export function logic(fail: Fail, expr: Expr, and: boolean, [left, right]: Node[]): Node {
  const args = expr.exprKind.case === "callExpr" ? expr.exprKind.value.args : [];
  need(fail, args[0]!, left!, "bool");
  need(fail, args[1]!, right!, "bool");
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

export function arithmetic(fail: Fail, expr: Expr, sign: string, [left, right]: [Node, Node]): Node {
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
  return fail(
    expr,
    mixed
      ? `A whole and a decimal number can't be combined: write 2.0 for 2, or double(…).`
      : `${cap(TYPE_WORDS[left.type])} and ${TYPE_WORDS[right.type]} can't stand on the two sides of “${sign}”.`,
  );
}

export function compare(fail: Fail, expr: Expr, sign: string, [left, right]: [Node, Node]): Node {
  const numeric = (n: Node): boolean => n.type === "int" || n.type === "double";
  const equality = sign === "==" || sign === "!=";
  const both = numeric(left) && numeric(right);
  if (!both && left.type !== right.type) {
    fail(expr, `${cap(TYPE_WORDS[left.type])} can't be compared with ${TYPE_WORDS[right.type]}.`);
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

export function constantTime(fail: Fail, expr: Expr, name: "timestamp" | "duration", nodes: readonly Node[]): Node {
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
      fail(expr, `“${written}” is no time that exists.`, name.length);
    }
    return { type: "timestamp", throws: false, constant: micros, run: () => micros };
  }
  const match = /^(-?)(?:(\d+)h)?(?:(\d+)m)?(?:(\d+)s)?$/.exec(written);
  if (!match || written.length < 2) throw new Unsupported();
  const [, sign, h = "0", m = "0", sec = "0"] = match;
  const seconds = Number(h) * 3600 + Number(m) * 60 + Number(sec);
  if (seconds > 315_576_000_000) fail(expr, "A length of time is at most 10,000 years.", name.length);
  const micros = seconds * MICROS * (sign ? -1 : 1);
  return { type: "duration", throws: false, constant: micros, run: () => micros };
}

/** Years 1 to 9999. */
function time(micros: number): number {
  if (micros < -62_135_596_800 * MICROS || micros >= 253_402_300_800 * MICROS) {
    throw new Error("The time is outside of the years 1 to 9999.");
  }
  return micros;
}

export function not(run: Run): Run {
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
