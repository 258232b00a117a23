import { compilePlan } from "@/core/course/compile.ts";
import { grouped } from "@/core/kernel/problem.ts";
import { suggestMends } from "@/core/mend/suggest.ts";
import { mendedValues } from "@/core/mend/values.ts";
import { knownFromTarget } from "@/engine/look/known.ts";
import { releaseAll } from "@/engine/release/release-all.ts";
import type { Db } from "@/store/db.ts";
import { planInForce } from "@/store/feeds.ts";
import { countHeld, heldAges, heldGroups, listHeld } from "@/store/held.ts";
import { mendsMade } from "@/store/mends.ts";
import { median } from "./median.ts";
import { Random } from "./random.ts";
import { COUNTRIES, SITES, TAXA } from "./words.ts";

/** Records that a page of the quarantine shows first. */
const PAGE = 500;
const LOADS = 5;

/** Faulty lines: three in five have a weight that is no number, the others a land or a day that is none. */
function faultyLines(columns: readonly string[], first: number, count: number): string {
  const random = new Random(first + 7);
  const lines = [columns.join(",")];
  for (let i = 0; i < count; i++) {
    const fault = (first + i) % 5;
    const cells: Record<string, string> = {
      accession: `BHG-2026-${String(first + i).padStart(7, "0")}`,
      partner: "BHG",
      scientific_name: random.pick(TAXA),
      collected_on: fault === 4 ? "early spring" : `2026-03-${String(1 + (i % 28)).padStart(2, "0")}`,
      site: random.pick(SITES).replaceAll(",", ""),
      country: fault === 3 ? "ZZ" : random.pick(COUNTRIES),
      quantity_g: fault < 3 ? `ca. ${(1 + random.next() * 80).toFixed(2)}` : "1.5",
    };
    lines.push(columns.map((c) => cells[c] ?? "").join(","));
  }
  return `${lines.join("\n")}\n`;
}

interface Held {
  readonly feed: string;
  readonly columns: readonly string[];
  /** Loads the text of a file. */
  readonly load: (text: string) => Promise<void>;
  /** Tidies the held records' table up. */
  readonly vacuum: () => Promise<void>;
}

/** The quarantine with many held records: the queries of its page, one by one and all together, and a mend of very many in one go. */
export async function benchQuarantine(
  db: Db,
  count: number,
  rounds: number,
  { feed, columns, load: put, vacuum }: Held,
  say: (text: string) => void,
): Promise<void> {
  for (let n = 0; n < LOADS; n++) await put(faultyLines(columns, (n * count) / LOADS, count / LOADS));
  // As the database does by itself, some time after much has come.
  await vacuum();
  const filter = {};
  const held = await countHeld(db, filter);
  const times = new Map<string, number[]>();
  const timed = async <T>(name: string, work: () => Promise<T> | T): Promise<T> => {
    const began = performance.now();
    const result = await work();
    times.set(name, [...(times.get(name) ?? []), performance.now() - began]);
    return result;
  };
  const mend = { how: "formula", field: "quantity_g", by: 'it.replace("ca. ", "")' } as const;
  for (let i = 0; i < rounds; i++) {
    const { document: plan } = await planInForce(db, feed);
    await timed("all that the page asks", async () => {
      const [groups] = await Promise.all([
        timed("causes", () => heldGroups(db, filter)),
        timed("overtaken", () => countHeld(db, { state: "overtaken" })),
        timed("ages", () => heldAges(db, filter)),
      ]);
      const { check } = groups[0]!;
      const records = await timed("first records", () => listHeld(db, { feed, check }, "", PAGE));
      const made = await timed("mends made", () => mendsMade(db, feed));
      const known = await timed("what the target says", () => knownFromTarget(db, plan, check, records));
      const compiled = compilePlan(plan);
      await timed("suggestions", () =>
        suggestMends(
          compiled,
          check,
          records.map((h) => ({
            id: `${h.load}:${h.record}`,
            load: h.load,
            values: mendedValues(h, {}, compiled),
            problems: h.problems,
          })),
          { most: records.length, made, known },
        ),
      );
    });
    await timed("causes by gain", () => heldGroups(db, filter, "gain"));
    const { rows } = await db.query<{ load: number }>("select min(load) as load from sieve.held where feed = $1", [
      feed,
    ]);
    const cause = { feed, check: "quantity_g:type", load: rows[0]!.load };
    const seen = await timed("preview", () => releaseAll(db, cause, { mend, by: "bench", preview: true }));
    if (i === 0)
      say(`  preview of a mend by a formula: ${grouped(seen.records)} records, ${grouped(seen.released)} would pass`);
  }
  // In earnest, load by load.
  const { rows: loads } = await db.query<{ load: number }>(
    "select distinct load from sieve.held where feed = $1 order by load limit 2",
    [feed],
  );
  for (const { load } of loads) {
    const began = performance.now();
    const done = await releaseAll(db, { feed, check: "quantity_g:type", load }, { mend, by: "bench", preview: false });
    say(
      `  mended and released in one go: ${grouped(done.released)} of ${grouped(done.records)} records, ${((performance.now() - began) / 1000).toFixed(1)} s`,
    );
  }
  say(`quarantine with ${grouped(held)} held records; medians of ${rounds}`);
  for (const [name, own] of times) say(`  ${name}: ${grouped(Math.round(median(own)))} ms`);
}
