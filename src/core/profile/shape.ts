/**
 * The shape of a value: its characters by kind. A digit is 9, a capital A, another letter a, white
 * space a blank, anything else itself; runs of letters of one kind are one letter, so that names of
 * any length are alike and “BHG-2026-0001” is “A-9999-9999”.
 */
export interface CellShape {
  /** Two shapes are the same when these are. */
  hash: number;
  /** Characters (code points). */
  length: number;
  digits: number;
  upper: number;
  lower: number;
  /** Characters that are neither digits, letters nor blanks. */
  marks: number;
  blanks: number;
  /** It begins or ends with white space. */
  loose: boolean;
  /** Numbers written in digits, up to three, and how many there are: days, months and years of a date. */
  groups: number;
  a: number;
  b: number;
  c: number;
}

export function newCellShape(): CellShape {
  return {
    hash: 0,
    length: 0,
    digits: 0,
    upper: 0,
    lower: 0,
    marks: 0,
    blanks: 0,
    loose: false,
    groups: 0,
    a: 0,
    b: 0,
    c: 0,
  };
}

const DIGIT = 1;
const UPPER = 2;
const LOWER = 3;
const BLANK = 4;
const MARK = 5;
/** A byte after the first of a character. */
const REST = 6;

const KINDS = Uint8Array.from({ length: 256 }, (_, b) => {
  if (b >= 48 && b <= 57) return DIGIT;
  if (b >= 65 && b <= 90) return UPPER;
  if (b >= 97 && b <= 122) return LOWER;
  if (b === 32 || (b >= 9 && b <= 13)) return BLANK;
  if (b >= 0x80 && b < 0xc0) return REST;
  // Letters beyond ASCII count as small ones: telling their case would mean decoding them.
  return b >= 0xc0 ? LOWER : MARK;
});

/** Looks at a span of UTF-8 once and writes what it sees into `into`. */
export function scanShape(bytes: Uint8Array, start: number, end: number, into: CellShape): void {
  let hash = 0x9e3779b9;
  let digits = 0;
  let upper = 0;
  let lower = 0;
  let marks = 0;
  let blanks = 0;
  let length = 0;
  let before = 0;
  let groups = 0;
  let number = 0;
  into.a = into.b = into.c = 0;
  for (let p = start; p < end; p++) {
    const byte = bytes[p]!;
    const kind = KINDS[byte]!;
    if (kind === REST) continue;
    length++;
    let code: number = kind;
    if (kind === DIGIT) {
      digits++;
      if (before !== DIGIT) {
        groups++;
        number = 0;
      }
      number = Math.min(1e9, number * 10 + byte - 48);
      if (groups === 1) into.a = number;
      else if (groups === 2) into.b = number;
      else if (groups === 3) into.c = number;
    } else if (kind === UPPER) upper++;
    else if (kind === LOWER) lower++;
    else if (kind === BLANK) blanks++;
    else {
      marks++;
      code = byte;
    }
    if (kind !== before || kind === DIGIT || kind === MARK) {
      hash = Math.imul(hash ^ code, 0x85ebca6b);
      hash ^= hash >>> 15;
    }
    before = kind;
  }
  into.hash = hash | 0;
  into.length = length;
  into.digits = digits;
  into.upper = upper;
  into.lower = lower;
  into.marks = marks;
  into.blanks = blanks;
  into.groups = groups;
  into.loose = length > 0 && (KINDS[bytes[start]!] === BLANK || KINDS[bytes[end - 1]!] === BLANK);
}

/** The shape of a value in characters, for showing. */
export function shapeText(value: string): string {
  let out = "";
  let before = "";
  for (const c of value) {
    const kind =
      /\d/.test(c) && c <= "9"
        ? "9"
        : /[A-Z]/.test(c)
          ? "A"
          : /[a-z\u0080-\u{10ffff}]/u.test(c)
            ? "a"
            : /\s/.test(c)
              ? " "
              : c;
    if (kind === before && (kind === "A" || kind === "a" || kind === " ")) continue;
    out += kind;
    before = kind;
  }
  return out;
}
