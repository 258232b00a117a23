import { describe, expect, it } from "vitest";
import { asking, listOf, namesOf } from "../../demo/circumstances/lists.ts";
import { likenessWords, limitsFor, shareListed, type Answer, type Trials } from "@/core/lookup/limits.ts";
import { prepareLookUp } from "@/core/lookup/look-up.ts";
import { lookUpSchema, type LookUp } from "@/core/lookup/schema.ts";

const scored = (more: object = {}): LookUp =>
  lookUpSchema.parse({
    how: "scored",
    name: "name",
    list: "names",
    by: [{ field: "f", column: "name", compare: "words" }],
    ...more,
  });
describe("limits of likeness", () => {
  it.each([
    ["de", "region"],
    ["fr", "region"],
    ["pl", "region"],
    ["en", "language"],
    ["es", "language"],
  ] as const)("from what is asked find the right entry, for names in %s of a %s", (tongue, type) => {
    for (const share of [0.3, 0.6, 0.95]) {
      const { reference, asked } = asking(namesOf(tongue, type), share, 11);
      const limits = prepareLookUp(scored(), reference).likeness!.limitsOfAsked(asked.map((a) => [a.text]));
      const ask = prepareLookUp(scored({ least: limits.least, lead: limits.lead }), reference);
      const found = asked
        .map((a) => ({ ...ask([a.text], ""), ...{ of: a.entry } }))
        .filter((f) => f.result === "scored");
      const right = found.filter((f) => f.entry === f.of).length;
      expect(Math.abs(limits.listed - share)).toBeLessThan(0.15);
      if (limits.right === null) expect(found).toEqual([]);
      else expect(right / found.length).toBeGreaterThan(limits.right - 0.05);
      if (share > 0.9) expect(right / asked.filter((a) => a.entry >= 0).length).toBeGreaterThan(0.85);
    }
  });

  it("that are left open are the list’s own, and what is set stands", () => {
    const reference = listOf(namesOf("en", "region"));
    const open = prepareLookUp(scored(), reference).likeness!.limits();
    expect(open.right).toBeGreaterThanOrEqual(0.95);
    const set = prepareLookUp(scored({ least: 60, lead: 0 }), reference).likeness!.limits();
    expect(set).toMatchObject({ least: 60, lead: 0 });
    expect(set.right).toBeLessThan(open.right!);
    expect(set.found).toBeGreaterThan(open.found);
    expect(prepareLookUp(scored({ least: 90 }), reference).likeness!.limits().least).toBe(90);
  });

  it("of a small list are the usual ones, and what they come to is not known", () => {
    const limits = prepareLookUp(scored(), listOf(["Salix caprea", "Carex nigra", "Betula nana"])).likeness!.limits();
    expect(limits).toMatchObject({ least: 85, lead: 3, right: null, unknown: "small" });
    expect(likenessWords(limits)).toBe(
      "From 85, 3 ahead of the next: the list is too small to say how many of those found are the right ones.",
    );
  });

  it("of a list whose entries are a letter apart find nothing, and say so", () => {
    const [given, family] = [
      "Anna Hanna Ann Joan John Jan".split(" "),
      "Berg Borg Burg Bergh Borgen Bergen".split(" "),
    ];
    const names = given.flatMap((g) => family.flatMap((f) => [..."ABCDEFGHIJ"].map((i) => `${g} ${i}. ${f}`)));
    const ask = prepareLookUp(scored(), listOf(names));
    expect(ask.likeness!.limits()).toMatchObject({ right: null, unknown: "near" });
    expect(ask(["Anna K. Berg"], "").result).not.toBe("scored");
    expect(likenessWords(ask.likeness!.limits())).toMatch(/^No limits would find the right entry in 95 of 100 cases/);
  });

  it("are said in hundreds, all only where it is all", () => {
    const words = likenessWords({ least: 80, lead: 2, right: 0.998, found: 0.8, listed: 0.5 });
    expect(words).toMatch(
      /^From 80, 2 ahead of the next: about 99 of 100 that are found are the right ones, and 80 of 100/,
    );
  });
});

describe("the share that has an entry", () => {
  const at = (score: number, lead: number): Answer => ({ score, lead });
  const trials: Trials = {
    damaged: Array.from({ length: 100 }, (_, i) => ({ ...at(92 - (i % 10), 25), right: true })),
    absent: Array.from({ length: 100 }, (_, i) => at(60 + (i % 10), 3)),
  };

  it.each([0, 0.25, 0.75, 1])("of %s is found from the answers", (share) => {
    const asked = Array.from({ length: 400 }, (_, i) => (i < share * 400 ? at(90, 25) : at(64, 3)));
    expect(shareListed(trials, asked)).toBeCloseTo(share, 1);
  });

  it("is a half where nothing was asked, and hardly moved by one answer", () => {
    expect(shareListed(trials, [])).toBe(0.5);
    expect(shareListed(trials, [at(90, 25)])).toBeLessThan(0.7);
  });

  it("moves the limits: the more have an entry, the less likeness is enough", () => {
    const [few, many] = [limitsFor(trials, 0.3), limitsFor(trials, 0.99)];
    expect(many.least).toBeLessThanOrEqual(few.least);
    expect(many.found).toBeGreaterThanOrEqual(few.found);
  });
});

describe("what is nearest", () => {
  const reference = {
    ...listOf([]),
    columns: ["name", "accepted"],
    accepted: "accepted",
    entries: [
      ["Salix caprea", ""],
      ["Salix capraea", "Salix caprea"],
      ["Salix cinerea", ""],
      ["Betula nana", ""],
    ],
  };

  it("comes best first, a name and its synonym as one", () => {
    const near = prepareLookUp(scored(), reference).likeness!.nearest(["Salix caprae"], 3);
    expect(near.map((n) => n.entry)).toEqual([0, 2]);
    expect(near[0]!.score).toBeGreaterThan(near[1]!.score);
  });
});
