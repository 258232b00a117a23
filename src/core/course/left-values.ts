import { VERDICT } from "../kernel/verdict.ts";
import { ValueFilter } from "../kernel/value-filter.ts";
import type { Sifted } from "./sifted.ts";

/** Which values the records of a block have that a step left out, so that such a record can be found again; null where there are none. */
export function leftValues({ block, verdict, cells, heap }: Sifted): Uint8Array<ArrayBuffer> | null {
  const filter = new ValueFilter();
  for (let r = 0; r < block.count; r++) {
    if (verdict[r] !== VERDICT.leftOut) continue;
    for (const { start, end } of cells) {
      if (start[r] !== end[r]) filter.add(heap.bytes, start[r]!, end[r]!);
    }
  }
  return filter.bytes();
}
