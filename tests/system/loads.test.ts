import { describe, expect, it } from "vitest";
import { OUTCOMES } from "@/core/kernel/ledger.ts";
import { SieveError } from "@/core/kernel/problem.ts";
import { findRecords } from "@/engine/look/records.ts";
import { releaseRecords } from "@/engine/release/release.ts";
import { discardRecords, takeBack } from "@/engine/release/discard.ts";
import { latestDelivery, receiveFile } from "@/store/deliveries.ts";
import { keepDraft, planInForce, savePlan } from "@/store/feeds.ts";
import { countHeld, getHeld, heldGroups, listHeld } from "@/store/held.ts";
import { cancelLoad } from "@/engine/load/abandon.ts";
import { getLoad } from "@/store/loads.ts";
import { askForLoad, askForTrial, dropLoad, letThrough } from "@/store/load-requests.ts";
import { deliver, loadNow, newFeed, rows, waitFor, useSystem } from "../support/system.ts";

const system = useSystem();

const FIELDS = [
  { name: "id", type: "text", required: true },
  { name: "n", type: "decimal", precision: 30, scale: 10 },
  { name: "d", type: "date", formats: ["yyyy-MM-dd", "dd.MM.yyyy"] },
  { name: "ok", type: "boolean" },
  { name: "at", type: "timestamp" },
];

describe("append", () => {
  it("writes good records typed and exact, with the load and record they came from", async () => {
    const { db } = system;
    await newFeed(db, "exact", FIELDS, { key: ["id"] });
    const load = await loadNow(
      db,
      "exact",
      'id,n,d,ok,at\na,12345678901234567890.0123456789,31.05.2026,yes,2026-05-31T14:05:09+02:00\n"b\\\tx",,,,\nc,x,,,\n"multi\nline",1,,no,\n',
    );
    expect(load).toMatchObject({ state: "loaded", read: 4, inserted: 3, held: 1 });
    const target = await rows(db, "exact", "_record");
    expect(target).toMatchObject([
      {
        id: "a",
        n: "12345678901234567890.0123456789",
        d: "2026-05-31",
        ok: true,
        at: new Date("2026-05-31T12:05:09Z"),
        _load: load.id,
        _record: 0,
      },
      { id: "b\\\tx", n: null, d: null, ok: null },
      { id: "multi\nline", ok: false },
    ]);
  });

  it("holds a key that the target has, and one that is given twice, each with the reason", async () => {
    const { db } = system;
    await newFeed(db, "keys", [{ name: "id", type: "decimal", precision: 5, scale: 2 }], { key: ["id"] });
    await loadNow(db, "keys", "id\n1.50\n2\n");
    const load = await loadNow(db, "keys", "id\n1.5\n3\n03.00\n4\n5\n6\n");
    expect(load).toMatchObject({ state: "loaded", inserted: 4, held: 2 });
    expect(load.report!.balance.heldAt).toMatchObject({ read: 0, check: 1, load: 1 });
    const held = await listHeld(db, { load: load.id });
    expect(held.map((h) => [h.line, h.at, h.problems.map((p) => p.message)])).toEqual([
      [2, "load", ["id “1.5” is already in the target."]],
      [4, "check", ["id “03.00” was already given in line 3 of file-0.csv."]],
    ]);
    const page = await findRecords(db, load.id, { check: "target:taken" });
    expect(page.records.map((r) => r.line)).toEqual([2]);
  });
});

describe("replace and upsert", () => {
  it("replace all leaves only what came", async () => {
    const { db } = system;
    await newFeed(db, "whole", [{ name: "a", type: "text" }], { mode: "replace" });
    await loadNow(db, "whole", "a\nold\n");
    await loadNow(db, "whole", "a\nnew\n\nnewer\n");
    expect((await rows(db, "whole", "_record")).map((r) => r["a"])).toEqual(["new", null, "newer"]);
  });

  it("upsert counts inserted, updated and unchanged apart, and a trial foresees them", async () => {
    const { db } = system;
    await newFeed(
      db,
      "ups",
      [
        { name: "id", type: "integer" },
        { name: "v", type: "text" },
      ],
      { key: ["id"], mode: "upsert", arriving: { "*": { empty: "clear" } } },
    );
    await loadNow(db, "ups", "id,v\n1,a\n2,b\n3,\n");
    const delivery = await deliver(db, "ups", "id,v\n2,b\n3,c\n4,d\n1,\nx,y\n");
    const trial = await waitFor(db, await askForTrial(db, delivery, (await planInForce(db, "ups")).id));
    expect(trial).toMatchObject({ state: "tried", inserted: 1, updated: 2, unchanged: 1, held: 1 });
    expect((await rows(db, "ups")).map((r) => r["v"])).toEqual(["a", "b", null]);
    const load = await waitFor(db, await askForLoad(db, delivery));
    expect(load.report!.balance).toEqual(trial.report!.balance);
    expect((await rows(db, "ups")).map((r) => r["v"])).toEqual([null, "b", "c", "d"]);
    for (const outcome of ["inserted", "updated", "unchanged", "held"] as const) {
      const page = await findRecords(db, load.id, { outcome });
      expect(page.records).toHaveLength(load[outcome]!);
    }
    expect((await findRecords(db, load.id, { outcome: "updated" })).records.map((r) => r.values[0])).toEqual([
      "3",
      "1",
    ]);
  });

  it("leaves no staging table behind", async () => {
    const { db } = system;
    const { rows: there } = await db.query("select 1 from pg_tables where schemaname = 'staging'");
    expect(there).toEqual([]);
  });
});

describe("the same bytes", () => {
  it("are refused with the earlier load, unless the person says to go on", async () => {
    const { db } = system;
    await newFeed(db, "twice", [{ name: "a", type: "text" }]);
    const first = await waitFor(db, await askForLoad(db, await deliver(db, "twice", "a\n1\n")));
    const again = await deliver(db, "twice", "a\n1\n", "a\n2\n");
    await expect(askForLoad(db, again)).rejects.toMatchObject({ code: "loaded-before", facts: { load: first.id } });
    expect((await waitFor(db, await askForLoad(db, again, { again: true }))).state).toBe("loaded");
  });

  it("sent twice at one moment are loaded once", async () => {
    const { db } = system;
    await newFeed(db, "race", [{ name: "a", type: "text" }]);
    const both = await Promise.all([deliver(db, "race", "a\n1\n2\n"), deliver(db, "race", "a\n1\n2\n")]);
    const asked = await Promise.allSettled(both.map((d) => askForLoad(db, d)));
    const won = asked.filter((a) => a.status === "fulfilled");
    expect(won).toHaveLength(1);
    expect(asked.find((a) => a.status === "rejected")?.reason).toMatchObject({ code: "loaded-before" });
    await waitFor(db, won[0]!.value);
    expect(await rows(db, "race")).toHaveLength(2);
  });

  it("may be loaded again when the first load was dropped", async () => {
    const { db } = system;
    await newFeed(db, "retry", [{ name: "a", type: "integer" }]);
    const stopped = await waitFor(db, await askForLoad(db, await deliver(db, "retry", "a\nx\n")));
    expect(stopped.state).toBe("stopped");
    await dropLoad(db, stopped.id, "wrong file");
    const again = await askForLoad(db, await deliver(db, "retry", "a\nx\n"));
    expect(again).toBeGreaterThan(stopped.id);
    // A load that goes on would be seen by the tests that come after.
    expect((await waitFor(db, again)).state).toBe("stopped");
  });
});

describe("gates", () => {
  it("stop a load before the target is touched; a person lets it through with a reason, or drops it", async () => {
    const { db } = system;
    await newFeed(db, "gate", [{ name: "a", type: "integer" }]);
    const load = await loadNow(db, "gate", "a\n1\nx\ny\n");
    expect(load).toMatchObject({ state: "stopped", read: 3, inserted: 1, held: 2 });
    expect((await db.query("select to_regclass('target.gate') as t")).rows).toEqual([{ t: null }]);
    expect(await countHeld(db, { load: load.id })).toBe(0);
    expect((await findRecords(db, load.id, { outcome: "held" })).records.map((r) => r.line)).toEqual([3, 4]);
    await expect(letThrough(db, load.id, " ")).rejects.toMatchObject({ code: "reason-missing" });
    await letThrough(db, load.id, "known trouble at the sender's");
    const through = await waitFor(db, load.id);
    expect(through).toMatchObject({
      state: "loaded",
      inserted: 1,
      held: 2,
      letThrough: "known trouble at the sender's",
    });
    await expect(dropLoad(db, load.id, "late")).rejects.toMatchObject({ code: "wrong-state" });
  });

  it("stop a load with too few records, or a field that is empty too often", async () => {
    const { db } = system;
    const gates = [
      { limit: "number of records", least: 3 },
      { limit: "empty share", field: "b", over: 0.5 },
    ];
    await newFeed(
      db,
      "measured",
      ["a", "b"].map((name) => ({ name, type: "text" })),
      {},
      { gates },
    );
    const few = await loadNow(db, "measured", "a,b\n1,x\n2,y\n");
    expect(few.state).toBe("stopped");
    expect(few.report!.gates.map((g) => [g.gate, g.passed, g.message])).toEqual([
      ["number of records", false, "2 records read; there should be at least 3."],
      ["empty share of b", true, "b is empty in 0 %; the limit is 50 %."],
    ]);
    const empty = await loadNow(db, "measured", "a,b\n1,\n2,\n3,z\n");
    expect(empty.state).toBe("stopped");
    expect(empty.report!.gates[1]!.message).toBe("b is empty in 66.7 %; the limit is 50 %.");
    expect((await loadNow(db, "measured", "a,b\n1,x\n2,\n3,z\n")).state).toBe("loaded");
  });

  it("a load that was cancelled has written nothing", async () => {
    const { db } = system;
    await newFeed(db, "gone", [{ name: "a", type: "text" }]);
    const id = await askForLoad(db, await deliver(db, "gone", `a\n${"some value\n".repeat(400_000)}`));
    await waitFor(db, id, (l) => l.recordsSoFar > 0);
    await cancelLoad(db, id);
    expect((await waitFor(db, id)).state).toBe("cancelled");
    expect((await db.query("select to_regclass('target.gone') as t")).rows).toEqual([{ t: null }]);
    expect((await db.query("select 1 from pg_tables where schemaname = 'staging'")).rows).toEqual([]);
  });
});

describe("damaged deliveries", () => {
  const cases: [string, string | Uint8Array, string, string][] = [
    ["not a text file", Uint8Array.from({ length: 4000 }, (_, i) => (i * 7919) % 256), "failed", "is not text"],
    ["an empty file", "", "stopped", "is empty"],
    ["a header alone", "a\n", "stopped", "only its header"],
    ["columns that fit nothing", "x;y\n1;2\n", "failed", "is a field of the plan"],
    ["one line of 5 MB", "x".repeat(5_000_000), "failed", "longer than"],
    ["NUL bytes", new Uint8Array(100_000), "failed", "is not text"],
    ["a million columns' worth of commas", ",".repeat(1_000_000), "failed", "at most 1,600"],
  ];
  it.each(cases)("%s: a clear message, nothing changed, the worker alive", async (name, bytes, state, words) => {
    const { db } = system;
    const feed = `damaged_${cases.findIndex((c) => c[0] === name)}`;
    await newFeed(db, feed, [
      { name: "a", type: "text" },
      { name: "b", type: "text" },
    ]);
    const load = await loadNow(db, feed, bytes);
    expect(load.state).toBe(state);
    const said =
      state === "failed"
        ? `${load.error!.message} ${load.error!.detail}`
        : load.report!.gates.map((g) => g.message).join(" ");
    expect(said).toContain(words);
    expect(said).not.toContain("at Object");
    expect((await db.query("select to_regclass($1) as t", [`target.${feed}`])).rows).toEqual([{ t: null }]);
    expect(load.attempts).toBe(1);
    expect((await loadNow(db, feed, "a,b\n1,2\n")).state).toBe("loaded");
  });

  it("takes a file out again that did not arrive whole", async () => {
    const { db } = system;
    const delivery = await deliver(db, "twice");
    const broken = (async function* () {
      yield new TextEncoder().encode("a\n1\n");
    })();
    await expect(receiveFile(db, delivery, "cut.csv", broken, 100)).rejects.toMatchObject({ code: "upload-cut" });
    await expect(askForLoad(db, delivery)).rejects.toMatchObject({ code: "delivery-empty" });
  });

  it("keeps the bytes of a file as they came, whatever they are", async () => {
    const { db } = system;
    const fields = [{ name: "a", type: "text" }];
    await newFeed(db, "latin", fields, {}, { read: { as: "delimited", encoding: "cp1252" } });
    const bytes = Uint8Array.of(97, 10, 0xe9, 0x80, 10, 0xfc, 10);
    const load = await loadNow(db, "latin", bytes);
    expect(load.report!.files[0]!.read.encoding).toBe("windows-1252");
    expect((await rows(db, "latin", "_record")).map((r) => r["a"])).toEqual(["é€", "ü"]);
    // Left to be found out, so few letters could be of many encodings: it is not guessed.
    await newFeed(db, "guessed", fields);
    const guessed = await loadNow(db, "guessed", bytes);
    expect(guessed.state).toBe("stopped");
    expect(guessed.report!.gates.filter((g) => !g.passed)).toMatchObject([{ gate: "reading in doubt" }]);
    expect(await db.query("select to_regclass('target.guessed') as t")).toMatchObject({ rows: [{ t: null }] });
  });
});

describe("the quarantine", () => {
  it("are ordered by their records, or by those that one mend is for", async () => {
    const { db } = system;
    await newFeed(
      db,
      "gain",
      [
        { name: "id", type: "text" },
        { name: "kind", type: "code", values: ["a", "b"] },
        { name: "n", type: "integer", required: true },
        { name: "noted", type: "integer", on_failure: "note" },
      ],
      {},
      { gates: [] },
    );
    await loadNow(
      db,
      "gain",
      `id,kind,n,noted\n${["x", "x", "x", "y"].map((k, i) => `${i},${k},1,?\n`).join("")}${["o", "p", "q", "", ""].map((n, i) => `${i},a,${n},1\n`).join("")}`,
    );
    const groups = async (order: "records" | "gain"): Promise<unknown[]> =>
      (await heldGroups(db, { feed: "gain" }, order)).map((g) => [g.check, g.count, g.mends]);
    expect(await groups("records")).toEqual([
      ["kind:type", 4, undefined],
      ["n:type", 3, undefined],
      ["n:required", 2, undefined],
    ]);
    // Two values of four records; three values; two empty cells, of which each may need its own.
    expect(await groups("gain")).toEqual([
      ["kind:type", 4, 2],
      ["n:type", 3, 3],
      ["n:required", 2, 2],
    ]);
    await loadNow(
      db,
      "gain",
      `id,kind,n,noted\n${["o", "p", "q", "r", "s", "t"].map((n, i) => `${i},a,${n},1\n`).join("")}`,
    );
    expect((await groups("records"))[0]).toEqual(["n:type", 6, undefined]);
    expect((await groups("gain"))[0]).toEqual(["kind:type", 4, 2]);
  });

  it("groups by what is wrong; a mended record is checked, released and found in the target", async () => {
    const { db } = system;
    await newFeed(db, "mend", FIELDS, { key: ["id"] });
    const load = await loadNow(
      db,
      "mend",
      "id,n,d,ok,at\na,1,,,\nb,ca. 2,31.02.2026,,\nc,3,,maybe,\nd,,,,\n,9,,,\ne,1,,,2026-05-31T10:00:00Z,\ng,1,,,\nh,1,,,\n",
    );
    expect(load).toMatchObject({ state: "loaded", inserted: 4, held: 4 });
    const groups = await heldGroups(db, { feed: "mend" });
    expect(groups.map((g) => [g.check, g.count])).toEqual([
      ["d:type", 1],
      ["id:required", 1],
      ["n:type", 1],
      ["ok:type", 1],
      ["read:too-many-cells", 1],
    ]);
    const b = (await listHeld(db, { feed: "mend", check: "n:type" }))[0]!;
    expect((await getHeld(db, b.load, b.record)).raw).toBe("b,ca. 2,31.02.2026,,");
    const [half] = await releaseRecords(db, [{ ...b, values: { n: "2" } }], "test");
    expect(half).toMatchObject({ released: false, problems: [{ check: "d:type" }] });
    const [whole] = await releaseRecords(db, [{ ...b, values: { d: "28.02.2026" } }], "test");
    expect(whole!.released).toBe(true);
    expect((await db.query("select id, n, d, _load, _record from target.mend where id = 'b'")).rows).toEqual([
      { id: "b", n: "2.0000000000", d: "2026-02-28", _load: load.id, _record: b.record },
    ]);
    expect(await getHeld(db, b.load, b.record)).toMatchObject({
      state: "released",
      mended: { n: "2", d: "28.02.2026" },
      endedBy: "test",
    });
    await expect(releaseRecords(db, [{ load: b.load, record: b.record }], "test")).rejects.toMatchObject({
      code: "wrong-state",
    });
  });

  it("does not release what would repeat a key of the target", async () => {
    const { db } = system;
    const empty = (await listHeld(db, { feed: "mend", check: "id:required" }))[0]!;
    const [answer] = await releaseRecords(db, [{ ...empty, values: { id: "a" } }], "test");
    expect(answer).toMatchObject({ released: false, problems: [{ check: "id:unique" }] });
    expect((await db.query("select count(*)::int as n from target.mend where id = 'a'")).rows).toEqual([{ n: 1 }]);
  });

  it("discards with a reason only, and takes that back", async () => {
    const { db } = system;
    const which = (await listHeld(db, { feed: "mend" })).map(({ load, record }) => ({ load, record }));
    await expect(discardRecords(db, which, "", "test")).rejects.toMatchObject({ code: "reason-missing" });
    expect(await discardRecords(db, which, "withdrawn by the sender", "test")).toBe(which.length);
    expect(await countHeld(db, { feed: "mend" })).toBe(0);
    expect(await takeBack(db, which)).toBe(which.length);
    expect(await countHeld(db, { feed: "mend" })).toBe(which.length);
  });
});

describe("every count leads to exactly its records", () => {
  it("for outcomes, stages, checks, fields and steps", async () => {
    const { db } = system;
    await newFeed(
      db,
      "counts",
      [
        { name: "id", type: "integer" },
        { name: "t", type: "text", length: 3, on_failure: "note" },
        { name: "c", type: "code", values: ["A", "B"] },
      ],
      { key: ["id"] },
      {
        cleanse: [
          { do: "trim", in: "*" },
          { do: "case", in: ["c"], to: "upper" },
        ],
      },
    );
    const lines = Array.from({ length: 3000 }, (_, i) =>
      i % 31 === 0
        ? `${i}`
        : `${i % 29 === 0 ? "x" : i % 37 === 0 ? 1 : i},${i % 11 === 0 ? "long text" : " ab"},${i % 7 === 0 ? "Z" : "a"}`,
    );
    const load = await loadNow(db, "counts", `id,t,c\n${lines.join("\n")}\n`);
    const { report } = load;
    const count = async (filter: Parameters<typeof findRecords>[2]): Promise<number> =>
      (await findRecords(db, load.id, filter, 0, 5000)).records.length;
    for (const o of OUTCOMES) expect(await count({ outcome: o })).toBe(report!.balance.outcomes[o]);
    for (const s of report!.sift) {
      expect(await count({ left: s.stage })).toBe(s.left);
      for (const t of s.trays) expect(await count({ outcome: t.outcome, at: t.at ?? undefined })).toBe(t.count);
    }
    for (const c of report!.checks) expect(await count({ check: c.key }), c.key).toBe(c.problems);
    for (const f of report!.fields) {
      expect(await count({ field: f.name, is: "filled" })).toBe(f.filled);
      expect(await count({ field: f.name, is: "empty" })).toBe(f.of - f.filled);
      expect(await count({ field: f.name, is: "valid" })).toBe(f.valid);
      expect(await count({ field: f.name, is: "changed" })).toBe(f.changed);
    }
    for (const [step] of report!.steps.entries()) expect(await count({ step })).toBeGreaterThan(0);
    const page = await findRecords(db, load.id, { outcome: "held" }, 0, 10);
    const rest = await findRecords(db, load.id, { outcome: "held" }, page.next!, 5000);
    expect(page.records.length + rest.records.length).toBe(report!.balance.outcomes.held);
  });
});

describe("plans", () => {
  it("are never changed; a version made from an older one is refused", async () => {
    const { db } = system;
    const plan = await planInForce(db, "ups");
    await expect(db.query("update sieve.plan set note = 'other' where id = $1", [plan.id])).rejects.toThrow(
      "never changed",
    );
    const next = await savePlan(db, "ups", plan.document, "again", "test", 1);
    expect(next.version).toBe(2);
    await expect(savePlan(db, "ups", plan.document, "late", "test", 1)).rejects.toMatchObject({ code: "plan-moved" });
  });

  it("alter the target where nothing is lost, and refuse where something would be", async () => {
    const { db } = system;
    const { document } = await planInForce(db, "ups");
    const wider = {
      ...document,
      contract: { fields: [...document.contract.fields, { name: "more", type: "date", formats: ["yyyy-MM-dd"] }] },
    };
    await savePlan(db, "ups", wider, "one more field", "test");
    expect((await loadNow(db, "ups", "id,v,more\n9,z,2026-01-01\n")).state).toBe("loaded");
    expect((await rows(db, "ups")).at(-1)).toMatchObject({ id: 9, more: "2026-01-01" });
    const narrower = {
      ...document,
      contract: { fields: document.contract.fields.map((f) => (f.name === "v" ? { ...f, type: "integer" } : f)) },
    };
    await savePlan(db, "ups", narrower, "text to number", "test");
    const failed = await loadNow(db, "ups", "id,v\n10,5\n");
    expect(failed).toMatchObject({ state: "failed" });
    expect(failed.error!.message).toContain("can't become bigint");
  });

  it("are tried as drafts without being saved", async () => {
    const { db } = system;
    const { document, version } = await planInForce(db, "counts");
    const draft = await keepDraft(db, "counts", { ...document, gates: [] });
    const trial = await waitFor(db, await askForTrial(db, (await latestDelivery(db, "counts"))!, draft.id));
    expect(trial.state).toBe("tried");
    expect((await planInForce(db, "counts")).version).toBe(version);
    await expect(getLoad(db, 999_999)).rejects.toBeInstanceOf(SieveError);
  });
});

describe("the database itself", () => {
  it("refuses a balance that does not close and a ledger that is not whole", async () => {
    const { db } = system;
    const { rows: loads } = await db.query<{ id: number }>("select id from sieve.load where state = 'loaded' limit 1");
    await expect(
      db.query("update sieve.load set inserted = inserted + 1 where id = $1", [loads[0]!.id]),
    ).rejects.toThrow("what it came to is never changed");
    const { rows: made } = await db.query<{ id: number }>(
      `insert into sieve.load (feed, delivery, plan, state) select feed, delivery, plan, 'running' from sieve.load
       where id = $1 returning id`,
      [loads[0]!.id],
    );
    const set = (read: number): Promise<unknown> =>
      db.query(
        `update sieve.load set state = 'loaded', read = $2, inserted = 1, updated = 0, unchanged = 0, merged = 0, held = 0,
           waiting = 0, left_out = 0 where id = $1`,
        [made[0]!.id, read],
      );
    await expect(set(2)).rejects.toThrow("balance_closes");
    await expect(set(1)).rejects.toThrow("ledger has 0");
    await db.query("delete from sieve.load where id = $1", [made[0]!.id]);
  });
});
