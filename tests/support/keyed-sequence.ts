import { expect } from "vitest";
import { releaseRecords } from "@/engine/release/release.ts";
import { dayOf, type Load } from "@/store/loads.ts";
import { listWritings } from "@/store/writings.ts";
import { sameValues, type Change, type Row } from "./model.ts";
import { Sequence, type SequenceFeed } from "./sequence.ts";
import type { System } from "./system.ts";

const KEYS = ["a", "b", "c", "d", "e"];

const FIELDS = [
  { name: "id", type: "text", required: true },
  { name: "name", type: "text" },
  { name: "n", type: "integer" },
];

/** How records with a key are written, as a plan says it; whole: each delivery is all there is. */
const HOW = {
  upsert: { mode: "upsert" },
  append: { mode: "append" },
  insert: { mode: "upsert", only: "insert" },
  update: { mode: "upsert", only: "update" },
  slice: { mode: "replace", slice: "name" },
  whole: { mode: "upsert", gone: { do: "remove", at_most: 1 } },
  within: { mode: "upsert", gone: { do: "remove", within: ["name"], at_most: 1 } },
  marked: { mode: "upsert", gone: { do: "mark", field: "ended", at_most: 1 } },
} as const;
export type KeyedMode = keyof typeof HOW;

/** Rows that no load of the feed has written. */
const OF_OTHERS = "0:0";

/** Records with a key, which are added, or written over what is there. */
export class KeyedSequence extends Sequence {
  constructor(
    system: System,
    feed: string,
    private readonly mode: KeyedMode,
    roll: () => number,
    { load = {}, beside = [] }: Partial<Pick<SequenceFeed, "load" | "beside">> = {},
  ) {
    const marked = mode === "marked" ? { fields: [...FIELDS, { name: "ended", type: "date" }], mark: "ended" } : {};
    const about = { fields: FIELDS, load: { key: ["id"], ...HOW[mode], ...load }, acts: 7, beside, ...marked };
    super(system, feed, about, roll);
  }

  protected readonly acts: readonly (() => Promise<void>)[] = [
    () => this.load(),
    () => this.load(),
    () => this.release(),
    () => this.discard(),
    () => this.undo(),
    () => this.undo(),
    () => this.undo(),
    () => this.foreign(),
    () => this.foreign(),
  ];

  protected foreignKeys(): readonly string[] {
    return KEYS;
  }

  /** What a row becomes by values that arrive: an empty one keeps what is there, but for the mark of one that is back. */
  private over(before: Row | null, values: readonly string[], from: string, writing: number): Row {
    const now = values.map((v, i) => v || (before?.values[i] ?? ""));
    return this.row(this.mode === "marked" ? [...now, ""] : now, from, writing);
  }

  protected async load(): Promise<void> {
    const { model, roll } = this;
    const lines = Array.from({ length: 1 + Math.floor(roll() * 4) }, () => {
      const n = roll() < 0.25 ? "bad" : roll() < 0.2 ? "" : String(Math.floor(roll() * 50));
      return [this.pick(KEYS), roll() < 0.2 ? "" : `v${Math.floor(roll() * 6)}`, n] as const;
    });
    const load = await this.loadLines(lines);
    if (this.mode === "slice") {
      const changes = this.slices(load, lines);
      model.apply(changes);
      return this.wrote("load", load.writing!, load.id, changes);
    }
    const changes: Change[] = [];
    const seen = new Set<string>();
    const names = new Set<string>();
    lines.forEach(([key, name, n], record) => {
      const again = seen.has(key);
      seen.add(key);
      if (again || n === "bad") return;
      names.add(name);
      const before = model.rows.get(key) ?? null;
      if (this.mode === "update" && !before) return;
      if (before && (this.mode === "append" || this.mode === "insert")) return;
      const after = this.over(before, [name, n], `${load.id}:${record}`, load.writing!);
      if (before && sameValues(before, after)) return;
      changes.push({ key, before, after });
    });
    if (this.mode === "whole" || this.mode === "within") {
      // A held record has come too: its row stays.
      for (const [key, before] of model.rows) {
        const meant = this.mode === "whole" || names.has(before.values[0]!);
        if (meant && !seen.has(key) && before.from !== OF_OTHERS) changes.push({ key, before, after: null });
      }
    }
    if (this.mode === "marked") {
      for (const [key, before] of model.rows) {
        const [name, n, ended] = before.values as [string, string, string];
        if (seen.has(key) || before.from === OF_OTHERS || ended !== "") continue;
        changes.push({ key, before, after: this.row([name, n, dayOf(load.askedAt)], before.from, load.writing!) });
      }
    }
    model.apply(changes);
    this.wrote("load", load.writing!, load.id, changes);
  }

  /** What a load makes of rows where it replaces those that have a name which came with a sound record. */
  private slices({ id, writing }: Load, lines: readonly (readonly [key: string, name: string, n: string])[]): Change[] {
    const { model } = this;
    const seen = new Set<string>();
    const sound = lines.flatMap(([key, name, n], record) => {
      const again = seen.has(key);
      seen.add(key);
      return again || n === "bad" ? [] : [{ key, name, n, record }];
    });
    // A key that a row outside of the slices has is taken; a slice of which no record is left is not replaced.
    let [left, before] = [sound, sound.length + 1];
    const goes = (key: string): boolean => {
      const row = model.rows.get(key);
      return row !== undefined && row.from !== OF_OTHERS && left.some((s) => s.name === row.values[0]);
    };
    for (; left.length < before; left = left.filter(({ key }) => !model.rows.has(key) || goes(key)))
      before = left.length;
    const gone = [...model.rows].filter(([key]) => goes(key));
    const changes = new Map(gone.map(([key, row]): [string, Change] => [key, { key, before: row, after: null }]));
    for (const { key, name, n, record } of left) {
      const after = this.row([name, n], `${id}:${record}`, writing!);
      changes.set(key, { key, before: model.rows.get(key) ?? null, after });
    }
    return [...changes.values()];
  }

  protected async release(): Promise<void> {
    const { db } = this.system;
    const { model, roll } = this;
    const { rows: held } = await db.query<{ load: number; record: number; values: string[] }>(
      `select load, record, field_values as values from sieve.held where feed = $1 and state in ('held', 'overtaken')
       order by load, record`,
      [this.feed],
    );
    const chosen = held.filter(() => roll() < 0.6);
    if (chosen.length === 0) return;
    const over = roll() < 0.3;
    const n = String(100 + Math.floor(roll() * 50));
    this.said.push(`release ${chosen.map((h) => `${h.load}:${h.record}`).join(" ")} n=${n}${over ? " over" : ""}`);
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
      const [writing] = await listWritings(db, { load, target: `"target"."${this.feed}"` }, 1);
      const changes: Change[] = [];
      for (const { record } of released) {
        const [key, name] = chosen.find((h) => h.load === load && h.record === record)!.values as [string, string];
        const before = model.rows.get(key) ?? null;
        // Where rows are only inserted, one that is there stays, and nothing is overridden.
        if (before !== null && this.mode === "insert") continue;
        const loaded = model.writings.find((w) => w.kind === "load" && w.load === load)!;
        if (before && !over && before.ours && before.writing !== null) {
          const by = model.writings.find((w) => w.id === before.writing)!;
          const newer = by.id > loaded.id && !(by.kind === "release" && by.load < load);
          const same = before.values[1] === n && (name === "" || before.values[0] === name);
          expect(newer && !same, `${this.words}\n${load}:${record} overrode writing ${by.id}`).toBe(false);
        }
        expect(before !== null && (this.mode === "append" || this.mode === "slice"), this.words).toBe(false);
        expect(before === null && this.mode === "update", this.words).toBe(false);
        const after = this.over(before, [name, n], `${load}:${record}`, writing!.id);
        if (before && sameValues(before, after)) continue;
        changes.push({ key, before, after });
        model.apply([changes.at(-1)!]);
      }
      this.wrote("release", writing!.id, load, changes);
    }
  }
}
