import { fork, type ChildProcess } from "node:child_process";
import { createHash } from "node:crypto";
import { mkdtempSync, readFileSync, readdirSync, rmSync } from "node:fs";
import { createServer } from "node:http";
import type { AddressInfo } from "node:net";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { afterAll, beforeAll, expect, it } from "vitest";
import { releaseRecords } from "@/engine/release/release.ts";
import { undoLoad } from "@/engine/undo/undo.ts";
import { loadsToVerify, verifyLoad } from "@/engine/look/verify.ts";
import { isStoreAway, openDb, type Db } from "@/store/db.ts";
import { SieveError } from "@/core/kernel/problem.ts";
import { putConnection } from "@/store/connections.ts";
import { makeFarDatabase, startCluster, type Cluster } from "../../scripts/lib/cluster.mjs";
import { freePort, root } from "../../scripts/lib/machine.mjs";
import { newFeed, newName, newSystem, type System } from "../support/system.ts";
import { random } from "../support/random.ts";
import { program } from "../support/web.ts";

/** How many processes are killed; KILLS makes it more, KILL_SEED other moments. */
const KILLS = Number(process.env["KILLS"] ?? 9);
const SEED = Number(process.env["KILL_SEED"] ?? 1);
const RECORDS = 12_000;
const FIELDS = [
  { name: "id", type: "integer", required: true },
  { name: "t", type: "text", length: 12 },
  { name: "n", type: "integer" },
];

/** What a round does, the same for both twins: deliveries of two feeds with what is wrong in them. */
function textOf(round: number, part: number): string {
  const roll = random(round * 31 + part + 1, 20);
  const lines = Array.from({ length: RECORDS }, (_, i) => {
    const id = Math.floor(roll() * RECORDS * 1.5);
    return `${i % 40 === 3 ? "x" : id},v ${Math.floor(roll() * 1e6)},${i % 25 === 0 ? "bad" : i}`;
  });
  return `id,t,n\n${lines.join("\n")}\n`;
}

/** Both twins' way through a round. Each step is asked for until it has come about, as people do who got no answer. */
class Twin {
  constructor(
    readonly name: "clean" | "killed",
    readonly db: Db,
    readonly address: string,
    /** The database in which it keeps a copy. */
    private readonly far: Db,
  ) {}

  /** What its loads are told to do when they have ended. */
  private get after(): object[] {
    return [
      { do: "call", url: `${receiverAt}/${this.name}` },
      { do: "file", folder: this.name, records: 5_000 },
    ];
  }

  private async insist<T>(what: () => Promise<T | null>): Promise<T> {
    const until = Date.now() + 120_000;
    let last: unknown = null;
    while (Date.now() < until) {
      try {
        const result = await what();
        if (result !== null) return result;
      } catch (error) {
        // The web process or the server is away; anything else is a fault.
        const network =
          (error instanceof TypeError && error.message === "fetch failed") ||
          (error instanceof SieveError && error.code === "copy-away");
        if (!network && !isStoreAway(error) && !/recovery|shutting down|starting up/.test(String(error))) throw error;
        last = error;
      }
      await new Promise((resolve) => setTimeout(resolve, 60));
    }
    const { rows } = await this.db.query(
      `select l.id, l.state, l.attempts, l.deaths, l.stage, j.attempts as tries, j.locked_by, j.locked_at, j.run_at, j.last_error,
         (select json_agg(w) from sieve.worker w) as workers, now() from sieve.load l
         left join graphile_worker.jobs j on j.key = 'load ' || l.id where l.state in ('queued', 'running')`,
    );
    throw new Error(`it did not come about within two minutes; last: ${String(last)}; open: ${JSON.stringify(rows)}`);
  }

  /** Null where nobody was there to answer. */
  private async ask(method: string, path: string, body?: string | object): Promise<Record<string, unknown> | null> {
    const answer = await fetch(this.address + path, {
      method,
      headers: program(this.address),
      ...(body === undefined ? {} : { body: typeof body === "string" ? body : JSON.stringify(body) }),
      signal: AbortSignal.timeout(20_000),
    }).catch(() => null);
    if (!answer) return null;
    const json = (await answer.json().catch(() => null)) as Record<string, unknown> | null;
    if (answer.status >= 500) return null;
    return json;
  }

  async load(feed: string, text: string): Promise<number> {
    const delivery = await this.insist(async () => {
      const made = await this.ask("POST", `/api/feeds/${feed}/deliveries`, {});
      if (typeof made?.["id"] !== "number") return null;
      const put = await this.ask("PUT", `/api/deliveries/${made["id"]}/files?name=a.csv`, text);
      return put?.["sha256"] ? made["id"] : null;
    });
    return await this.insist(async () => {
      const { rows } = await this.db.query<{ id: number; state: string }>(
        "select id, state from sieve.load where delivery = $1 order by id desc limit 1",
        [delivery],
      );
      const state = rows[0]?.state;
      if (state === "loaded") return rows[0]!.id;
      // A load that has ended its worker three times is given up, and its bytes may come again.
      if (state === undefined || state === "failed")
        await this.ask("POST", `/api/deliveries/${delivery}/load`, { again: true });
      else expect(["queued", "running"]).toContain(state);
      return null;
    });
  }

  async release(load: number): Promise<void> {
    await this.insist(async () => {
      const { rows } = await this.db.query<{ record: number }>(
        `select record from sieve.held where load = $1 and state = 'held' and checks = '{n:type}'`,
        [load],
      );
      if (rows.length === 0) return true;
      await releaseRecords(
        this.db,
        rows.map(({ record }) => ({ load, record, values: { n: "7" } })),
        "Ines",
      );
      return null;
    });
  }

  async undo(load: number): Promise<void> {
    await this.insist(async () => {
      const { rows } = await this.db.query<{ state: string }>("select state from sieve.load where id = $1", [load]);
      if (rows[0]!.state === "undone") return true;
      await undoLoad(this.db, load, "a wrong file", "Ines");
      return null;
    });
  }

  /** All that a round does, and what there is to see of it afterwards. */
  async round(n: number): Promise<unknown> {
    const [upserts, appends] = [`ups_${n}`, `apps_${n}`];
    // Beside the target of the first, one that is written before it and one after it.
    const further = [
      { target: `${upserts}_copy`, turn: "before", key: ["id"] },
      { target: `${upserts}_by`, rows: "key", fields: [{ name: "t" }, { name: "n", takes: "sum" }], key: ["t"] },
    ];
    await this.insist(() =>
      newFeed(
        this.db,
        upserts,
        FIELDS,
        { key: ["id"], mode: "upsert", further, copies: [{ connection: "elsewhere" }] },
        { gates: [], after: this.after },
      ).then(() => true),
    );
    await this.insist(() => newFeed(this.db, appends, FIELDS, { key: ["id"] }, { gates: [] }).then(() => true));
    const [one, other] = await Promise.all([this.load(upserts, textOf(n, 1)), this.load(appends, textOf(n, 2))]);
    const two = await this.load(upserts, textOf(n, 3));
    await this.release(one);
    await this.release(other);
    await this.undo(two);
    const three = await this.load(upserts, textOf(n, 4));
    return await this.insist(async () => {
      const seen: unknown[] = [];
      for (const feed of [upserts, appends]) {
        const { rows } = await this.db.query(
          `select count(*)::int as rows, count(distinct id)::int as ids, sum(n)::int as sum,
             md5(string_agg(concat_ws('|', id, t, n), ',' order by id)) as content from target.${feed}`,
        );
        seen.push(rows);
      }
      const copy = await this.db.query(
        `select count(*)::int as rows, md5(string_agg(concat_ws('|', id, t, n), ',' order by id)) as content from target.${upserts}_copy`,
      );
      const sums = await this.db.query(
        `select count(*)::int as rows, sum(n)::int as sum, md5(string_agg(concat_ws('|', t, n), ',' order by t)) as content from target.${upserts}_by`,
      );
      seen.push(copy.rows, sums.rows);
      const elsewhere = await this.far.query(
        `select count(*)::int as rows, md5(string_agg(concat_ws('|', id, t, n), ',' order by id)) as content from ${upserts}`,
      );
      // The other database is told to commit a moment after the store has.
      if (JSON.stringify(elsewhere.rows) !== JSON.stringify(copy.rows)) return null;
      seen.push(elsewhere.rows);
      for (const load of [one, other, two, three]) {
        const { rows } = await this.db.query(
          `select l.state, read, inserted, updated, unchanged, l.held,
             (select jsonb_object_agg(state, n) from (select h.state, count(*) as n from sieve.held h where h.load = l.id group by 1) s) as quarantine
           from sieve.load l where id = $1`,
          [load],
        );
        seen.push(rows);
      }
      return seen;
    });
  }
}

/** A receiver that keeps by which numbers it was told; the same number says that it is the same. */
const told = new Set<string>();
const receiver = createServer((request, response) => {
  request.resume().on("end", () => {
    told.add(`${request.url} ${String(request.headers["sieve-delivery"])}`);
    response.end();
  });
});
let receiverAt = "";
const out = mkdtempSync(join(tmpdir(), "sieve-kills-"));

let cluster: Cluster;
let clean: System;
let killed: System;
const far: Db[] = [];
const processes = new Map<string, ChildProcess>();
const ports = new Map<string, number>();
let ending = false;

/** Starts a process that is started again whenever it ends. */
function keep(name: string, file: string, args: string[], url: string): void {
  if (ending) return;
  const child = fork(join(root, file), args, {
    cwd: root,
    env: {
      ...process.env,
      NODE_ENV: "production",
      DATABASE_URL: url,
      LOG_LEVEL: "silent",
      SIEVE_COSTLY_AT_ONCE: "100000",
      SIEVE_OUT: out,
      SIEVE_RECEIVER_HOSTS: new URL(receiverAt).host,
    },
    stdio: ["ignore", "ignore", "inherit", "ipc"],
  });
  processes.set(name, child);
  child.once("exit", () => setTimeout(() => keep(name, file, args, url), 50));
}

beforeAll(async () => {
  cluster = await startCluster("test-kills", await freePort(), { settings: { fsync: "off" }, quiet: true });
  await new Promise<void>((resolve) => receiver.listen(0, "127.0.0.1", resolve));
  receiverAt = `http://127.0.0.1:${(receiver.address() as AddressInfo).port}`;
  process.env["SIEVE_KEY"] = Buffer.alloc(32, 7).toString("base64");
  clean = await newSystem(cluster);
  killed = await newSystem(cluster);
  for (const { db } of [clean, killed]) {
    const { url } = makeFarDatabase(cluster, newName());
    far.push(openDb(url, 2, { patience: 5000 }));
    await putConnection(db, "elsewhere", url, "test");
  }
  for (const [name, { url }] of [
    ["clean", clean],
    ["killed", killed],
  ] as const) {
    ports.set(name, await freePort());
    keep(`${name} web`, "dist/web.js", ["start", String(ports.get(name))], url);
  }
  keep("clean worker", "dist/worker.js", [], clean.url);
  keep("killed worker 1", "dist/worker.js", [], killed.url);
  keep("killed worker 2", "dist/worker.js", [], killed.url);
});
afterAll(async () => {
  ending = true;
  for (const child of processes.values()) child.kill("SIGKILL");
  await Promise.allSettled([clean?.end(), killed?.end(), ...far.map((db) => db.end())]);
  receiver.close();
  rmSync(out, { recursive: true, force: true });
  await cluster?.stop();
});

it(
  `${KILLS} kills of worker, web and server at any moment lose nothing, double nothing and leave nothing lying about`,
  { timeout: 120_000 + KILLS * 12_000 },
  async () => {
    const roll = random(SEED * 7919, 20);
    const twins = [
      new Twin("clean", openDb(clean.url, 4), `http://127.0.0.1:${ports.get("clean")}`, far[0]!),
      new Twin("killed", openDb(killed.url, 4, { patience: 5000 }), `http://127.0.0.1:${ports.get("killed")}`, far[1]!),
    ] as const;
    const kills: Record<string, number> = { worker: 0, web: 0, server: 0 };
    const all = (): number => Object.values(kills).reduce((a, b) => a + b);
    for (let n = 0; all() < KILLS; n++) {
      const expected = await twins[0].round(n);
      let going = true;
      const killer = (async (): Promise<void> => {
        while (going) {
          await new Promise((resolve) => setTimeout(resolve, 150 + roll() ** 2 * 6000));
          if (!going || all() >= KILLS) break;
          const what = roll();
          if (what < 0.6) {
            processes.get(`killed worker ${roll() < 0.5 ? 1 : 2}`)!.kill("SIGKILL");
            kills["worker"]!++;
          } else if (what < 0.8) {
            processes.get("killed web")!.kill("SIGKILL");
            kills["web"]!++;
          } else {
            await cluster.kill();
            kills["server"]!++;
          }
        }
      })();
      try {
        expect(await twins[1].round(n), `round ${n} with KILL_SEED=${SEED} after ${JSON.stringify(kills)}`).toEqual(
          expected,
        );
      } finally {
        going = false;
        await killer;
      }
    }
    // Whatever was begun has ended.
    const { db } = twins[1];
    await expect
      .poll(() => db.query("select from sieve.load where state in ('queued', 'running')").then((r) => r.rowCount), {
        timeout: 60_000,
      })
      .toBe(0);
    for (const id of await loadsToVerify(db)) expect((await verifyLoad(db, id)).differs, `load ${id}`).toEqual([]);
    const left = await db.query(
      `select schemaname, tablename from pg_tables where schemaname = 'staging'
         or schemaname = 'undo' and not exists (select from sieve.writing w where tablename = 'writing ' || w.id)`,
    );
    expect(left.rows).toEqual([]);
    await afterwards(db);
    process.stdout.write(`killed: ${JSON.stringify(kills)}\n`);
    for (const twin of twins) await twin.db.end();
  },
);

/** Who was to be told was told, by one number for each thing, and what manifests say of files is so. */
async function afterwards(db: Db): Promise<void> {
  const waiting = async (): Promise<unknown> =>
    (await db.query("select load, n, attempts, answer from sieve.after_load where state = 'waiting'")).rows;
  await expect.poll(waiting, { timeout: 120_000 }).toEqual([]);
  const { rows } = await db.query<{ load: number; outcome: string; n: number; does: string }>(
    "select load, outcome, n, action->>'do' as does from sieve.after_load where state = 'done'",
  );
  expect(rows.length).toBeGreaterThan(0);
  const manifests = readdirSync(join(out, "killed")).filter((f) => f.startsWith("manifest-"));
  for (const { load, outcome, n, does } of rows) {
    if (does === "call") expect(told).toContain(`/killed ${load}-${outcome.replaceAll(" ", "-")}-${n}`);
    else expect(manifests).toContain(`manifest-load-${load}.json`);
  }
  for (const name of manifests) {
    const manifest = JSON.parse(readFileSync(join(out, "killed", name), "utf8")) as {
      files: { path: string; bytes: number; sha256: string }[];
    };
    for (const file of manifest.files) {
      const bytes = readFileSync(join(out, "killed", file.path));
      expect(bytes.length, name).toBe(file.bytes);
      expect(createHash("sha256").update(bytes).digest("hex"), name).toBe(file.sha256);
    }
  }
  const { rows: left } = await far[1]!.query(
    "select relname from pg_class where relname like 'good sieve %' union all select gid from pg_prepared_xacts where database = current_database()",
  );
  expect(left).toEqual([]);
  const { rows: open } = await db.query("select * from sieve.copied where not settled");
  expect(open).toEqual([]);
}
