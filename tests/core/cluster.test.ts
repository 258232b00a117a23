import fc from "fast-check";
import { describe, expect, it } from "vitest";
import { clusterRecords, type Link } from "@/core/match/cluster.ts";

/** Bits by pair, `otherwise` for all others. */
function bits(pairs: readonly (readonly [number, number, number])[], otherwise = -30) {
  const known = new Map(pairs.map(([a, b, n]) => [`${Math.min(a, b)} ${Math.max(a, b)}`, n]));
  const of = (a: number, b: number): number => known.get(`${Math.min(a, b)} ${Math.max(a, b)}`) ?? otherwise;
  const links = pairs.filter(([, , n]) => n >= 0).map(([a, b, n]): Link => ({ a, b, bits: n }));
  return { of, links };
}

const clusters = (records: number, own: ReturnType<typeof bits>, least = 5): number[] => [
  ...clusterRecords(records, own.links, own.of, least),
];

describe("clusters", () => {
  it("join where the mean of all pairs is at least the limit, and not just below it", () => {
    // The pair that joins them has 20; of the other, -10 comes to a mean of 5 with it.
    const of = (across: number) =>
      bits([
        [0, 1, 30],
        [1, 2, 20],
        [0, 2, across],
      ]);
    expect(clusters(3, of(-10))).toEqual([0, 0, 0]);
    expect(clusters(3, of(-11))).toEqual([0, 0, 2]);
    expect(clusters(3, of(-11), 4)).toEqual([0, 0, 0]);
  });

  it("are made from the strongest link on", () => {
    // 1 goes with 2 and not with 0, as 0 and 2 are strangers.
    expect(
      clusters(
        3,
        bits([
          [0, 1, 10],
          [1, 2, 12],
        ]),
      ),
    ).toEqual([0, 1, 1]);
    expect(
      clusters(
        3,
        bits([
          [0, 1, 12],
          [1, 2, 10],
        ]),
      ),
    ).toEqual([0, 0, 2]);
  });

  it("never hold two that must not be together, whatever speaks for it", () => {
    expect(
      clusters(
        3,
        bits([
          [0, 1, 40],
          [1, 2, 40],
          [0, 2, -Infinity],
        ]),
      ),
    ).toEqual([0, 0, 2]);
  });

  it("are not kept apart by one odd pair, nor held together by one that is very sure", () => {
    // One pair of nine speaks against it with -20 at most, however much less it has.
    const three = (x: number): [number, number, number][] => [
      [x, x + 1, 40],
      [x + 1, x + 2, 40],
      [x, x + 2, 40],
    ];
    const across = (odd: number) =>
      bits([
        ...three(0),
        ...three(3),
        ...[0, 1, 2].flatMap((a) =>
          [3, 4, 5].map((b): [number, number, number] => [a, b, a === 0 && b === 3 ? odd : 10]),
        ),
      ]);
    expect(clusters(6, across(-1000))).toEqual([0, 0, 0, 0, 0, 0]);
    // And for it with 40 at most: 0 and 3 are surer than any pair, which nobody has linked.
    const { of } = bits([
      [0, 1, 30],
      [2, 3, 30],
      [0, 3, 1000],
      [1, 2, 0],
      [0, 2, -20],
      [1, 3, -20],
    ]);
    const links: Link[] = [
      { a: 0, b: 1, bits: 30 },
      { a: 2, b: 3, bits: 30 },
      { a: 1, b: 2, bits: 0 },
    ];
    expect([...clusterRecords(4, links, of, 1)]).toEqual([0, 0, 2, 2]);
    expect([...clusterRecords(4, links, of, 0)]).toEqual([0, 0, 0, 0]);
  });

  it("of many records are looked at by twenty of each", () => {
    const n = 60;
    let asked = 0;
    const links = Array.from({ length: n - 1 }, (_, i): Link => ({ a: i, b: i + 1, bits: 20 }));
    const of = (): number => {
      asked++;
      return 20;
    };
    expect(new Set(clusterRecords(n, links, of, 5)).size).toBe(1);
    // Of each of the 59 joins at most twenty pairs, as one side is a single record.
    expect(asked).toBeLessThanOrEqual(59 * 20);
    expect(asked).toBeGreaterThan(39 * 20);
  });

  it("are named by their first record, and leave alone what nothing is linked with", () => {
    const link = fc.record({ a: fc.nat(11), b: fc.nat(11), bits: fc.integer({ min: 0, max: 40 }) });
    fc.assert(
      fc.property(fc.array(link, { maxLength: 20 }), (links) => {
        const own = links.filter((l) => l.a !== l.b);
        const first = clusterRecords(12, own, () => 40, 5);
        // Where all speaks for it, clusters are what is linked, if through others.
        const linked = Array.from({ length: 12 }, (_, r) => r);
        for (let again = true; again;) {
          again = false;
          for (const { a, b } of own) {
            const least = Math.min(linked[a]!, linked[b]!);
            if (linked[a] !== least || linked[b] !== least) again = true;
            linked[a] = linked[b] = least;
          }
        }
        expect([...first]).toEqual(linked);
      }),
    );
  });
});
