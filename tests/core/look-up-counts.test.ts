import { describe, expect, it } from "vitest";
import type { Reference } from "@/core/kernel/reference.ts";
import { LookUpTally, compileLookUps, proposedEntry, type CompiledLookUp } from "@/core/lookup/compile.ts";
import { shareListed, type Trials } from "@/core/lookup/limits.ts";
import { prepareLookUp } from "@/core/lookup/look-up.ts";
import { lookUpFields, lookUpSchema, type LookUp } from "@/core/lookup/schema.ts";
import type { Field } from "@/core/field/field.ts";

const LOTS: Reference = {
  name: "lots",
  version: 0,
  columns: ["lot", "site", "from", "to"],
  key: "lot",
  entries: [
    ["A", "Alder Fen", "1", "9"],
    ["B", "Birk Hill", "10", "19"],
    ["B", "Bramble Hill", "20", "29"],
    ["C", "Cold Fell", "30", "39"],
    ["D", "Dun Moss", "40", ""],
  ],
};
const FIELDS = ["lot", "site", "n", "score", "lead"].map((name) => ({ name, type: "text" })) as unknown as Field[];

const compiled = (more: object, list = LOTS): CompiledLookUp =>
  compileLookUps([lookUpSchema.parse({ name: "lot", list: "lots", ...more })], FIELDS, new Map([["lots", list]]))[0]!;
const exact = { how: "exact", by: [{ field: "lot", column: "lot" }], bring: { site: "site" } };

/** Asks for values one after the other, and gives what came to be counted. */
const counted = (one: CompiledLookUp, ...asked: string[]) => {
  const tally = new LookUpTally();
  for (const value of asked) {
    const { result, entry } = one.ask!([value], "");
    tally.add(result, [value], entry);
  }
  return tally.finish(one);
};

describe("what a look-up counts", () => {
  it("is how it went, and what has no partner, the commonest first", () => {
    const counts = counted(compiled(exact), "A", "B", "X", "Y", "Y", "", "C", "A");
    expect(counts).toMatchObject({ name: "lot", list: "lots", version: 0 });
    expect(counts.counts).toEqual({ exact: 3, scored: 0, several: 1, none: 3, empty: 1 });
    expect(counts.unknown).toEqual([
      { values: ["Y"], count: 2 },
      { values: ["X"], count: 1 },
    ]);
    expect(counts).not.toHaveProperty("unused");
    expect(counts).not.toHaveProperty("proposed");
    expect(counts).not.toHaveProperty("limits");
  });

  it("of a file of the delivery is which entries nobody asked for, and which keys are given twice, once each", () => {
    const file = { ...exact, file: "lots.csv" };
    expect(counted(compiled(file), "A", "B")).toMatchObject({
      unused: { count: 2, keys: ["C", "D"] },
      repeated: { count: 1, entries: 2, keys: ["B"] },
    });
    const once = { ...LOTS, entries: LOTS.entries.filter((_, i) => i !== 2) };
    const counts = counted(compiled(file, once), "A");
    expect(counts).not.toHaveProperty("repeated");
    expect(counts.unused).toEqual({ count: 3, keys: ["B", "C", "D"] });
  });

  it("of synonyms that lead to one entry is no key given twice", () => {
    const list = {
      ...LOTS,
      accepted: "site",
      key: "lot",
      entries: [
        ["A", "", "", ""],
        ["a", "A", "", ""],
        ["A ", "A", "", ""],
      ],
    };
    expect(compiled({ ...exact, bring: {} }, list).ask!.repeated!()).toEqual([]);
    expect(compiled(exact).ask!.repeated!()).toEqual([[1, 2]]);
  });

  it("is what entries are proposed, with how often", () => {
    const one = compiled({ ...exact, none: "propose" });
    const tally = new LookUpTally();
    for (const lot of ["X", "Z", "X"]) {
      const values: Record<number, string> = { 1: `${lot} hill` };
      tally.propose(proposedEntry(one, [lot], (f) => values[f] ?? ""));
    }
    expect(tally.finish(one).proposed).toEqual([
      { cells: ["X", "X hill", "", ""], count: 2 },
      { cells: ["Z", "Z hill", "", ""], count: 1 },
    ]);
  });

  it("of a range is an entry with its beginning", () => {
    const one = compiled({
      how: "range",
      field: "n",
      from: "from",
      to: "to",
      by: [{ field: "lot", column: "lot" }],
      none: "propose",
    });
    expect(proposedEntry(one, ["77", "E"], () => "")).toEqual(["E", "", "77", ""]);
  });

  it("of one by score are its limits", () => {
    const by = [{ field: "lot", column: "site", compare: "words" }];
    const one = compiled({ how: "scored", by, score_in: "score", lead_in: "lead" });
    expect([one.scoreIn, one.leadIn]).toEqual([3, 4]);
    expect(compiled({ how: "scored", by })).toMatchObject({ scoreIn: -1, leadIn: -1 });
    expect(compiled(exact)).toMatchObject({ scoreIn: -1, leadIn: -1 });
    expect(counted(one, "Alder Fen").limits).toMatchObject({ least: 85, lead: 3, unknown: "small" });
  });
});

describe("a look-up’s fields", () => {
  const of = (more: object): ReturnType<typeof lookUpFields> =>
    lookUpFields(lookUpSchema.parse({ name: "l", list: "l", ...more }));

  it("are those that it asks by and those that it fills", () => {
    const by = [{ field: "a", column: "x" }];
    expect(of({ how: "exact", by, bring: { b: "y" }, on: "day" })).toEqual({ asks: ["a", "day"], fills: ["b"] });
    expect(of({ how: "scored", by, score_in: "s" })).toEqual({ asks: ["a"], fills: ["s"] });
    expect(of({ how: "range", field: "n", from: "x", to: "y", by })).toEqual({ asks: ["a", "n"], fills: [] });
  });
});

describe("a score", () => {
  const people: Reference = {
    name: "people",
    version: 1,
    columns: ["no", "name", "town"],
    key: "no",
    entries: [
      ["1", "Ivo Drewe", "Brindle"],
      ["2", "Ivo Drewe", "Cray"],
      ["3", "Mel Orr", "Upper Quill"],
    ],
  };
  const ask = (more: object = {}, by: object[] = []) =>
    prepareLookUp(
      lookUpSchema.parse({
        ...{ name: "l", list: "people", how: "scored", least: 50, lead: 0.1 },
        ...{ by: [{ field: "name", column: "name", compare: "edit" }, ...by], ...more },
      }),
      people,
    );
  const town = { field: "town", column: "town", compare: "edit" };

  it("is the mean of the fields that both have", () => {
    // Alike in seven letters of nine, and in all.
    expect(ask({}, [town])(["Ivo Drxxe", "Brindle"], "")).toMatchObject({ result: "scored", entry: 0 });
    const whole = ask()(["Mel Orx"], "").score;
    expect(ask({}, [town])(["Mel Orx", ""], "").score).toBeCloseTo(whole, 5);
    expect(ask({}, [town])(["Mel Orx", "Upper Quill"], "").score).toBeCloseTo((whole + 100) / 2, 0);
  });

  it("is enough from the limits on, and several where the next is as near", () => {
    const { score, lead } = ask()(["Mel Orx"], "");
    expect(ask({ least: score })(["Mel Orx"], "").result).toBe("scored");
    expect(ask({ least: score + 0.1 })(["Mel Orx"], "").result).toBe("none");
    expect(ask({ lead })(["Mel Orx"], "").result).toBe("scored");
    expect(ask({ lead: Math.min(100, lead + 0.1) })(["Mel Orx"], "").result).toBe("several");
    expect(ask()(["Ivo Drewf"], "")).toMatchObject({ result: "several", entry: -1, lead: 0 });
  });

  it("asks by what is given, and by nothing where nothing is", () => {
    expect(ask({}, [town])(["", ""], "").result).toBe("empty");
    expect(ask({}, [town])(["", "Upper Quilt"], "")).toMatchObject({ result: "scored", entry: 2 });
  });

  it("of codes does not hang on marks between", () => {
    const as = (more: object) =>
      prepareLookUp(
        lookUpSchema.parse({
          name: "l",
          list: "c",
          how: "scored",
          least: 60,
          lead: 0.1,
          by: [{ field: "c", column: "c", compare: "edit", ...more }],
        }),
        { ...people, columns: ["c"], key: "c", entries: [["AB-1234"], ["XY-9876"]] },
      );
    expect(as({ as: "code" })(["ab1235"], "").score).toBeGreaterThan(as({})(["ab1235"], "").score);
  });
});

describe("an overlap of ranges", () => {
  it("is refused with both entries, what is empty left out", () => {
    const range = lookUpSchema.parse({
      name: "l",
      list: "lots",
      how: "range",
      field: "n",
      from: "from",
      to: "to",
    }) as LookUp;
    const twice = {
      ...LOTS,
      entries: [
        ["A", "", "1", "9"],
        ["B", "", "9", ""],
      ],
    };
    expect(() => prepareLookUp(range, twice)).toThrowError(
      expect.objectContaining({
        message: "Two ranges of the list lots overlap.",
        detail: "A, 1, 9; and B, 9.",
      }) as Error,
    );
  });
});

describe("the share that has an entry", () => {
  const answer = (score: number, lead: number) => ({ score, lead });

  it("is told by the lead as well as by the score", () => {
    const trials: Trials = {
      damaged: Array.from({ length: 50 }, () => ({ ...answer(82, 20), right: true })),
      absent: Array.from({ length: 50 }, () => answer(82, 1)),
    };
    expect(
      shareListed(
        trials,
        Array.from({ length: 90 }, () => answer(82, 20)),
      ),
    ).toBeGreaterThan(0.9);
    expect(
      shareListed(
        trials,
        Array.from({ length: 90 }, () => answer(82, 1)),
      ),
    ).toBeLessThan(0.1);
  });
});
