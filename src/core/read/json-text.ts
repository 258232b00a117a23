import { parse as parseLossless } from "lossless-json";
import type { Value } from "./documents.ts";

/** 1 for digits and the point, 2 for the letters of an exponent. */
const NUMERIC = Uint8Array.from({ length: 256 }, (_, b) =>
  (b >= 48 && b <= 57) || b === 46 ? 1 : b === 69 || b === 101 ? 2 : 0,
);

/** Whether a JSON text may have a number that a double does not keep: more than 15 digits, or an exponent. */
export function mayLoseDigits(bytes: Uint8Array, from: number, to: number): boolean {
  let run = 0;
  for (let p = from; p < to; p++) {
    const kind = NUMERIC[bytes[p]!]!;
    if (kind === 1) {
      if (++run > 15) return true;
    } else if (kind === 2 && run > 0) return true;
    else run = 0;
  }
  return false;
}

/** Parses JSON; with `lossless`, by the slower parser that keeps the digits of numbers. Throws SyntaxError. */
export function parseJson(text: string, lossless: boolean): Value {
  return lossless ? (parseLossless(text) as Value) : (JSON.parse(text) as Value);
}

const QUOTE = 34;
const BACKSLASH = 92;
const OPEN_ARRAY = 91;
const CLOSE_ARRAY = 93;
const OPEN_OBJECT = 123;
const CLOSE_OBJECT = 125;
const COMMA = 44;

/** A value that was cut out of a JSON text. */
export interface Cut {
  /** Offset in the whole text. */
  readonly start: number;
  readonly bytes: Uint8Array;
  readonly line: number;
}

interface Container {
  readonly array: boolean;
  key: string;
  /** An array's elements are the records. */
  readonly records: boolean;
}

/** The keys of a path such as `$.delivery.items`; `$` alone is the document itself. */
export function pathKeys(path: string): string[] {
  return path
    .replace(/\[\*\]$/, "")
    .replace(/^\$\.?/, "")
    .split(".")
    .filter((key) => key !== "");
}

/**
 * Cuts the elements of one array out of a JSON text that comes in pieces, without building the
 * text's tree: memory is one record, whatever the size of the file.
 */
export class JsonCutter {
  /** Arrays of objects that were met, as paths, shallowest first in the text. */
  readonly arrays: string[] = [];
  private readonly stack: Container[] = [];
  private window = new Uint8Array(0);
  private have = 0;
  private at = 0;
  private base = 0;
  private line = 1;
  private inString = false;
  private escaped = false;
  private stringFrom = -1;
  private lastString = "";
  /** Where the record at hand begins in the window, or -1. */
  private recordFrom = -1;
  private recordLine = 1;
  private recordDepth = 0;
  /** The document has ended; anything but white space after it is a fault. */
  ended = false;
  private begun = false;

  /** @param path keys down to the array whose elements are the records; null: the whole text is one record */
  constructor(private readonly path: readonly string[] | null) {}

  /** True when the text ended inside a value. */
  get open(): boolean {
    return this.stack.length > 0 || this.inString || (!this.ended && this.begun);
  }

  *push(chunk: Uint8Array): Generator<Cut> {
    this.take(chunk);
    const { stack } = this;
    const w = this.window;
    for (; this.at < this.have; this.at++) {
      const b = w[this.at]!;
      if (this.inString) {
        if (this.escaped) this.escaped = false;
        else if (b === BACKSLASH) this.escaped = true;
        else if (b === QUOTE) {
          this.inString = false;
          const top = stack.at(-1);
          // Only keys outside of records matter.
          if (this.recordFrom < 0 && top && !top.array) {
            this.lastString = new TextDecoder().decode(w.subarray(this.stringFrom + 1, this.at));
          }
        }
        continue;
      }
      if (b <= 32) {
        if (b === 10) this.line++;
        continue;
      }
      this.begun = true;
      const top = stack.at(-1);
      if (this.path === null && stack.length === 0 && this.recordFrom < 0) {
        this.recordFrom = this.at;
        this.recordLine = this.line;
        this.recordDepth = 0;
      }
      if (top?.records && this.recordFrom < 0 && b !== COMMA && b !== CLOSE_ARRAY) {
        this.recordFrom = this.at;
        this.recordLine = this.line;
        this.recordDepth = stack.length;
      }
      if (b === QUOTE) {
        this.inString = true;
        this.stringFrom = this.at;
      } else if (b === OPEN_OBJECT || b === OPEN_ARRAY) {
        this.openContainer(b === OPEN_ARRAY);
      } else if (b === CLOSE_OBJECT || b === CLOSE_ARRAY) {
        if (this.recordFrom >= 0 && stack.length === this.recordDepth) yield this.cut(this.at);
        const closed = stack.pop();
        if (!closed || closed.array !== (b === CLOSE_ARRAY))
          throw new SyntaxError(`a bracket too many in line ${this.line}`);
        if (this.recordFrom >= 0 && stack.length === this.recordDepth) yield this.cut(this.at + 1);
        if (stack.length === 0) this.ended = true;
      } else if (b === COMMA) {
        if (this.recordFrom >= 0 && stack.length === this.recordDepth) yield this.cut(this.at);
      } else if (b === 58 && top && !top.array && this.recordFrom < 0) {
        top.key = this.lastString;
      }
    }
  }

  private openContainer(array: boolean): void {
    const { stack } = this;
    if (this.recordFrom >= 0) {
      stack.push({ array, key: "", records: false });
      return;
    }
    const top = stack.at(-1);
    if (!array && top?.array) {
      const path = `$${stack.map((c) => (c.array ? "" : `.${c.key}`)).join("")}`;
      if (!this.arrays.includes(path) && this.arrays.length < 50) this.arrays.push(path);
    }
    const keys = stack.filter((c) => !c.array).map((c) => c.key);
    const nested = stack.some((c) => c.array);
    const records =
      array &&
      !nested &&
      this.path !== null &&
      keys.length === this.path.length &&
      keys.every((key, i) => key === this.path![i]);
    stack.push({ array, key: "", records });
  }

  private cut(to: number): Cut {
    const bytes = this.window.subarray(this.recordFrom, to);
    const cut = { start: this.base + this.recordFrom, bytes, line: this.recordLine };
    this.recordFrom = -1;
    return cut;
  }

  /** What stands of a record that the text broke off in. */
  rest(): Cut | null {
    return this.recordFrom < 0 ? null : this.cut(this.have);
  }

  private take(chunk: Uint8Array): void {
    const keep = this.recordFrom >= 0 ? this.recordFrom : this.inString ? this.stringFrom : this.at;
    const carry = this.have - keep;
    if (carry + chunk.length > this.window.length) {
      const grown = new Uint8Array(Math.max(this.window.length, Math.ceil((carry + chunk.length) * 1.5)));
      grown.set(this.window.subarray(keep, this.have));
      this.window = grown;
    } else {
      this.window.copyWithin(0, keep, this.have);
    }
    this.window.set(chunk, carry);
    this.base += keep;
    this.at -= keep;
    if (this.recordFrom >= 0) this.recordFrom -= keep;
    if (this.stringFrom >= 0) this.stringFrom -= keep;
    this.have = carry + chunk.length;
  }
}
