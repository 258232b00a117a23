import { mkdirSync, writeFileSync } from "node:fs";
import { join } from "node:path";
import { balanceLine } from "@/core/kernel/ledger.ts";
import { errorLines, grouped } from "@/core/kernel/problem.ts";
import { handOver, putSender } from "@/store/senders.ts";
import { watchLoad } from "@/cli/load.ts";
import pg from "pg";
import { makeSource } from "@/store/sources.ts";
import { databaseUrl, ident, openDb, type Db } from "@/store/db.ts";
import { releaseRecords } from "@/engine/release/release.ts";
import { makeAskedList } from "@/engine/look/ask-list.ts";
import { makeDelivery, receiveFile } from "@/store/deliveries.ts";
import { makeFeed, savePlan } from "@/store/feeds.ts";
import { askForLoad } from "@/store/load-requests.ts";
import { makeDeliveries } from "./generate.ts";
import { listFormulas, saveFormula } from "@/store/formulas.ts";
import { namedFormulaSchema } from "@/core/formula/named.ts";
import { HUMIDITY, IS_BINOMIAL, OTHER_FEEDS, makeOtherDeliveries } from "./other-feeds.ts";
import { ACCESSIONS, AFTER_ACCESSIONS, CATALOGUE, FURTHER_ACCESSIONS, firstDraft } from "./plan.ts";
import { listReferences, makeReference } from "@/store/references.ts";
import { CHECKLIST } from "./taxa.ts";

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
      await savePlan(db, "accessions", firstDraft(), "A first draft from the gardens' samples", "Ines");
    await savePlan(db, "accessions", ACCESSIONS, "The contract agreed with the gardens", "Ines");
    if (!(await listReferences(db)).some((r) => r.name === CHECKLIST.name)) {
      await makeReference(db, CHECKLIST, CHECKLIST.entries, "Ines", "The checklist that the gardens agreed on");
    }
    if ((await listFormulas(db)).length === 0) {
      await saveFormula(
        db,
        "isBinomial",
        0,
        namedFormulaSchema.parse(IS_BINOMIAL),
        "For every feed with names of plants",
        "Ines",
      );
    }
    const others = makeOtherDeliveries();
    for (const { name, title, about, plan } of OTHER_FEEDS) {
      await makeFeed(db, { name, title, about });
      const { rowCount } = await db.query("select 1 from sieve.plan where feed = $1", [name]);
      const copied = name === "collectors" && process.env["SIEVE_CONNECTION_HERBARIUM"];
      // The herbaria work with the collectors in a database of their own.
      const copies = copied ? { copies: [{ connection: "herbarium" }] } : {};
      const document = { ...plan, load: { ...plan.load, ...copies } };
      if (rowCount === 0) await savePlan(db, name, document, "The contract agreed with the gardens", "Ines");
    }
    for (const d of others) writeFileSync(join(folder, d.name), d.bytes);
    const load = async (d: (typeof others)[number]): Promise<void> => {
      const id = await makeDelivery(db, d.feed, "demo", d.sender);
      await receiveFile(db, id, d.name, once(d.bytes), d.bytes.length);
      const done = await watchLoad(db, await askForLoad(db, id), () => {});
      const closed = done.report?.gates.filter((g) => !g.passed).map((g) => g.message) ?? [];
      process.stdout.write(
        `${d.name}: ${done.state}, ${done.report ? balanceLine(done.report.balance) : (done.error?.message ?? "")} ${closed.join(" ")}\n`,
      );
    };
    const accessions = deliveries.map((d) => ({ ...d, feed: "accessions" }));
    for (const d of [...accessions.slice(0, -1), ...others]) await load(d);
    await mendByHand(db);
    // From the last one on others hear of it.
    await makeFeed(db, {
      name: "catalogue",
      title: "Seed catalogue",
      about: "What visitors may look up; gets its records from the accessions.",
    });
    await savePlan(db, "catalogue", CATALOGUE, "What the catalogue shows", "Ines");
    await savePlan(
      db,
      "accessions",
      { ...ACCESSIONS, load: { ...ACCESSIONS.load, further: FURTHER_ACCESSIONS }, after: AFTER_ACCESSIONS },
      "Writes tables of collectors and uplands too, tells the visitors' desk, writes files for others, gives the catalogue its records",
      "Ines",
    );
    await load(accessions.at(-1)!);
    const about = { contact: "The seed desk", address: "seeds@brindle-hollow.example", note: "" };
    const destination = { to: "folder", folder: "senders/brindle-hollow" } as const;
    await putSender(db, "Brindle Hollow Garden", { ...about, daysToAnswer: 14, destination }, "Ines");
    await handOver(db, "Coldwell Arboretum", "accessions");
    // Last: what they give is then loaded beside everything else, as it comes.
    await makeSources(db, folder);
  } finally {
    await db.end();
  }
}

/** What Ines has put right in one load after the other, and the plan could put right by itself. */
async function mendByHand(db: Db): Promise<void> {
  for (const [field, value] of [
    ["altitude_m", "40"],
    ["herbarium_sheet", "no"],
  ] as const) {
    const { rows } = await db.query<{ load: number; record: number }>(
      `select load, record from sieve.held where feed = 'accessions' and state = 'held' and checks = array[$1] order by load, record limit 12`,
      [`${field}:type`],
    );
    await releaseRecords(
      db,
      rows.map((r) => ({ ...r, values: { [field]: value } })),
      "Ines",
    );
  }
}

/** One source of each kind, each with its stand-in: a watched folder, a partner's outbox, a station's database. */
async function makeSources(db: Db, folder: string): Promise<void> {
  if ((await db.query("select 1 from sieve.source limit 1")).rowCount) return;
  const inbox = join(folder, "../inbox/transfers");
  mkdirSync(inbox, { recursive: true });
  const extra = makeOtherDeliveries(20260911).find((d) => d.feed === "transfers")!;
  writeFileSync(
    join(inbox, "transfers-late-2026-09.xml"),
    Buffer.from(extra.bytes).toString().replaceAll('id="T', 'id="L'),
  );
  await makeSource(db, "transfers", "inbox", { folder: "transfers", pattern: "*.xml" }, 15, "Ines");
  await makeSource(
    db,
    "germination",
    "outbox",
    { address: "http://127.0.0.1:4311/files", pattern: "*.jsonl.gz" },
    30,
    "Ines",
  );
  await makeOthersTables();
  const rooms = {
    name: "rooms",
    title: "Rooms of the vaults",
    about: "Kept by the vaults in their own table.",
    parts: {},
  };
  await makeAskedList(db, rooms, { table: "vault.room" }, "Ines");
  await makeFeed(db, {
    name: "humidity",
    title: "Humidity of the vaults",
    about: "What the vaults' own database has measured; taken by a query.",
  });
  await savePlan(db, "humidity", HUMIDITY, "The contract agreed with the vaults", "Ines");
  if (!process.env["SIEVE_CONNECTION_STATION"]) return;
  await makeSource(
    db,
    "humidity",
    "query",
    { connection: "station", sql: "select id, site, read_at, humidity from station.reading", cursor: "id" },
    60,
    "Ines",
  );
}

/** What other programs of the vaults have in the same database: made by who runs it, with what the application may do there. */
async function makeOthersTables(): Promise<void> {
  const admin = openDb(process.env["SIEVE_ADMIN_URL"] || databaseUrl(), 1);
  try {
    await admin.query(`create schema if not exists station;
      create table if not exists station.reading (id integer primary key, site text, read_at timestamptz, humidity numeric(5,2));
      insert into station.reading select n, 'Vault ' || (1 + n % 3), timestamptz '2026-10-01 00:00Z' + n * interval '1 hour', 15 + (n * 37 % 100) / 25.0
        from generate_series(1, 240) n on conflict do nothing`);
    // Tables that the vaults had before, for a plan to take as its target.
    await admin.query(`create schema if not exists vault;
      create table if not exists vault.room (room text primary key);
      insert into vault.room values ('A1'), ('A2'), ('B1'), ('cold') on conflict do nothing;
      create table if not exists vault.packet (
        packet varchar(20) primary key,
        accession varchar(16) not null,
        room text not null references vault.room,
        seeds integer check (seeds > 0),
        temperature_c numeric(4,1) check (temperature_c between -25 and 10),
        state text not null default 'sealed' check (state in ('sealed', 'opened', 'used up')),
        sealed_on date not null,
        opened_on date,
        check (opened_on >= sealed_on))`);
    const app = decodeURIComponent(new URL(databaseUrl()).username);
    const { rows } = await admin.query<{ other: boolean }>("select current_user <> $1 as other", [app]);
    if (rows[0]!.other) {
      await admin.query(`alter table vault.packet add column if not exists "_load" integer,
          add column if not exists "_record" integer, add column if not exists "_writing" integer;
        grant usage on schema vault to ${ident(app)};
        grant select on vault.room to ${ident(app)};
        grant select, insert, update, delete on vault.packet to ${ident(app)}`);
    }
    // Read by a role of its own, whose address the worker has in its environment.
    const reader = process.env["SIEVE_CONNECTION_STATION"];
    if (!reader) return;
    const { username, password } = new URL(reader);
    await admin.query(`do $$ begin if not exists (select from pg_roles where rolname = '${username}') then create role ${username} login; end if; end $$;
      do $$ begin execute format('grant connect on database %I to ${username}', current_database()); end $$;
      alter role ${username} password ${pg.escapeLiteral(decodeURIComponent(password))};
      grant usage on schema station to ${username};
      grant select on station.reading to ${username}`);
  } finally {
    await admin.end();
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
