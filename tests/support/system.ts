import { fork, type ChildProcess } from "node:child_process";
import { join } from "node:path";
import { afterAll, beforeAll, inject } from "vitest";
import { migrate } from "@/store/migrate.ts";
import { openDb, type Db } from "@/store/db.ts";
import { makeDelivery, receiveFile } from "@/store/deliveries.ts";
import { makeFeed, savePlan } from "@/store/feeds.ts";
import { askForLoad, getLoad, type Load } from "@/store/loads.ts";
import { root } from "../../scripts/lib/machine.mjs";

export interface System {
  db: Db;
  url: string;
  startWorker(): Promise<ChildProcess>;
  end(): Promise<void>;
}

let made = 0;

/** A database of its own in the tests' cluster, migrated. */
export async function newSystem(base = inject("cluster")): Promise<System> {
  const name = `test_${process.pid}_${Date.now()}_${made++}`;
  const admin = openDb(`${base}/postgres`, 1);
  await admin.query(`create database ${name}`);
  await admin.end();
  const url = `${base}/${name}`;
  const db = openDb(url, 8);
  await migrate(db);
  const workers: ChildProcess[] = [];
  return {
    db,
    url,
    async startWorker() {
      const worker = fork(join(root, "dist/worker.js"), [], {
        env: { ...process.env, DATABASE_URL: url, LOG_LEVEL: process.env["WORKER_LOG"] ?? "silent" },
        stdio: ["ignore", "inherit", "inherit", "ipc"],
      });
      workers.push(worker);
      await new Promise<void>((resolve, reject) => {
        worker.once("message", () => resolve());
        worker.once("exit", (code) => reject(new Error(`the worker ended with ${code}`)));
      });
      return worker;
    },
    async end() {
      for (const worker of workers) worker.kill("SIGKILL");
      await db.end();
    },
  };
}

/** A database with a worker for the tests of one file, there from its first test to its last. */
export function useSystem(): System {
  let system: System | undefined;
  beforeAll(async () => {
    system = await newSystem();
    await system.startWorker();
  });
  afterAll(() => system?.end());
  return {
    get db() {
      return system!.db;
    },
    get url() {
      return system!.url;
    },
    startWorker: () => system!.startWorker(),
    end: () => system!.end(),
  };
}

export async function newFeed(
  db: Db,
  name: string,
  fields: object[],
  load: object = {},
  more: object = {},
): Promise<void> {
  await makeFeed(db, { name, title: name, about: "" });
  const document = {
    format: "good-sieve/plan@1",
    feed: name,
    contract: { fields },
    load: { target: name, ...load },
    gates: [{ limit: "held share", over: 0.5 }, { limit: "nothing read" }, { limit: "required column missing" }],
    ...more,
  };
  await savePlan(db, name, document, "for a test", "test");
}

async function* pieces(bytes: Uint8Array): AsyncGenerator<Uint8Array> {
  // In odd sizes, as a network gives them.
  for (let at = 0; at < bytes.length; at += 100_003) yield bytes.subarray(at, at + 100_003);
}

export async function deliver(db: Db, feed: string, ...files: (string | Uint8Array)[]): Promise<number> {
  const delivery = await makeDelivery(db, feed, "test");
  for (const [i, file] of files.entries()) {
    const bytes = typeof file === "string" ? new TextEncoder().encode(file) : file;
    await receiveFile(db, delivery, `file-${i}.csv`, pieces(bytes), bytes.length);
  }
  return delivery;
}

/** Waits until a load has ended, or until `until` says that it has come far enough. */
export async function waitFor(db: Db, id: number, until: (load: Load) => boolean = () => false): Promise<Load> {
  for (let i = 0; i < 1600; i++) {
    const load = await getLoad(db, id).catch((error: Error) => {
      if (/terminat|ECONN|recovery|starting up|shutting down/i.test(error.message)) return null;
      throw error;
    });
    if (load && (until(load) || !["queued", "running"].includes(load.state))) return load;
    await new Promise((resolve) => setTimeout(resolve, 50));
  }
  throw new Error(`load ${id} did not end`);
}

export async function loadNow(db: Db, feed: string, ...files: (string | Uint8Array)[]): Promise<Load> {
  return await waitFor(db, await askForLoad(db, await deliver(db, feed, ...files), true));
}

export async function rows(db: Db, table: string, order = "1"): Promise<Record<string, unknown>[]> {
  return (await db.query<Record<string, unknown>>(`select * from target.${table} order by ${order}`)).rows;
}
