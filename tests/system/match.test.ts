import { describe, expect, it } from "vitest";
import { csvRow } from "@/core/write/csv.ts";
import { putBack, splitMember } from "@/engine/match/clusters.ts";
import { decidePairs, withdrawPairs } from "@/engine/match/decide.ts";
import { undoLoad } from "@/engine/undo/undo.ts";
import type { Load } from "@/store/loads.ts";
import { askForTrial } from "@/store/load-requests.ts";
import { answersAbout, askedPairs, countPairs, loadClusters } from "@/store/matches.ts";
import { makeReference, whereUsed } from "@/store/references.ts";
import { PERSON_FIELDS, miswritten, peopleWithRepeats, type Person } from "../../demo/people.ts";
import { Random } from "../../demo/random.ts";
import { PEOPLE_COMPARED, PEOPLE_FIELDS } from "../support/people.ts";
import { deliver, loadNow, newFeed, rows, waitFor, useSystem } from "../support/system.ts";

const system = useSystem();

const MATCH = {
  against: ["delivery", "target"],
  fields: PEOPLE_COMPARED,
  limits: { same: 88, ask: 30 },
  keep: { "*": "complete", town: "longest" },
};

const { records, person } = peopleWithRepeats(21, 900);
const fileOf = (people: readonly Person[], first: number): string =>
  csvRow(["no", ...PERSON_FIELDS]) +
  people.map((p, i) => csvRow([String(first + i), ...PERSON_FIELDS.map((f) => p[f])])).join("");

describe("a feed of people", () => {
  let first: Load;
  const made = async (name: string, more: object = {}): Promise<void> =>
    newFeed(system.db, name, PEOPLE_FIELDS, { key: ["no"] }, { match: MATCH, ...more });

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
    expect(matches!.estimate).toMatchObject({ precision: null, basis: "model", doubts: ["one-file"] });
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
    expect(await answersAbout(db, first.id)).toMatchObject({
      ...{ answered: 2, same: 1, parted: 0 },
      otherwise: Number(one!.score >= 50) + Number(two!.score < 50),
      expected: expect.closeTo((one!.score + two!.score) / 100, 4) as number,
    });
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
    // What else is asked is of other pairs.
    const decided = new Set(open.map((p) => `${p.record} ${p.rowRecord}`));
    for (const p of await askedPairs(db, { load: third.id }))
      expect(decided).not.toContain(`${p.record} ${p.rowRecord}`);
    expect(third.report!.balance.outcomes.waiting).toBeLessThan(5);
  });

  it("compares only with what the plan says", async () => {
    await made("people_alone", { match: { ...MATCH, against: ["target"] } });
    const load = await loadNow(system.db, "people_alone", fileOf(records, 1));
    expect(load.report!.balance.outcomes).toMatchObject({ inserted: 900, merged: 0, waiting: 0 });
  });
});

describe("a feed of people that are compared with a list of known ones", () => {
  const register = records.filter((_, i) => person.indexOf(person[i]!) === i).slice(0, 500);
  const random = new Random(8);
  /** Each is sent twice, written in two ways; every fifth is somebody whom the list does not have. */
  const known = register.slice(0, 120);
  const strangers = records.filter((_, i) => person.indexOf(person[i]!) === i).slice(500, 530);
  const sent = [...known.flatMap((p) => [miswritten(random, p), miswritten(random, p)]), ...strangers];
  /** The number of the known person that a record of the delivery is of, or -1. */
  const whose = (record: number): number => (record < known.length * 2 ? record >> 1 : -1);
  const shape = { columns: ["no in list", "First name", "family", "born", "place", "phone"], key: "no in list" };
  const match = {
    ...MATCH,
    against: ["list"],
    list: { name: "register", columns: { "First name": "given", place: "town" } },
    keep: { "*": "complete", town: "longest" },
  };
  let load: Load;

  it("puts together those that are the same entry, though they are not compared with each other", async () => {
    const { db } = system;
    const entries = register.map((p, i) => [`R${i}`, p.given, p.family, p.born, p.town, p.phone]);
    await makeReference(db, { name: "register", title: "Register", about: "", shape }, entries, "test");
    await newFeed(db, "registered", PEOPLE_FIELDS, { key: ["no"] }, { match });
    load = await loadNow(db, "registered", fileOf(sent, 1));
    expect(load.error).toBeNull();
    const { balance, matches } = load.report!;
    expect(matches).toMatchObject({ compared: sent.length, known: 0, entries: 500 });
    expect(balance.outcomes.merged).toBeGreaterThan(70);
    expect(balance.outcomes.inserted + balance.outcomes.merged + balance.outcomes.waiting).toBe(sent.length);
    expect(await rows(db, "registered")).toHaveLength(balance.outcomes.inserted);
    expect(await whereUsed(db, "register")).toMatchObject([{ feed: "registered", formulas: [{ stage: "Match" }] }]);
  });

  it("keeps the values of the entry where the rules say so, and joins nobody who is another", async () => {
    const clusters = await loadClusters(system.db, load.id, -1, 1000);
    const target = new Map((await rows(system.db, "registered")).map((r) => [r["no"], r]));
    let fromEntry = 0;
    for (const { members, kept, origins } of clusters) {
      const entries = members.filter((m) => m.entry);
      expect(entries).toHaveLength(1);
      expect(entries[0]!.entry![0]).toBe("register");
      // The first is a record, which the others are put to, and has its own key.
      expect(members[0]!.record).not.toBeNull();
      expect(kept[0]).toBe(members[0]!.values[0]);
      for (const m of members) if (!m.entry) expect(`R${whose(m.record!)}`).toBe(entries[0]!.entry![1]);
      expect(kept[4]!.length).toBe(Math.max(...members.map((m) => m.values[4]!.length)));
      if (origins.some((at) => at >= 0 && members[at]!.entry)) fromEntry++;
      const there = target.get(Number(kept[0]))!;
      expect(PERSON_FIELDS.map((f) => there[f] ?? "")).toEqual(kept.slice(1));
    }
    expect(fromEntry).toBeGreaterThan(5);
  });

  it("asks about doubtful ones, and sends them on with what is kept of both", async () => {
    const { db } = system;
    const asked = (await askedPairs(db, { load: load.id })).filter(
      (p, _, all) => all.filter((q) => q.record === p.record).length === 1,
    );
    expect(asked.length).toBeGreaterThan(1);
    expect(asked.every((p) => p.entry !== null && p.other === null && p.rowLoad === null)).toBe(true);
    const one = asked[0]!;
    const before = (await rows(db, "registered")).length;
    expect(await decidePairs(db, [{ pair: one.id, decision: "same" }], "Ines")).toMatchObject([{ state: "inserted" }]);
    const row = (await rows(db, "registered")).find((r) => r["_record"] === one.record)!;
    expect(String(row["no"])).toBe(one.values[0]);
    const longest = [one.values[4]!, one.otherValues[4]!].sort((a, b) => b.length - a.length)[0];
    expect(String(row["town"]).length).toBe(longest!.length);
    expect(await withdrawPairs(db, [one.id], "Ines")).toMatchObject([{ state: "waiting" }]);
    expect(await rows(db, "registered")).toHaveLength(before);
    expect(await decidePairs(db, [{ pair: one.id, decision: "different" }], "Ines")).toMatchObject([
      { state: "inserted" },
    ]);
    const own = (await rows(db, "registered")).find((r) => r["_record"] === one.record)!;
    expect(PERSON_FIELDS.map((f) => own[f] ?? "")).toEqual(one.values.slice(1));
  });

  it("lets a person split an entry off its cluster, which writes no row of its own", async () => {
    const { db } = system;
    const [cluster] = await loadClusters(db, load.id, -1, 1);
    const at = cluster!.members.findIndex((m) => m.entry);
    const before = await rows(db, "registered", "no");
    await splitMember(db, load.id, cluster!.first, at, "Ines");
    expect(await rows(db, "registered")).toHaveLength(before.length);
    const [split] = await loadClusters(db, load.id, -1, 1);
    expect(split!.members[at]!.split).toBe("Ines");
    expect(split!.origins).not.toContain(at);
    expect((await answersAbout(db, load.id)).parted).toBeGreaterThan(0);
    await putBack(db, load.id, cluster!.first, at, "Ines");
    expect((await answersAbout(db, load.id)).parted).toBe(0);
    expect(await rows(db, "registered", "no")).toEqual(before);
  });

  it("takes part beside the delivery and the target, and the load is undone as a whole", async () => {
    const { db } = system;
    await newFeed(
      db,
      "mixture",
      PEOPLE_FIELDS,
      { key: ["no"] },
      { match: { ...match, against: ["delivery", "target", "list"] } },
    );
    const first = await loadNow(db, "mixture", fileOf(sent, 1));
    const had = await rows(db, "mixture", "no");
    const again = await loadNow(
      db,
      "mixture",
      fileOf(
        known.slice(0, 60).map((p) => miswritten(random, p)),
        1001,
      ),
    );
    expect(again.report!.matches).toMatchObject({ known: had.length, entries: 500 });
    expect(again.report!.balance.outcomes.merged).toBeGreaterThan(40);
    expect(first.report!.balance.outcomes.merged).toBeGreaterThanOrEqual(load.report!.balance.outcomes.merged);
    await undoLoad(db, again.id, "tried", "Ines");
    const same = await rows(db, "mixture", "no");
    expect(same.map((r) => r["no"])).toEqual(had.map((r) => r["no"]));
    expect(same.map((r) => r["town"])).toEqual(had.map((r) => r["town"]));
  });

  it("says which column is missing when the list has none of what is compared", async () => {
    const { db } = system;
    await newFeed(
      db,
      "strange_list",
      PEOPLE_FIELDS,
      { key: ["no"] },
      { match: { ...match, fields: [{ in: ["given"], by: "person" }], list: { name: "register" } } },
    );
    const failed = await loadNow(db, "strange_list", fileOf(sent.slice(0, 3), 1));
    expect(failed.state).toBe("failed");
    expect(failed.error!.message).toBe("The reference list register has no column of what is compared.");
    expect(failed.error!.detail).toContain("First name");
  });
});
