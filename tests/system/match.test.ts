import { describe, expect, it } from "vitest";
import { csvRow } from "@/core/write/csv.ts";
import { decidePairs, withdrawPairs } from "@/engine/decide.ts";
import { askForTrial, type Load } from "@/store/loads.ts";
import { askedPairs, countPairs, loadClusters } from "@/store/matches.ts";
import { PERSON_FIELDS, miswritten, peopleWithRepeats, type Person } from "../../demo/people.ts";
import { Random } from "../../demo/random.ts";
import { deliver, loadNow, newFeed, rows, waitFor, useSystem } from "../support/system.ts";

const system = useSystem();

const FIELDS = [
  { name: "no", type: "integer" },
  ...["given", "family"].map((name) => ({ name, type: "text", length: 60 })),
  { name: "born", type: "date" },
  { name: "town", type: "text", length: 60 },
  { name: "phone", type: "text", length: 20 },
];
const MATCH = {
  against: ["delivery", "target"],
  fields: [
    { in: ["given"], by: "person" },
    { in: ["family"], by: "person" },
    { in: ["born"], by: "date" },
    { in: ["town"], by: "words", as: "place" },
    { in: ["phone"], by: "edit", as: "code" },
  ],
  limits: { same: 80, ask: 40 },
  keep: { "*": "complete", town: "longest" },
};

const { records, person } = peopleWithRepeats(21, 900);
const fileOf = (people: readonly Person[], first: number): string =>
  csvRow(["no", ...PERSON_FIELDS]) +
  people.map((p, i) => csvRow([String(first + i), ...PERSON_FIELDS.map((f) => p[f])])).join("");

describe("a feed of people", () => {
  let first: Load;
  const made = async (name: string, more: object = {}): Promise<void> =>
    newFeed(system.db, name, FIELDS, { key: ["no"] }, { match: MATCH, ...more });

  it("makes one record of those that are one, lets others wait, and its balance closes", async () => {
    await made("people");
    first = await loadNow(system.db, "people", fileOf(records, 1));
    expect(first.error).toBeNull();
    const { outcomes } = first.report!.balance;
    expect(outcomes.merged).toBeGreaterThan(80);
    expect(outcomes.waiting).toBeGreaterThan(0);
    expect(outcomes.inserted + outcomes.merged + outcomes.waiting).toBe(900);
    expect(await rows(system.db, "people")).toHaveLength(outcomes.inserted);
    const { matches } = first.report!;
    expect(matches).toMatchObject({ compared: 900, known: 0, merged: outcomes.merged, waiting: outcomes.waiting });
    expect(matches!.thought.precision).toBeGreaterThan(0.99);
  });

  it("knows where each kept value came from, and joins nobody who is another", async () => {
    const clusters = await loadClusters(system.db, first.id, -1, 1000);
    const target = await rows(system.db, "people");
    const row = new Map(target.map((r) => [r["no"], r]));
    let joined = 0;
    for (const { members, kept, origins } of clusters) {
      const who = new Set(members.map((m) => person[m.record!]));
      expect(who.size).toBe(1);
      joined += members.length - 1;
      kept.forEach((value, f) => expect(value).toBe(origins[f]! < 0 ? "" : members[origins[f]!]!.values[f]));
      const there = row.get(Number(kept[0]))!;
      expect(PERSON_FIELDS.map((f) => there[f] ?? "")).toEqual(kept.slice(1));
      expect(kept[4]!.length).toBe(Math.max(...members.map((m) => m.values[4]!.length)));
    }
    expect(joined).toBe(first.report!.balance.outcomes.merged);
  });

  it("is tried without touching target or decisions, with the same outcomes", async () => {
    await made("people_tried");
    const delivery = await deliver(system.db, "people_tried", fileOf(records, 1));
    const plan = (await system.db.query<{ id: number }>("select id from sieve.plan where feed = 'people_tried'"))
      .rows[0]!;
    const trial = await waitFor(system.db, await askForTrial(system.db, delivery, plan.id));
    expect(trial.state).toBe("tried");
    expect(trial.report!.balance.outcomes).toEqual(first.report!.balance.outcomes);
    expect((await countPairs(system.db, { load: trial.id })).open).toBe(0);
    expect((await system.db.query("select to_regclass('target.people_tried') as t")).rows).toEqual([{ t: null }]);
  });

  it("sends waiting records on as a person decides, and takes it back", async () => {
    const { db } = system;
    const count = async (): Promise<number> => (await rows(db, "people")).length;
    const before = await count();
    const asked = await askedPairs(db, { load: first.id });
    expect(asked.length).toBe((await countPairs(db, { load: first.id })).open);
    const single = asked.filter((p) => asked.filter((q) => q.record === p.record).length === 1);
    const [one, two] = single;
    const [inserted] = await decidePairs(db, [{ pair: one!.id, decision: "different" }], "Ines");
    expect(inserted).toMatchObject({ record: one!.record, state: "inserted", problem: null });
    expect(await count()).toBe(before + 1);
    const state = JSON.stringify(await rows(db, "people", "no"));
    const [merged] = await decidePairs(db, [{ pair: two!.id, decision: "same" }], "Ines");
    expect(merged).toMatchObject({ record: two!.record, state: "merged", problem: null });
    expect(await count()).toBe(before + 1);
    expect((await countPairs(db, { load: first.id })).open).toBe(asked.length - 2);
    expect(await withdrawPairs(db, [two!.id], "Ines")).toMatchObject([{ state: "waiting" }]);
    expect(JSON.stringify(await rows(db, "people", "no"))).toBe(state);
    expect(await withdrawPairs(db, [one!.id], "Ines")).toMatchObject([{ state: "waiting" }]);
    expect(await count()).toBe(before);
    expect((await countPairs(db, { load: first.id })).open).toBe(asked.length);
    expect((await db.query("select from sieve.match_decision")).rowCount).toBe(0);
  });

  it("puts what arrives later to the target's rows, and asks nothing twice", async () => {
    const { db } = system;
    const asked = await askedPairs(db, { load: first.id });
    await decidePairs(
      db,
      asked.map((p) => ({
        pair: p.id,
        decision: person[p.record] === person[p.other!] ? ("same" as const) : ("different" as const),
      })),
      "Ines",
    );
    expect(await countPairs(db, { load: first.id })).toMatchObject({ open: 0, records: 0 });
    const had = await rows(db, "people");
    const random = new Random(3);
    const again = records.slice(0, 150).map((p) => miswritten(random, p));
    const second = await loadNow(db, "people", fileOf(again, 2001));
    const { outcomes } = second.report!.balance;
    expect(second.report!.matches!.known).toBe(had.length);
    expect(outcomes.merged).toBeGreaterThan(110);
    expect(await rows(db, "people")).toHaveLength(had.length + outcomes.inserted);
    const open = await askedPairs(db, { load: second.id });
    expect(open.every((p) => p.other !== null || p.rowLoad !== null)).toBe(true);
    // Said to be different, then sent once more: the answer holds.
    await decidePairs(
      db,
      open.map((p) => ({ pair: p.id, decision: "different" as const })),
      "Ines",
    );
    const third = await loadNow(db, "people", fileOf(again, 2001).replaceAll("\r\n", "\n"));
    expect(third.report!.balance.outcomes.waiting).toBe(0);
  });

  it("compares only with what the plan says", async () => {
    await made("people_alone", { match: { ...MATCH, against: ["target"] } });
    const load = await loadNow(system.db, "people_alone", fileOf(records, 1));
    expect(load.report!.balance.outcomes).toMatchObject({ inserted: 900, merged: 0, waiting: 0 });
  });
});
