import { ByteMemo } from "../kernel/memo.ts";
import { cellText, emptyCells, textOf, type Cells, type Heap } from "../kernel/bytes.ts";
import type { Field } from "../field/field.ts";
import { typePart } from "../type/index.ts";
import { listValues } from "../type/list.ts";
import type { Convert } from "../type/part.ts";
import type { Formula } from "./compile.ts";
import { DAY, EMPTY, MICROS, microsOf, numberText, timeText, type Value } from "./value.ts";

type Cell = Value | bigint;

/** Texts that many records have, so that each is decoded once and is the same text. */
const texts = new ByteMemo<string>();
/** Cells of a block after which it is known whether its texts come again. */
const TRIED = 256;

/** Reads a column of texts; where the first of them are all different, no time is lost on remembering them. */
function textsOf({ bytes }: Heap, { start, end }: Cells, count: number, out: Cell[]): void {
  let met = 0;
  for (let r = 0; r < count; r++) {
    const s = start[r]!;
    const e = end[r]!;
    if (s === e) {
      out[r] = null;
      continue;
    }
    const place = r >= TRIED && met < TRIED / 8 ? -1 : texts.place(bytes, s, e);
    if (place < 0) out[r] = textOf(bytes, s, e);
    else if (texts.has(place, bytes, s, e)) {
      met++;
      out[r] = texts.get(place);
    } else {
      const text = textOf(bytes, s, e);
      texts.put(place, bytes, s, e, text);
      out[r] = text;
    }
  }
}

/** Reads a column's canonical cells as values of the formula language; null is empty. */
function valuesOf(field: Field, heap: Heap, cells: Cells, count: number, out: Cell[]): void {
  const { start, end } = cells;
  if (field.type === "text" || field.type === "code") return textsOf(heap, cells, count, out);
  for (let r = 0; r < count; r++) {
    const s = start[r]!;
    const e = end[r]!;
    if (s === e) {
      out[r] = null;
      continue;
    }
    switch (field.type) {
      case "integer":
      case "decimal": {
        const whole = field.type === "integer";
        out[r] = plainNumber(heap.bytes, s, e) ?? numberOf(cellText(heap, cells, r), whole);
        break;
      }
      case "boolean":
        out[r] = heap.bytes[s] === 116;
        break;
      case "date":
        out[r] = dayOf(heap.bytes, s);
        break;
      case "timestamp":
        out[r] = microsOf(cellText(heap, cells, r));
        break;
      case "time":
        out[r] = microsOf(`1970-01-01 ${cellText(heap, cells, r)}`);
        break;
      case "list":
        out[r] = listOf(cellText(heap, cells, r), field.of);
        break;
      case "money":
        out[r] = field.currency === undefined ? cellText(heap, cells, r) : Number(cellText(heap, cells, r));
        break;
      default:
        out[r] = cellText(heap, cells, r);
    }
  }
}

/** A list's values: numbers of numbers, days as moments, else texts. */
function listOf(canonical: string, of: Field["of"]): readonly Value[] {
  const values = listValues(canonical);
  if (of === "integer" || of === "decimal") return values.map(Number);
  return of === "date" ? values.map(microsOf) : values;
}

/** Digits with a point at most, few enough to be exact; null for any other number. */
function plainNumber(bytes: Uint8Array, s: number, e: number): number | null {
  let p = bytes[s] === 45 ? s + 1 : s;
  if (e - p > 15) return null;
  let n = 0;
  let scale = 0;
  for (; p < e; p++) {
    const b = bytes[p]!;
    if (b >= 48 && b <= 57) {
      n = n * 10 + b - 48;
      if (scale > 0) scale *= 10;
    } else if (b === 46 && scale === 0) scale = 1;
    else return null;
  }
  // Both are exact, so that their quotient is the double nearest to the decimal.
  if (scale > 1) n /= scale;
  return bytes[s] === 45 ? -n : n;
}

/** A number of many digits, exactly; null for what is none, of which the record has been told already. */
function numberOf(text: string, whole: boolean): Cell {
  const n = Number(text);
  if (Number.isNaN(n) || (whole && !/^[+-]?\d+$/.test(text))) return null;
  return whole && !Number.isSafeInteger(n) ? BigInt(text.replace(/^\+/, "")) : n;
}

/** Days before the first of each month, in a year that is no leap year. */
const BEFORE = [0, 31, 59, 90, 120, 151, 181, 212, 243, 273, 304, 334];

/** yyyy-MM-dd as microseconds since 1970. */
function dayOf(bytes: Uint8Array, s: number): number {
  const digit = (i: number): number => bytes[s + i]! - 48;
  const year = digit(0) * 1000 + digit(1) * 100 + digit(2) * 10 + digit(3);
  const month = digit(5) * 10 + digit(6);
  const leap = year % 4 === 0 && (year % 100 !== 0 || year % 400 === 0);
  const before = year - 1;
  const days =
    before * 365 +
    Math.floor(before / 4) -
    Math.floor(before / 100) +
    Math.floor(before / 400) +
    BEFORE[month - 1]! +
    (leap && month > 2 ? 1 : 0) +
    digit(8) * 10 +
    digit(9) -
    1;
  return (days - 719_162) * 86_400 * MICROS;
}

/** Where a formula's columns come from. */
export interface Source {
  readonly fields: readonly Field[];
  readonly heap: Heap;
  readonly cells: readonly Cells[];
}

/** Runs a formula over the records of a block. Its memory is used again for the next block. */
export class FormulaColumns {
  private readonly columns: Cell[][];
  private readonly slots: Cell[];
  private scratch = emptyCells(0);
  private bad = new Int32Array(0);
  /** Types made ready once, not for each block. */
  private readonly converts = new Map<Field, Convert>();

  constructor(private readonly formula: Formula) {
    this.columns = formula.uses.map(() => []);
    this.slots = formula.uses.map(() => null);
  }

  /** Takes the columns as they stand. `checked`: their cells are canonical already. */
  read({ fields, heap, cells }: Source, count: number, checked: boolean): void {
    this.formula.uses.forEach((f, i) => {
      const field = fields[f]!;
      let column = cells[f]!;
      if (!checked && field.type !== "text" && field.type !== "code")
        column = this.canonical(field, heap, column, count);
      valuesOf(field, heap, column, count, this.columns[i]!);
    });
  }

  /** A copy of a column with its values as the type writes them; what is not of the type is empty. */
  private canonical(field: Field, heap: Heap, cells: Cells, count: number): Cells {
    if (this.bad.length < count) {
      this.bad = new Int32Array(count);
      this.scratch = emptyCells(count);
    }
    const { scratch, bad } = this;
    scratch.start.set(cells.start.subarray(0, count));
    scratch.end.set(cells.end.subarray(0, count));
    let convert = this.converts.get(field);
    if (!convert) this.converts.set(field, (convert = typePart(field.type).convert(field)));
    const failed = convert(heap, scratch, count, bad);
    for (let i = 0; i < failed; i++) scratch.end[bad[i]!] = scratch.start[bad[i]!]!;
    return scratch;
  }

  /** The formula's value for a record of the columns that were read. Throws where there is none. */
  value(record: number): Cell | typeof EMPTY {
    const { slots, columns } = this;
    for (let i = 0; i < slots.length; i++) slots[i] = columns[i]![record]!;
    return this.formula.run(slots);
  }
}

/** Microseconds since midnight as a time of day; what is none is written so that no type takes it. */
function ofDay(micros: number): string {
  return micros < 0 || micros >= DAY ? `${micros / (3600 * MICROS)} h` : `${timeText(micros, false).slice(11, 26)}`;
}

/** A value as a cell of a field has it before its type is checked; "" for no value. */
export function cellOf(value: Cell | typeof EMPTY, field: Field, type: Formula["type"]): string {
  if (value === EMPTY || value === null) return "";
  // Nothing divided by nothing is no number that a target could have.
  if (typeof value === "number" && !Number.isFinite(value)) return "";
  if (typeof value === "boolean") return value ? (field.words?.yes[0] ?? "true") : (field.words?.no[0] ?? "false");
  // What is computed has no digits of its own to keep, so it is given as many as the field has.
  if (typeof value === "number" && field.type === "decimal" && !Number.isInteger(value) && Math.abs(value) < 1e15) {
    return value.toFixed(Math.min(field.scale ?? 0, 20));
  }
  if (type === "timestamp") return timeText(value as number, field.type === "date");
  // A length of time since midnight is a time of day.
  if (type === "duration" && field.type === "time") return ofDay(value as number);
  if (typeof value === "object") return JSON.stringify(value);
  return typeof value === "number" ? numberText(value) : String(value);
}
