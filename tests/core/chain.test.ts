import fc from "fast-check";
import { describe, expect, it } from "vitest";
import { chainsOf, whereStopped, type LastLoad } from "@/core/plan/chain.ts";

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

describe("where a chain has stopped", () => {
  const chain = ["first", "second", "third"];
  /** The second hands on only what came without held records. */
  const gives = (feed: string, outcome: string): string[] =>
    ({ first: ["second"], second: outcome === "loaded" ? ["third"] : [] })[feed] ?? [];
  const stop = (...loads: (readonly [number, string, boolean?, boolean?] | null)[]) => {
    const last = (feed: string): LastLoad | undefined => {
      const own = loads[chain.indexOf(feed)];
      return own
        ? { id: own[0], delivery: own[0] * 10, state: own[1], accepted: own[3] ?? true, held: own[2] ?? false }
        : undefined;
    };
    return whereStopped(chain, { gives, last });
  };

  it("is the first feed whose last load came to no good end", () => {
    expect(stop([1, "loaded"], [2, "stopped"], [0, "loaded"])).toEqual({
      ...{ feed: "second", load: 2, delivery: 20, state: "stopped", why: "ended" },
    });
    expect(stop([1, "failed"], [2, "stopped"], [3, "failed"])).toMatchObject({ feed: "first" });
    expect(stop([5, "cancelled"], [2, "loaded"], [3, "loaded"])).toMatchObject({ feed: "first", state: "cancelled" });
    // What a person has taken back is no stop.
    expect(stop([5, "undone"], [6, "dropped"], [3, "loaded"])).toBeNull();
  });

  it("is where what was accepted has not come to the next", () => {
    expect(stop([4, "loaded"], [2, "loaded"], [3, "loaded"])).toMatchObject({
      feed: "first",
      load: 4,
      why: "not handed on",
    });
    expect(stop([1, "loaded"], [2, "loaded"], null)).toMatchObject({ feed: "second", why: "not handed on" });
    expect(stop([1, "loaded"], [2, "loaded", true], null)).toBeNull();
    // Nothing was accepted that could be handed on.
    expect(stop([1, "loaded"], [2, "loaded", false, false], null)).toBeNull();
  });

  it("is nowhere where it went through, is under way, or has not begun", () => {
    expect(stop([1, "loaded"], [2, "loaded"], [3, "loaded"])).toBeNull();
    expect(stop([1, "failed"], [2, "running"], [3, "loaded"])).toBeNull();
    expect(stop([4, "queued"], [2, "loaded"], [3, "failed"])).toBeNull();
    expect(stop(null, null, null)).toBeNull();
  });
});
