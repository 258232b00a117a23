import { expect, it } from "vitest";
import { SieveError } from "@/core/kernel/problem.ts";
import { joinClusters, putBack, splitMember } from "@/engine/match/clusters.ts";
import { decidePairs, withdrawPairs, type Settled } from "@/engine/match/decide.ts";
import { listWritings } from "@/store/writings.ts";
import { loadClusters, type Cluster, type ClusterMember } from "@/store/matches.ts";
import { sameValues, type Change, type Row } from "../support/model.ts";
import { Sequence, runSequences, sequences } from "../support/sequence.ts";
import type { System } from "../support/system.ts";

const COUNT = 13;

const FIELDS = [
  { name: "id", type: "text", required: true },
  { name: "name", type: "text", required: true },
  { name: "born", type: "integer" },
  { name: "n", type: "integer" },
];

/** The same where name and year are; where the year is another, or is not said, people are asked. */
const MATCH = {
  against: ["delivery", "target"],
  fields: [
    { in: ["name"], by: "equal", weights: [9, -30] },
    { in: ["born"], by: "equal", weights: [9, -6] },
  ],
  limits: { same: 86, ask: 40 },
  keep: { "*": "first", n: "greatest" },
};

/** A pair that people are asked about, as the store has it. */
interface Pair {
  readonly id: number;
  readonly load: number;
  readonly record: number;
  readonly other: number | null;
  readonly row: string;
  readonly decision: "same" | "different" | null;
}

/** A record that waits, or has waited. */
interface Waiting {
  readonly values: readonly string[];
  readonly state: string;
  readonly into: string;
  readonly writing: number | null;
}

/** Values of two records that are one, without the key: the first that there is, of `n` the greatest. */
function keepOne(first: readonly string[], second: readonly string[]): string[] {
  const [n, m] = [first.at(-1)!, second.at(-1)!];
  return [
    ...first.slice(0, -1).map((v, i) => v || second[i]!),
    n === "" || m === "" ? n || m : String(Math.max(+n, +m)),
  ];
}

/** Records of which some are one, decided about by people. Which are is the engine's to say; what comes of it is the model's. */
class MatchSequence extends Sequence {
  private made = 0;

  constructor(system: System, feed: string, roll: () => number) {
    const load = { key: ["id"], mode: "append" };
    super(system, feed, { fields: FIELDS, load, more: { match: MATCH }, acts: 14 }, roll);
  }

  protected readonly acts = [
    () => this.load(),
    () => this.load(),
    () => this.decide(),
    () => this.decide(),
    () => this.withdraw(),
    () => this.withdraw(),
    () => this.changeCluster(),
    () => this.changeCluster(),
    () => this.undo(),
    () => this.undo(),
    () => this.foreign(),
  ];

  protected foreignKeys(): readonly string[] {
    return [...this.model.rows.keys()];
  }

  private change(changes: Change[], key: string, before: Row | null, after: Row): void {
    if (before && sameValues(before, after)) return;
    changes.push({ key, before, after });
    this.model.rows.set(key, after);
  }

  protected async load(): Promise<void> {
    const { db } = this.system;
    const { roll } = this;
    const lines = Array.from({ length: 1 + Math.floor(roll() * (this.made === 0 ? 9 : 4)) }, () => [
      `k${String(++this.made).padStart(3, "0")}`,
      this.pick(["ivo", "mel", "zoe"]),
      roll() < 0.3 ? "" : this.pick(["1950", "1960"]),
      roll() < 0.3 ? "" : String(Math.floor(roll() * 90)),
    ]);
    const load = await this.loadLines(lines);
    const from = (record: number): string => `${load.id}:${record}`;
    const clusters = await loadClusters(db, load.id, -1, 1000);
    const waiting = await this.waiting();
    const left = new Set(lines.map((_, record) => record).filter((r) => !waiting.has(from(r))));
    const changes: Change[] = [];
    for (const { members } of clusters) {
      const known = members.map((m) => this.known(m, lines));
      const kept = known.map((k) => k.values).reduce(keepOne);
      const [home] = known;
      for (const m of members) if (m.record !== null) expect(left.delete(m.record), this.words).toBe(true);
      const after = home!.row
        ? this.row(kept, home!.row.from, load.writing!)
        : this.row(kept, from(members[0]!.record!), load.writing!);
      this.change(changes, home!.key, home!.row, after);
    }
    for (const r of left)
      this.change(changes, lines[r]![0]!, null, this.row(lines[r]!.slice(1), from(r), load.writing!));
    expect(load.merged! + load.waiting! + changes.filter((c) => !c.before).length, this.words).toBe(lines.length);
    this.wrote("load", load.writing!, load.id, changes);
  }

  /** A member of a cluster as the model has it. */
  private known(
    member: ClusterMember,
    lines: readonly (readonly string[])[],
  ): { key: string; values: readonly string[]; row: Row | null } {
    if (member.record !== null) {
      const [key, ...values] = lines[member.record]!;
      return { key: key!, values, row: null };
    }
    const [key, row] = this.model.rowFrom(member.row!.join(":")) ?? this.model.rowFrom("0:0")!;
    expect([key, ...row.values], this.words).toEqual(member.values);
    return { key, values: row.values, row };
  }

  /** Records of the feed that wait or waited, by load and record. */
  private async waiting(): Promise<Map<string, Waiting>> {
    const { rows } = await this.system.db.query<Waiting & { at: string }>(
      `select load || ':' || record as at, field_values as values, state, into_load || ':' || into_record as into, writing
       from sieve.waiting where feed = $1`,
      [this.feed],
    );
    return new Map(rows.map((r) => [r.at, r]));
  }

  private async pairs(where: string): Promise<Pair[]> {
    const { rows } = await this.system.db.query<Pair>(
      `select p.id, p.load, p.record, p.other, p.row_load || ':' || p.row_record as row, p.decision
       from sieve.match_pair p join sieve.waiting w on w.load = p.load and w.record = p.record
         join sieve.load l on l.id = p.load
       where p.feed = $1 and p.band = 'ask' and l.state = 'loaded' and (${where}) order by p.id`,
      [this.feed],
    );
    return rows;
  }

  private async decide(): Promise<void> {
    const open = await this.pairs("w.state = 'waiting'");
    if (open.length === 0) return;
    const chosen = [...new Set([this.pick(open), this.pick(open)])].map((pair) => ({
      pair: pair.id,
      decision: this.roll() < 0.5 ? ("same" as const) : ("different" as const),
      of: `${pair.load}:${pair.record}`,
    }));
    this.said.push(`decide ${chosen.map((c) => `${c.of} ${c.decision} (pair ${c.pair})`).join(", ")}`);
    const before = await this.waiting();
    this.model.version++;
    await this.settled(await decidePairs(this.system.db, chosen, "t"), before);
  }

  /** Holds what has come of records that waited against the model. */
  private async settled(results: readonly Settled[], was: Map<string, Waiting>): Promise<void> {
    const { model } = this;
    const now = await this.waiting();
    for (const { load, record, state, problem } of results) {
      const at = `${load}:${record}`;
      const own = was.get(at)!;
      const pairs = await this.pairs(`p.load = ${load} and p.record = ${record}`);
      const same = pairs.some((p) => p.decision === "same");
      const open = !same && pairs.some((p) => p.decision === null);
      if (problem !== null || own.state !== "waiting") continue;
      expect(state, `${this.words}\n${at}`).toBe(same ? "merged" : open ? "waiting" : "inserted");
      if (state === "waiting") continue;
      const { writing, into } = now.get(at)!;
      const changes: Change[] = [];
      if (writing === null) {
        // Put to one that waits as well.
        const other = was.get(into)!;
        expect(other.state, this.words).toBe("waiting");
        // Which came first is the engine's to know; of the greatest that makes no difference.
        expect(now.get(into)!.values.at(-1), this.words).toBe(keepOne(other.values, own.values).at(-1));
        was.set(into, now.get(into)!);
      } else if (state === "merged") {
        const [key, row] = model.rowFrom(into)!;
        this.change(changes, key, row, this.row(keepOne(row.values, own.values.slice(1)), row.from, writing));
      } else {
        const [key, ...values] = own.values;
        expect(model.rows.has(key!), this.words).toBe(false);
        this.change(changes, key!, null, this.row(values, at, writing));
      }
      was.set(at, { ...own, state });
      if (writing !== null) this.wrote("decision", writing, load, changes);
    }
    for (const [at, { state, values }] of await this.waiting()) {
      if (state === "waiting") expect(values.at(-1), `${this.words}\n${at}`).toBe((await this.kept(at)).at(-1));
    }
  }

  private async withdraw(): Promise<void> {
    const decided = await this.pairs("p.decision is not null and p.decided_at is not null");
    if (decided.length === 0) return;
    const pair = this.pick(decided);
    const at = `${pair.load}:${pair.record}`;
    this.said.push(`withdraw ${pair.decision} of ${at} (pair ${pair.id})`);
    const before = await this.waiting();
    const { writing, into, state } = before.get(at)!;
    let results: Settled[] = [];
    const withdraw = async (): Promise<[number, number]> => {
      results = await withdrawPairs(this.system.db, [pair.id], "t");
      const { rows } = await this.system.db.query<{ id: number }>(
        "select id from sieve.writing where undoes = $1 order by turn desc limit 1",
        [writing],
      );
      return [rows[0]?.id ?? -1, 0];
    };
    const victim = this.model.writings.find((w) => w.id === writing && w.undoneBy === null);
    try {
      if (state !== "waiting" && victim) {
        if (!(await this.undone([victim], false, withdraw))) return;
      } else await withdraw();
    } catch (error) {
      // Put to another that has been decided about since, or undone by itself: nothing is changed then.
      if (!(error instanceof SieveError)) throw error;
      this.said.push(`  ${error.code}`);
      expect(["row-gone", "cannot-undo"], this.words).toContain(error.code);
      if (error.code === "row-gone") expect(writing, this.words).toBeNull();
      return;
    }
    // As it stood before it was decided; what it was put to has what it had.
    const now = await this.waiting();
    const again = new Map(before);
    again.set(at, { ...before.get(at)!, state: "waiting" });
    for (const [key, w] of now) if (!results.some((r) => `${r.load}:${r.record}` === key)) again.set(key, w);
    if (writing === null && state === "merged")
      again.set(into, { ...now.get(into)!, values: await this.kept(into, at) });
    await this.settled(results, again);
  }

  /** What a waiting record has of its own and of those that were put to it, but for one. */
  private async kept(at: string, but?: string): Promise<readonly string[]> {
    const { rows } = await this.system.db.query<{ values: string[] }>(
      "select own_values as values from sieve.match_pair where load = $1 and record = $2 limit 1",
      at.split(":"),
    );
    const others = [...(await this.waiting())].filter(
      ([key, w]) => w.into === at && w.state === "merged" && key !== but,
    );
    return others.map(([, w]) => w.values).reduce(keepOne, rows[0]!.values);
  }

  private async changeCluster(): Promise<void> {
    const { db } = this.system;
    const { model } = this;
    const { rows } = await db.query<{ id: number }>(
      "select id from sieve.load where feed = $1 and state = 'loaded' and exists (select from sieve.cluster c where c.load = load.id)",
      [this.feed],
    );
    if (rows.length === 0) return;
    const { id } = this.pick(rows);
    const clusters = await loadClusters(db, id, -1, 1000);
    const cluster = this.pick(clusters);
    const other = this.pick(clusters);
    const joins = other !== cluster && this.roll() < 0.4;
    const at = 1 + Math.floor(this.roll() * (cluster.members.length - 1));
    const member = cluster.members[at]!;
    const kind = joins ? "join" : member.split ? "put back" : "split";
    this.said.push(`${kind} ${id}: cluster of ${cluster.first}, ${joins ? `and of ${other.first}` : `member ${at}`}`);
    model.version++;
    const place = (m: ClusterMember): string => (m.row ? m.row.join(":") : `${id}:${m.record}`);
    const home = model.rowFrom(place(cluster.members[0]!));
    const { split: _, ...whole } = member;
    const turned = member.split ? whole : { ...member, split: "t" };
    const members = joins ? [...cluster.members, ...other.members] : cluster.members.with(at, turned);
    const go = joins ? [place(other.members[0]!), other.kept] : member.split ? [place(member), member.values] : null;
    const goes = go && model.rowFrom(go[0] as string);
    const taken = kind === "split" && model.rows.has(member.values[0]!);
    const changed = goes && !goes[1].values.every((v, i) => v === go[1]![i + 1]);
    const gone = go && !goes;
    const refused = changed ? "row-changed" : gone || !home ? "row-gone" : taken ? "row-refused" : null;
    try {
      if (joins) await joinClusters(db, id, cluster.first, other.first, "t");
      else if (member.split) await putBack(db, id, cluster.first, at, "t");
      else await splitMember(db, id, cluster.first, at, "t");
    } catch (error) {
      if (!(error instanceof SieveError)) throw error;
      this.said.push(`  ${error.code}`);
      expect(error.code, this.words).toBe(refused);
      return;
    }
    expect(refused, this.words).toBeNull();
    const [writing] = await listWritings(db, { load: id }, 1);
    const changes: Change[] = [];
    if (goes) {
      changes.push({ key: goes[0], before: goes[1], after: null });
      model.rows.delete(goes[0]);
    }
    this.keepAgain(changes, home!, cluster, members, writing!.id);
    if (kind === "split") {
      const [key, ...values] = member.values;
      this.change(changes, key!, null, this.row(values, place(member), writing!.id));
    }
    this.wrote(kind, writing!.id, id, changes);
  }

  /** The kept row has what is kept of the members that are left, except where somebody has changed it since. */
  private keepAgain(
    changes: Change[],
    [key, row]: [string, Row],
    cluster: Cluster,
    members: readonly ClusterMember[],
    writing: number,
  ): void {
    const inside = members.filter((m) => !m.split).map((m) => m.values.slice(1));
    const kept = inside.reduce((a, b) => keepOne(a, b));
    const values = row.values.map((now, i) => (now === cluster.kept[i + 1] ? kept[i]! : now));
    this.change(changes, key, row, this.row(values, row.from, writing));
  }
}

it(
  `${sequences(COUNT)} random sequences of matched loads, decisions, splits and undos leave the target as a simple model says`,
  { timeout: 300_000 + sequences(COUNT) * 4000 },
  () => runSequences(COUNT, (system, s, roll) => new MatchSequence(system, `matched_${s}`, roll)),
);
