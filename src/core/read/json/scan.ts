import { isUtf8, sameBytes, textOf } from "../../kernel/bytes.ts";
import { withoutExponent } from "../../type/exponent.ts";
import type { Flattener, Node } from "../documents.ts";
import { isBrokenText, type BlockBuilder } from "../builder.ts";

const QUOTE = 34;
const BACKSLASH = 92;
const COMMA = 44;
const COLON = 58;
const MINUS = 45;
const PLUS = 43;
const POINT = 46;
const ZERO = 48;
const NINE = 57;
const TRUE = Uint8Array.of(116, 114, 117, 101);
const FALSE = Uint8Array.of(102, 97, 108, 115, 101);
const NULL = Uint8Array.of(110, 117, 108, 108);
const MOST_DEPTH = 20;

/**
 * Reads a JSON object (RFC 8259) in place: the cells of the record become spans of its own text, so
 * that numbers keep their very digits and no objects are made. It knows the usual course of things
 * and nothing else: objects whose keys have all been met before, in any depth. For anything else
 * (a new key, a key given twice, text that is not JSON) it gives up, and the document is to be
 * parsed whole.
 */
export class JsonScan {
  private bytes: Uint8Array = new Uint8Array(0);
  private at = 0;
  private end = 0;
  /** Number of the document at hand, by which a node knows whether it was met in it. */
  private document = 0;

  constructor(
    private readonly flattener: Flattener,
    private readonly builder: BlockBuilder,
  ) {}

  /** Takes a span of the builder's heap as the record at hand; false when it gave up. */
  record(from: number, to: number): boolean {
    this.bytes = this.builder.heap.bytes;
    this.at = from;
    this.end = to;
    this.document++;
    this.skip();
    if (this.bytes[this.at] !== 123 || !this.object(this.flattener.root, 0)) return false;
    this.skip();
    return this.at === this.end;
  }

  private skip(): void {
    const { bytes, end } = this;
    let p = this.at;
    while (p < end) {
      const b = bytes[p]!;
      if (b !== 32 && b !== 9 && b !== 10 && b !== 13) break;
      p++;
    }
    this.at = p;
  }

  /** From the opening bracket past the closing one. */
  private object(node: Node, depth: number): boolean {
    if (depth > MOST_DEPTH) return false;
    this.at++;
    this.skip();
    if (this.bytes[this.at] === 125) {
      this.at++;
      return true;
    }
    // Keys mostly come in the order in which they were first met.
    let guess = 0;
    for (;;) {
      if (this.bytes[this.at] !== QUOTE) return false;
      const from = this.at + 1;
      let p = from;
      const list = node.list;
      let below: Node | undefined = list[guess];
      const key = below?.key;
      if (key && this.bytes[from + key.length] === QUOTE && sameBytes(this.bytes, from, from + key.length, key)) {
        p = from + key.length;
        guess++;
      } else {
        let all = 0;
        for (; p < this.end; p++) {
          const b = this.bytes[p]!;
          all |= b;
          if (b === QUOTE) break;
          if (b === BACKSLASH || b < 32) return false;
        }
        if (all > 127 && !isUtf8(this.bytes, from, p)) return false;
        below = node.below.get(textOf(this.bytes, from, p));
        if (!below) return false;
        guess = list.indexOf(below) + 1;
      }
      if (p >= this.end || below!.met === this.document) return false;
      below!.met = this.document;
      this.at = p + 1;
      this.skip();
      if (this.bytes[this.at] !== COLON) return false;
      this.at++;
      this.skip();
      if (!this.value(below!, depth)) return false;
      this.skip();
      const next = this.bytes[this.at];
      if (this.at >= this.end) return false;
      this.at++;
      if (next === 125) return true;
      if (next !== COMMA) return false;
      this.skip();
    }
  }

  private value(node: Node, depth: number): boolean {
    const { bytes } = this;
    if (this.at >= this.end) return false;
    switch (bytes[this.at]) {
      case QUOTE: {
        const from = this.at + 1;
        const escaped = this.string();
        if (escaped === null || node.column < 0) return false;
        if (escaped) return this.put(node.column, JSON.parse(textOf(this.bytes, from - 1, this.at)) as string);
        this.builder.setCell(node.column, from, this.at - 1);
        return true;
      }
      case 123:
        return this.object(node, depth + 1);
      case 91: {
        const from = this.at;
        // Whether it is the array that becomes records is for the flattener to say.
        if (this.flattener.options.each === node.path || node.column < 0 || !this.array(depth)) return false;
        const text = this.flattener.arrayText(textOf(this.bytes, from, this.at), node.path);
        return text !== null && this.put(node.column, text);
      }
      case 116:
        return this.word(node, TRUE);
      case 102:
        return this.word(node, FALSE);
      case 110: {
        if (!sameBytes(bytes, this.at, Math.min(this.end, this.at + 4), NULL)) return false;
        this.at += 4;
        return true;
      }
      default:
        return this.number(node);
    }
  }

  private put(column: number, text: string): boolean {
    if (isBrokenText(text)) return false;
    const { heap } = this.builder;
    const from = heap.append(text);
    this.builder.setCell(column, from, heap.length);
    this.bytes = heap.bytes;
    return true;
  }

  private word(node: Node, word: Uint8Array): boolean {
    const to = this.at + word.length;
    if (node.column < 0 || to > this.end || !sameBytes(this.bytes, this.at, to, word)) return false;
    this.builder.setCell(node.column, this.at, to);
    this.at = to;
    return true;
  }

  /** From the opening quote past the closing one; true when there are escapes, null when it is none. */
  private string(): boolean | null {
    const { bytes, end } = this;
    let escaped = false;
    let all = 0;
    for (let p = this.at + 1; p < end; p++) {
      const b = bytes[p]!;
      all |= b;
      if (b === QUOTE) {
        if (all > 127 && !isUtf8(bytes, this.at, p)) return null;
        this.at = p + 1;
        return escaped;
      }
      if (b < 32) return null;
      if (b === BACKSLASH) {
        escaped = true;
        p++;
        const letter = bytes[p]!;
        if (letter === 117) {
          for (let i = 1; i <= 4; i++) if (p + i >= end || !isHex(bytes[p + i]!)) return null;
        } else if (!ESCAPES.includes(letter)) return null;
      }
    }
    return null;
  }

  private number(node: Node): boolean {
    const { bytes, end } = this;
    const from = this.at;
    let p = from;
    if (bytes[p] === MINUS) p++;
    const whole = p;
    while (p < end && bytes[p]! >= ZERO && bytes[p]! <= NINE) p++;
    if (p === whole || (bytes[whole] === ZERO && p > whole + 1)) return false;
    if (p < end && bytes[p] === POINT) {
      const part = ++p;
      while (p < end && bytes[p]! >= ZERO && bytes[p]! <= NINE) p++;
      if (p === part) return false;
    }
    let exponent = false;
    if (p < end && (bytes[p]! | 32) === 101) {
      exponent = true;
      p++;
      if (p < end && (bytes[p] === PLUS || bytes[p] === MINUS)) p++;
      const digits = p;
      while (p < end && bytes[p]! >= ZERO && bytes[p]! <= NINE) p++;
      if (p === digits) return false;
    }
    this.at = p;
    if (node.column < 0) return false;
    if (exponent) return this.put(node.column, withoutExponent(textOf(bytes, from, p)));
    this.builder.setCell(node.column, from, p);
    return true;
  }

  /** Past the array at hand, whose text is judged by the parser that takes it. */
  private array(depth: number): boolean {
    let open = 0;
    if (depth > MOST_DEPTH) return false;
    while (this.at < this.end) {
      const b = this.bytes[this.at]!;
      if (b === QUOTE) {
        if (this.string() === null) return false;
        continue;
      }
      this.at++;
      if (b === 91 || b === 123) open++;
      else if (b === 93 || b === 125) {
        if (--open === 0) return true;
      }
    }
    return false;
  }
}

/** What may stand after a backslash, but for `u`. */
const ESCAPES: readonly number[] = [QUOTE, BACKSLASH, 47, 98, 102, 110, 114, 116];

function isHex(b: number): boolean {
  return (b >= ZERO && b <= NINE) || ((b | 32) >= 97 && (b | 32) <= 102);
}
