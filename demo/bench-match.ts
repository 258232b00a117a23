import { PairSearch } from "@/engine/match/pairs.ts";
import type { Db } from "@/store/db.ts";
import { COMPARATOR_IDS, comparatorPart } from "@/core/match/compare/index.ts";
import type { Pairs } from "@/core/match/match.ts";
import { probabilityOf, scoreOf } from "@/core/match/model/score.ts";
import type { MatchField } from "@/core/match/schema.ts";
import { measure, proposedFor, type Measured } from "./circumstances/measure.ts";
import { CIRCUMSTANCES, makeSet } from "./circumstances/sets.ts";
import { PERSON_FIELDS, miswritten, peopleFrom, peopleWithRepeats, type Person } from "./people.ts";
import { Random } from "./random.ts";
import { median } from "./median.ts";

type Say = (text: string) => void;

/** Beside the bundled bench. */
const THREAD = new URL("./pairs-thread.js", import.meta.url);
const seconds = (ms: number): string => `${(ms / 1000).toFixed(1)} s`;

const PEOPLE: MatchField[] = [
  { in: ["given"], by: "person" },
  { in: ["family"], by: "person" },
  { in: ["born"], by: "date" },
  { in: ["town"], by: "words", as: "place" },
  { in: ["phone"], by: "edit", as: "code" },
];
const NAME_AND_TOWN: MatchField[] = [
  { in: ["name"], by: "person" },
  { in: ["town"], by: "words", as: "place" },
];

/** Each comparator over 100,000 pairs of its own examples: so that a slow one shows. */
export function benchComparators(say: Say): void {
  const parts = COMPARATOR_IDS.map((id) => {
    const part = comparatorPart(id);
    const { options } = part.examples[0]!;
    const [prepare, compare] = [part.prepare(options), part.compare(options)];
    const pairs = part.examples
      .map((e) => [prepare(e.a), prepare(e.b)] as const)
      .filter(([a, b]) => a !== "" && b !== "");
    const times = [0, 1, 2].map(() => {
      const began = performance.now();
      for (let i = 0; i < 100_000; i++) {
        const [a, b] = pairs[i % pairs.length]!;
        compare(a, b);
      }
      return performance.now() - began;
    });
    return `${id} ${median(times).toFixed(0)}`;
  });
  say(`comparators over 100,000 pairs, ms: ${parts.join(", ")}`);
}

const lookedUp = (p: Person): string[] => [`${p.given} ${p.family}`.trim(), p.town];
const place = (p: Person): string => lookedUp(p).join("|");

/** Misspelled people looked up among known ones by name and town, beside the database's own trigram index. */
export async function benchLookUp(
  db: Db,
  knownCount: number,
  incomingCount: number,
  rounds: number,
  say: Say,
): Promise<void> {
  const random = new Random(99);
  const make = peopleFrom(5, knownCount);
  const known = Array.from({ length: knownCount }, make);
  const truth = Array.from({ length: incomingCount }, () => known[random.whole(0, knownCount - 1)]!);
  const incoming = truth.map((p) => miswritten(random, p, 2, ["given", "family", "town"]));
  const lookUp = async (thread: URL | null): Promise<{ ms: number; pairs: Pairs }> => {
    const began = performance.now();
    const search = new PairSearch(NAME_AND_TOWN, { among: false }, thread);
    for (const p of known) search.add(search.matcher.known, lookedUp(p));
    for (const p of incoming) search.add(search.matcher.incoming, lookedUp(p));
    await search.estimate();
    const pairs = await search.find({ leastScore: 0, best: 1 });
    await search.end();
    return { ms: performance.now() - began, pairs };
  };
  const times: number[] = [];
  const withTwo: number[] = [];
  let right = 0;
  for (let round = 0; round < rounds; round++) {
    const { ms, pairs } = await lookUp(null);
    times.push(ms);
    withTwo.push(ms / (await lookUp(THREAD)).ms);
    right = 0;
    for (let i = 0; i < pairs.count; i++) if (place(known[pairs.b[i]!]!) === place(truth[pairs.a[i]!]!)) right++;
  }
  const ours = median(times);
  // The database's share of them is enough to know its pace: each takes as long as the next.
  const asked = Math.min(1_000, incomingCount);
  await db.query("create extension if not exists pg_trgm");
  await db.query("drop table if exists bench_known; create table bench_known (n integer, words text)");
  await db.query("insert into bench_known select * from unnest($1::int[], $2::text[])", [
    known.map((_, i) => i),
    known.map((p) => lookedUp(p).join(" ")),
  ]);
  await db.query("create index on bench_known using gin (words gin_trgm_ops); analyze bench_known");
  const client = await db.connect();
  let found = 0;
  let took: number;
  try {
    await client.query("set pg_trgm.similarity_threshold = 0.45");
    const began = performance.now();
    for (let i = 0; i < asked; i++) {
      const { rows } = await client.query<{ n: number }>({
        name: "bench-look-up",
        text: "select n from bench_known where words % $1 order by similarity(words, $1) desc, n limit 1",
        values: [lookedUp(incoming[i]!).join(" ")],
      });
      if (rows[0] && place(known[rows[0].n]!) === place(truth[i]!)) found++;
    }
    took = ((performance.now() - began) * incomingCount) / asked;
  } finally {
    client.release();
    await db.query("drop table bench_known");
  }
  say(
    `look-up of ${incomingCount} in ${knownCount} by name and town, one thread: ${seconds(ours)}, recall@1 ${(right / incomingCount).toFixed(3)}; ` +
      `pg_trgm with GIN ${seconds(took)} (of ${asked}), recall@1 ${(found / asked).toFixed(3)}; ${(took / ours).toFixed(0)} times as fast (40 is the target); with two threads ${median(withTwo).toFixed(2)} times as fast again`,
  );
}

interface Found {
  ms: number;
  f1: number;
  precision: number;
  recall: number;
  samePrecision: number;
  said: number;
}

async function findRepeats(count: number, thread: URL | null): Promise<Found> {
  const { records, person } = peopleWithRepeats(7, count);
  const began = performance.now();
  const search = new PairSearch(PEOPLE, { among: true }, thread);
  for (const r of records)
    search.add(
      search.matcher.incoming,
      PERSON_FIELDS.map((f) => r[f]),
    );
  await search.estimate();
  const pairs = await search.find({ leastScore: 50 });
  await search.end();
  const ms = performance.now() - began;
  const size = new Map<number, number>();
  for (const p of person) size.set(p, (size.get(p) ?? 0) + 1);
  const truth = [...size.values()].reduce((n, c) => n + (c * (c - 1)) / 2, 0);
  let [right, same, sameRight, said] = [0, 0, 0, 0];
  for (let i = 0; i < pairs.count; i++) {
    const is = person[pairs.a[i]!] === person[pairs.b[i]!];
    if (is) right++;
    if (scoreOf(pairs.bits[i]!) < 80) continue;
    same++;
    said += probabilityOf(pairs.bits[i]!);
    if (is) sameRight++;
  }
  const [precision, recall] = [right / pairs.count, right / truth];
  return {
    ms,
    precision,
    recall,
    f1: (2 * precision * recall) / (precision + recall),
    samePrecision: sameRight / same,
    said: said / same,
  };
}

const share = (x: number | null): string => (x === null ? "-" : x.toFixed(3));

/** What is said of a match: the precision it claims, and how that is known. */
function saidOf({ precision, recall, basis }: Measured["says"]): string {
  return basis === null ? "does not know" : `${share(precision)} / ${share(recall)} (${basis})`;
}

/** Every circumstance by the match that is proposed for it, against the truth: what it found, and whether what it says of itself is so. */
export async function benchCircumstances(seeds: readonly number[], most: number, say: Say): Promise<void> {
  say("circumstance | same, wrong | precision / recall / F1 of same | recall with ask | asked per 1,000 | says | time");
  const count = { all: 0, low: 0, unlike: 0, sure: 0, within: 0 };
  for (const circumstance of CIRCUMSTANCES.filter((c) => c.size <= most)) {
    for (const seed of circumstance.size > 20_000 ? seeds.slice(0, 1) : seeds) {
      const set = makeSet(circumstance, seed);
      const proposed = await proposedFor(set);
      if (!proposed) continue;
      const m = await measure(set, proposed.section, proposed.compared, THREAD);
      const low = m.precision !== null && m.precision < 0.95;
      const unlike =
        m.precision !== null && m.says.precision !== null && Math.abs(m.precision - m.says.precision) > 0.01;
      count.all++;
      if (low && m.says.basis === "counted") count.low++;
      if (unlike && m.says.basis === "counted") count.unlike++;
      if (m.precision !== null && m.within) {
        count.sure++;
        if (m.precision >= m.within.low - 1e-9 && m.precision <= m.within.high + 1e-9) count.within++;
      }
      say(
        `${circumstance.name}, seed ${seed} | ${m.same}, ${m.wrong} | ${share(m.precision)} / ${share(m.recall)} / ${share(m.f1)} | ` +
          `${share(m.recallWithAsk)} | ${m.asked.toFixed(0)} | ${saidOf(m.says)}${m.says.doubts.length > 0 ? `, ${m.says.doubts.join(", ")}` : ""} | ` +
          `${seconds(m.ms)}${low ? " | under 0.95" : ""}${unlike ? " | said otherwise" : ""}`,
      );
    }
  }
  say(
    `of ${count.all} matches ${count.low} have a precision under 0.95 and ${count.unlike} one more than 0.01 off what is said, where it is said to be counted; of ${count.sure} that say between which shares it is with 95 % it is so for ${count.within}`,
  );
}

/** Duplicates among people of five fields, up to two errors a field and four a record, found without labels. */
export async function benchRepeats(counts: readonly number[], say: Say): Promise<void> {
  let before: { count: number; ms: number } | null = null;
  for (const count of counts) {
    const f = await findRepeats(count, null);
    // The largest once is enough.
    const two = count === counts.at(-1) ? null : (await findRepeats(count, THREAD)).ms;
    const power = before ? Math.log(f.ms / before.ms) / Math.log(count / before.count) : 0;
    say(
      `duplicates among ${count} records of five fields: ${seconds(f.ms)}${before ? `, growing as n^${power.toFixed(2)}` : ""}; ` +
        `F1 ${f.f1.toFixed(3)} (precision ${f.precision.toFixed(3)}, recall ${f.recall.toFixed(3)}); ` +
        `of the band same ${(f.samePrecision * 100).toFixed(2)} % are (said ${(f.said * 100).toFixed(2)} %); ` +
        (two === null ? "" : `with two threads ${(f.ms / two).toFixed(2)} times as fast; `) +
        `memory ${(process.memoryUsage().rss / 1e6).toFixed(0)} MB`,
    );
    before = { count, ms: f.ms };
  }
}
