import { utf8 } from "@/core/kernel/bytes.ts";
import { extraOf } from "@/core/map/columns.ts";
import { intoFurther } from "@/core/course/into-further.ts";
import { hasFilters } from "@/core/plan/further.ts";
import type { Course } from "@/core/course/course.ts";
import { arrivedCells } from "@/core/course/of-record.ts";
import type { Sifted } from "@/core/course/sifted.ts";
import { NOT_OF_TYPE, VERDICT } from "@/core/kernel/verdict.ts";

const TAB = 9;
const LF = 10;
const CR = 13;
const BACKSLASH = 92;

/** Delimiters that COPY in text format takes; the file's own lets whole stretches of a row go through as they are. */
export function copyDelimiter(delimiter: string | undefined): string {
  return delimiter !== undefined && [",", ";", "\t", "|"].includes(delimiter) ? delimiter : ",";
}

/**
 * The records of a block that pass, as rows of COPY in text format with `NULL ''`: the record's
 * number, then the fields. Cells that still stand beside each other in the file, with its delimiter
 * between them, are copied as one stretch; the others byte by byte, escaped where need be. Suspects
 * are left out: they wait until repeats are resolved. `only` picks records regardless. The rows are
 * written to `memory` where there is some and it is large enough. `more` give one more value each
 * for a record.
 */
export function copyRows(
  sifted: Sifted,
  delimiter: string,
  {
    only,
    memory,
    more = [],
  }: {
    only?: ReadonlySet<number> | undefined;
    memory?: ArrayBuffer | undefined;
    more?: readonly ((record: number) => string)[];
  } = {},
): Uint8Array<ArrayBuffer> {
  const { cells, faults, verdict, block, heap, untouched } = sifted;
  const { bytes } = heap;
  const mark = delimiter.charCodeAt(0);
  const escapes = escapesFor(mark);
  const { from, to } = block.origin;
  const fields = cells.length;
  const source = Buffer.from(bytes.buffer, bytes.byteOffset, bytes.length);
  // Only a backslash would mean something else to COPY inside such a stretch.
  const stretches = source.indexOf(BACKSLASH) < 0;
  const room = heap.length + block.count * (fields + 12) + 64;
  // With room to spare, so that the same memory serves blocks that are a little longer.
  let out = memory && memory.byteLength >= room ? Buffer.from(memory) : Buffer.allocUnsafeSlow(Math.ceil(room * 1.25));
  let q = 0;
  for (let r = 0; r < block.count; r++) {
    if (only ? !only.has(sifted.first + r) : verdict[r] !== VERDICT.passes) continue;
    if (q + 64 > out.length) out = grow(out, 64);
    q = putNumber(out, q, sifted.first + r);
    let f = 0;
    const lead = untouched[r]!;
    if (stretches && lead > 1 && bytes[cells[0]!.end[r]!] === mark) {
      const s = cells[0]!.start[r]!;
      const e = cells[lead - 1]!.end[r]!;
      if (q + (e - s) + fields + 4 > out.length) out = grow(out, e - s + fields + 4);
      out[q++] = mark;
      source.copy(out, q, s, e);
      q += e - s;
      f = lead;
    }
    for (; f < fields; f++) {
      out[q++] = mark;
      if (faults[f]![r] === NOT_OF_TYPE) continue;
      const s = cells[f]!.start[r]!;
      let e = cells[f]!.end[r]!;
      const first = f;
      // Cells that were written anew stand side by side as well, and may hold anything.
      const raw = stretches && s >= from[r]! && e <= to[r]!;
      while (
        raw &&
        f + 1 < fields &&
        cells[f + 1]!.start[r] === e + 1 &&
        bytes[e] === mark &&
        cells[f + 1]!.end[r]! <= to[r]! &&
        faults[f + 1]![r] !== 1
      ) {
        f++;
        e = cells[f]!.end[r]!;
      }
      if (q + (e - s) * 2 + fields + 4 > out.length) out = grow(out, (e - s) * 2 + fields + 4);
      if (f > first) {
        source.copy(out, q, s, e);
        q += e - s;
      } else {
        q = putEscaped(bytes, s, e, out, q, escapes);
      }
    }
    for (const value of more) {
      const text = utf8(value(r));
      if (q + text.length * 2 + 2 > out.length) out = grow(out, text.length * 2 + 2);
      out[q++] = mark;
      q = putEscaped(text, 0, text.length, out, q, escapes);
    }
    if (q === out.length) out = grow(out, 1);
    out[q++] = LF;
  }
  return new Uint8Array(out.buffer, out.byteOffset, q);
}

/** What stands after the backslash for a byte that needs one; 0 for the others. A delimiter is added. */
const ESCAPES = new Uint8Array(256);
ESCAPES[BACKSLASH] = BACKSLASH;
ESCAPES[LF] = 110;
ESCAPES[CR] = 114;
ESCAPES[TAB] = 116;

function escapesFor(mark: number): Uint8Array {
  const escapes = ESCAPES.slice();
  if (mark !== TAB) escapes[mark] = mark;
  return escapes;
}

function putEscaped(
  bytes: Uint8Array,
  start: number,
  end: number,
  out: Uint8Array,
  at: number,
  escapes: Uint8Array,
): number {
  let q = at;
  for (let p = start; p < end; p++) {
    const b = bytes[p]!;
    const escape = escapes[b]!;
    if (escape === 0) out[q++] = b;
    else {
      out[q++] = BACKSLASH;
      out[q++] = escape;
    }
  }
  return q;
}

function grow(out: Buffer, need: number): Buffer<ArrayBuffer> {
  const grown = Buffer.allocUnsafeSlow(Math.ceil(out.length * 1.5) + need);
  out.copy(grown);
  return grown;
}

function putNumber(out: Uint8Array, at: number, n: number): number {
  let digits = 1;
  for (let m = n; m >= 10; m = Math.floor(m / 10)) digits++;
  for (let i = digits - 1, m = n; i >= 0; i--) {
    out[at + i] = 48 + (m % 10);
    m = Math.floor(m / 10);
  }
  return at + digits;
}

/**
 * What a staged record has besides its fields, record by record of a block: what the plan takes along
 * of columns that no field takes, with `leave`, which cells said to leave what the target has, and, where the plan has
 * filters for further targets, which of these it goes to.
 */
export function moreOf(course: Course, sifted: Sifted, leave: boolean): ((record: number) => string)[] {
  const more: ((record: number) => string)[] = [];
  const { columns, mapping } = course;
  if (course.compiled.plan.map.extra === "keep") {
    const { extra } = mapping;
    more.push((record) => (extra.length === 0 ? "" : extraOf(columns, arrivedCells(sifted.block, record), extra)));
  }
  if (leave) {
    more.push((record) => {
      const fields = [...sifted.left].flatMap(([f, left]) => (left[record] === 1 ? [f] : []));
      return fields.length === 0 ? "" : `{${fields.join(",")}}`;
    });
  }
  if (hasFilters(course.compiled.plan)) {
    const into = intoFurther(course.compiled, sifted);
    more.push((record) => `{${into(record).join(",")}}`);
  }
  return more;
}
