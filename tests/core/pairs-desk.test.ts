import { expect, it } from "vitest";
import type { AskedPair, PairPlan } from "@/store/matches.ts";
import { decidedWords, leadWords, pairsHref, settledWords, titleOf } from "@/ui/matches/pair-words.ts";
import { newPairs, nextPairs, placeOf, type Pairs, type PairsEvent } from "@/ui/matches/pairs.ts";

/** Pairs by number, each of a record of its own unless said. */
const pair = (id: number, record = id): AskedPair => ({ id, load: 4, record }) as AskedPair;
const list = [pair(1), pair(2), pair(3), pair(4)];
const after = (state: Pairs, ...events: PairsEvent[]): Pairs => events.reduce(nextPairs, state);
const ids = (state: Pairs): number[] => state.pairs.map((p) => p.id);

it("shows the first pair, and moves within them", () => {
  const state = newPairs(list);
  expect(state.chosen).toBe(1);
  expect(newPairs([])).toEqual({ pairs: [], chosen: null });
  expect(after(state, { does: "move", by: 1 }).chosen).toBe(2);
  expect(after(state, { does: "move", by: -1 }).chosen).toBe(1);
  expect(after(state, { does: "choose", id: 4 }, { does: "move", by: 1 }).chosen).toBe(4);
  expect(after(newPairs([]), { does: "move", by: 1 }).chosen).toBeNull();
});

it("shows the next pair at once when one is decided, and the one before where it was the last", () => {
  const second = after(newPairs(list), { does: "choose", id: 2 }, { does: "decide", which: [pair(2)] });
  expect(ids(second)).toEqual([1, 3, 4]);
  expect(second.chosen).toBe(3);
  const last = after(newPairs(list), { does: "choose", id: 4 }, { does: "decide", which: [pair(4)] });
  expect(last.chosen).toBe(3);
  expect(after(newPairs([pair(1)]), { does: "decide", which: [pair(1)] })).toEqual({ pairs: [], chosen: null });
});

it("puts pairs back that could not be decided, before the others and once", () => {
  const which = [pair(2), pair(3)];
  const state = after(newPairs(list), { does: "decide", which }, { does: "failed", which });
  expect(ids(state)).toEqual([2, 3, 1, 4]);
  expect(state.chosen).toBe(2);
  expect(ids(after(state, { does: "failed", which }))).toEqual([2, 3, 1, 4]);
});

it("asks nothing more about a record that is settled", () => {
  const state = newPairs([pair(1), pair(2, 9), pair(3, 9), { ...pair(5, 9), load: 5 }]);
  expect(ids(after(state, { does: "settled", records: [{ load: 4, record: 9 }] }))).toEqual([1, 5]);
});

it("puts a pair off behind all others", () => {
  const state = after(newPairs(list), { does: "choose", id: 2 }, { does: "later" });
  expect(ids(state)).toEqual([1, 3, 4, 2]);
  expect(state.chosen).toBe(3);
  const round = after(newPairs(list), { does: "choose", id: 4 }, { does: "later" });
  expect(round.chosen).toBe(1);
  const alone = newPairs([pair(1)]);
  expect(after(alone, { does: "later" })).toBe(alone);
  expect(placeOf({ pairs: list, chosen: 99 })).toBe(0);
});

it("says what a decision did", () => {
  const settled = (state: "waiting" | "inserted" | "merged", problem: string | null = null) => ({
    load: 1,
    record: 1,
    state,
    problem,
  });
  expect(settledWords(1, "same", [settled("merged")])).toBe("1 pair: same; 1 record merged");
  expect(settledWords(2, "different", [settled("inserted"), settled("inserted")])).toBe(
    "2 pairs: different; 2 records inserted",
  );
  expect(settledWords(1, "different", [settled("waiting")])).toBe(
    "1 pair: different; the record still waits for another pair",
  );
  expect(settledWords(1, "same", [settled("waiting", "The row has gone.")])).toContain(". The row has gone.");
});

it("says how far the next candidate is, and what was decided about pairs like it", () => {
  expect(leadWords({ score: 80, lead: null })).toBe("There is no other candidate.");
  expect(leadWords({ score: 80, lead: 12 })).toBe("The next candidate has 68: a lead of 12.");
  expect(leadWords({ score: 80, lead: -5 })).toBe("Another candidate has 85.");
  const before = [
    { from: 60, same: 1, all: 4 },
    { from: 70, same: 3, all: 4 },
    { from: 80, same: 9, all: 10 },
    { from: 30, same: 0, all: 50 },
  ];
  expect(decidedWords(before, 78)).toBe("Of pairs that were decided between 70 and 90, 12 of 14 were the same.");
  expect(decidedWords(before, 5)).toBe("");
});

it("knows a pair by its names, else by its words, else by the first that is compared", () => {
  const fields = ["given", "family", "title"].map((name) => ({ name }));
  const planWith = (...compared: [string, string][]): PairPlan =>
    ({ fields, match: { fields: compared.map(([by, name]) => ({ by, in: [name] })) } }) as unknown as PairPlan;
  const it = { ...pair(1), values: ["Ada", "Rook", "Seeds"], otherValues: ["A.", "Rook", "Seed"] } as AskedPair;
  expect(titleOf(it, planWith(["words", "title"], ["person", "given"], ["person", "family"]))).toEqual([
    "Ada Rook",
    "A. Rook",
  ]);
  expect(titleOf(it, planWith(["code", "given"], ["words", "title"]))).toEqual(["Seeds", "Seed"]);
  expect(titleOf(it, planWith(["code", "family"]))).toEqual(["Rook", "Rook"]);
  expect(titleOf(it, undefined)).toEqual(["", ""]);
});

it("says where pairs in an order are", () => {
  expect(pairsHref({}, "alike")).toBe("/matches");
  expect(pairsHref({ feed: "sites", load: 3 } as never, "unsure")).toBe("/matches?feed=sites&load=3&order=unsure");
});
