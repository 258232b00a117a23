import { describe, expect, it } from "vitest";
import { emptyBalance } from "@/core/kernel/ledger.ts";
import type { LoadReport } from "@/core/report/report.ts";
import type { Load, LoadState } from "@/store/loads.ts";
import { COUNTED_BEFORE, alikeWords, headline, heldBeforeWords, returnedWords } from "@/ui/loads/load-words.ts";

const balance = emptyBalance();
Object.assign(balance.outcomes, { inserted: 900, updated: 80, unchanged: 5, merged: 3, waiting: 2, held: 10 });
const report = { balance: { ...balance, read: 1000 } } as LoadReport;
const counts = { read: 1000, held: 10, merged: 3, waiting: 2 };
const said = (state: LoadState, more: Partial<Load> = {}) => headline({ ...counts, ...more, state }, report);

describe("what a load has come to", () => {
  it("is said by its state, with what went another way", () => {
    expect(said("loaded")).toBe("985 of 1,000 records loaded, 3 merged, 10 held, 2 waiting");
    expect(said("tried")).toBe("Trial: 985 of 1,000 records would be loaded, 3 merged, 10 held, 2 waiting");
    expect(said("stopped")).toBe("Stopped: of 1,000 records 985 would be loaded, 10 held");
    expect(said("dropped")).toBe("Dropped: nothing of 1,000 records was loaded");
    expect(said("undone", { read: 1 })).toBe("Undone: nothing of 1 record is in the target any more");
  });

  it("is said of one that has no report", () => {
    const without = (state: LoadState) => headline({ ...counts, state }, null);
    expect(["failed", "cancelled", "queued", "running"].map((s) => without(s as LoadState))).toEqual([
      "This load failed",
      "This load was cancelled; nothing was written",
      "Waiting to be loaded",
      "Being loaded",
    ]);
  });

  it("names what is held also where nothing is, and the rest only where there is some", () => {
    const aside = (more: Partial<Load>) => said("loaded", more).replace(/^.* loaded/, "");
    expect(aside({ merged: 0, waiting: null, held: null })).toBe(", 0 held");
    expect(aside({ merged: null, waiting: 1200, held: 4 })).toBe(", 4 held, 1,200 waiting");
  });
});

describe("what a load has brought back", () => {
  it.each([
    [1, 0, "1 record that earlier loads held: 1 was accepted and is closed."],
    [231, 0, "231 records that earlier loads held: 231 were accepted and are closed."],
    [0, 1, "1 record that earlier loads held: 1 is still wrong and held as it came last."],
    [
      231,
      19,
      "250 records that earlier loads held: 231 were accepted and are closed, 19 are still wrong and held as they came last.",
    ],
  ])("of %i accepted and %i still wrong", (accepted, again, words) => {
    expect(returnedWords({ accepted, again })).toBe(`It brought back ${words}`);
  });
});

describe("held records that were looked for in a load", () => {
  it("are counted in words", () => {
    const found = { pairs: [], looked: 1, more: 0, among: 1_200 };
    expect(alikeWords(found)).toBe(
      "1 record held before was looked for among the 1,200 records of this load: none is like one of them.",
    );
    expect(alikeWords({ ...found, pairs: [{}], looked: 20_000, more: 1 })).toBe(
      "20,000 records held before were looked for among the 1,200 records of this load: 1 is like one of them. 1 older one was not looked for.",
    );
  });
});

describe("records that were held before a load", () => {
  it("are counted up to a number, as a feed may have any number of them", () => {
    expect(heldBeforeWords(1)).toBe("1 record held before is still held:");
    expect(heldBeforeWords(COUNTED_BEFORE - 1)).toBe("1,000 records held before are still held:");
    expect(heldBeforeWords(COUNTED_BEFORE)).toBe("More than 1,000 records held before are still held:");
  });
});
