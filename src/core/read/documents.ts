import { parse as parseLossless, stringify } from "lossless-json";
import { utf8 } from "../kernel/bytes.ts";
import { SieveError, grouped, listed, quoted } from "../kernel/problem.ts";
import { withoutExponent } from "../type/exponent.ts";
import { MOST_COLUMNS } from "./options.ts";

/** What becomes of an array inside a document: its values in one cell, one of them, or its JSON text. */
export interface ArrayChoice {
  readonly take: "join" | "first" | "last" | "json";
  /** Between joined values. */
  readonly by?: string | undefined;
}

export interface DocumentOptions {
  /** The path of an array that becomes records of its own, one per element, with the parent's fields beside it. */
  readonly each?: string | undefined;
  /** By path, or `*` for all others. */
  readonly arrays?: Readonly<Record<string, ArrayChoice>> | undefined;
}

/** Characters of a column's name. */
const MOST_NAME = 1000;

/** Throws `too-many-columns` or `name-too-long` for columns that no file of records has. */
export function refuseColumns(names: readonly string[]): void {
  if (names.length > MOST_COLUMNS) {
    throw new SieveError("too-many-columns", `The file has more than ${grouped(MOST_COLUMNS)} columns.`, {
      detail: `Their names begin with ${listed(names.slice(0, 3))}.`,
      hint: "Check its delimiter. Where keys or columns are values, such as days or codes, ask the sender for them as values.",
    });
  }
  const long = names.find((n) => n.length > MOST_NAME);
  if (long === undefined) return;
  throw new SieveError("name-too-long", `A column's name has ${grouped(long.length)} characters.`, {
    detail: `It begins with ${quoted(long)}; a name may have ${grouped(MOST_NAME)}.`,
    hint: "Check that the file is whole, its delimiter, and which line names the columns.",
  });
}

/** A name without what no text can keep: NUL is made visible, half a character becomes U+FFFD. */
export function keepable(name: string): string {
  return name.replaceAll("\0", "␀").replace(/\p{Surrogate}/gu, "\ufffd");
}

const DEFAULT_CHOICE: ArrayChoice = { take: "join", by: "; " };
/** Deeper than this a document's rest is kept as JSON text. */
export const MOST_DEPTH = 40;

/** A place in documents: what it is called and which column it has. */
export interface Node {
  readonly path: string;
  readonly below: Map<string, Node>;
  /** The places below in the order in which they were first met. */
  readonly list: Node[];
  readonly name: string;
  /** Where in the list the next is likely to be. */
  next: number;
  /** The key that leads to it as it stands in JSON text, where it can stand there without escapes. */
  readonly key: Uint8Array | null;
  column: number;
  /** The document in which it was met last, for who counts them. */
  met: number;
}

function newNode(path: string, key: string): Node {
  const plain = !/["\\\u0000-\u001f]/.test(key);
  return { path, below: new Map(), list: [], name: key, next: 0, key: plain ? utf8(key) : null, column: -1, met: 0 };
}

/** A value of a document: JSON's own, and numbers as the text that they were written with. */
export type Value =
  | string
  | number
  | bigint
  | boolean
  | null
  | undefined
  | Uint8Array
  | Value[]
  | { [key: string]: Value };

/**
 * Turns nested documents into records of named columns. A column is the path of a value, its keys
 * joined by points (`site.name`); columns appear in the order in which values are first met.
 */
export class Flattener {
  readonly columns: string[] = [];
  /** Paths of arrays that were met, with how many elements the longest had. */
  readonly arrays = new Map<string, number>();
  readonly root: Node = newNode("", "");
  private readonly choices: Map<string, ArrayChoice>;
  private readonly values: (string | undefined)[] = [];
  private eachValue: Value = undefined;
  private eachNode: Node | null = null;

  constructor(readonly options: DocumentOptions = {}) {
    this.choices = new Map(Object.entries(options.arrays ?? {}));
  }

  /**
   * Gives the records of one document to `add`: one, or one per element of the array that `each`
   * names. The same array of values is used again for the next record.
   */
  records(document: Value, add: (values: (string | undefined)[]) => void): void {
    const { values } = this;
    values.fill(undefined);
    this.eachValue = undefined;
    this.eachNode = null;
    this.put(document, this.root, values, 0);
    const each = this.eachValue as Value;
    const node = this.eachNode as Node | null;
    if (!node || !Array.isArray(each) || each.length === 0) {
      add(values);
      return;
    }
    const parent = values.slice();
    for (const element of each) {
      for (let c = 0; c < values.length; c++) values[c] = parent[c];
      this.put(element, node, values, 0);
      add(values);
    }
  }

  private put(value: Value, node: Node, values: (string | undefined)[], depth: number): void {
    if (typeof value === "string") {
      this.set(node, values, value);
      return;
    }
    if (value === null || value === undefined) return;
    if (value instanceof Uint8Array) {
      this.set(node, values, hexOf(value));
      return;
    }
    if (typeof value === "object" && !isScalar(value)) {
      if (Array.isArray(value)) {
        this.noteArray(node.path, value.length);
        if (node.path === this.options.each && this.eachNode === null) {
          this.eachValue = value;
          this.eachNode = node;
          return;
        }
        this.set(node, values, this.fromArray(value, node.path));
        return;
      }
      if (depth >= MOST_DEPTH) {
        this.set(node, values, jsonOf(value));
        return;
      }
      for (const key in value) this.put(value[key], this.below(node, key), values, depth + 1);
      return;
    }
    this.set(node, values, textOfScalar(value));
  }

  /** The place that a key leads to; most documents have their keys in the order of the one before. */
  below(node: Node, key: string): Node {
    const { list } = node;
    const next = list[node.next];
    if (next !== undefined && next.name === key) {
      node.next = node.next + 1 === list.length ? 0 : node.next + 1;
      return next;
    }
    const known = node.below.get(key);
    if (known) {
      node.next = (list.indexOf(known) + 1) % list.length;
      return known;
    }
    const below = newNode(node.path === "" ? key : `${node.path}.${key}`, key);
    node.below.set(key, below);
    node.list.push(below);
    return below;
  }

  /** Takes the columns away that were added last, of these places. */
  dropColumns(nodes: readonly Node[]): void {
    this.columns.length -= nodes.length;
    for (const node of nodes) node.column = -1;
  }

  /** Gives a place that had none its column. Throws `too-many-columns`. */
  addColumn(node: Node): void {
    node.column = this.columns.length;
    this.nameColumn(node.path === "" ? "value" : node.path);
  }

  /** Names the next column. Throws `too-many-columns`. */
  nameColumn(name: string): void {
    this.columns.push(keepable(name));
    if (this.columns.length > MOST_COLUMNS || name.length > MOST_NAME) refuseColumns(this.columns);
  }

  private set(node: Node, values: (string | undefined)[], text: string): void {
    if (node.column === -1) this.addColumn(node);
    values[node.column] = text;
  }

  private noteArray(path: string, length: number): void {
    if (length > (this.arrays.get(path) ?? 0)) this.arrays.set(path, length);
  }

  /** What stands in the cell of the array at a path, from its JSON text; null when it is no JSON. */
  arrayText(text: string, path: string): string | null {
    try {
      const array = parseJson(text, true) as Value[];
      this.noteArray(path, array.length);
      return this.fromArray(array, path);
    } catch {
      return null;
    }
  }

  private fromArray(array: readonly Value[], path: string): string {
    const { take, by = "; " } = this.choices.get(path) ?? this.choices.get("*") ?? DEFAULT_CHOICE;
    if (take === "json") return jsonOf(array);
    const text = (v: Value): string =>
      v === null || v === undefined
        ? ""
        : v instanceof Uint8Array
          ? hexOf(v)
          : typeof v === "object" && !isScalar(v)
            ? jsonOf(v)
            : textOfScalar(v);
    if (take === "first") return text(array[0]);
    if (take === "last") return text(array.at(-1));
    return array.map(text).join(by);
  }
}

/** A key of an object is given twice, with different values. */
export class KeyTwice extends Error {}

/** Whether a name stands twice in a text, be it in two objects: only then can an object have a key twice. */
function repeatsNames(text: string): boolean {
  const seen = new Set<string>();
  for (const [, name] of text.matchAll(/"((?:[^"\\]|\\.)*)"\s*:/g)) {
    if (seen.has(name!)) return true;
    seen.add(name!);
  }
  return false;
}

/**
 * Parses JSON; with `lossless`, by the slower parser that keeps the digits of numbers. Throws SyntaxError, and
 * KeyTwice for an object that gives a key twice with different values.
 */
export function parseJson(text: string, lossless: boolean): Value {
  // The slower parser would take this key for the object's prototype.
  if (text.includes("__proto__") || (!lossless && !repeatsNames(text))) return JSON.parse(text) as Value;
  const value = parseLossless(text, null, {
    onDuplicateKey: ({ key }: { key: string }) => {
      throw new KeyTwice(key);
    },
  }) as Value;
  return lossless ? value : (JSON.parse(text) as Value);
}

function isScalar(value: object): boolean {
  return "isLosslessNumber" in value;
}

/** A number as plain digits, where they are not absurdly many; exact for what a double holds exactly. */
export function textOfScalar(value: Value): string {
  if (typeof value === "number") {
    const text = String(value);
    // Only very large and very small numbers are written with an exponent.
    return Math.abs(value) < 1e21 && (Math.abs(value) >= 1e-6 || value === 0) ? text : withoutExponent(text);
  }
  if (typeof value === "object" && value !== null) return withoutExponent(String(value));
  return String(value);
}

/** Bytes as hexadecimal digits. */
export function hexOf(bytes: Uint8Array): string {
  let hex = "";
  for (const b of bytes) hex += b.toString(16).padStart(2, "0");
  return hex;
}

function jsonOf(value: unknown): string {
  return stringify(value) ?? "";
}
