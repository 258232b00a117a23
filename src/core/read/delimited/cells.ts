import type { Heap } from "../../kernel/bytes.ts";

/** Where cells stand in the heap: in pairs of a first byte and the one after the last. */
interface Cells {
  readonly start: Int32Array;
  readonly end: Int32Array;
}

/** Writes a cell of one byte a character as UTF-8 behind the heap. */
export function decodeCell(
  heap: Heap,
  { start, end }: Cells,
  cell: number,
  table: readonly (Uint8Array | null)[],
): void {
  const s = start[cell]!;
  const e = end[cell]!;
  const at = heap.reserve((e - s) * 3);
  let q = at;
  for (let p = s; p < e; p++) {
    const out = table[heap.bytes[p]!]!;
    for (let i = 0; i < out.length; i++) heap.bytes[q++] = out[i]!;
  }
  heap.length = q;
  start[cell] = at;
  end[cell] = q;
}

/** Writes a cell without its escapes behind the heap. */
export function unescapeCell(heap: Heap, { start, end }: Cells, cell: number, escape: number): void {
  const s = start[cell]!;
  const e = end[cell]!;
  const at = heap.reserve(e - s);
  const { bytes } = heap;
  let q = at;
  for (let p = s; p < e; p++) {
    if (bytes[p] === escape && p + 1 < e) p++;
    bytes[q++] = bytes[p]!;
  }
  heap.length = q;
  start[cell] = at;
  end[cell] = q;
}

/** Whether a byte in [from, to) began no character, which is U+FFFD once it is decoded. */
export function hasReplacement(w: Uint8Array, from: number, to: number): boolean {
  for (let p = from; p + 2 < to; p++) if (w[p] === 0xef && w[p + 1] === 0xbf && w[p + 2] === 0xbd) return true;
  return false;
}
