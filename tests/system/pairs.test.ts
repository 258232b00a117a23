import { createHash } from "node:crypto";
import { availableParallelism } from "node:os";
import { join } from "node:path";
import { pathToFileURL } from "node:url";
import { describe, expect, it } from "vitest";
import { Matcher, type Pairs } from "@/core/match/match.ts";
import type { MatchField } from "@/core/match/schema.ts";
import { findPairs } from "@/engine/pairs.ts";
import { PERSON_FIELDS, peopleWithRepeats } from "../../demo/people.ts";
import { root } from "../../scripts/lib/machine.mjs";

const THREAD = pathToFileURL(join(root, "dist/pairs-thread.js"));
const FIELDS: MatchField[] = [
  { in: ["given"], by: "person", variants: { Sorrel: ["Zorrel"] } },
  { in: ["family"], by: "person" },
  { in: ["born"], by: "date" },
  { in: ["town"], by: "words", as: "place" },
];

function people(among: boolean): Matcher {
  const { records } = peopleWithRepeats(4, 9_000);
  const matcher = new Matcher(FIELDS, { among });
  for (const [i, r] of records.entries()) {
    const table = !among && i % 10 === 0 ? matcher.known : matcher.incoming;
    table.add(FIELDS.map((f) => r[f.in[0] as (typeof PERSON_FIELDS)[number]]));
  }
  matcher.prepare();
  matcher.estimate();
  return matcher;
}

/** What tells pairs from others: each number of them, in their order. */
function markOf({ count, a, b, bits, shares }: Pairs): string {
  const hash = createHash("sha256");
  const used: [Int32Array | Float32Array, number][] = [
    [a, count],
    [b, count],
    [bits, count],
    [shares, count * FIELDS.length],
  ];
  for (const [list, n] of used) hash.update(new Uint8Array(list.buffer, list.byteOffset, n * 4));
  return `${count} ${hash.digest("hex")}`;
}

describe("pairs found by two threads", () => {
  it.each([
    ["with one another", true],
    ["with known ones", false],
  ])("are those of one thread, in their order, for records compared %s", async (_, among) => {
    const matcher = people(among);
    const alone = await findPairs(matcher, {}, null);
    let rests = 0;
    const both = await findPairs(matcher, {}, THREAD, async () => void rests++);
    expect(alone.count).toBeGreaterThan(300);
    expect(markOf(both)).toBe(markOf(alone));
    expect(markOf(matcher.pairs())).toBe(markOf(alone));
    // Some of the stretches were left to the other thread.
    if (availableParallelism() > 1) expect(rests).toBeLessThan(9);
    const some = { best: 1, leastScore: 0, from: 100, to: 8_100 };
    expect(markOf(await findPairs(matcher, some, THREAD))).toBe(markOf(await findPairs(matcher, some, null)));
    // It can be shared more than once.
    expect(markOf(await findPairs(matcher, {}, THREAD))).toBe(markOf(alone));
  });

  it("end when this thread is told to, and when the other can't be had", async () => {
    const matcher = people(true);
    const stop = findPairs(matcher, {}, THREAD, async () => {
      throw new Error("cancelled");
    });
    await expect(stop).rejects.toThrow("cancelled");
    if (availableParallelism() > 1) {
      const nowhere = pathToFileURL(join(root, "dist/no-such-thread.js"));
      await expect(findPairs(matcher, {}, nowhere)).rejects.toThrow(/no-such-thread/);
    }
  });
});
