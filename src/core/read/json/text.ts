/** 1 for digits, 2 for the letters of an exponent, 3 for the point. */
const NUMERIC = Uint8Array.from({ length: 256 }, (_, b) =>
  b >= 48 && b <= 57 ? 1 : b === 46 ? 3 : b === 69 || b === 101 ? 2 : 0,
);

/**
 * Whether a JSON text may have a number that does not come back from a double as it was written:
 * more than 15 digits, an exponent, zeros at the end of decimals, a zero with a sign.
 */
export function mayLoseDigits(bytes: Uint8Array, from: number, to: number): boolean {
  let run = 0;
  let point = false;
  for (let p = from; p <= to; p++) {
    const kind = p < to ? NUMERIC[bytes[p]!]! : 0;
    if (kind === 0) {
      if (run > 0 && bytes[p - 1] === 48 && (point || (run === 1 && bytes[p - 2] === 45))) return true;
      run = 0;
      point = false;
    } else if (kind === 2) {
      if (run > 0) return true;
    } else {
      if (++run > 15) return true;
      if (kind === 3) point = true;
    }
  }
  return false;
}

const QUOTE = 34;
const BACKSLASH = 92;
const OPEN_ARRAY = 91;
const CLOSE_ARRAY = 93;
const OPEN_OBJECT = 123;
const CLOSE_OBJECT = 125;
const COMMA = 44;
const COLON = 58;
/** 1 for bytes that mean something outside of strings. */
const KIND = new Uint8Array(256);
for (const b of [10, QUOTE, OPEN_ARRAY, CLOSE_ARRAY, OPEN_OBJECT, CLOSE_OBJECT, COMMA]) KIND[b] = 1;

/** A value that was cut out of a JSON text. */
export interface Cut {
  /** Offset in the whole text. */
  readonly start: number;
  readonly bytes: Uint8Array;
  readonly line: number;
}

/** Brackets within brackets outside of records. */
const MOST_NESTED = 500;

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

/** Paths of arrays that are noted. */
const MOST_NOTED = 50;

/**
 * Cuts the elements of one array out of a JSON text that comes in pieces, without building the
 * text's tree: memory is one record, whatever the size of the file.
 */
export class JsonCutter {
  /** Arrays of objects that were met, as paths, shallowest first in the text; and those within the elements of another array. */
  readonly arrays: string[] = [];
  readonly within: string[] = [];
  /** The array whose elements are the records was met, be it empty. */
  met = false;
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
  /** How many of the record's brackets are open. */
  private nest = 0;
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
    while (this.at < this.have) {
      if (this.inString) {
        this.passString();
        continue;
      }
      if (this.recordFrom >= 0) {
        if (this.passRecord()) {
          this.ended = stack.length === 0;
          yield this.cut(this.at);
        }
        continue;
      }
      const b = w[this.at]!;
      if (b <= 32) {
        if (b === 10) this.line++;
        this.at++;
        continue;
      }
      this.begun = true;
      const top = stack.at(-1);
      const record = this.path === null ? stack.length === 0 : top?.records;
      if (record && b !== COMMA && b !== CLOSE_ARRAY && b !== CLOSE_OBJECT) {
        this.recordFrom = this.at;
        this.recordLine = this.line;
        this.nest = 0;
        continue;
      }
      if (b === QUOTE) {
        this.inString = true;
        this.stringFrom = this.at;
      } else if (b === OPEN_OBJECT || b === OPEN_ARRAY) {
        this.openContainer(b === OPEN_ARRAY);
      } else if (b === CLOSE_OBJECT || b === CLOSE_ARRAY) {
        const closed = stack.pop();
        if (!closed || closed.array !== (b === CLOSE_ARRAY))
          throw new SyntaxError(`a bracket too many in line ${this.line}`);
        if (stack.length === 0) this.ended = true;
      } else if (b === COLON && top && !top.array) {
        top.key = this.lastString;
      }
      this.at++;
    }
  }

  /** On to the end of the string at hand, or of what has come of it. */
  private passString(): void {
    const w = this.window;
    const { have } = this;
    let p = this.at;
    if (this.escaped && p < have) {
      this.escaped = false;
      p++;
    }
    for (; p < have; p++) {
      const b = w[p]!;
      if (b === BACKSLASH) {
        if (++p === have) this.escaped = true;
      } else if (b === QUOTE) {
        this.inString = false;
        // Only keys outside of records matter.
        if (this.recordFrom < 0 && this.stack.at(-1)?.array === false) {
          this.lastString = new TextDecoder().decode(w.subarray(this.stringFrom + 1, p));
        }
        p++;
        break;
      }
    }
    this.at = Math.min(p, have);
  }

  /** On inside the record at hand; true when it ends where `at` stands then, false at the end of what has come. */
  private passRecord(): boolean {
    const w = this.window;
    const { have } = this;
    let p = this.at;
    let ends = false;
    for (; p < have; p++) {
      const b = w[p]!;
      // Letters, digits and spaces, which are most of what is left.
      if (KIND[b] === 0) continue;
      if (b === QUOTE) {
        const from = p++;
        for (; p < have; p++) {
          const c = w[p]!;
          if (c === QUOTE) break;
          if (c === BACKSLASH && ++p === have) this.escaped = true;
        }
        if (p >= have) {
          this.inString = true;
          this.stringFrom = from;
          this.at = have;
          return false;
        }
      } else if (b === 10) this.line++;
      else if (b === OPEN_OBJECT || b === OPEN_ARRAY) this.nest++;
      else if (b === COMMA) {
        if (this.nest === 0) {
          ends = true;
          break;
        }
      } else if (this.nest === 0 || --this.nest === 0) {
        // Its own bracket, or the one of the array that it is in.
        if (w[this.recordFrom] === OPEN_OBJECT || w[this.recordFrom] === OPEN_ARRAY) p++;
        ends = true;
        break;
      }
    }
    this.at = p;
    return ends;
  }

  private openContainer(array: boolean): void {
    const { stack } = this;
    if (stack.length >= MOST_NESTED) {
      throw new SyntaxError(`line ${this.line} is nested more than ${MOST_NESTED} deep`);
    }
    const top = stack.at(-1);
    if (!array && top?.array) {
      const path = `$${stack.map((c) => (c.array ? "" : `.${c.key}`)).join("")}`;
      const list = stack.slice(0, -1).some((c) => c.array) ? this.within : this.arrays;
      if (!list.includes(path) && list.length < MOST_NOTED) list.push(path);
    }
    const keys = stack.filter((c) => !c.array).map((c) => c.key);
    const nested = stack.some((c) => c.array);
    const records =
      array &&
      !nested &&
      this.path !== null &&
      keys.length === this.path.length &&
      keys.every((key, i) => key === this.path![i]);
    this.met ||= records;
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
