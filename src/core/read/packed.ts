import type { Block, UnreadableReason } from "../kernel/block.ts";
import { Heap } from "../kernel/bytes.ts";
import { SieveError } from "../kernel/problem.ts";

const REASONS: readonly UnreadableReason[] = [
  "too-few-cells",
  "too-many-cells",
  "quote",
  "encoding",
  "nul",
  "too-long",
  "not-json",
  "cell-error",
  "key-twice",
];
const HEAD = 6;
const VERSION = 1;

/**
 * A block as bytes that `unpackBlock` makes the same block of. For formats that can't be entered in
 * the middle: the records of a load can then be shown again without reading the file from its start.
 */
export function packBlock(block: Block): Uint8Array {
  const { count, width, origin, heap } = block;
  const cells = count * width;
  let used = 0;
  for (let i = 0; i < cells; i++) if (block.end[i]! > used) used = block.end[i]!;
  for (let r = 0; r < count; r++) if (origin.to[r]! > used) used = origin.to[r]!;
  const bad = [...block.unreadable];
  const words = HEAD + count * 3 + cells * 2 + bad.length * 3;
  const doubles = 8 * Math.ceil(words / 2);
  const out = new Uint8Array(doubles + count * 16 + used);
  const ints = new Int32Array(out.buffer, 0, words);
  ints.set([VERSION, count, width, block.file, block.first, bad.length]);
  let at = HEAD;
  for (const list of [origin.line, origin.from, origin.to]) {
    ints.set(list.subarray(0, count), at);
    at += count;
  }
  for (const list of [block.start, block.end]) {
    ints.set(list.subarray(0, cells), at);
    at += cells;
  }
  for (const [record, { reason, cells: found }] of bad) {
    ints.set([record, REASONS.indexOf(reason), found], at);
    at += 3;
  }
  const places = new Float64Array(out.buffer, doubles, count * 2);
  places.set(origin.start.subarray(0, count));
  places.set(origin.end.subarray(0, count), count);
  out.set(heap.bytes.subarray(0, used), doubles + count * 16);
  return out;
}

/** Throws `packed-unknown` for bytes of another version. */
export function unpackBlock(packed: Uint8Array): Block {
  // The arrays must begin at a multiple of eight.
  const bytes = packed.byteOffset % 8 === 0 ? packed : packed.slice();
  const { buffer, byteOffset } = bytes;
  const head = new Int32Array(buffer, byteOffset, HEAD);
  const [version, count, width, file, first, bad] = head as unknown as [number, number, number, number, number, number];
  if (version !== VERSION) {
    throw new SieveError("packed-unknown", "The records were kept by another version of Good Sieve.", {
      hint: "Load the delivery again.",
    });
  }
  const cells = count * width;
  const words = HEAD + count * 3 + cells * 2 + bad * 3;
  const doubles = 8 * Math.ceil(words / 2);
  let at = HEAD;
  const ints = (n: number): Int32Array => {
    const list = new Int32Array(buffer, byteOffset + 4 * at, n);
    at += n;
    return list;
  };
  const [line, from, to] = [ints(count), ints(count), ints(count)];
  const [start, end] = [ints(cells), ints(cells)];
  const unreadable = new Map(
    Array.from({ length: bad }, () => {
      const [record, reason, found] = ints(3);
      return [record!, { reason: REASONS[reason!]!, cells: found! }] as const;
    }),
  );
  return {
    file,
    first,
    count,
    width,
    heap: new Heap(bytes.subarray(doubles + count * 16)),
    start,
    end,
    plain: new Int32Array(count),
    origin: {
      line,
      from,
      to,
      start: new Float64Array(buffer, byteOffset + doubles, count),
      end: new Float64Array(buffer, byteOffset + doubles + count * 8, count),
    },
    unreadable,
  };
}
