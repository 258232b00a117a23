import { describe, expect, it } from "vitest";
import type { MatchSection } from "@/core/match/schema.ts";
import { CIRCUMSTANCES, makeSet, type Circumstance } from "../../demo/circumstances/sets.ts";
import { measure, proposedFor, type Measured } from "../../demo/circumstances/measure.ts";

/** Seeds that no constant was looked at with. */
const SEED = 60_131;

async function tried(
  name: string,
  change: Partial<Circumstance> = {},
  section: Partial<MatchSection> = {},
  seed = SEED,
): Promise<Measured> {
  const circumstance = { ...CIRCUMSTANCES.find((c) => c.name === name)!, ...change };
  const set = makeSet(circumstance, seed);
  const proposed = (await proposedFor(set))!;
  return measure(set, { ...proposed.section, ...section }, proposed.compared, null);
}

/** CIRCUMSTANCES=all has all of those that the bench prints alike; else some of each kind. */
const few = <T>(some: readonly T[], more: readonly T[]): readonly T[] =>
  process.env["CIRCUMSTANCES"] === "all" ? [...some, ...more] : some;

describe("two files by the match that is proposed", () => {
  it.each(few(["people in Cyrillic letters"], ["people, noise", "people, columns turned", "people, three copied"]))(
    "%s: joined rightly, and known how rightly",
    async (name) => {
      const m = await tried(name, { size: 600 });
      expect(m.precision).toBeGreaterThan(0.985);
      expect(m.f1).toBeGreaterThan(0.93);
      expect(m.says.basis).toBe("counted");
      expect(Math.abs(m.says.precision! - m.precision!)).toBeLessThan(0.012);
      expect(m.asked).toBeLessThan(80);
    },
  );

  it.each(few(["people, none the same"], ["organisations, none the same"]))(
    "%s: joins nothing, asks hardly anything, and says why",
    async (name) => {
      const m = await tried(name, { size: 1_000 });
      expect(m.same).toBeLessThanOrEqual(1);
      expect(m.asked).toBeLessThan(20);
      expect(m.says).toMatchObject({ precision: null, basis: null });
      expect(["nothing-same", "not-parted"]).toContain(m.says.doubts.at(-1));
    },
  );

  it("asks where little is the same and no limit would do", async () => {
    const m = await tried("people, 1 % the same", { size: 1_200 });
    expect(m.wrong).toBeLessThanOrEqual(1);
    expect(m.recallWithAsk).toBeGreaterThan(0.6);
    expect(m.asked).toBeLessThan(60);
  });

  it("joins nothing by fields that can't tell, but ranks", async () => {
    const m = await tried("people, name and town", { size: 600 });
    expect(m.precision ?? 1).toBeGreaterThan(0.9);
    expect(m.recallWithAsk).toBeGreaterThan(0.6);
  });

  it("holds strictly to a precision that is set", async () => {
    const loose = await tried("people, hard", { size: 600 });
    const strict = await tried("people, hard", { size: 600 }, { limits: { precision: 0.999 } });
    expect(strict.same).toBeLessThan(loose.same);
    expect(strict.precision ?? 1).toBeGreaterThanOrEqual(loose.precision!);
    expect(strict.says.precision ?? 1).toBeGreaterThan(0.997);
  });

  it("sees that both have repeats of their own, and says that nothing can be counted then", async () => {
    const m = await tried("people, both files have repeats", { size: 1_200, repeats: 0.3 });
    expect(m.says.doubts).toEqual(expect.arrayContaining(["repeats-inside", "one-file"]));
    expect(m.says.basis).toBe("model");
    expect(m.f1).toBeGreaterThan(0.9);
  });

  it("says that a handful of records tell nothing", async () => {
    const m = await tried("people", { size: 12 });
    expect(m.same).toBe(0);
    expect(m.says.doubts).toContain("few-records");
    expect(m.limits.same).toBeNull();
  });
});

describe("one file by the match that is proposed", () => {
  it("joins what is the same, by the model's own word", async () => {
    const m = await tried("people in one file", { size: 1_200 });
    expect(m.precision).toBeGreaterThan(0.97);
    expect(m.recallWithAsk).toBeGreaterThan(0.85);
    expect(m.says).toMatchObject({ basis: "model", doubts: ["one-file"] });
  });

  it.each(few(["people in one file, 2 % the same"], ["people in one file, none the same"]))(
    "%s: sees that its same pairs are none to be believed",
    async (name) => {
      const m = await tried(name, { size: 900 });
      expect(m.same).toBe(0);
      expect(m.says.doubts).toContain("not-told-apart");
      expect(m.asked).toBeLessThan(60);
    },
  );
});

describe("kinds of things by another hand", () => {
  it.each(
    few(
      [["registry", 700, 0.97]],
      [
        ["songs", 300, 0.85],
        ["payments", 600, 0.9],
        ["residents", 700, 0.97],
      ],
    ),
  )("%s, half the same in two files: joined rightly, and known how rightly", async (name, size, least) => {
    const m = await tried(name, { size });
    expect(m.precision).toBeGreaterThan(0.985);
    expect(m.f1).toBeGreaterThan(least);
    expect(m.says.basis).toBe("counted");
    expect(Math.abs(m.says.precision! - m.precision!)).toBeLessThan(0.015);
  });

  it.each(
    few(
      [
        ["devices, 5 % the same", 800],
        ["books, 5 % the same", 800],
      ],
      [["songs, 5 % the same", 600]],
    ),
  )("%s: what belongs together is not joined for want of better", async (name, size) => {
    const m = await tried(name, { size });
    expect(m.precision ?? 1).toBeGreaterThan(0.95);
  });

  it.each(["registry", "patients", "vehicles"])("%s in one file: joined rightly", async (name) => {
    const m = await tried(`${name} in one file`, { size: 900 });
    expect(m.precision).toBeGreaterThan(0.98);
    expect(m.f1).toBeGreaterThan(0.95);
  });

  it.each(few(["restaurants", "payments"], ["publications", "citizens"]))(
    "%s in one file: joined rightly or asked about, whatever the size",
    async (name) => {
      for (const size of [400, 800]) {
        const m = await tried(`${name} in one file`, { size });
        expect(m.precision ?? 1).toBeGreaterThan(0.95);
      }
    },
  );

  it.each(few(["citizens"], ["songs", "hotels", "books", "registry"]))(
    "%s in one file, none the same: hardly anything joined",
    async (name) => {
      const m = await tried(`${name} in one file, none the same`, { size: 900 });
      expect(m.same).toBeLessThanOrEqual(1);
      expect(m.asked).toBeLessThan(60);
    },
  );

  it("asks about the few of one file that may be alike by chance", async () => {
    const m = await tried("residents in one file, none the same", { size: 8_000 }, {}, 13);
    expect(m.same).toBe(0);
    expect(m.asked).toBeLessThan(20);
    expect(m.says.doubts).toContain("hardly-any");
  });

  it("says in which fields what is most alike differs", async () => {
    const m = await tried("songs in one file", { size: 800 });
    expect(m.same).toBe(0);
    expect(m.says.doubts).toContain("not-told-apart");
    expect(m.says.differing.length).toBeGreaterThan(0);
  });
});

describe("things that come about in groups, of which a short value tells one from the next", () => {
  it.each(
    few(
      [
        ["stations", 700],
        ["flats", 700],
      ],
      [
        ["litters", 900],
        ["projects", 700],
        ["invoices", 900],
      ],
    ),
  )("%s, none the same: hardly anything is joined, between two files or in one", async (name, size) => {
    const two = await tried(`${name}, none the same`, { size });
    expect(two.same).toBeLessThanOrEqual(1);
    expect(two.says.precision).toBeNull();
    const one = await tried(`${name} in one file, none the same`, { size });
    expect(one.same).toBeLessThanOrEqual(1);
    expect(one.asked).toBeLessThan(80);
  });

  it.each(few(["stations"], ["invoices", "projects", "accessions"]))(
    "%s, half the same in two files: joined rightly, and known how rightly",
    async (name) => {
      const m = await tried(name, { size: 700 });
      expect(m.precision).toBeGreaterThan(0.985);
      expect(m.f1).toBeGreaterThan(0.9);
      expect(m.says.basis).toBe("counted");
      expect(m.says.precision).toBeGreaterThan(0.98);
    },
  );

  it.each(few(["events, the others of next year"], ["events, all of next year"]))(
    "%s: what comes after the other is not joined for want of it",
    async (name) => {
      const m = await tried(name, { size: 800 });
      expect(m.same).toBe(0);
      expect(m.says.doubts).toContain("not-told-apart");
      expect(m.says.differing.length).toBeGreaterThan(0);
      const alone = await tried("events", { size: 800 });
      expect(alone.precision).toBeGreaterThan(0.985);
      expect(alone.f1).toBeGreaterThan(0.95);
    },
  );

  it("asks about the likeliest of one file, and says what they are next to each other in", async () => {
    const m = await tried("litters in one file", { size: 900 });
    expect(m.same).toBe(0);
    expect(m.says.doubts).toContain("not-told-apart");
    expect(m.says.differing.length).toBeGreaterThan(0);
    expect(m.asked).toBeGreaterThan(5);
    expect(m.asked).toBeLessThan(60);
    expect(m.recallWithAsk).toBeGreaterThan(0.04);
  });
});
