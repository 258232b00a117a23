import { describe, expect, it } from "vitest";
import { sumsOf, type PeriodLoad } from "@/store/period.ts";
import { daysAsked, daysWords, isDay, monthOf } from "@/core/report/days.ts";
import { openAccounts } from "@/ui/feeds/period.ts";

/** The days of an account, and what does not add up in it. */

describe("the days of a period", () => {
  it("are those of a month, and of others before and after it, over the ends of years", () => {
    expect(monthOf("2026-11-30")).toEqual({ from: "2026-11-01", until: "2026-11-30" });
    expect(monthOf("2026-01-15", -1)).toEqual({ from: "2025-12-01", until: "2025-12-31" });
    expect(monthOf("2026-12-31", 1)).toEqual({ from: "2027-01-01", until: "2027-01-31" });
    expect(monthOf("2028-02-03")).toEqual({ from: "2028-02-01", until: "2028-02-29" });
  });

  it("exist, and stand in their order; what is no day is the month's", () => {
    expect(["2026-02-28", "2026-02-29", "2026-2-3", "soon", undefined].map(isDay)).toEqual([
      true,
      false,
      false,
      false,
      false,
    ]);
    expect(daysAsked(undefined, undefined, "2026-11-30")).toEqual(monthOf("2026-11-01"));
    expect(daysAsked("2026-03-09", "2026-03-03", "2026-11-30")).toEqual({ from: "2026-03-03", until: "2026-03-09" });
    expect(daysAsked("2026-03-09", undefined, "2026-11-30")).toEqual({ from: "2026-03-09", until: "2026-03-31" });
    expect(daysAsked("2026-13-09", "x", "2026-11-30")).toEqual(monthOf("2026-11-01"));
  });

  it("are said as people say them", () => {
    expect(daysWords(monthOf("2026-11-01"))).toBe("November 2026");
    expect(daysWords({ from: "2026-11-03", until: "2026-11-09" })).toBe("3 to 9 November 2026");
    expect(daysWords({ from: "2026-11-03", until: "2026-12-09" })).toBe("3 November 2026 to 9 December 2026");
    expect(daysWords({ from: "2026-11-03", until: "2026-11-03" })).toBe("3 November 2026");
  });
});

describe("an account", () => {
  const line = { endedAt: new Date(0), sender: "", updated: 0, unchanged: 0, merged: 0, waiting: 0, leftOut: 0 };
  const loads: PeriodLoad[] = [
    { ...line, id: 1, state: "loaded", read: 5, inserted: 3, held: 1, leftOut: 1 },
    { ...line, id: 2, state: "undone", read: 7, inserted: 7, held: 0 },
    { ...line, id: 3, state: "loaded", read: 2, inserted: 1, held: 1 },
    { ...line, id: 4, state: "stopped", read: 9, inserted: 9, held: 0 },
  ];
  const held = { atStart: 4, came: 2, went: { released: 1, discarded: 2 }, atEnd: 3, overtaken: 0 };

  it("adds up the loads that stand", () => {
    expect(sumsOf(loads)).toMatchObject({ loads: 2, read: 7, inserted: 4, held: 2, leftOut: 1, updated: 0 });
  });

  it("says what does not add up, each thing by itself", () => {
    const sums = sumsOf(loads);
    const fields = [{ field: "grams", ledger: "10.5", target: "10.5" }];
    expect(openAccounts(sums, held, fields)).toEqual([]);
    expect(openAccounts({ ...sums, read: 8 }, held, fields)).toEqual(["8 records were read, and 7 have an outcome"]);
    const out = { does: "file", state: "done", what: "accepted", times: 1, files: 1, records: 3, expected: 3 };
    expect(openAccounts(sums, held, fields, [out, { ...out, what: "query", expected: null }])).toEqual([]);
    expect(
      openAccounts(sums, held, fields, [
        { ...out, records: 2 },
        { ...out, state: "failed", records: 0 },
      ]),
    ).toEqual(["files with what was accepted have 2 records, and the loads 3"]);
    expect(openAccounts(sums, { ...held, atEnd: 4 }, fields)).toEqual(["4 held, 2 more and 3 fewer are not 4"]);
    expect(openAccounts(sums, held, [{ ...fields[0]!, target: "9" }])).toEqual([
      "the sum of grams is 10.5 by the ledger and 9 in the target",
    ]);
  });
});
