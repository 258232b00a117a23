import { describe, expect, it } from "vitest";
import type { ColumnProfile } from "@/core/profile/facts.ts";
import { modelOf } from "../support/profile-model.ts";
import { profileOf } from "../support/profile.ts";
import { random } from "../support/random.ts";

const TODAY = "2026-11-28";

type Draw = (below: number) => number;

const pick = <T>(draw: Draw, of: readonly T[]): T => of[draw(of.length)]!;
const padded = (n: number, width: number): string => String(n).padStart(width, "0");

const WORDS = ["ash", "Ash", "ASH", "wild rye", "wild  rye", "Wild Rye", "oat", "sedge 2", "b-12", "B-12", "x_y"];
const YEARS = [1, 1753, 1899, 1900, 1970, 2024, 2025, 2026, 2027, 2038, 9999];

/** Hands that write a value each, in the ways in which people do and in some in which they should not. */
const HANDS: Readonly<Record<string, (draw: Draw) => string>> = {
  words: (draw) => pick(draw, WORDS),
  "whole numbers": (draw) => `${pick(draw, ["", "", "-", "+"])}${draw(2000) - (draw(50) === 0 ? -90_000 : 0)}`,
  decimals: (draw) =>
    `${pick(draw, ["", "-"])}${pick(draw, ["", "0", "00", "7", "12", "345", "1234"])}${pick(draw, [".", ",", ""])}${draw(10 ** draw(4))}`,
  codes: (draw) => padded(draw(300), 1 + draw(5)),
  "day first": (draw) => `${padded(draw(33), 2)}.${padded(draw(14), 2)}.${padded(pick(draw, YEARS), 4)}`,
  "either first": (draw) => `${draw(33)}/${draw(33)}/${padded(pick(draw, YEARS), 4)}`,
  "year first": (draw) => `${padded(pick(draw, YEARS), 4)}-${padded(draw(14), 2)}-${padded(draw(33), 2)}`,
  "other marks": (draw) => [draw(33), draw(14), padded(pick(draw, YEARS), 4)].join(pick(draw, ["-", " ", "."])),
  anything: (draw) =>
    pick(draw, ["1.2.3", "--4", "5.", ".5", ".123", ",123", "1,234", "0.500", "31.12.20", "2024-1-1x", "a1"]),
};

function column(seed: number, of: readonly string[], records: number): string[] {
  const next = random(seed, 20);
  const draw: Draw = (below) => Math.floor(next() * below);
  return Array.from({ length: records }, () => {
    const rare = draw(40);
    if (rare === 0) return "";
    if (rare === 1) return pick(draw, [" ", "   "]);
    if (rare === 2) return pick(draw, ["n/a", "N/A", "NULL", "unknown", "-", " none", "?"]);
    const value = HANDS[pick(draw, of)]!(draw);
    return rare === 3 ? ` ${value}` : rare === 4 ? `${value} ` : value;
  });
}

/** What is compared, in the form in which the model gives it. */
function shown(c: ColumnProfile): Record<string, unknown> {
  const { numbers } = c;
  return {
    filled: c.filled,
    empty: c.empty,
    blank: c.blank,
    nothing: new Map(c.nothing.map((w) => [w.value, w.count])),
    distinct: c.distinct,
    repeats: c.repeats,
    length: c.length,
    least: c.least,
    most: c.most,
    loose: c.loose,
    doubled: c.doubled,
    casing: c.casing,
    caseTwins: c.caseTwins,
    future: c.future,
    defaultDates: new Map(c.defaultDates!.map((d) => [d.value, d.count])),
    dateOrders: c.dateOrders,
    types: new Map(c.types.filter((t) => /^(integer|decimal|date )/.test(t.type)).map((t) => [t.type, t.fits])),
    numbers: numbers && {
      ...numbers,
      low: numbers.extremes.low.map((x) => x.value),
      high: numbers.extremes.high.map((x) => x.value),
    },
  };
}

function compare(c: ColumnProfile, values: readonly string[]): void {
  const { common, numbers, length, ...model } = modelOf(values, TODAY);
  const is = shown(c);
  expect(is).toMatchObject(model);
  expect((is["length"] as { mean: number }).mean).toBeCloseTo((length as { mean: number }).mean, 9);
  expect(is["length"]).toMatchObject({ ...(length as object), mean: expect.any(Number) as number });
  // The commonest come with their counts, and where counts are alike in the order in which they came.
  const counts = [...(common as Map<string, number>)].sort((a, b) => b[1] - a[1]);
  expect(c.common.map((v) => [v.value, v.count])).toEqual(counts.slice(0, 60));
  expect([...c.common, ...c.rare].map((v) => values.indexOf(v.value))).toEqual(
    [...c.common, ...c.rare].map((v) => v.first),
  );
  expect(c.nothing.map((w) => values.findIndex((x) => x.trim() === w.value))).toEqual(c.nothing.map((w) => w.first));
  if (!numbers) return expect(is["numbers"]).toBeNull();
  const { mean, spread, ...exact } = numbers as { mean: number; spread: number };
  const found = is["numbers"] as { mean: number; spread: number };
  expect(found).toMatchObject(exact);
  expect(found.mean).toBeCloseTo(mean, 6);
  expect(found.spread / (spread || 1)).toBeCloseTo(spread === 0 ? 0 : 1, 9);
}

describe("a profile says what a count of each figure by itself says", () => {
  const hands = Object.keys(HANDS);
  for (const [i, hand] of hands.entries()) {
    it(`of ${hand}, alone and beside another hand`, async () => {
      for (let seed = 1; seed <= 4; seed++) {
        const columns = {
          alone: column(seed * 100 + i, [hand], 400),
          beside: column(seed * 1000 + i, [hand, hands[(i + seed) % hands.length]!], 400),
        };
        const profile = await profileOf(columns, TODAY);
        for (const [c, values] of Object.values(columns).entries()) compare(profile.columns[c]!, values);
      }
    });
  }
});
