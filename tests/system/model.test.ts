import { join } from "node:path";
import { pathToFileURL } from "node:url";
import { expect, it } from "vitest";
import { discardRecords, releaseRecords, takeBack } from "@/engine/release/release.ts";
import { runLoad } from "@/engine/load/run-load.ts";
import { undoWriting } from "@/engine/undo/undo.ts";
import { verifyLoad } from "@/engine/look/verify.ts";
import { askForLoad, getLoad } from "@/store/loads.ts";
import { listWritings } from "@/store/writings.ts";
import { root } from "../../scripts/lib/machine.mjs";
import { random } from "../support/random.ts";
import { deliver, newFeed, newSystem, type System } from "../support/system.ts";

/** How many random sequences are run; MODEL_SEQUENCES makes it more, MODEL_SEED another set of them, MODEL_FROM begins later. */
const SEQUENCES = Number(process.env["MODEL_SEQUENCES"] ?? 1000);
const FROM = Number(process.env["MODEL_FROM"] ?? 0);
const SEED = Number(process.env["MODEL_SEED"] ?? 1);
const OPERATIONS = 7;
const LANES = 3;
const KEYS = ["a", "b", "c", "d", "e"];

const FIELDS = [
  { name: "id", type: "text", required: true },
  { name: "name", type: "text" },
  { name: "n", type: "integer" },
];

/** A row of the target as the model has it: what is in it, and whose it is. */
interface Row {
  readonly name: string;
  readonly n: string;
  /** The writing that left it as it is; null where that is none of ours. */
  readonly writing: number | null;
  /** Whether the last to touch it was Good Sieve. */
  readonly ours: boolean;
  /** Which transaction wrote this version of it. */
  readonly version: number;
}

interface Change {
  readonly key: string;
  readonly before: Row | null;
  /** What the row is left as; null where it was taken away. */
  readonly after: Row | null;
}

interface Done {
  readonly id: number;
  readonly kind: "load" | "release" | "undo";
  readonly load: number;
  readonly act: number;
  readonly undoes: number | null;
  undoneBy: number | null;
  left: number;
  readonly changes: readonly Change[];
}

/** The simple model: a map of rows, and what each writing did to them. */
class Model {
  readonly rows = new Map<string, Row>();
  readonly writings: Done[] = [];
  version = 0;

  apply(changes: readonly Change[]): void {
    for (const { key, after } of changes) {
      if (after) this.rows.set(key, after);
      else this.rows.delete(key);
    }
  }

  foreign(key: string, row: { name: string; n: string } | null): void {
    this.version++;
    const old = this.rows.get(key);
    if (!row) this.rows.delete(key);
    else this.rows.set(key, { ...row, writing: old?.writing ?? null, ours: false, version: this.version });
  }

  /** Whether what stands at a key is what a writing put there, or what others have made of that. */
  stillOf(victim: Done, key: string): boolean {
    if (this.rows.get(key)?.writing === victim.id) return true;
    const later = this.writings.slice(this.writings.indexOf(victim) + 1);
    return later.some((w) => w.changes.some((c) => c.key === key && c.before?.writing === victim.id));
  }

  /** What an undo had undone stands again when it is undone, and so on. */
  setUndone(w: Done, by: number | null): void {
    const others = this.writings.filter((u) => u.undoes === w.id && u.undoneBy === null);
    w.undoneBy = by ?? others.at(-1)?.id ?? null;
    const undone = this.writings.find((x) => x.id === w.undoes);
    if (undone) this.setUndone(undone, w.undoneBy === null ? w.id : null);
  }

  /** What undoing one writing changes: rows that stand as it left them, and with `over` also the others. */
  undoOne(victim: Done, over: boolean): { changes: Change[]; left: number } {
    const changes: Change[] = [];
    let left = 0;
    for (const { key, before, after } of victim.changes) {
      const now = this.rows.get(key) ?? null;
      // Another program's version is no writing's, although it carries one's number.
      const back = before && {
        ...before,
        writing: before.ours ? before.writing : null,
        ours: true,
        version: this.version,
      };
      const stands = after === null ? now === null : now !== null && now.ours && now.writing === after.writing;
      const same = before === null ? now === null : now !== null && now.name === before.name && now.n === before.n;
      if (stands) changes.push({ key, before: now, after: back });
      else if (before === null && now === null) continue;
      else if (same) continue;
      // A row that it put there and that was taken away is gone; who has put another there since has nothing of it.
      else if (before === null && victim.kind !== "undo" && !this.stillOf(victim, key)) continue;
      else if (over) changes.push({ key, before: now, after: back });
      else left++;
    }
    return { changes, left };
  }
}

const options = {
  thread: pathToFileURL(join(root, "dist/course-thread.js")),
  pairsThread: pathToFileURL(join(root, "dist/pairs-thread.js")),
};

class Sequence {
  readonly model = new Model();
  readonly told: string[] = [];
  private readonly table: string;

  constructor(
    private readonly system: System,
    private readonly feed: string,
    private readonly mode: "upsert" | "append",
    private readonly roll: () => number,
  ) {
    this.table = `target.${feed}`;
  }

  private pick<T>(list: readonly T[]): T {
    return list[Math.floor(this.roll() * list.length)]!;
  }

  async run(): Promise<void> {
    const { db } = this.system;
    await newFeed(db, this.feed, FIELDS, { key: ["id"], mode: this.mode }, { gates: [] });
    await this.load();
    for (let i = 0; i < OPERATIONS; i++) {
      const what = this.pick([
        "load",
        "load",
        "release",
        "discard",
        "undo",
        "undo",
        "undo",
        "foreign",
        "foreign",
      ] as const);
      await this[what]();
      await this.compare();
    }
    for (const { id } of (
      await db.query<{ id: number }>("select id from sieve.load where feed = $1 and state in ('loaded', 'undone')", [
        this.feed,
      ])
    ).rows) {
      expect((await verifyLoad(db, id)).differs, this.told.join("\n")).toEqual([]);
    }
  }

  async compare(): Promise<void> {
    const { rows } = await this.system.db.query<{ r: string }>(
      `select concat_ws('|', id, coalesce(name, ''), coalesce(n::text, '')) as r from ${this.table} order by id`,
    );
    const expected = [...this.model.rows].sort(([a], [b]) => (a < b ? -1 : 1)).map(([k, r]) => `${k}|${r.name}|${r.n}`);
    expect(
      rows.map((r) => r.r),
      this.told.join("\n"),
    ).toEqual(expected);
  }

  async load(): Promise<void> {
    const { db } = this.system;
    const { model, roll } = this;
    const lines = Array.from({ length: 1 + Math.floor(roll() * 4) }, () => {
      const n = roll() < 0.25 ? "bad" : roll() < 0.2 ? "" : String(Math.floor(roll() * 50));
      return [this.pick(KEYS), roll() < 0.2 ? "" : `v${Math.floor(roll() * 6)}`, n] as const;
    });
    const text = `id,name,n\n${lines.map((l) => l.join(",")).join("\n")}\n`;
    const id = await askForLoad(db, await deliver(db, this.feed, text), true);
    const kill = roll() < 0.15;
    this.told.push(`load ${id}: ${lines.map((l) => l.join("|")).join(" ")}${kill ? ", killed on the way" : ""}`);
    if (kill) await this.killed(id);
    await runLoad(db, id, options);
    const load = await getLoad(db, id);
    expect(load.state, `${this.told.join("\n")}\n${JSON.stringify(load.error)}`).toBe("loaded");
    model.version++;
    const changes: Change[] = [];
    const seen = new Set<string>();
    const row = (name: string, n: string): Row => ({
      name,
      n,
      writing: load.writing,
      ours: true,
      version: model.version,
    });
    for (const [key, name, n] of lines) {
      const again = seen.has(key);
      seen.add(key);
      if (again || n === "bad") continue;
      const before = model.rows.get(key) ?? null;
      if (before && this.mode === "append") continue;
      const after = row(name || (before?.name ?? ""), n || (before?.n ?? ""));
      if (before && before.name === after.name && before.n === after.n) continue;
      changes.push({ key, before, after });
    }
    model.apply(changes);
    this.note({ id: load.writing!, kind: "load", load: id, act: load.writing!, undoes: null, changes, left: 0 });
  }

  /** A worker that dies: its connections go, wherever it is. What it leaves is none of the next attempt's concern. */
  private async killed(id: number): Promise<void> {
    const { db } = this.system;
    const stop = new AbortController();
    const run = runLoad(db, id, { ...options, signal: stop.signal }).catch(() => {});
    await new Promise((resolve) => setTimeout(resolve, this.roll() * 60));
    await db.query(
      `select pg_terminate_backend(pid) from pg_locks where locktype = 'advisory' and classid = 7301 and objid = $1
         and database = (select oid from pg_database where datname = current_database())`,
      [id],
    );
    await run;
    // The server notices a moment later that a connection has gone.
    for (let free = false; !free;) {
      const { rows } = await db.query(
        "select from pg_locks where locktype = 'advisory' and classid = 7301 and objid = $1",
        [id],
      );
      free = rows.length === 0;
    }
  }

  async release(): Promise<void> {
    const { db } = this.system;
    const { model, roll } = this;
    const { rows: held } = await db.query<{
      load: number;
      record: number;
      values: string[];
      found: string | null;
      key: string;
    }>(
      `select load, record, field_values as values, found from sieve.held where feed = $1 and state in ('held', 'overtaken')
       order by load, record`,
      [this.feed],
    );
    const chosen = held.filter(() => roll() < 0.6);
    if (chosen.length === 0) return;
    const over = roll() < 0.3;
    const n = String(100 + Math.floor(roll() * 50));
    this.told.push(`release ${chosen.map((h) => `${h.load}:${h.record}`).join(" ")} n=${n}${over ? " over" : ""}`);
    const results = await releaseRecords(
      db,
      chosen.map(({ load, record }) => ({ load, record, values: { n } })),
      "t",
      { overtaken: over },
    );
    model.version++;
    // Which passed is the engine's to say; what they did to the rows is the model's. None may override what is newer unasked.
    for (const load of new Set(chosen.map((h) => h.load))) {
      const released = results.filter((r) => r.load === load && r.released);
      if (released.length === 0) continue;
      const [writing] = await listWritings(db, { load }, 1);
      const changes: Change[] = [];
      for (const { record } of released) {
        const [key, name] = chosen.find((h) => h.load === load && h.record === record)!.values as [string, string];
        const before = model.rows.get(key) ?? null;
        const loaded = model.writings.find((w) => w.kind === "load" && w.load === load)!;
        if (before && !over && before.ours && before.writing !== null) {
          const by = model.writings.find((w) => w.id === before.writing)!;
          const newer = by.id > loaded.id && !(by.kind === "release" && by.load < load);
          const same = before.n === n && (name === "" || before.name === name);
          expect(newer && !same, `${this.told.join("\n")}\n${load}:${record} overrode writing ${by.id}`).toBe(false);
        }
        expect(before !== null && this.mode === "append", this.told.join("\n")).toBe(false);
        const after: Row = {
          name: name || (before?.name ?? ""),
          n,
          writing: writing!.id,
          ours: true,
          version: model.version,
        };
        if (before && before.name === after.name && before.n === after.n) continue;
        changes.push({ key, before, after });
        model.apply([changes.at(-1)!]);
      }
      this.note({ id: writing!.id, kind: "release", load, act: writing!.id, undoes: null, changes, left: 0 });
    }
  }

  async discard(): Promise<void> {
    const { db } = this.system;
    const { rows } = await db.query<{ load: number; record: number; state: string }>(
      "select load, record, state from sieve.held where feed = $1",
      [this.feed],
    );
    const some = rows.filter(() => this.roll() < 0.3);
    this.told.push(`discard or take back ${some.length}`);
    await discardRecords(db, some, "no use", "t");
    if (this.roll() < 0.5) {
      // What an undone load held stays discarded.
      const { rows: open } = await db.query<{ load: number; record: number }>(
        "select h.load, h.record from sieve.held h join sieve.load l on l.id = h.load where h.feed = $1 and h.state = 'discarded' and l.state = 'loaded'",
        [this.feed],
      );
      await takeBack(db, open);
    }
  }

  async foreign(): Promise<void> {
    const { db } = this.system;
    const key = this.pick(KEYS);
    const there = this.model.rows.has(key);
    const name = `x${Math.floor(this.roll() * 9)}`;
    if (there && this.roll() < 0.3) {
      this.told.push(`another program deletes ${key}`);
      await db.query(`delete from ${this.table} where id = $1`, [key]);
      this.model.foreign(key, null);
    } else if (there) {
      this.told.push(`another program sets ${key} ${name}`);
      await db.query(`update ${this.table} set name = $2, n = 7 where id = $1`, [key, name]);
      this.model.foreign(key, { name, n: "7" });
    } else {
      this.told.push(`another program inserts ${key} ${name}`);
      await db.query(`insert into ${this.table} (id, name, n, _load, _record) values ($1, $2, 7, 0, 0)`, [key, name]);
      this.model.foreign(key, { name, n: "7" });
    }
  }

  async undo(): Promise<void> {
    const { db } = this.system;
    const { model } = this;
    const open = model.writings.filter(
      (w) => w.undoneBy === null || model.writings.find((u) => u.id === w.undoneBy)!.left > 0,
    );
    if (open.length === 0) return;
    const main = this.pick(open);
    const over = this.roll() < 0.3;
    this.told.push(`undo writing ${main.id} (${main.kind} of ${main.load})${over ? " over" : ""}`);
    const victims =
      main.kind === "undo"
        ? model.writings.filter((w) => w.act === main.act && w.undoneBy === null).sort((a, b) => b.id - a.id)
        : main.kind === "load"
          ? [
              ...model.writings
                .filter((w) => w.kind === "release" && w.load === main.load && w.undoneBy === null)
                .sort((a, b) => b.id - a.id),
              main,
            ]
          : [main];
    const undone = await undoWriting(db, main.id, { reason: "a test", by: "t", over: over ? "all" : "none" });
    const { rows: made } = await db.query<{ id: number; act: number; undoes: number }>(
      "select id, act, undoes from sieve.writing where act = (select act from sieve.writing where id = $1) and kind = 'undo' order by id",
      [undone.writing],
    );
    model.version++;
    let left = 0;
    for (const victim of victims) {
      const own = made.find((m) => m.undoes === victim.id);
      expect(own, this.told.join("\n")).toBeDefined();
      const result = model.undoOne(victim, over);
      model.apply(result.changes);
      left += result.left;
      model.setUndone(victim, own!.id);
      this.note({ id: own!.id, kind: "undo", load: victim.load, act: own!.act, undoes: victim.id, ...result });
    }
    expect(undone.left, this.told.join("\n")).toBe(left);
  }

  private note(done: Omit<Done, "undoneBy">): void {
    this.model.writings.push({ ...done, undoneBy: null });
  }
}

it(
  `${SEQUENCES} random sequences leave the target as a simple model says, and verify finds nothing`,
  { timeout: 60_000 + SEQUENCES * 3000 },
  async () => {
    // Each lane has a database of its own; most of a sequence is waiting for it.
    const lane = async (first: number): Promise<void> => {
      const system = await newSystem();
      try {
        for (let s = FROM + first; s < SEQUENCES && !stopped; s += LANES) {
          const seed = SEED * 1_000_003 + s * 7919;
          const mode = s % 3 === 2 ? "append" : "upsert";
          const sequence = new Sequence(system, `model_${s}`, mode, random(seed));
          await sequence.run().catch((error: Error) => {
            stopped = true;
            throw new Error(`sequence ${s} (MODEL_SEED=${SEED}): ${error.message}\n${sequence.told.join("\n")}`);
          });
        }
      } finally {
        await system.end();
      }
    };
    let stopped = false;
    const lanes = await Promise.allSettled(Array.from({ length: LANES }, (_, i) => lane(i)));
    for (const l of lanes) if (l.status === "rejected") throw l.reason as Error;
  },
);
