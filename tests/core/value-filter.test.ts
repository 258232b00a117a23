import { describe, expect, it } from "vitest";
import { utf8 } from "@/core/kernel/bytes.ts";
import { ValueFilter, probesOf } from "@/core/kernel/value-filter.ts";

function filterOf(values: readonly string[]): Uint8Array | null {
  const filter = new ValueFilter();
  for (const value of values) {
    const bytes = utf8(`xx${value}yy`);
    filter.add(bytes, 2, bytes.length - 2);
  }
  return filter.bytes();
}

/** Whether a value may be among those of a filter. */
function mayHave(filter: Uint8Array, value: string): boolean {
  const bits = filter.length * 8;
  return probesOf(value).every((n) => {
    const place = n % bits;
    return (filter[place >>> 3]! & (1 << (place & 7))) !== 0;
  });
}

describe("a filter of values", () => {
  it.each([1, 2, 3, 5, 100, 20_000])("never misses one of %i, and takes few others for one", (count) => {
    const values = Array.from({ length: count }, (_, i) => `wert ${i} é`);
    const filter = filterOf(values)!;
    expect(values.every((v) => mayHave(filter, v))).toBe(true);
    const others = Array.from({ length: 20_000 }, (_, i) => `other ${i}`).filter((v) => mayHave(filter, v));
    expect(others.length).toBeLessThan(120);
  });

  it("has room for different values only, a power of two of bits, and is none without any", () => {
    expect(filterOf([])).toBeNull();
    expect(filterOf(["a"])).toHaveLength(8);
    expect(filterOf(Array<string>(5000).fill("a"))).toHaveLength(8);
    expect(filterOf(["a", "b", "c", "d"])).toHaveLength(8);
    expect(filterOf(["a", "b", "c", "d", "e"])).toHaveLength(16);
    // 16 bits for each.
    expect(filterOf(Array.from({ length: 4096 }, (_, i) => String(i)))).toHaveLength(8192);
  });
});
