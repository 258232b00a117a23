import { mkdirSync, writeFileSync } from "node:fs";
import { join } from "node:path";
import { balanceLine } from "@/core/ledger.ts";
import { errorLines, grouped } from "@/core/problem.ts";
import { watchLoad } from "@/cli/load.ts";
import { openDb } from "@/store/db.ts";
import { makeDelivery, receiveFile } from "@/store/deliveries.ts";
import { makeFeed, savePlan } from "@/store/feeds.ts";
import { askForLoad } from "@/store/loads.ts";
import { makeDeliveries } from "./generate.ts";
import { OTHER_FEEDS, makeOtherDeliveries } from "./other-feeds.ts";
import { ACCESSIONS } from "./plan.ts";

/** Fills an empty store with the demo: writes the deliveries to a folder and loads them as anybody's are. */
async function main(folder: string): Promise<void> {
  const db = openDb(undefined, 4);
  try {
    const { rows } = await db.query<{ n: number }>("select count(*)::int as n from sieve.load where kind = 'load'");
    if (rows[0]!.n > 0) {
      process.stdout.write(`keeping what is there: ${grouped(rows[0]!.n)} loads\n`);
      return;
    }
    const deliveries = makeDeliveries();
    mkdirSync(folder, { recursive: true });
    for (const d of deliveries) writeFileSync(join(folder, d.name), d.bytes);
    writeFileSync(
      join(folder, "truth.json"),
      JSON.stringify(
        deliveries.flatMap((d) => d.truth),
        null,
        1,
      ),
    );
    process.stdout.write(
      `made ${deliveries.length} deliveries, ${grouped(deliveries.reduce((n, d) => n + d.records, 0))} records, in ${folder}\n`,
    );

    await makeFeed(db, {
      name: "accessions",
      title: "Accessions",
      about: "What the five gardens of Ashmere Seed Vault send for safe keeping, month by month.",
    });
    const plans = await db.query("select 1 from sieve.plan where feed = 'accessions'");
    if (plans.rowCount === 0)
      await savePlan(db, "accessions", ACCESSIONS, "The contract agreed with the gardens", "Ines");
    const others = makeOtherDeliveries();
    for (const { name, title, about, plan } of OTHER_FEEDS) {
      await makeFeed(db, { name, title, about });
      const { rowCount } = await db.query("select 1 from sieve.plan where feed = $1", [name]);
      if (rowCount === 0) await savePlan(db, name, plan, "The contract agreed with the gardens", "Ines");
    }
    for (const d of others) writeFileSync(join(folder, d.name), d.bytes);
    const all = [...deliveries.map((d) => ({ ...d, feed: "accessions" })), ...others];
    for (const d of all) {
      const id = await makeDelivery(db, d.feed, "demo", d.sender);
      await receiveFile(db, id, d.name, once(d.bytes), d.bytes.length);
      const load = await watchLoad(db, await askForLoad(db, id), () => {});
      const closed = load.report?.gates.filter((g) => !g.passed).map((g) => g.message) ?? [];
      process.stdout.write(
        `${d.name}: ${load.state}, ${load.report ? balanceLine(load.report.balance) : (load.error?.message ?? "")} ${closed.join(" ")}\n`,
      );
    }
  } finally {
    await db.end();
  }
}

async function* once(bytes: Uint8Array): AsyncGenerator<Uint8Array> {
  yield bytes;
}

try {
  await main(process.argv[2] ?? join(process.cwd(), ".data/deliveries"));
} catch (error) {
  process.stderr.write(`${errorLines(error)}\n`);
  process.exit(3);
}
