import { describe, expect, it } from "vitest";
import { utf8 } from "@/core/kernel/bytes.ts";
import { Distinct, EXACT_DISTINCT } from "@/core/kernel/distinct.ts";
import { hash32 } from "@/core/kernel/hash.ts";

/** What it says its standard error is. */
const STANDARD_ERROR = 0.016;

function hashOf(text: string): number {
  const bytes = utf8(text);
  return hash32(new DataView(bytes.buffer, bytes.byteOffset, bytes.length), 0, bytes.length);
}

/** Takes so many different values, each `times` times, in an order that mixes them. */
function counted(n: number, times: number, name: (i: number) => string) {
  const distinct = new Distinct();
  for (let t = 0; t < times; t++) for (let i = 0; i < n; i++) distinct.addHash(hashOf(name((i * 7919) % n)));
  return distinct;
}

describe("different values", () => {
  it("are counted exactly while they are few, and it is known which they were", () => {
    const distinct = counted(EXACT_DISTINCT, 3, (i) => `v${i}`);
    expect(distinct.finish()).toEqual({ count: EXACT_DISTINCT, estimated: false });
    expect([distinct.has(hashOf("v5")), distinct.has(hashOf("w5"))]).toEqual([true, false]);
    distinct.addHash(hashOf("one more"));
    expect(distinct.finish().estimated).toBe(true);
    expect(distinct.has(hashOf("v5"))).toBeNull();
    expect(new Distinct().finish()).toEqual({ count: 0, estimated: false });
  });

  it("are estimated within what is said of the estimate, whatever they look like", () => {
    const shapes: ((i: number) => string)[] = [
      (i) => `${i}`,
      (i) => `ABC-${String(i).padStart(8, "0")}`,
      (i) => (i * 2654435761).toString(36),
      (i) => `2026-01-01 ${i}`,
      (i) => "x".repeat(i % 7) + String.fromCodePoint(0x4e00 + (i % 20_000)) + i,
    ];
    const errors = shapes.flatMap((shape) =>
      [2_100, 5_000, 10_300, 30_000, 200_000].map((n) => {
        const { count, estimated } = counted(n, 1, shape).finish();
        expect(estimated).toBe(true);
        return count / n - 1;
      }),
    );
    for (const error of errors) expect(Math.abs(error)).toBeLessThan(4 * STANDARD_ERROR);
    const spread = Math.sqrt(errors.reduce((n, e) => n + e * e, 0) / errors.length);
    expect(spread).toBeLessThan(1.5 * STANDARD_ERROR);
    expect(Math.abs(errors.reduce((n, e) => n + e, 0) / errors.length)).toBeLessThan(STANDARD_ERROR);
  });
});
