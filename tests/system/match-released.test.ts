import { describe, expect, it } from "vitest";
import { csvRow } from "@/core/write/csv.ts";
import { decidePairs, withdrawPairs } from "@/engine/match/decide.ts";
import { MOST_COMPARED } from "@/engine/match/match-released.ts";
import { releaseRecords } from "@/engine/release/release.ts";
import type { Released } from "@/engine/release/released.ts";
import { undoLoad, undoWriting } from "@/engine/undo/undo.ts";
import { verifyLoad } from "@/engine/look/verify.ts";
import { planInForce, savePlan } from "@/store/feeds.ts";
import { countHeld, listHeld } from "@/store/held.ts";
import type { Load } from "@/store/loads.ts";
import { askedPairs, countPairs, matchModelFor, pairPlans } from "@/store/matches.ts";
import { PERSON_FIELDS, miswritten, peopleWithRepeats, type Person } from "../../demo/people.ts";
import { Random } from "../../demo/random.ts";
import { PEOPLE_COMPARED, PEOPLE_FIELDS } from "../support/people.ts";
import { loadNow, newFeed, rows, useSystem } from "../support/system.ts";

const system = useSystem();

const FIELDS = PEOPLE_FIELDS.map((f) => (f.name === "born" ? { ...f, required: true } : f));
const MATCH = {
  against: ["delivery", "target"],
  fields: PEOPLE_COMPARED,
  keep: { "*": "complete", town: "longest" },
};

const { records } = peopleWithRepeats(21, 900);
const strangers = peopleWithRepeats(77, 60).records.slice(0, 30);
const random = new Random(5);
/** Records whose birth date is no date: thirty of people who are there, thirty of others. */
const again = records.slice(300, 330).map((p) => miswritten(random, { ...p, born: p.born || "1950-01-01" }));
const late = [...again, ...strangers];
const bornOf = (n: number): string => late[n - 5000]!.born || "1961-06-01";
const line = (no: number, p: Person, born = p.born): string =>
  csvRow([String(no), ...PERSON_FIELDS.map((f) => (f === "born" ? born || "1961-06-01" : p[f]))]);
const FILE =
  csvRow(["no", ...PERSON_FIELDS]) +
  records.map((p, i) => line(i + 1, p)).join("") +
  late.map((p, i) => line(5000 + i, p, "31.02.1950")).join("");

async function begin(name: string, more: object = {}): Promise<Load> {
  await newFeed(system.db, name, FIELDS, { key: ["no"], ...more }, { match: MATCH });
  const load = await loadNow(system.db, name, FILE);
  expect(load.state).toBe("loaded");
  expect(await countHeld(system.db, { load: load.id })).toBe(late.length);
  return load;
}

/** Releases held records with the right birth date; all of them unless `which` says otherwise. */
async function release(load: Load, which: (no: number) => boolean = () => true): Promise<Released[]> {
  const held = await listHeld(system.db, { load: load.id }, "", 500);
  const mends = held
    .filter((h) => which(Number(h.values[0])))
    .map((h) => ({ load: load.id, record: h.record, values: { born: bornOf(Number(h.values[0])) } }));
  return await releaseRecords(system.db, mends, "steward");
}

const inTarget = async (name: string): Promise<number[]> =>
  (await rows(system.db, name)).map((r) => Number(r["no"])).filter((no) => no >= 5000);

describe("records that are released into a target of people", () => {
  it("wait where they may be somebody who is there, and go in where they are not", async () => {
    const load = await begin("late");
    const kept = await matchModelFor(system.db, {
      feed: "late",
      load: load.id,
      fields: (await planInForce(system.db, "late")).document.match!.fields,
    });
    // What is kept is whole: nothing in it is lost by being written as JSON.
    expect(JSON.stringify(kept!.model)).not.toContain("null");
    const results = await release(load);
    expect(results.every((r) => r.released)).toBe(true);
    const there = await inTarget("late");
    const asked = new Set(results.filter((r) => r.waits).map((r) => r.record));
    expect(there).toHaveLength(late.length - asked.size);
    expect(there.filter((no) => no < 5030).length).toBeLessThanOrEqual(3);
    expect(there.filter((no) => no >= 5030).length).toBeGreaterThanOrEqual(28);
    expect(await countHeld(system.db, { load: load.id })).toBe(0);
    expect((await verifyLoad(system.db, load.id)).differs).toEqual([]);
  });

  it("are put to whom they are as a person decides, by the plan that they were released by", async () => {
    const load = await begin("decided");
    // The plan of today has a field more than that of the load.
    const { document } = await planInForce(system.db, "decided");
    const contract = { ...document.contract, fields: [...document.contract.fields, { name: "note", type: "text" }] };
    await savePlan(system.db, "decided", { ...document, contract }, "one field more", "test");
    const before = await countPairs(system.db, { load: load.id });
    await release(load);
    const pairs = (await askedPairs(system.db, { load: load.id })).filter((p) => Number(p.values[0]) >= 5000);
    expect(pairs.every((p) => p.values.length === document.contract.fields.length + 1)).toBe(true);
    const plans = await pairPlans(
      system.db,
      [load.id],
      pairs.map((p) => p.plan),
    );
    expect(plans.find((p) => p.plan === pairs[0]!.plan)!.fields).toHaveLength(document.contract.fields.length + 1);
    const counted = await countPairs(system.db, { load: load.id });
    expect(counted.records - before.records).toBe(new Set(pairs.map((p) => p.record)).size);

    const same = pairs.find((p) => p.other === null && p.rowRecord !== null && Number(p.values[0]) < 5030)!;
    const size = (await rows(system.db, "decided")).length;
    const settled = await decidePairs(system.db, [{ pair: same.id, decision: "same" }], "steward");
    expect(settled).toMatchObject([{ record: same.record, state: "merged", problem: null }]);
    expect(await rows(system.db, "decided")).toHaveLength(size);

    const other = pairs.filter((p) => p.record !== same.record);
    const [first] = other;
    const all = other.filter((p) => p.record === first!.record);
    await decidePairs(
      system.db,
      all.map((p) => ({ pair: p.id, decision: "different" })),
      "steward",
    );
    expect(await inTarget("decided")).toContain(Number(first!.values[0]));
    await withdrawPairs(
      system.db,
      all.map((p) => p.id),
      "steward",
    );
    expect(await inTarget("decided")).not.toContain(Number(first!.values[0]));
  });

  it("are held again when the release is undone, but for those that were decided about; and the load is undone as a whole", async () => {
    const load = await begin("back");
    const results = await release(load);
    const waits = results.filter((r) => r.waits).map((r) => r.record);
    const open = await countPairs(system.db, { load: load.id });
    const pairs = await askedPairs(system.db, { load: load.id });
    const one = pairs.find((p) => waits.includes(p.record))!;
    const own = pairs.filter((p) => p.record === one.record);
    await decidePairs(
      system.db,
      own.map((p) => ({ pair: p.id, decision: "different" })),
      "steward",
    );
    const { rows: writings } = await system.db.query<{ id: number }>(
      "select id from sieve.writing where load = $1 and kind = 'release'",
      [load.id],
    );
    const undo = await undoWriting(system.db, writings[0]!.id, { reason: "too soon", by: "steward" });
    expect(await countHeld(system.db, { load: load.id })).toBe(late.length - 1);
    expect(await inTarget("back")).toEqual([Number(one.values[0])]);
    expect((await countPairs(system.db, { load: load.id })).records).toBe(open.records - waits.length);
    // Done again: they are released and wait again.
    await undoWriting(system.db, undo.writing, { reason: "after all", by: "steward" });
    expect(await countHeld(system.db, { load: load.id })).toBe(0);
    expect((await countPairs(system.db, { load: load.id })).records).toBe(open.records - 1);
    await undoLoad(system.db, load.id, "all of it", "steward");
    expect(await rows(system.db, "back")).toEqual([]);
    expect((await countPairs(system.db, { load: load.id })).records).toBe(0);
  });

  it("are compared with one another: the second of two that are one waits for the first", async () => {
    await newFeed(system.db, "twins", FIELDS, { key: ["no"] }, { match: MATCH });
    const twin = strangers[3]!;
    const text = csvRow(["no", ...PERSON_FIELDS]) + records.map((p, i) => line(i + 1, p)).join("");
    const load = await loadNow(system.db, "twins", text + line(5033, twin, "x") + line(5034, { ...twin }, "x"));
    const held = await listHeld(system.db, { load: load.id });
    const mends = held.map((h) => ({ load: load.id, record: h.record, values: { born: bornOf(5033) } }));
    const results = await releaseRecords(system.db, mends, "steward");
    expect(results.map((r) => [r.released, r.waits])).toEqual([
      [true, undefined],
      [true, 1],
    ]);
    const [pair] = (await askedPairs(system.db, { load: load.id })).filter((p) => p.values[0] === "5034");
    expect([pair!.other, pair!.rowLoad, pair!.rowRecord]).toEqual([null, load.id, held[0]!.record]);
  });

  it("that are written over the row with their key are not asked about", async () => {
    const load = await begin("over", { mode: "upsert" });
    await system.db.query(
      `insert into target.over (no, given, family, born, _load, _record) select n, 'x', 'y', '1900-01-01', 0, n from generate_series(5000, 5059) n`,
    );
    const results = await releaseRecords(
      system.db,
      (await listHeld(system.db, { load: load.id }, "", 500)).map((h) => ({
        load: load.id,
        record: h.record,
        values: { born: bornOf(Number(h.values[0])) },
      })),
      "steward",
      { overtaken: true },
    );
    expect(results.filter((r) => r.waits)).toEqual([]);
    expect(await inTarget("over")).toHaveLength(late.length);
  });

  it("are not compared with more rows than there is memory for, and that is said", async () => {
    const load = await begin("large");
    await system.db.query(
      `insert into target.large (no, given, family, born, _load, _record)
       select n, 'g' || n, 'f' || n, '1900-01-01', 0, n from generate_series(100000, 100000 + ${MOST_COMPARED}) n`,
    );
    const [held] = await listHeld(system.db, { load: load.id });
    const mends = [{ load: load.id, record: held!.record, values: { born: bornOf(5000) } }];
    const [released] = await releaseRecords(system.db, mends, "steward");
    expect(released).toMatchObject({ released: true, uncompared: true });
    expect(released!.waits).toBeUndefined();
  });
});
