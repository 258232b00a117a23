import { fork, type ChildProcess } from "node:child_process";
import { join } from "node:path";
import { afterAll, beforeAll, inject } from "vitest";
import { openDb, transaction, type Db } from "@/store/db.ts";
import { makeDelivery, receiveFile } from "@/store/deliveries.ts";
import { makeFeed, savePlan } from "@/store/feeds.ts";
import { getLoad, type Load } from "@/store/loads.ts";
import { askForLoad } from "@/store/load-requests.ts";
import { addressesOf, type Addresses } from "../../scripts/lib/cluster.mjs";
import { root } from "../../scripts/lib/machine.mjs";
import { storeIn } from "./store-in.ts";

export interface System {
  /** The store as the application has it, by its role. */
  db: Db;
  url: string;
  /** Who runs the server: may do everything, as another program does or somebody who tampers. */
  admin: Db;
  adminUrl: string;
  startWorker(): Promise<ChildProcess>;
  end(): Promise<void>;
}

let made = 0;

/** A name that no database of the tests has yet. */
export const newName = (): string => `test_${process.pid}_${Date.now()}_${made++}`;

type Cluster = ReturnType<typeof inject<"cluster">>;

async function copyOfStore(cluster: Cluster): Promise<Addresses> {
  const name = newName();
  const admin = openDb(`${cluster.base}/postgres`, 1);
  await admin.query(`create database ${name} owner sieve_owner template ${inject("template")}`);
  await admin.end();
  return addressesOf(cluster, name);
}

/** A store of its own in the tests' cluster; or one in another cluster or of a name, which may be there and is brought up to date. */
export async function newSystem(cluster?: Cluster, name?: string): Promise<System> {
  const { url, admin } =
    cluster || name !== undefined
      ? await storeIn(cluster ?? inject("cluster"), name ?? newName())
      : await copyOfStore(inject("cluster"));
  const db = openDb(url, 8);
  const mighty = openDb(admin, 4);
  const workers: ChildProcess[] = [];
  return {
    db,
    url,
    admin: mighty,
    adminUrl: admin,
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
      await Promise.all([db.end(), mighty.end()]);
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
    get admin() {
      return system!.admin;
    },
    get adminUrl() {
      return system!.adminUrl;
    },
    startWorker: () => system!.startWorker(),
    end: () => system!.end(),
  };
}

/** What somebody with all rights does who takes the triggers away first. */
export async function tamper({ admin }: System, ...statements: string[]): Promise<void> {
  await transaction(admin, async (client) => {
    await client.query("set local session_replication_role = replica");
    for (const sql of statements) await client.query(sql);
  });
}

/** What another program does in the same database, by a role of its own; its tables are given to the application. */
export async function asOthers({ admin }: System, sql: string): Promise<void> {
  await admin.query(sql);
  const { rows } = await admin.query<{ give: string }>(
    `select format('alter table %I.%I owner to sieve_app; grant usage on schema %I to sieve_app', nspname, relname, nspname) as give
     from pg_class c join pg_namespace n on n.oid = relnamespace
     where relkind in ('r', 'p') and relowner = current_user::regrole and nspname !~ '^(pg_|information_schema|sieve$)'`,
  );
  for (const { give } of rows) await admin.query(give);
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

async function receive(db: Db, delivery: number, name: string, file: string | Uint8Array): Promise<void> {
  const bytes = typeof file === "string" ? new TextEncoder().encode(file) : file;
  await receiveFile(db, delivery, name, pieces(bytes), bytes.length);
}

export async function deliver(db: Db, feed: string, ...files: (string | Uint8Array)[]): Promise<number> {
  const delivery = await makeDelivery(db, feed, "test");
  for (const [i, file] of files.entries()) await receive(db, delivery, `file-${i}.csv`, file);
  return delivery;
}

/** Has a file of a sender loaded. */
export async function loadFrom(
  db: Db,
  feed: string,
  sender: string,
  file: string | Uint8Array,
  name = "seeds.csv",
): Promise<Load> {
  const delivery = await makeDelivery(db, feed, "test", sender);
  await receive(db, delivery, name, file);
  return await waitFor(db, await askForLoad(db, delivery, { again: true }));
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
  return await waitFor(db, await askForLoad(db, await deliver(db, feed, ...files), { again: true }));
}

export async function rows(db: Db, table: string, order = "1"): Promise<Record<string, unknown>[]> {
  return (await db.query<Record<string, unknown>>(`select * from target.${table} order by ${order}`)).rows;
}
