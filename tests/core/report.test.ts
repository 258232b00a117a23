import { describe, expect, it } from "vitest";
import { printCheck } from "@/core/check/identity.ts";
import { compilePlan } from "@/core/course/compile.ts";
import { newTally } from "@/core/course/tally.ts";
import { emptyBalance, type Balance } from "@/core/kernel/ledger.ts";
import { findDrift } from "@/core/report/drift.ts";
import { changeWords, stateWords } from "@/core/report/found-words.ts";
import { makeReport, type ReportInput } from "@/core/report/report.ts";
import { loadedOf, siftOf, type CheckMetrics } from "@/core/report/strata.ts";
import { STAGES, type Stage } from "@/core/plan/types.ts";
import { planOf } from "../support/plans.ts";

const FIELDS = [
  { name: "id", type: "text" },
  { name: "land", type: "code", values: ["GB", "FR"] },
  { name: "n", type: "integer" },
];
const compiled = (more: object = {}) => compilePlan(planOf(FIELDS, more as Record<string, unknown>));
const file = (name: string, columns: string[], more: object = {}) =>
  ({
    name,
    columns,
    extra: [],
    missing: [],
    unreadable: {},
    records: 10,
    ...more,
  }) as unknown as ReportInput["files"][0];

function balanceOf(outcomes: Partial<Balance["outcomes"]>, heldAt: Partial<Balance["heldAt"]> = {}): Balance {
  const balance = emptyBalance();
  Object.assign(balance.outcomes, outcomes);
  Object.assign(balance.heldAt, heldAt);
  balance.read = Object.values(balance.outcomes).reduce((a, b) => a + b, 0);
  return balance;
}

function reportOf(more: Partial<ReportInput> = {}, plan: object = {}) {
  const own = compiled(plan);
  const balance = more.balance ?? balanceOf({ inserted: 10 });
  const tally = newTally(own);
  tally.read = balance.read;
  return makeReport({
    compiled: own,
    tally,
    files: [file("a.csv", ["id", "land", "n"])],
    balance,
    distinct: [],
    late: new Map(),
    ...more,
  });
}

const check = (title: string, problems: number, more: Partial<CheckMetrics> = {}): CheckMetrics => ({
  ...{ key: title, title, fault: title, stage: "check", onFailure: "hold", problems },
  ...more,
});

describe("the sift", () => {
  const notes = Object.fromEntries(STAGES.map((s) => [s, s])) as Record<Stage, string>;
  const at = (strata: ReturnType<typeof siftOf>, stage: Stage) => strata.find((s) => s.stage === stage)!;

  it("adds up: what entered a stage left it or stayed there, with why", () => {
    const balance = balanceOf(
      { inserted: 50, updated: 3, unchanged: 2, held: 9, merged: 4, waiting: 1, "left out": 6 },
      { read: 2, check: 4, "look up": 1, load: 2 },
    );
    const checks = [
      check("few", 1),
      check("many", 1200),
      check("noted", 5000, { onFailure: "note" }),
      check("none", 0),
    ];
    const strata = siftOf(balance, [...checks, check("in the load", 2, { stage: "load" })], notes);
    for (const s of strata) expect(s.entered).toBe(s.left + s.trays.reduce((n, t) => n + t.count, 0));
    for (let i = 1; i < strata.length; i++) expect(strata[i]!.entered).toBe(strata[i - 1]!.left);
    expect(strata[0]!.entered).toBe(75);
    expect(strata.at(-1)!.left).toBe(loadedOf(balance));
    expect(loadedOf(balance)).toBe(55);
    expect(at(strata, "Cleanse").trays).toEqual([
      { outcome: "left out", at: null, count: 6, reason: "as the plan says" },
    ]);
    expect(at(strata, "Match").trays.map((t) => [t.outcome, t.count, t.reason])).toEqual([
      ["merged", 4, "one with another record"],
      ["waiting", 1, "for a decision"],
    ]);
    expect(at(strata, "Check").trays).toEqual([
      { outcome: "held", at: "check", count: 4, reason: "many, 1,200; 1 more" },
    ]);
    expect(at(strata, "Load").trays[0]!.reason).toBe("in the load");
    expect(at(strata, "Look up").trays[0]).toMatchObject({ count: 1, reason: "" });
    expect(at(strata, "Map").trays).toEqual([]);
  });

  it("has no tray for what did not happen", () => {
    const strata = siftOf(balanceOf({ inserted: 5, merged: 1 }), [], notes);
    expect(strata.flatMap((s) => s.trays.map((t) => t.outcome))).toEqual(["merged"]);
  });
});

describe("a report", () => {
  it("says in a few words what each stage did", () => {
    const words = (report: ReturnType<typeof reportOf>) =>
      Object.fromEntries(report.sift.map((s) => [s.stage, s.note]));
    expect(words(reportOf())).toMatchObject({
      Read: "1 file, 3 columns",
      Map: "3 fields",
      Cleanse: "0 cells changed",
      "Look up": "no list is asked",
      Match: "nothing is compared",
      Load: "append into thing",
    });
    const two = [file("a.csv", ["id"]), file("b.csv", ["id", "land", "n", "x"])];
    expect(words(reportOf({ files: two })).Read).toBe("2 files, 4 columns");
    const further = { load: { target: "thing", further: [{ target: "other", mode: "append" }] } };
    expect(words(reportOf({}, further)).Load).toBe("append into 2 tables");
  });

  it("counts the cells that steps changed, but no records that were left out", () => {
    const cleanse = [
      { do: "trim", in: "*" },
      { do: "leave-out", in: ["land"], when: "land == 'FR'" },
    ];
    const own = compiled({ cleanse });
    const tally = newTally(own);
    tally.read = 10;
    tally.steps[0] = 1234;
    tally.steps[1] = 7;
    const report = reportOf({ compiled: own, tally });
    expect(report.sift.find((s) => s.stage === "Cleanse")!.note).toBe("1,234 cells changed");
  });

  it("has a line for the key that the target has already only where records are added by a key", () => {
    const taken = (load: object, late = new Map<string, number>()) =>
      reportOf({ late }, { load: { target: "thing", ...load } }).checks.filter((c) => c.stage === "load");
    expect(taken({ key: ["id"] })).toMatchObject([{ problems: 0, onFailure: "hold" }]);
    const key = taken({ key: ["id"] })[0]!.key;
    expect(taken({ key: ["id"] }, new Map([[key, 3]]))[0]!.problems).toBe(3);
    expect(taken({ key: [] })).toEqual([]);
    expect(taken({ key: ["id"], mode: "upsert" })).toEqual([]);
  });

  it("has lines for lines that can't be read, for files that are held and for the target's own rules", () => {
    const rule = printCheck({ kind: "target", rule: "thing_n_check" });
    const report = reportOf({
      files: [
        file("a.csv", ["id"], { unreadable: { quote: 2 } }),
        file("b.csv", ["id"], { unreadable: { quote: 1, nul: 4 } }),
      ],
      rules: [rule],
      late: new Map([[rule, 5]]),
    });
    const of = (stage: string) => report.checks.filter((c) => c.stage === stage).map((c) => [c.key, c.problems]);
    expect(of("read")).toEqual([
      ["read:quote", 3],
      ["read:nul", 4],
    ]);
    expect(of("load")).toEqual([[rule, 5]]);
  });

  it("carries what was found only where something was", () => {
    const bare = reportOf({ figures: [], kept: [], codes: [], lookUps: [], gone: null, replaced: null, further: null });
    for (const part of ["figures", "kept", "codes", "lookUps", "gone", "replaced", "further", "returned", "run"])
      expect(bare).not.toHaveProperty(part);
    const full = reportOf({
      figures: [{ field: "n", count: 2, sum: "3" }],
      replaced: { rows: 2, slices: null },
      returned: { accepted: 1, again: 0 },
    });
    expect(full.figures).toHaveLength(1);
    expect(full.replaced).toEqual({ rows: 2, slices: null });
    expect(full.returned).toEqual({ accepted: 1, again: 0 });
  });

  it("says the share of rows that no longer come where no gate of the plan does", () => {
    const load = { target: "thing", key: ["id"], mode: "upsert", gone: { do: "remove", at_most: 0.2 } };
    const gone = { did: "remove", rows: 3, of: 10, referred: 0, unsure: 0, left: false } as const;
    expect(reportOf({ gone }, { load }).gates).toMatchObject([{ gate: "gone share", passed: false }]);
    const own = reportOf({ gone }, { load, gates: [{ limit: "gone share", over: 0.5 }] }).gates;
    expect(own).toMatchObject([{ passed: true }]);
    expect(reportOf({}, {}).gates).toEqual([]);
  });

  it("does not close where an outcome is missing", () => {
    const balance = balanceOf({ inserted: 3 });
    balance.read = 4;
    expect(() => reportOf({ balance })).toThrow();
  });
});

describe("drift of codes", () => {
  const drift = (unknown: { value: string; count: number }[], filled: number, map: object = {}) => {
    const own = compiled({ map });
    const tally = newTally(own);
    tally.filled[1] = filled;
    const codes = [{ field: "land", unknown, counts: [] }] as unknown as ReportInput["codes"];
    return findDrift({ compiled: own, files: [file("a.csv", [])], extras: null, before: [], tally, codes: codes! });
  };

  it("is a value that comes again and again, of many that are filled", () => {
    const [found] = drift(
      [
        { value: "SE", count: 5 },
        { value: "", count: 90 },
        { value: "XX", count: 4 },
      ],
      100,
    );
    expect(found).toMatchObject({ kind: "changed codes", name: "land", says: "not in its list: SE (5)" });
    expect(found!.field!.values).toEqual(["GB", "FR", "SE"]);
    expect(drift([{ value: "SE", count: 4 }], 100)).toEqual([]);
    // From 2,500 filled ones on it is a share of them.
    expect(drift([{ value: "SE", count: 9 }], 5000)).toEqual([]);
    expect(drift([{ value: "SE", count: 10 }], 5000)).toHaveLength(1);
    expect(drift([{ value: "SE", count: 19 }], 19)).toEqual([]);
    expect(drift([{ value: "SE", count: 5 }], 20)).toHaveLength(1);
    expect(drift([{ value: "SE", count: 50 }], 100, { codes: "leave" })).toEqual([]);
  });

  it("of columns is their order, where that is looked for", () => {
    const of = (columns: string[], before: string[][], map: object = { reordered: "note" }) => {
      const own = compiled({ map });
      return findDrift({
        ...{ compiled: own, extras: null, tally: newTally(own) },
        files: [file("a.csv", columns)],
        before,
      });
    };
    expect(of(["n", "id", "land"], [["id", "n", "land"]])).toMatchObject([
      { kind: "reordered columns", name: "n, id", says: "2 of 3 columns stand elsewhere than in the delivery before" },
    ]);
    expect(
      of(
        ["n", "id"],
        [
          ["id", "n"],
          ["n", "id"],
        ],
      ),
    ).toEqual([]);
    expect(of(["n", "id"], [["id", "n", "land"]])).toEqual([]);
    expect(of(["n", "id"], [["id", "m"]])).toEqual([]);
    expect(of(["n", "id"], [["id", "n"]], {})).toEqual([]);
  });
});

describe("what became of a row or record, in words", () => {
  it("names who did it", () => {
    const change = { kind: "load", load: 4, did: "made", writing: 9 };
    expect(changeWords(change)).toBe("load 4 put it there");
    expect(changeWords({ ...change, did: "removed" })).toBe("load 4 took it away");
    expect(changeWords({ ...change, did: "changed", kind: "release" })).toBe("a release, writing 9, changed it");
    expect(changeWords({ ...change, load: null })).toBe("a load, writing 9, put it there");
    expect(stateWords({ state: "held", endedBy: "", reason: "" })).toBe("is held");
    expect(stateWords({ state: "discarded", endedBy: "Ines", reason: "a test" })).toBe(
      "was held, and was discarded by Ines: a test",
    );
  });
});
