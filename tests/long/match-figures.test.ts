import { describe, expect, it } from "vitest";
import { limitsOf } from "@/core/match/limits.ts";
import { Matcher, type Looking } from "@/core/match/match.ts";
import type { Choice } from "@/core/match/model/choose.ts";
import type { KindField } from "@/core/match/model/density.ts";
import { bitsOf, scoreOf } from "@/core/match/model/score.ts";
import { resolvePairs } from "@/core/match/resolve.ts";
import type { MatchField } from "@/core/match/schema.ts";
import { CIRCUMSTANCES, makeSet, type Circumstance } from "../../demo/circumstances/sets.ts";

/**
 * What is estimated from small files, and which pairs are found, to the last figure. These are not held against
 * the truth here, which other tests do; they are held against what they were, so that nobody changes by how much
 * anything speaks for a pair without seeing it. Who means to change it records them anew (`vitest -u`).
 */

const PEOPLE: MatchField[] = [
  { in: ["given_name"], by: "person" },
  { in: ["surname"], by: "person" },
  { in: ["birth_date"], by: "date" },
  { in: ["street"], by: "words", as: "place" },
  { in: ["town"], by: "words", as: "place" },
  { in: ["postcode"], by: "edit", as: "code" },
  { in: ["phone"], by: "edit", as: "code" },
];

const four = (x: number): string => (Number.isFinite(x) ? String(Number(x.toPrecision(4))) : String(x));
const list = (numbers: readonly number[]): string => numbers.map(four).join(" ");
const fieldLine = ({ shares, weights, common }: KindField): string =>
  `${list(shares)} | ${list(weights)} | ${list(common)}`;

function choiceLines({ fit, curve, rivals, answered, ...choice }: Choice): string[] {
  return [
    `limits ${choice.same === null ? "none" : four(choice.same)} ${four(choice.ask)}, by ${choice.basis}, doubts ${choice.doubts.join(" ")}`,
    `says ${choice.precision === null ? "nothing" : four(choice.precision)} ${choice.recall === null ? "nothing" : four(choice.recall)}, answered ${answered.right} of ${answered.all}, differing ${choice.differing.join(" ")}`,
    `rivals ${rivals.byA} ${rivals.byB}, gain ${four(fit.gain)}, curve ${curve.length}: ${curve
      .slice(0, 6)
      .map(
        (c) => `${four(c.bits)} ${four(c.wrong)}${c.within ? ` in ${four(c.within.low)} ${four(c.within.high)}` : ""}`,
      )
      .join(", ")}`,
    `from ${fit.start.kinds.join(" ")}`,
    ...fit.kinds.flatMap(({ name, prior, fields }) => [
      `${name} ${list(prior)}`,
      ...fields.map((f) => `  ${fieldLine(f)}`),
    ]),
    "rest",
    ...fit.rest.fields.map((f) => `  ${fieldLine(f)}`),
    ...fit.rest.edges.map(
      ({ field, parent, by }) => `  ${field} on ${parent}: ${by.map(({ weights }) => list(weights)).join(" / ")}`,
    ),
  ];
}

interface Tried {
  readonly name: string;
  readonly change?: Partial<Circumstance>;
  readonly fields?: readonly MatchField[];
  readonly looking?: Looking;
  /** So many of the first pairs are decided, as they are in truth. */
  readonly decided?: number;
}

function figures({ name, change, fields = PEOPLE, looking = {}, decided = 0 }: Tried): string {
  const set = makeSet({ ...CIRCUMSTANCES.find((c) => c.name === name)!, size: 100, ...change }, 4_711);
  const columns = fields.map((f) => f.in.map((n) => set.columns.indexOf(n)));
  const cells = (row: readonly string[]): string[] =>
    columns.map((list) =>
      list
        .map((c) => row[c]!)
        .join(" ")
        .trim(),
    );
  const matcher = new Matcher(fields, { among: set.b === null });
  for (const row of set.a.rows) matcher.incoming.add(cells(row));
  for (const row of set.b?.rows ?? []) matcher.known.add(cells(row));
  matcher.prepare();
  const other = set.b ?? set.a;
  const labels = Array.from({ length: decided }, (_, i) => {
    const b = i % 2 === 0 ? other.thing.findIndex((t, n) => t === set.a.thing[i] && (set.b !== null || n !== i)) : -1;
    const of = b < 0 ? other.rows[(i * 37 + 11) % other.rows.length]! : other.rows[b]!;
    return { a: cells(set.a.rows[i]!), b: cells(of), same: b >= 0 };
  });
  const { choice, summary } = matcher.estimate({ ...looking, labels });
  const pairs = matcher.pairs();
  // What is passed over before all its fields are compared would have scored less.
  for (const leastScore of [40, 75]) {
    const least = bitsOf(leastScore);
    const some = matcher.pairs({ leastScore });
    const wanted = Array.from(pairs.bits.subarray(0, pairs.count)).filter((bits) => bits >= least);
    expect(Array.from(some.bits.subarray(0, some.count))).toEqual(wanted);
  }
  matcher.weighRivals(pairs);
  const limits = limitsOf({}, choice);
  const found = resolvePairs(matcher, pairs, limits);
  const bands = [0, 1, 2].map((band) => found.bands.filter((b) => b === band).length);
  const lines = Array.from({ length: Math.min(12, pairs.count) }, (_, k) => {
    const i = Math.floor((k * pairs.count) / 12);
    const { levels, shares } = matcher.explain(pairs.a[i]!, pairs.b[i]!);
    return `  ${pairs.a[i]} ${pairs.b[i]} ${four(scoreOf(pairs.bits[i]!))}: ${levels.join(" ")}; ${list(shares)}`;
  });
  const best = matcher.pairs({ best: 1, from: 10, to: 60 });
  return [
    ...choiceLines(choice),
    `summary ${four(summary.prior)}, kinds ${(summary.kinds ?? []).map((k) => k.kind).join(" ")}, hangs ${JSON.stringify(summary.hangs ?? [])}, silent ${JSON.stringify(summary.silent ?? [])}`,
    `pairs ${pairs.count}, bands ${bands.join(" ")}, best ${best.count}: ${[...best.b.subarray(0, Math.min(20, best.count))].join(" ")}`,
    ...lines,
    "",
  ].join("\n");
}

describe("what is estimated from a few records, and what is found by it", () => {
  it.each<[string, Tried]>([
    ["two-files", { name: "people" }],
    ["two-files-answered", { name: "people, hard", decided: 40 }],
    ["two-files-with-repeats", { name: "people, both files have repeats", change: { repeats: 0.4 } }],
    ["two-files-strict", { name: "people, hard", looking: { wanted: { precision: 0.999 } } }],
    ["nothing-the-same", { name: "people, none the same" }],
    ["few-fields", { name: "people", fields: PEOPLE.slice(0, 3) }],
    ["one-file", { name: "people in one file" }],
    ["one-file-answered", { name: "people in one file", change: { size: 150 }, decided: 60 }],
    ["one-file-few-fields", { name: "people in one file", fields: PEOPLE.slice(0, 2) }],
    ["one-file-arriving", { name: "people in one file", looking: { start: 60 } }],
    ["asked-alone", { name: "people, 1 % the same", change: { size: 200, same: 0.05, errors: [3, 4] } }],
    ["few-records", { name: "people", change: { size: 15 } }],
  ])("%s", async (file, tried) => {
    await expect(figures(tried)).toMatchFileSnapshot(`figures/${file}.txt`);
  });
});
