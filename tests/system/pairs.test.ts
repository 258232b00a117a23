import { createHash } from "node:crypto";
import { availableParallelism } from "node:os";
import { join } from "node:path";
import { pathToFileURL } from "node:url";
import { describe, expect, it } from "vitest";
import type { Pairs } from "@/core/match/match.ts";
import type { PairModel } from "@/core/match/model/model.ts";
import type { MatchField } from "@/core/match/schema.ts";
import { PairSearch } from "@/engine/match/pairs.ts";
import { PERSON_FIELDS, peopleWithRepeats } from "../../demo/people.ts";
import { root } from "../../scripts/lib/machine.mjs";

const THREAD = pathToFileURL(join(root, "dist/pairs-thread.js"));
const FIELDS: MatchField[] = [
  { in: ["given"], by: "person", variants: { Sorrel: ["Zorrel"] } },
  { in: ["family"], by: "person" },
  { in: ["born"], by: "date" },
  { in: ["town"], by: "words", as: "place" },
];

/**
 * A search among people, for which records wait in the other thread while they are added: with fewer than some
 * thousands no other is asked. Estimating takes longer than all else, and is left to `model` where it is given.
 */
async function people(
  among: boolean,
  thread: URL | null,
  model?: PairModel,
  fields: readonly MatchField[] = FIELDS,
): Promise<PairSearch> {
  const { records } = peopleWithRepeats(4, 4_000);
  const search = new PairSearch(fields, { among }, thread);
  for (const [i, r] of records.entries()) {
    const table = !among && i % 10 < 5 ? search.matcher.known : search.matcher.incoming;
    search.add(
      table,
      fields.map((f) => r[f.in[0] as (typeof PERSON_FIELDS)[number]]),
    );
    // As records come from a file or the database: in stretches, with time to take answers in.
    if (i % 500 === 0) await new Promise((resolve) => setImmediate(resolve));
  }
  if (model) await search.use(model);
  else await search.estimate();
  return search;
}

/** What tells pairs from others: each number of them, in their order. */
function markOf({ count, a, b, bits, shares }: Pairs, fields = FIELDS.length): string {
  const hash = createHash("sha256");
  const used: [Int32Array | Float32Array, number][] = [
    [a, count],
    [b, count],
    [bits, count],
    [shares, count * fields],
  ];
  for (const [list, n] of used) hash.update(new Uint8Array(list.buffer, list.byteOffset, n * 4));
  return `${count} ${hash.digest("hex")}`;
}

describe("pairs found by two threads", () => {
  it.each([
    ["with one another", true],
    ["with known ones", false],
  ])("are those of one thread, in their order, for records compared %s", async (_, among) => {
    const one = await people(among, null);
    const two = await people(among, THREAD);
    expect(two.matcher.model).toEqual(one.matcher.model);
    const alone = await one.find({});
    expect(alone.count).toBeGreaterThan(500);
    let rests = 0;
    expect(markOf(await two.find({}, async () => void rests++))).toBe(markOf(alone));
    // Some of the stretches were left to the other thread.
    if (availableParallelism() > 1) expect(rests).toBeLessThan(two.matcher.incoming.length / 250);
    const some = { best: 1, leastScore: 0, from: 100, to: 2_600, before: 1_500 };
    expect(markOf(await two.find(some))).toBe(markOf(await one.find(some)));
    // The matcher stays as it is when the other thread is let go.
    await two.end();
    expect(markOf(two.matcher.pairs())).toBe(markOf(alone));
    await one.end();
  });

  it("are those of one thread by two fields too, where candidates are found while the model is estimated", async () => {
    const fields = FIELDS.slice(1, 3);
    const [one, two] = [await people(false, null, undefined, fields), await people(false, THREAD, undefined, fields)];
    expect(two.matcher.model).toEqual(one.matcher.model);
    const found = await two.find({ leastScore: 0, best: 1 });
    expect(found.count).toBeGreaterThan(500);
    expect(markOf(found, 2)).toBe(markOf(await one.find({ leastScore: 0, best: 1 }), 2));
    await one.end();
    await two.end();
  });

  it("are found in a thread that has found others before", async () => {
    const alone = await people(false, null);
    const model = alone.matcher.model!;
    const [first, second] = [await people(true, THREAD, model), await people(false, THREAD, model)];
    await first.end();
    await second.end();
    const again = await people(false, THREAD, model);
    expect(markOf(await again.find({}))).toBe(markOf(await alone.find({})));
    await again.end();
  });

  it("end when this thread is told to, and when the other can't be had", async () => {
    const { model } = (await people(true, null)).matcher;
    const search = await people(true, THREAD, model!);
    const stop = search.find({}, async () => {
      throw new Error("cancelled");
    });
    await expect(stop).rejects.toThrow("cancelled");
    await search.end();
    if (availableParallelism() > 1) {
      const nowhere = pathToFileURL(join(root, "dist/no-such-thread.js"));
      await expect(people(true, nowhere, model!)).rejects.toThrow(/no-such-thread/);
    }
  });
});
