const DIGIT_0 = 48;
const DIGIT_9 = 57;
const PLUS = 43;
const MINUS = 45;
const POINT = 46;

/** The parts of a plain number: sign, digits, and with a point more digits. */
export interface NumberSpan {
  negative: boolean;
  /** Digits before the point without leading zeros: [wholeStart, wholeEnd). */
  wholeStart: number;
  wholeEnd: number;
  /** Digits after the point without trailing zeros: [partStart, partEnd). */
  partStart: number;
  partEnd: number;
}

/**
 * Reads `[+-]digits[.digits]` into `into` without making a number of it, so that no digit is lost.
 * False for anything else. The same object is used again and again, for speed.
 */
export function scanNumber(bytes: Uint8Array, start: number, end: number, into: NumberSpan): boolean {
  let p = start;
  into.negative = bytes[p] === MINUS;
  if (bytes[p] === MINUS || bytes[p] === PLUS) p++;
  const whole = p;
  while (p < end && bytes[p]! >= DIGIT_0 && bytes[p]! <= DIGIT_9) p++;
  const wholeEnd = p;
  let part = p;
  if (p < end && bytes[p] === POINT) {
    part = ++p;
    while (p < end && bytes[p]! >= DIGIT_0 && bytes[p]! <= DIGIT_9) p++;
  }
  if (p !== end || (wholeEnd === whole && p === part)) return false;
  let s = whole;
  while (s < wholeEnd && bytes[s] === DIGIT_0) s++;
  let e = p;
  while (e > part && bytes[e - 1] === DIGIT_0) e--;
  into.wholeStart = s;
  into.wholeEnd = wholeEnd;
  into.partStart = part;
  into.partEnd = e;
  return true;
}

/**
 * `[+-]digits[.digits]` as a whole number of units of 10^-scale: exact. NaN for anything else, for
 * more digits after the point than `scale`, and for more than 15 digits, which a double would round.
 * A zero has no sign.
 */
export function scaled(bytes: Uint8Array, start: number, end: number, scale: number): number {
  const first = bytes[start]!;
  let p = first === MINUS || first === PLUS ? start + 1 : start;
  if (end - p + scale > 15) return NaN;
  let units = 0;
  let digits = 0;
  /** Digits that may still follow the point; -1 before it. */
  let missing = -1;
  for (; p < end; p++) {
    const digit = bytes[p]! - DIGIT_0;
    if (digit >= 0 && digit <= 9) {
      units = units * 10 + digit;
      digits++;
      if (missing >= 0 && --missing < 0) return NaN;
    } else if (bytes[p] === POINT && missing < 0) missing = scale;
    else return NaN;
  }
  if (digits === 0) return NaN;
  for (let i = missing < 0 ? scale : missing; i > 0; i--) units *= 10;
  return first === MINUS ? 0 - units : units;
}

export function newNumberSpan(): NumberSpan {
  return { negative: false, wholeStart: 0, wholeEnd: 0, partStart: 0, partEnd: 0 };
}

/** Compares two decimals, each given as bytes and span, exactly and at any length. */
export function compareNumbers(a: Uint8Array, x: NumberSpan, b: Uint8Array, y: NumberSpan): number {
  const zeroX = x.wholeStart === x.wholeEnd && x.partStart === x.partEnd;
  const zeroY = y.wholeStart === y.wholeEnd && y.partStart === y.partEnd;
  const signX = zeroX ? 0 : x.negative ? -1 : 1;
  const signY = zeroY ? 0 : y.negative ? -1 : 1;
  if (signX !== signY) return signX - signY;
  if (signX === 0) return 0;
  const magnitude = compareMagnitude(a, x, b, y);
  return signX < 0 ? 0 - magnitude : magnitude;
}

function compareMagnitude(a: Uint8Array, x: NumberSpan, b: Uint8Array, y: NumberSpan): number {
  const lengths = x.wholeEnd - x.wholeStart - (y.wholeEnd - y.wholeStart);
  if (lengths !== 0) return lengths;
  for (let i = 0; i < x.wholeEnd - x.wholeStart; i++) {
    const d = a[x.wholeStart + i]! - b[y.wholeStart + i]!;
    if (d !== 0) return d;
  }
  const partX = x.partEnd - x.partStart;
  const partY = y.partEnd - y.partStart;
  for (let i = 0; i < Math.max(partX, partY); i++) {
    const d = (i < partX ? a[x.partStart + i]! : DIGIT_0) - (i < partY ? b[y.partStart + i]! : DIGIT_0);
    if (d !== 0) return d;
  }
  return 0;
}
