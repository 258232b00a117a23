import { join } from "node:path";
import { pathToFileURL } from "node:url";
import { expect } from "vitest";
import { discardRecords, takeBack } from "@/engine/release/discard.ts";
import { runLoad } from "@/engine/load/run-load.ts";
import { undoWriting } from "@/engine/undo/undo.ts";
import { verifyLoad } from "@/engine/look/verify.ts";
import { SieveError } from "@/core/kernel/problem.ts";
import { getLoad, type Load } from "@/store/loads.ts";
import { askForLoad } from "@/store/load-requests.ts";
import { FIRST_RETENTION, setRetention } from "@/store/retention.ts";
import type { WritingKind } from "@/store/writings.ts";
import { root } from "../../scripts/lib/machine.mjs";
import { Model, type Change, type Done, type Row } from "./model.ts";
import { random } from "./random.ts";
import { deliver, newFeed, newSystem, type System } from "./system.ts";

/** MODEL_SEQUENCES makes it more sequences, MODEL_SEED another set of them, MODEL_FROM begins later. */
const MORE = process.env["MODEL_SEQUENCES"];
const FROM = Number(process.env["MODEL_FROM"] ?? 0);
const SEED = Number(process.env["MODEL_SEED"] ?? 1);
const LANES = 3;

/** What is undone as a whole or not at all. */
const WHOLE: readonly WritingKind[] = ["decision", "split", "put back", "join"];

const options = {
  thread: pathToFileURL(join(root, "dist/course-thread.js")),
  pairsThread: pathToFileURL(join(root, "dist/pairs-thread.js")),
};

/** What a feed of a sequence is. The first field is the key, and the field `n` is a whole number. */
export interface SequenceFeed {
  readonly fields: readonly { name: string; type: string }[];
  readonly load: object;
  readonly more?: object;
  /** Fields that have values of their own with each record, and no column in the target. */
  readonly beside?: readonly { name: string; type: string }[];
  /** A field of the target that no delivery has: the day since which a key comes no more. */
  readonly mark?: string;
  /** How many acts a sequence has after its first load. */
  readonly acts: number;
}

/** A run of random acts on a small target, held against the model after each. */
export abstract class Sequence {
  readonly model = new Model();
  /** What has been done, in words. */
  readonly said: string[] = [];
  protected readonly table: string;
  /** Tables that are written alike, the plan's own among them. */
  protected readonly alike: number = 1;
  /** The columns besides the key. */
  private readonly columns: readonly string[];

  constructor(
    protected readonly system: System,
    protected readonly feed: string,
    private readonly about: SequenceFeed,
    protected readonly roll: () => number,
  ) {
    this.table = `target.${feed}`;
    this.columns = about.fields.slice(1).map((f) => f.name);
  }

  /** The acts to choose from. */
  protected abstract readonly acts: readonly (() => Promise<void>)[];

  /** Loads a delivery of some records. */
  protected abstract load(): Promise<void>;

  protected pick<T>(list: readonly T[]): T {
    return list[Math.floor(this.roll() * list.length)]!;
  }

  protected get words(): string {
    return this.said.join("\n");
  }

  async run(): Promise<void> {
    const { db } = this.system;
    const { fields, beside = [] } = this.about;
    const load = beside.length > 0 ? { ...this.about.load, without: beside.map((f) => f.name) } : this.about.load;
    await newFeed(db, this.feed, [...fields, ...beside], load, { gates: [], ...this.about.more });
    await setRetention(db, this.feed, { ...FIRST_RETENTION, undoLoads: 50 }, "t");
    await this.load();
    await this.compare();
    for (let i = 0; i < this.about.acts; i++) {
      await this.pick(this.acts)();
      await this.compare();
    }
    const { rows } = await db.query<{ id: number }>(
      "select id from sieve.load where feed = $1 and state in ('loaded', 'undone')",
      [this.feed],
    );
    for (const { id } of rows) expect((await verifyLoad(db, id)).differs, this.words).toEqual([]);
  }

  protected async compare(): Promise<void> {
    const list = this.columns.map((c) => `coalesce(${c}::text, '')`).join(", ");
    const { rows } = await this.system.db.query<{ r: string }>(
      `select concat_ws('|', id, ${list}) as r from ${this.table} order by id`,
    );
    const expected = [...this.model.rows]
      .sort(([a], [b]) => (a < b ? -1 : 1))
      .map(([k, r]) => [k, ...r.values].join("|"));
    expect(
      rows.map((r) => r.r),
      this.words,
    ).toEqual(expected);
  }

  /** Delivers and loads lines of cells, sometimes with a worker that dies on the way. */
  protected async loadLines(lines: readonly (readonly string[])[]): Promise<Load> {
    const { db } = this.system;
    const { fields, beside = [], mark } = this.about;
    const head = [...fields, ...beside].flatMap((f) => (f.name === mark ? [] : [f.name])).join(",");
    const more = beside.map(() => `z${Math.floor(this.roll() * 5)}`);
    const text = `${head}\n${lines.map((l) => [...l, ...more].join(",")).join("\n")}\n`;
    const id = await askForLoad(db, await deliver(db, this.feed, text), { again: true });
    const kill = this.roll() < 0.15;
    this.said.push(`load ${id}: ${lines.map((l) => l.join("|")).join(" ")}${kill ? ", killed on the way" : ""}`);
    if (kill) await this.killed(id);
    await runLoad(db, id, options);
    const load = await getLoad(db, id);
    expect(load.state, `${this.words}\n${JSON.stringify(load.error)}`).toBe("loaded");
    this.model.version++;
    return load;
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

  /** A row as a writing of this moment leaves it. */
  protected row(values: readonly string[], from: string, writing: number): Row {
    return { values, from, writing, ours: true, version: this.model.version };
  }

  protected async discard(): Promise<void> {
    const { db } = this.system;
    const { rows } = await db.query<{ load: number; record: number; state: string }>(
      "select load, record, state from sieve.held where feed = $1",
      [this.feed],
    );
    const some = rows.filter(() => this.roll() < 0.3);
    this.said.push(`discard or take back ${some.length}`);
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

  /** Keys that another program may write. */
  protected abstract foreignKeys(): readonly string[];

  protected async foreign(): Promise<void> {
    const { db } = this.system;
    const keys = this.foreignKeys();
    if (keys.length === 0) return;
    const key = this.pick(keys);
    const old = this.model.rows.get(key);
    const name = `x${Math.floor(this.roll() * 9)}`;
    const values = this.columns.map((c, i) => (c === "name" ? name : c === "n" ? "7" : (old?.values[i] ?? "")));
    if (old && this.roll() < 0.3) {
      this.said.push(`another program deletes ${key}`);
      await db.query(`delete from ${this.table} where id = $1`, [key]);
      this.model.foreign(key, null);
      return;
    }
    this.said.push(`another program ${old ? "sets" : "inserts"} ${key} ${name}`);
    await db.query(
      old
        ? `update ${this.table} set name = $2, n = 7 where id = $1`
        : `insert into ${this.table} (id, name, n, _load, _record) values ($1, $2, 7, 0, 0)`,
      [key, name],
    );
    this.model.foreign(key, values);
  }

  /** What undoing a writing undoes, in its order. */
  private victimsOf(main: Done): Done[] {
    const standing = this.model.writings.filter((w) => w.undoneBy === null);
    if (main.kind === "undo") return standing.filter((w) => w.act === main.act).reverse();
    const later = standing.filter(
      (w) =>
        w.load === main.load && w.kind !== "undo" && this.model.writings.indexOf(w) > this.model.writings.indexOf(main),
    );
    return main.kind === "load" ? [...later.reverse(), main] : [main];
  }

  protected async undo(): Promise<void> {
    const { db } = this.system;
    const { model } = this;
    const open = model.writings.filter(
      (w) => w.undoneBy === null || model.writings.find((u) => u.id === w.undoneBy)!.left > 0,
    );
    if (open.length === 0) return;
    const main = this.pick(open);
    const over = this.roll() < 0.3;
    this.said.push(`undo writing ${main.id} (${main.kind} of ${main.load})${over ? " over" : ""}`);
    await this.undone(this.victimsOf(main), over, async () => {
      const undone = await undoWriting(db, main.id, { reason: "a test", by: "t", over: over ? "all" : "none" });
      return [undone.writing, undone.left / this.alike];
    });
  }

  /**
   * Holds what an undo of some writings does against the model; `act` gives the number of an undo that was
   * made, and the rows that were left. What is undone as a whole is refused where a row would be left.
   */
  protected async undone(
    victims: readonly Done[],
    over: boolean,
    act: () => Promise<[writing: number, left: number]>,
  ): Promise<boolean> {
    const { model } = this;
    const before = new Map(model.rows);
    model.version++;
    const results = model.undo(victims, over);
    const refused = victims.length === 1 && WHOLE.includes(this.firstOf(victims[0]!).kind) && results[0]!.left > 0;
    let writing: number;
    let left: number;
    try {
      [writing, left] = await act();
    } catch (error) {
      if (!(error instanceof SieveError) || !refused) throw error;
      expect(error.code, this.words).toBe("row-gone");
      this.said.push("  refused");
      model.rows.clear();
      for (const [key, row] of before) model.rows.set(key, row);
      return false;
    }
    expect(refused, this.words).toBe(false);
    const { rows: made } = await this.system.db.query<{ id: number; act: number; undoes: number }>(
      "select id, act, undoes from sieve.writing where act = (select act from sieve.writing where id = $1) and kind = 'undo' order by id",
      [writing],
    );
    victims.forEach((victim, i) => {
      const own = made.find((m) => m.undoes === victim.id);
      expect(own, this.words).toBeDefined();
      model.setUndone(victim, own!.id);
      this.note({ id: own!.id, kind: "undo", load: victim.load, act: own!.act, undoes: victim.id, ...results[i]! });
    });
    expect(left, this.words).toBe(results.reduce((n, r) => n + r.left, 0));
    return true;
  }

  /** What an undo, or the undo of an undo, goes back to in the end. */
  private firstOf(done: Done): Done {
    return done.undoes === null ? done : this.firstOf(this.model.writings.find((w) => w.id === done.undoes)!);
  }

  protected note(done: Omit<Done, "undoneBy">): void {
    this.model.writings.push({ ...done, undoneBy: null });
  }

  /** Notes a writing that was no undo. */
  protected wrote(kind: WritingKind, id: number, load: number, changes: readonly Change[]): void {
    this.note({ id, kind, load, act: id, undoes: null, changes, left: 0 });
  }
}

/** How many sequences are run where `count` are as a rule. */
export const sequences = (count: number): number => (MORE === undefined ? count : Number(MORE));

/** Runs sequences side by side, each lane in a database of its own: most of a sequence is waiting for it. */
export async function runSequences(
  count: number,
  make: (system: System, number: number, roll: () => number) => Sequence,
): Promise<void> {
  let stopped = false;
  const lane = async (first: number): Promise<void> => {
    const system = await newSystem();
    try {
      for (let s = FROM + first; s < sequences(count) && !stopped; s += LANES) {
        const sequence = make(system, s, random(SEED * 1_000_003 + s * 7919));
        await sequence.run().catch((error: Error) => {
          stopped = true;
          throw new Error(`sequence ${s} (MODEL_SEED=${SEED}): ${error.message}\n${sequence.said.join("\n")}`);
        });
      }
    } finally {
      await system.end();
    }
  };
  const lanes = await Promise.allSettled(Array.from({ length: LANES }, (_, i) => lane(i)));
  for (const l of lanes) if (l.status === "rejected") throw l.reason as Error;
}
