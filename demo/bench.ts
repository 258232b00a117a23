import { execFileSync, fork, type ChildProcess } from "node:child_process";
import {
  createReadStream,
  createWriteStream,
  existsSync,
  mkdirSync,
  readFileSync,
  statSync,
  writeFileSync,
} from "node:fs";
import { once } from "node:events";
import { join } from "node:path";
import { grouped } from "@/core/kernel/problem.ts";
import { openDb, type Db } from "@/store/db.ts";
import { makeDelivery, receiveFile } from "@/store/deliveries.ts";
import { makeFeed, planInForce, savePlan } from "@/store/feeds.ts";
import { getLoad, type Load, listLoads } from "@/store/loads.ts";
import { askForLoad, askForTrial } from "@/store/load-requests.ts";
import { migrate } from "@/store/migrate.ts";
import { parsePlan } from "@/core/plan/schema.ts";
import { releaseRecords } from "@/engine/release/release.ts";
import { undoLoad, undoWriting } from "@/engine/undo/undo.ts";
import { listWritings } from "@/store/writings.ts";
import { benchFormats, benchProfile } from "./bench-read.ts";
import { benchCircumstances, benchComparators, benchLookUp, benchRepeats } from "./bench-match.ts";
import { benchLikeness } from "./bench-likeness.ts";
import { benchMends, benchReturned } from "./bench-mends.ts";
import { benchFind } from "./bench-find.ts";
import { benchOut } from "./bench-out.ts";
import { benchQuarantine } from "./bench-quarantine.ts";
import { benchPlan, benchSteps, largePlan } from "./bench-cleanse.ts";
import { median } from "./median.ts";
import { Random } from "./random.ts";
import { COLLECTORS, COUNTRIES, REMARKS, SITES, TAXA } from "./words.ts";

/**
 * Measures loads through the real engine against the database's own copy of the same records, in
 * turn in one run, and prints ratios of medians. Arguments: folder, psql, worker, records, rounds.
 */
const [folder = ".data/bench", psql = "psql", workerFile = "dist/worker.js", countText = "1000000", roundsText = "5"] =
  process.argv.slice(2);
const COUNT = Number(countText);
const ROUNDS = Number(roundsText);
/** By which circumstances are made where they are all that is measured. */
const SEEDS = (process.env["BENCH_SEEDS"] ?? "11,12,13").split(",").map(Number);
const url = process.env["DATABASE_URL"]!;

const PLAN = {
  format: "good-sieve/plan@1",
  feed: "bench",
  contract: {
    fields: [
      { name: "accession", type: "text", length: 16, required: true, pattern: "^[A-Z]{3}-\\d{4}-\\d{7}$" },
      { name: "partner", type: "code", values: ["BHG", "CWA", "MIB", "QFS", "SMH"], required: true },
      { name: "scientific_name", type: "text", length: 80, required: true },
      { name: "collector", type: "text", length: 60 },
      { name: "collected_on", type: "date", formats: ["yyyy-MM-dd", "dd.MM.yyyy"], most: "2026-12-31" },
      { name: "site", type: "text", length: 60 },
      { name: "country", type: "code", values: COUNTRIES },
      { name: "latitude", type: "decimal", precision: 7, scale: 4, least: -90, most: 90 },
      { name: "longitude", type: "decimal", precision: 7, scale: 4, least: -180, most: 180 },
      { name: "altitude_m", type: "integer", least: -430, most: 8850 },
      { name: "quantity_g", type: "decimal", precision: 9, scale: 3, least: 0 },
      { name: "remarks", type: "text", length: 200 },
    ],
  },
  cleanse: [
    { do: "trim", in: "*" },
    { do: "collapse", in: ["scientific_name", "collector", "site", "remarks"] },
    { do: "case", to: "upper", in: ["accession", "partner", "country"] },
    { do: "empty-words", words: ["n/a", "?"], in: ["remarks", "collector"] },
    { do: "replace", find: ",", with: ".", in: ["latitude", "longitude", "quantity_g"] },
    { do: "case", to: "sentence", in: ["scientific_name"] },
  ],
  load: { target: "bench", key: ["accession"], mode: "append" },
  gates: [{ limit: "held share", over: 0.5 }],
};

/** Accession records with about 2 % faults. `first` and `change` make a second file that overlaps the first. */
async function makeFile(path: string, count: number, first = 0, change = ""): Promise<void> {
  if (existsSync(path)) return;
  const random = new Random(20261124 + first);
  const out = createWriteStream(path);
  let text = `${PLAN.contract.fields.map((f) => f.name).join(",")}\n`;
  const quoted = (v: string): string => (/[",\n]/.test(v) ? `"${v.replaceAll('"', '""')}"` : v);
  for (let i = 0; i < count; i++) {
    const fault = random.next();
    const remark = random.pick(REMARKS);
    const cells = [
      `${["BHG", "CWA", "MIB", "QFS", "SMH"][(first + i) % 5]}-2026-${String(first + i).padStart(7, "0")}`,
      ["BHG", "CWA", "MIB", "QFS", "SMH"][(first + i) % 5]!,
      fault < 0.01 ? ` ${random.pick(TAXA)} ` : random.pick(TAXA),
      random.pick(COLLECTORS),
      fault > 0.99
        ? "2026-02-31"
        : `2026-${String(random.whole(1, 12)).padStart(2, "0")}-${String(random.whole(1, 28)).padStart(2, "0")}`,
      random.pick(SITES),
      random.pick(COUNTRIES),
      (48 + random.next() * 12).toFixed(4),
      (-8 + random.next() * 12).toFixed(4),
      String(random.whole(0, 1240)),
      fault > 0.98 && fault < 0.99 ? "ca. 5" : (random.next() * 90).toFixed(3),
      `${remark}${remark && change}, sheet ${random.whole(1, 9000)} of the field book, kept dry`,
    ];
    text += `${cells.map(quoted).join(",")}\n`;
    if (text.length > 1 << 20) {
      if (!out.write(text)) await once(out, "drain");
      text = "";
    }
  }
  out.end(text);
  await once(out, "finish");
}

async function main(): Promise<void> {
  mkdirSync(folder, { recursive: true });
  const whole = join(folder, `records-${COUNT}.csv`);
  const tenth = join(folder, `records-${COUNT / 10}.csv`);
  const more = join(folder, `upsert-${COUNT / 5}.csv`);
  const only = process.env["BENCH_ONLY"];
  await makeFile(whole, COUNT);
  await makeFile(tenth, COUNT / 10);
  await makeFile(more, COUNT / 5, COUNT * 0.85, " weighed again");
  say(`${grouped(COUNT)} records of 12 fields, ${grouped(statSync(whole).size)} bytes; 6 steps, ${String(17)} checks`);

  const rounds = Math.min(3, ROUNDS);
  if (only === undefined || only === "match" || only === "look-up") {
    const pool = openDb(url, 2);
    benchComparators(say);
    await benchLookUp(pool, COUNT / 10, COUNT / 100, rounds, say);
    await pool.end();
  }
  if (only === undefined || only === "match") {
    benchLikeness([11, 12], say);
    await benchCircumstances([11, 12], COUNT / 10, say);
    await benchRepeats([COUNT / 100, COUNT / 10, COUNT], say);
  }
  if (only === "circumstances") await benchCircumstances(SEEDS, COUNT / 10, say);
  if (["match", "look-up", "circumstances"].includes(only ?? "")) return;
  if (only === undefined || only === "mends") {
    benchMends([11, 12], say);
    benchReturned([11, 12], say);
  }
  if (only === "mends") return;
  const engine = ["load", "upsert", "memory", "release", "targets", "quarantine", "out", "find"].includes(only ?? "");
  if (!engine && only !== "read") {
    benchSteps(say);
    await benchPlan(tenth, parsePlan(PLAN), rounds, say);
  }
  if (only === "cleanse") return;
  if (!engine) {
    await benchFormats(folder, Math.min(100_000, COUNT), rounds, say);
    await benchProfile(whole, parsePlan(PLAN), rounds, say);
  }
  if (only === "read") return;
  if (only === undefined || only === "out") benchOut(parsePlan(PLAN), COUNT, rounds, say);
  if (only === "out") return;

  const db = openDb(url, 4);
  await migrate(db);
  for (const [feed, load] of [
    ["bench", PLAN.load],
    ["ups", { ...PLAN.load, target: "ups", mode: "upsert" }],
  ] as const) {
    await makeFeed(db, { name: feed, title: feed, about: "" });
    await savePlan(db, feed, { ...PLAN, feed, load }, "bench", "bench");
  }
  if (only === "release") {
    const worker = await startWorker();
    await benchRelease(db, more, rounds);
    await stop(worker);
    return await db.end();
  }
  if (only === "find") {
    const worker = await startWorker();
    await load(db, await deliver(db, "bench", tenth));
    await benchFind(db, { target: "target.bench", count: COUNT * 20, rounds: 9 }, say);
    await stop(worker);
    return await db.end();
  }
  if (only === "quarantine") {
    const worker = await startWorker();
    await benchHeld(db, rounds);
    await stop(worker);
    return await db.end();
  }
  if (only === "targets") {
    const worker = await startWorker();
    await benchTargets(db, tenth, rounds);
    await stop(worker);
    return await db.end();
  }
  const deliveries = {
    tenth: await deliver(db, "bench", tenth),
    whole: await deliver(db, "bench", whole),
    more: await deliver(db, "ups", more),
  };

  // Memory first, each in a fresh worker.
  const peaks: number[] = [];
  for (const delivery of only === "upsert" ? [] : [deliveries.tenth, deliveries.whole]) {
    const worker = await startWorker();
    await load(db, delivery);
    peaks.push(peakOf(worker));
    await stop(worker);
    await db.query("truncate target.bench");
  }
  if (peaks.length === 2)
    say(
      `peak memory of the worker: ${peaks[0]} MB for ${grouped(COUNT / 10)} records, ${peaks[1]} MB for ${grouped(COUNT)} (${(peaks[1]! / peaks[0]!).toFixed(2)} times)`,
    );

  if (only === "memory") return await db.end();

  const worker = await startWorker();
  const clean = join(folder, "clean.tsv");
  await load(db, deliveries.whole);
  run(`\\copy (select * from target.bench) to '${clean}'`);
  await db.query("create table target.bare (like target.bench including all)");
  const ours: number[] = [];
  const bare: number[] = [];
  for (let i = 0; i < (only === "upsert" ? 0 : ROUNDS); i++) {
    await db.query("truncate target.bare, target.bench");
    bare.push(timed(() => run(`\\copy target.bare from '${clean}'`)));
    ours.push(await load(db, deliveries.whole));
    say(`append, round ${i + 1}: load ${ours.at(-1)!.toFixed(2)} s, bare copy ${bare.at(-1)!.toFixed(2)} s`);
  }
  if (ours.length > 0) row("append load / psql \\copy into the same table", ours, bare);

  if (only !== "upsert") await benchLarge(db, whole, deliveries.whole, Math.min(3, ROUNDS));

  // The million, and a fifth of it on top: half of that updates, a quarter is new.
  const cleanMore = join(folder, "clean-more.tsv");
  await db.query("create table target.ups (like target.bench including all)");
  await db.query("create table target.base (like target.bench including all)");
  await load(db, deliveries.more);
  run(`\\copy (select * from target.ups) to '${cleanMore}'`);
  const columns = PLAN.contract.fields.map((f) => f.name);
  const set = [...columns.slice(1), "_load", "_record"].map((c) => `"${c}" = excluded."${c}"`).join(", ");
  const upserts: number[] = [];
  const conflicts: number[] = [];
  const closings: number[] = [];
  for (let i = 0; i < ROUNDS; i++) {
    await db.query("truncate target.ups, target.base");
    await db.query("insert into target.ups select * from target.bench");
    await db.query("insert into target.base select * from target.bench");
    await db.query("vacuum analyze target.ups");
    await db.query("vacuum analyze target.base");
    conflicts.push(
      timed(() =>
        run(
          "create unlogged table staging.base (like target.base)",
          `\\copy staging.base from '${cleanMore}'`,
          `insert into target.base select * from staging.base on conflict (accession) do update set ${set}`,
          "drop table staging.base",
        ),
      ),
    );
    const { seconds, closing } = await ended(db, await askForLoad(db, deliveries.more, { again: true }));
    upserts.push(seconds);
    closings.push(closing);
    say(
      `upsert, round ${i + 1}: load ${upserts.at(-1)!.toFixed(2)} s, staging and on conflict ${conflicts.at(-1)!.toFixed(2)} s`,
    );
  }
  row(`upsert of ${grouped(COUNT / 5)} into ${grouped(COUNT)} / staging with ON CONFLICT`, upserts, conflicts);
  row("the same from the staged records on / staging with ON CONFLICT", closings, conflicts);
  await benchRelease(db, more, rounds);
  await benchTargets(db, tenth, rounds);
  await benchHeld(db, rounds);
  await stop(worker);
  await db.end();
}

/** A quarter of so many records, all of them held. */
async function benchHeld(db: Db, rounds: number): Promise<void> {
  const feed = "held";
  const { contract, load: _, ...rest } = PLAN;
  await makeFeed(db, { name: feed, title: feed, about: "" });
  const loading = { target: feed, key: ["accession"], mode: "upsert" };
  await savePlan(db, feed, { ...rest, feed, gates: [], contract, load: loading }, "bench", "bench");
  const columns = contract.fields.map((f) => f.name);
  const path = join(folder, "held.csv");
  const put = async (text: string): Promise<void> => {
    writeFileSync(path, text);
    await load(db, await deliver(db, feed, path));
  };
  const vacuum = async (): Promise<void> => void (await db.query("vacuum analyze sieve.held"));
  await benchQuarantine(db, COUNT / 4, rounds, { feed, columns, load: put, vacuum }, say);
}

function row(name: string, ours: number[], theirs: number[]): void {
  const ratios = ours.map((o, i) => o / theirs[i]!);
  say(
    `${name}: median ${median(ours).toFixed(2)} s / ${median(theirs).toFixed(2)} s, ratio pair by pair ${median(ratios).toFixed(2)} (${Math.min(...ratios).toFixed(2)} to ${Math.max(...ratios).toFixed(2)})`,
  );
}

async function deliver(db: Db, feed: string, path: string): Promise<number> {
  const delivery = await makeDelivery(db, feed, "bench");
  await receiveFile(db, delivery, "bench.csv", createReadStream(path, { highWaterMark: 1 << 20 }), statSync(path).size);
  return delivery;
}

/** The million by a plan of many steps and formulas beside the same by the bench's own, and beside a trial of that. */
async function benchLarge(db: Db, whole: string, delivery: number, rounds: number): Promise<void> {
  const feed = "large";
  await makeFeed(db, { name: feed, title: feed, about: "" });
  const plan = largePlan(parsePlan({ ...PLAN, feed, load: { ...PLAN.load, target: feed } }));
  await savePlan(db, feed, plan, "bench", "bench");
  const own = await deliver(db, feed, whole);
  const small = (await planInForce(db, "bench")).id;
  const few: number[] = [];
  const many: number[] = [];
  const trials: number[] = [];
  await load(db, own);
  for (let i = 0; i < rounds; i++) {
    await db.query("truncate target.bench, target.large");
    few.push(await load(db, delivery));
    many.push(await load(db, own));
    await db.query("truncate target.bench");
    trials.push((await ended(db, await askForTrial(db, delivery, small))).seconds);
    say(
      `large plan, round ${i + 1}: load ${many.at(-1)!.toFixed(2)} s, by the small one ${few.at(-1)!.toFixed(2)} s, a trial of that ${trials.at(-1)!.toFixed(2)} s`,
    );
  }
  await db.query("drop table target.large");
  await load(db, delivery);
  row("load with 20 steps, 10 formulas and 27 checks / with 6 steps and 17 checks", many, few);
  row("trial / load", trials, few);
}

/** Held records, mended alike and released in one go, into an upsert's target; then taken back, to be released again. */
async function benchRelease(db: Db, file: string, rounds: number): Promise<void> {
  const count = COUNT / 20;
  const feed = "mended";
  const path = join(folder, `mended-${count}.csv`);
  const lines = readFileSync(file, "utf8")
    .split("\n")
    .slice(0, count + 1);
  // Every record is held for one cell that a person mends.
  writeFileSync(
    path,
    `${lines.map((l, i) => (i === 0 ? l : l.replace(/^\w+-/, "ZZZ-").replace(/,\w{3},/, ",ZZZ,"))).join("\n")}\n`,
  );
  await makeFeed(db, { name: feed, title: feed, about: "" });
  const { contract, load: _, ...rest } = PLAN;
  const plan = { ...rest, feed, gates: [], contract, load: { target: feed, key: ["accession"], mode: "upsert" } };
  await savePlan(db, feed, plan, "bench", "bench");
  const delivery = await deliver(db, feed, path);
  const first = await load(db, delivery);
  // The same again: each held record is met with the one before, which it closes, and the undo opens those again.
  const again = await load(db, delivery);
  const { rows: loads } = await db.query<{ id: number }>("select max(id) as id from sieve.load where feed = $1", [
    feed,
  ]);
  const opening = performance.now();
  await undoLoad(db, loads[0]!.id, "bench", "bench");
  const opened = (performance.now() - opening) / 1000;
  say(
    `load of ${grouped(count)} records that are held: ${first.toFixed(2)} s; all of them again ${again.toFixed(2)} s, ${(again / first).toFixed(2)} times; undone in ${opened.toFixed(2)} s`,
  );
  const { rows: held } = await db.query<{ load: number; record: number }>(
    "select load, record from sieve.held where feed = $1 and checks = '{partner:type}' order by record",
    [feed],
  );
  const mends = held.map((h) => ({ ...h, values: { partner: "BHG" } }));
  const took: number[] = [];
  const back: number[] = [];
  for (let i = 0; i < rounds; i++) {
    const began = performance.now();
    const results = await releaseRecords(db, mends, "bench");
    took.push((performance.now() - began) / 1000);
    const released = results.filter((r) => r.released).length;
    if (released !== held.length) throw new Error(`${released} of ${held.length} records were released`);
    const [writing] = await listWritings(db, { feed }, 1);
    const undoing = performance.now();
    await undoWriting(db, writing!.id, { reason: "bench", by: "bench" });
    back.push((performance.now() - undoing) / 1000);
  }
  const rate = (seconds: number): string => grouped(Math.round(held.length / seconds));
  say(
    `release of ${grouped(held.length)} held records in one go: ${median(took).toFixed(2)} s, ${rate(median(took))} records a second; undone in ${median(back).toFixed(2)} s`,
  );
}

/** One load into three tables beside three loads into one each, and into one with a row for many records. */
async function benchTargets(db: Db, file: string, rounds: number): Promise<void> {
  const key = ["accession"];
  const mode = "append";
  const feeds = {
    single: {},
    triple: { further: ["triple_second", "triple_third"].map((target) => ({ target, key, mode })) },
    grouped: {
      further: [
        {
          target: "grouped_by_site",
          rows: "key",
          fields: [
            { name: "site" },
            { name: "records", takes: "count" },
            { name: "grams", of: "quantity_g", takes: "sum" },
          ],
          key: ["site"],
        },
      ],
    },
    copied: { copies: [{ connection: "copy" }] },
  };
  const deliveries: Record<string, number> = {};
  for (const [feed, more] of Object.entries(feeds)) {
    await makeFeed(db, { name: feed, title: feed, about: "" });
    await savePlan(db, feed, { ...PLAN, feed, load: { target: feed, key, mode, ...more } }, "bench", "bench");
    deliveries[feed] = await deliver(db, feed, file);
  }
  const took: Record<string, number[]> = { single: [], triple: [], grouped: [], copied: [] };
  for (let i = 0; i < rounds; i++) {
    for (const feed of Object.keys(feeds)) {
      await db.query(
        `drop table if exists target.single, target.triple, target.triple_second, target.triple_third, target.grouped, target.grouped_by_site`,
      );
      took[feed]!.push(await load(db, deliveries[feed]!));
      if (feed !== "copied") continue;
      // The copy's rows go with the load's.
      const [last] = await listLoads(db, { feed, limit: 1 });
      await undoLoad(db, last!.id, "once more", "bench");
    }
  }
  const three = took["single"]!.map((s) => s * 3);
  row(`${grouped(COUNT / 10)} records into three tables by one load / by three loads`, took["triple"]!, three);
  row("the same into one and a row for each site / into one", took["grouped"]!, took["single"]!);
  row("the same into one with a copy in another database / into one", took["copied"]!, took["single"]!);
}

/** Seconds from asking for a load until it has ended. */
async function load(db: Db, delivery: number): Promise<number> {
  return (await ended(db, await askForLoad(db, delivery, { again: true }))).seconds;
}

/** Seconds until a load or a trial has ended, from now on, and those of its parts after the records were staged. */
async function ended(db: Db, id: number): Promise<{ seconds: number; closing: number }> {
  const began = performance.now();
  let end: Load;
  do {
    await new Promise((resolve) => setTimeout(resolve, 20));
    end = await getLoad(db, id);
  } while (end.state === "queued" || end.state === "running");
  if (process.env["BENCH_TIMING"]) {
    const parts = (end.report?.timing ?? []).map((t) => `${t.part} ${t.ms}`).join(", ");
    say(`  in all ${Math.round(performance.now() - began)} ms: ${parts}`);
  }
  if (end.state !== "loaded" && end.state !== "tried")
    throw new Error(`load ${id} is ${end.state}: ${end.error?.message ?? ""} ${end.error?.detail ?? ""}`);
  const parts = (end.report?.timing ?? []).filter((t) => t.part !== "reading to checking");
  return { seconds: (performance.now() - began) / 1000, closing: parts.reduce((sum, t) => sum + t.ms, 0) / 1000 };
}

async function startWorker(): Promise<ChildProcess> {
  const worker = fork(workerFile, [], {
    env: { ...process.env, LOG_LEVEL: "warn", MALLOC_ARENA_MAX: "2", WORKER_LOADS: "1" },
    stdio: ["ignore", "inherit", "inherit", "ipc"],
  });
  await once(worker, "message");
  return worker;
}

async function stop(worker: ChildProcess): Promise<void> {
  const gone = once(worker, "exit");
  worker.kill("SIGTERM");
  await gone;
}

/** The most memory that a process has had, in MB, as Linux counts it. */
function peakOf(worker: ChildProcess): number {
  const line = /VmHWM:\s+(\d+) kB/.exec(readFileSync(`/proc/${worker.pid}/status`, "utf8"));
  return Math.round(Number(line?.[1] ?? 0) / 1024);
}

function run(...commands: string[]): void {
  execFileSync(psql, ["-X", "-q", "-v", "ON_ERROR_STOP=1", "-d", url, ...commands.flatMap((c) => ["-c", c])], {
    stdio: ["ignore", "ignore", "inherit"],
  });
}

function timed(work: () => void): number {
  const began = performance.now();
  work();
  return (performance.now() - began) / 1000;
}

function say(text: string): void {
  process.stdout.write(`${text}\n`);
}

await main();
