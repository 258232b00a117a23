import { describe, expect, it } from "vitest";
import { measureMends } from "../../demo/mends/measure.ts";
import { MEND_SETS } from "../../demo/mends/sets.ts";

describe("the first suggestions, all taken in bulk, beside what senders meant", () => {
  it.each([...MEND_SETS.made, ...MEND_SETS.judged].map((set) => [set.name, set] as const))("%s", (_, set) => {
    const { mendable, hopeless, right, wrong } = measureMends(set, { seed: 31, count: 250 });
    expect(mendable).toBeGreaterThan(100);
    expect(hopeless).toBeGreaterThan(50);
    // 0.7 would do; what they reach is held, so that a kind of fault that is lost is noticed.
    expect(right / mendable).toBeGreaterThan(0.95);
    expect(wrong / (mendable + hopeless)).toBeLessThan(0.01);
  });
});
