import fc from "fast-check";
import { describe, expect, it } from "vitest";
import { chainsOf } from "@/core/plan/chain.ts";

describe("chains of feeds", () => {
  it("go from first to last, one that gets after all that give to it", () => {
    const feeds = [
      { name: "z", gives: ["m", "a"] },
      { name: "m", gives: ["a"] },
      { name: "a", gives: [] },
      { name: "alone", gives: [] },
      { name: "x", gives: ["y", "nobody"] },
      { name: "y", gives: [] },
    ];
    expect(chainsOf(feeds)).toEqual([
      ["z", "m", "a"],
      ["x", "y"],
    ]);
    expect(chainsOf([{ name: "one", gives: ["nobody"] }])).toEqual([]);
  });

  it("have those that go round in a circle once each", () => {
    const feeds = [
      { name: "a", gives: ["b"] },
      { name: "b", gives: ["a", "c"] },
      { name: "c", gives: [] },
    ];
    expect(chainsOf(feeds)).toEqual([["a", "b", "c"]]);
  });

  it("have each feed once, after those that give to it, whatever is given where", () => {
    const names = ["a", "b", "c", "d", "e", "f"];
    // To those further on alone, so that there is no circle.
    const feeds = fc
      .array(fc.array(fc.nat(5)), { minLength: 6, maxLength: 6 })
      .map((to) => names.map((name, i) => ({ name, gives: to[i]!.filter((k) => k > i).map((k) => names[k]!) })));
    fc.assert(
      fc.property(feeds, (given) => {
        const chains = chainsOf([...given].reverse());
        const all = chains.flat();
        expect(new Set(all).size).toBe(all.length);
        for (const { name, gives } of given) {
          for (const to of gives) {
            const chain = chains.find((c) => c.includes(name))!;
            expect(chain.indexOf(to)).toBeGreaterThan(chain.indexOf(name));
          }
        }
      }),
    );
  });
});
