import { grouped } from "@/core/kernel/problem.ts";
import { findValue } from "@/engine/look/find-value.ts";
import type { Db } from "@/store/db.ts";
import { median } from "./median.ts";

/**
 * A record found among very many: by its key, by a text that a row has somewhere, and one that is nowhere. The rows are put
 * beside those that a load has written, as a load of so many would take longer than all else here.
 */
export async function benchFind(
  db: Db,
  { target, count, rounds }: { target: string; count: number; rounds: number },
  say: (text: string) => void,
): Promise<void> {
  const { rows } = await db.query<{ name: string }>(
    "select attname as name from pg_attribute where attrelid = $1::regclass and attnum > 0 and not attisdropped order by attnum",
    [target],
  );
  const own: Readonly<Record<string, string>> = {
    accession: "'FND-2026-' || lpad(i::text, 8, '0')",
    scientific_name: "'Silene ' || i % 5000",
    collected_on: "date '2026-01-01' + i % 300",
    site: "'Site ' || i % 90000",
  };
  const columns = rows.map((r) => r.name).filter((n) => own[n] !== undefined || n === "_load" || n === "_record");
  const values = columns.map((n) => own[n] ?? (n === "_load" ? "1" : "i"));
  const { rows: required } = await db.query<{ name: string; type: string }>(
    `select attname as name, format_type(atttypid, atttypmod) as type from pg_attribute
     where attrelid = $1::regclass and attnum > 0 and attnotnull and not attname = any($2)`,
    [target, columns],
  );
  for (const { name, type } of required) {
    columns.push(name);
    values.push(/int|numeric/.test(type) ? "1" : "'BHG'");
  }
  await db.query(
    `insert into ${target} (${columns.map((c) => `"${c}"`).join(", ")}) select ${values.join(", ")} from generate_series(1, ${count}) i`,
  );
  await db.query(`analyze ${target}`);
  const looks: readonly (readonly [string, (i: number) => string])[] = [
    ["by key", (i) => `FND-2026-${String(1 + ((i * 7_654_321) % count)).padStart(8, "0")}`],
    ["by a text that is in no key", (i) => `Site ${(i * 7919) % 90_000}`],
    ["of a value that is nowhere", (i) => `nowhere ${i}`],
  ];
  for (const [name, value] of looks) {
    const times: number[] = [];
    let found = 0;
    let unfinished = 0;
    for (let i = 0; i < rounds; i++) {
      const began = performance.now();
      const { rows: hits, unfinished: open } = await findValue(db, value(i));
      times.push(performance.now() - began);
      found += hits.length;
      unfinished += open.length;
    }
    say(
      `find ${name} among ${grouped(count)} rows: median ${Math.round(median(times))} ms, most ${Math.round(Math.max(...times))} ms; ${found} rows found in ${rounds} searches${unfinished > 0 ? `, ${unfinished} targets not looked through whole, which is said` : ""}`,
    );
  }
}
