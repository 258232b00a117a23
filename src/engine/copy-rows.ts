import { VERDICT, type Sifted } from "@/core/sift.ts";

const TAB = 9;
const LF = 10;
const BACKSLASH = 92;

/**
 * The records of a block that pass, as rows of COPY in text format: the record's number, then the
 * fields. Canonical bytes go through as they stand; only backslash, tab and line ends are escaped.
 * Suspects are left out: they wait until repeats are resolved. `only` picks records regardless.
 */
export function copyRows(sifted: Sifted, only?: ReadonlySet<number>): Uint8Array {
  const { cells, faults, verdict, block, heap, plain } = sifted;
  const { bytes } = heap;
  const fields = cells.length;
  // Every byte of the heap is in one cell at most; each cell adds a tab and perhaps \N.
  let out = new Uint8Array(heap.length + block.count * (fields * 3 + 12) + 64);
  let q = 0;
  for (let r = 0; r < block.count; r++) {
    if (only ? !only.has(sifted.first + r) : verdict[r] !== VERDICT.passes) continue;
    if (q + 64 > out.length) out = grow(out, 64);
    q = putNumber(out, q, sifted.first + r);
    for (let f = 0; f < fields; f++) {
      const s = cells[f]!.start[r]!;
      const e = cells[f]!.end[r]!;
      if (q + (e - s) * 2 + 4 > out.length) out = grow(out, (e - s) * 2 + 4);
      out[q++] = TAB;
      if (s === e || faults[f]![r] === 1) {
        out[q++] = BACKSLASH;
        out[q++] = 78;
      } else if (plain[f]) {
        for (let p = s; p < e; p++) out[q++] = bytes[p]!;
      } else {
        q = putEscaped(bytes, s, e, out, q);
      }
    }
    out[q++] = LF;
  }
  return out.subarray(0, q);
}

function putEscaped(bytes: Uint8Array, start: number, end: number, out: Uint8Array, at: number): number {
  let q = at;
  for (let p = start; p < end; p++) {
    const b = bytes[p]!;
    if (b > 13 && b !== BACKSLASH) {
      out[q++] = b;
      continue;
    }
    const letter = b === BACKSLASH ? BACKSLASH : b === TAB ? 116 : b === LF ? 110 : b === 13 ? 114 : 0;
    if (letter !== 0) out[q++] = BACKSLASH;
    out[q++] = letter === 0 ? b : letter;
  }
  return q;
}

function grow(out: Uint8Array, need: number): Uint8Array<ArrayBuffer> {
  const grown = new Uint8Array(Math.ceil(out.length * 1.5) + need);
  grown.set(out);
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
