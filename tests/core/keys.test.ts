import { describe, expect, it } from "vitest";
import { MemorySpill } from "@/core/check/repeats.ts";
import { findKeys } from "@/core/profile/keys.ts";
import { ProfileFold } from "@/core/profile/profile.ts";
import { propose } from "@/core/profile/propose.ts";
import { openFile } from "@/core/read/source.ts";
import { memoryFile } from "../support/formats.ts";
import { noSpool } from "../support/sift.ts";

/** A small generator of numbers that look random, so that a test fails the same way each time. */
function random(seed: number): () => number {
  let s = seed >>> 0;
  return () => {
    s = (Math.imul(s, 1664525) + 1013904223) >>> 0;
    return s / 2 ** 32;
  };
}

const column = (name: string, values: readonly (number | string)[]) => ({
  name,
  hashes: Int32Array.from(values, (v) => {
    let h = 17;
    for (const c of `${name} ${v}`) h = Math.imul(h ^ c.charCodeAt(0), 0x5bd1e995) ^ (h >>> 13);
    return v === "" ? 0 : h || 1;
  }),
});

async function proposalFor(text: string) {
  const fold = new ProfileFold(new MemorySpill(), 1000);
  for await (const opened of openFile(memoryFile("a.csv", text), {}, noSpool)) {
    for await (const block of opened.blocks) fold.add(block, opened.columns());
  }
  return propose(fold.finish(), { feed: "orders", read: { as: "delimited" } as never });
}

describe("a key of several columns", () => {
  it("is found where orders have lines, with what speaks for it", () => {
    const orders = Array.from({ length: 3000 }, (_, i) => 1000 + Math.floor(i / 5));
    const lines = orders.map((_, i) => (i % 5) + 1);
    const found = findKeys(
      [
        column("order", orders),
        column("line", lines),
        column(
          "town",
          lines.map((l) => l % 3),
        ),
      ],
      3000,
    );
    expect(found.map((k) => k.columns)).toEqual([["order", "line"]]);
    expect(found[0]).toMatchObject({ records: 3000, repeats: 0, empty: 0, byChance: 1500 });
  });

  it("of three columns is looked for where two do not do; slips are told of, and many are none", () => {
    const rows = Array.from(
      { length: 4000 },
      (_, i) => [i % 10, Math.floor(i / 10) % 20, Math.floor(i / 200)] as const,
    );
    const of = (at: 0 | 1 | 2, spoil = 0) =>
      column(
        "abc"[at]!,
        rows.map((r, i) => (i < spoil ? rows[i + 1]![at] : r[at])),
      );
    expect(findKeys([of(0), of(1), of(2)], 4000).map((k) => k.columns)).toEqual([["a", "b", "c"]]);
    const [slips] = findKeys([of(0, 30), of(1, 30), of(2, 30)], 4000);
    expect(slips).toMatchObject({ repeats: 1 });
    const twice = [...rows, ...rows.slice(0, 200)];
    const doubled = ([0, 1, 2] as const).map((at) =>
      column(
        "abc"[at]!,
        twice.map((r) => r[at]),
      ),
    );
    expect(findKeys(doubled, 4200)).toEqual([]);
  });

  it("is not made of chance: columns of many different values, dependent ones, and no signal at all", () => {
    for (let seed = 1; seed <= 20; seed++) {
      const r = random(seed);
      const n = [60, 400, 3000][seed % 3]!;
      const many = Array.from({ length: n }, () => Math.floor(r() * n));
      const more = Array.from({ length: n }, () => Math.floor(r() * n));
      const few = Array.from({ length: n }, () => Math.floor(r() * 6));
      const codes = many.map((m) => `c${m % 50}`);
      const found = findKeys(
        [column("many", many), column("more", more), column("few", few), column("codes", codes)],
        n,
      );
      // Two independent columns of as many values as records agree hardly ever, which says nothing.
      expect(found, `seed ${seed}`).toEqual([]);
    }
  });

  it("is proposed with its evidence, and taken out with its line", async () => {
    const lines = Array.from(
      { length: 400 },
      (_, i) => `B${100 + Math.floor(i / 8)},${(i % 8) + 1},${(i * 37) % 9},0.${i % 90}`,
    );
    const { plan, reasons } = await proposalFor(`batch,jar,kind,weight\n${lines.join("\n")}\n`);
    expect(plan.load.key).toEqual(["batch", "jar"]);
    const why = reasons.filter((r) => r.part === "key");
    expect(why.map((r) => r.field)).toEqual(["batch", "jar"]);
    expect(why[0]!.why).toMatch(/^no two of 400 records have the same batch, jar; by chance \d+ pairs would be alike$/);
    const single = await proposalFor(`no,batch\n${lines.map((l, i) => `${i},${l.split(",")[0]}`).join("\n")}\n`);
    expect(single.plan.load.key).toEqual(["no"]);
  });
});
