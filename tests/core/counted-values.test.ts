import { describe, expect, it } from "vitest";
import { utf8 } from "@/core/kernel/bytes.ts";
import { hash32 } from "@/core/kernel/hash.ts";
import { CountedValues, KEPT_BYTES, KEPT_VALUES } from "@/core/profile/counted-values.ts";

const ROOM = KEPT_VALUES * 2;

function add(counted: CountedValues, value: string, record: number): void {
  const bytes = utf8(value);
  counted.add(hash32(new DataView(bytes.buffer), 0, bytes.length), bytes, 0, bytes.length, record);
}

/** Adds so many values that come once each. */
function addOnce(counted: CountedValues, from: number, many: number): void {
  for (let i = from; i < from + many; i++) add(counted, `once ${i}`, i);
}

describe("values that are counted in flat memory", () => {
  it("are all there, with exact counts, as long as there is room", () => {
    const counted = new CountedValues();
    addOnce(counted, 0, ROOM - 1);
    expect([counted.full, counted.exact, counted.different]).toEqual([false, true, ROOM - 1]);
    add(counted, "the last", ROOM);
    expect([counted.full, counted.exact, counted.short]).toEqual([true, true, 0]);
    add(counted, "one more", ROOM + 1);
    expect([counted.full, counted.exact, counted.short]).toEqual([false, false, 1]);
    // All that came once are gone; what comes anew may have come as often before.
    expect(counted.ordered()).toEqual([{ value: "one more", count: 2, first: ROOM + 1 }]);
  });

  it("keep what comes often, never counted too low and at most `short` too high", () => {
    const counted = new CountedValues();
    const often = Array.from({ length: 300 }, (_, i) => `often ${i}`);
    for (let round = 0; round < 40; round++) {
      for (const value of often) add(counted, value, round);
      addOnce(counted, round * 2000, 2000);
    }
    expect(counted.exact).toBe(false);
    const found = new Map(counted.ordered().map((v) => [v.value, v.count]));
    for (const value of often) {
      expect(found.get(value)).toBeGreaterThanOrEqual(40);
      expect(found.get(value)! - 40).toBeLessThanOrEqual(counted.short);
    }
    expect(
      counted
        .ordered()
        .slice(0, 300)
        .map((v) => v.value)
        .toSorted(),
    ).toEqual(often.toSorted());
  });

  it("are no longer taken in once the room has been filled three times with hardly one that comes again", () => {
    const counted = new CountedValues();
    addOnce(counted, 0, ROOM * 3 + 1);
    const kept = counted.different;
    addOnce(counted, ROOM * 4, 1000);
    expect(counted.different).toBe(kept);
    const open = new CountedValues();
    addOnce(open, 0, ROOM * 2 + 1);
    const before = open.different;
    addOnce(open, ROOM * 4, 10);
    expect(open.different).toBe(before + 10);
  });

  it("go on to be taken in where enough of them come again", () => {
    const counted = new CountedValues();
    const often = Array.from({ length: Math.ceil(KEPT_VALUES / 50) + 5 }, (_, i) => `often ${i}`);
    for (let round = 0; round < 6; round++) {
      for (let again = 0; again < 4; again++) for (const value of often) add(counted, value, round);
      addOnce(counted, round * ROOM, ROOM);
    }
    const before = counted.different;
    addOnce(counted, ROOM * 10, 10);
    expect(counted.different).toBe(before + 10);
  });

  it("longer than is kept are told apart by all of their letters and shown by their beginning", () => {
    const counted = new CountedValues();
    const long = "x".repeat(KEPT_BYTES);
    for (const end of ["a", "b", "a"]) add(counted, `${long}${end}`, 0);
    expect(counted.ordered().map((v) => [v.value, v.count])).toEqual([
      [long, 2],
      [long, 1],
    ]);
  });
});
