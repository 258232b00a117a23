import { describe, expect, it } from "vitest";
import { lifeOf } from "@/engine/look/life.ts";
import { findValue } from "@/engine/look/find-value.ts";
import { discardRecords } from "@/engine/release/discard.ts";
import { releaseRecords } from "@/engine/release/release.ts";
import { stateWords } from "@/core/report/found-words.ts";
import { placeOf } from "@/ui/find/found-words.ts";
import { pairWords } from "@/ui/loads/life-words.ts";
import { loadNow, newFeed, tamper, useSystem } from "../support/system.ts";

/** A record from its raw text to its row, and what was done to it since. */

const system = useSystem();
const FIELDS = [
  { name: "no", type: "text", required: true },
  { name: "site", type: "text" },
  { name: "n", type: "integer" },
];

describe("the life of a record", () => {
  const CLEANSE = [
    { do: "trim", in: "*" },
    { do: "case", to: "upper", in: ["no"] },
    { do: "fill", above: true, in: ["site"] },
    { do: "leave-out", in: "*", when: "no == 'SUM'" },
  ];

  it("goes from its raw text through each step that changed it to its row and what changed that since", async () => {
    const { db } = system;
    await newFeed(db, "lives", FIELDS, { key: ["no"], mode: "upsert" }, { gates: [], cleanse: CLEANSE });
    const one = await loadNow(db, "lives", 'no,site,n\na-1, Fen ,1\n"a-2",,x\nsum,,3\na-3,,4\n');
    const two = await loadNow(db, "lives", "no,site,n\nA-1,Cray,1\n");
    const life = await lifeOf(db, one.id, 0);
    expect(life).toMatchObject({
      ...{ load: one.id, feed: "lives", record: 0, line: 2, outcome: "inserted", at: null, held: null, pairs: [] },
      ...{ fields: ["no", "site", "n"], columns: ["no", "site", "n"], cluster: null },
    });
    expect(life.made).toMatchObject({
      raw: "a-1, Fen ,1",
      cells: ["a-1", " Fen ", "1"],
      arrived: ["a-1", " Fen ", "1"],
      values: ["A-1", "Fen", "1"],
      problems: [],
      steps: [
        { changes: [{ field: 1, before: " Fen ", after: "Fen" }], leavesOut: false },
        { changes: [{ field: 0, before: "a-1", after: "A-1" }], leavesOut: false },
        { changes: [], leavesOut: false },
        { changes: [], leavesOut: false },
      ],
    });
    expect(life.row).toMatchObject({ values: ["A-1", "Cray", "1"], load: two.id });
    expect(life.row!.changes).toMatchObject([{ load: two.id, fields: [{ name: "site", was: "Fen", is: "Cray" }] }]);
    // What came from the records before it is there as it was in the load.
    const third = await lifeOf(db, one.id, 3);
    expect(third.made!.steps[2]!.changes).toEqual([{ field: 1, before: "", after: "Fen" }]);
    const out = await lifeOf(db, one.id, 2);
    expect(out).toMatchObject({ outcome: "left out", row: null });
    expect(out.made!.steps.map((s) => s.leavesOut)).toEqual([false, false, false, true]);
  });

  it("goes on in the quarantine, and out of it", async () => {
    const { db } = system;
    const held = await loadNow(db, "lives", "no,site,n\nh-1,Fen,x\nh-2,Fen,y\nh-3\n");
    expect(await lifeOf(db, held.id, 0)).toMatchObject({
      ...{ outcome: "held", at: "check", row: null },
      held: { state: "held", mended: null, problems: [{ field: "n", value: "x" }], before: [], again: null },
    });
    await releaseRecords(db, [{ load: held.id, record: 0, values: { n: "7" } }], "Ines");
    const life = await lifeOf(db, held.id, 0);
    expect(life.held).toMatchObject({ state: "released", mended: { n: "7" }, endedBy: "Ines" });
    expect(life.row).toMatchObject({ values: ["H-1", "Fen", "7"] });
    await discardRecords(db, [{ load: held.id, record: 1 }], "twice", "Ines");
    expect((await lifeOf(db, held.id, 1)).held).toMatchObject({ state: "discarded", reason: "twice" });
    // One that could not be read has its raw text.
    expect(await lifeOf(db, held.id, 2)).toMatchObject({ at: "read", made: { raw: "h-3", cells: null, steps: [] } });
    // One that comes again, still wrong, knows both ways.
    const again = await loadNow(db, "lives", "no,site,n\nk-1,Fen,x\n");
    const later = await loadNow(db, "lives", "no,site,n\nk-0,Fen,1\nk-1,Fen,z\n");
    expect((await lifeOf(db, again.id, 0)).held).toMatchObject({
      state: "closed",
      again: { load: later.id, record: 1 },
    });
    expect((await lifeOf(db, later.id, 1)).held!.before).toMatchObject([{ load: again.id, record: 0 }]);
  });

  it("has those that it was made one with, and is found by what it had itself", async () => {
    const { db } = system;
    const match = {
      fields: [
        { in: ["name"], by: "words" },
        { in: ["code"], by: "equal" },
      ],
      limits: { same: 60, ask: 50 },
      against: ["delivery", "target"],
    };
    const fields = ["name", "code", "note"].map((name) => ({ name, type: "text" }));
    await newFeed(db, "ones", fields, { key: ["note"], mode: "upsert" }, { gates: [], match });
    const names = Array.from({ length: 60 }, (_, i) => `Garden of ${"abcdefghij"[i % 10]}${i * 37} lane,C${i},n${i}`);
    const twins = ["Brindle Hollow Garden,BHG,first", "Brindle Hollow Gardens,BHG,second"];
    const load = await loadNow(db, "ones", `name,code,note\n${[...names, ...twins].join("\n")}\n`);
    const life = await lifeOf(db, load.id, 61);
    expect(life.pairs.map((p) => [p.other, p.band])).toEqual([[60, "same"]]);
    expect(pairWords(life.pairs[0]!)).toMatch(/^the same, score \d+$/);
    expect(life).toMatchObject({ outcome: "merged", cluster: 60 });
    const found = await findValue(db, "second");
    const joined = found.records.find((r) => r.state === "joined")!;
    expect(joined).toMatchObject({ load: load.id, record: 61, feed: "ones" });
    expect(stateWords(joined)).toBe("became one with record 61");
    expect(placeOf(joined)).toBe(`/loads/${load.id}/records/61`);
    // One that is the same as a row of the target, which another load wrote.
    const others = names.map((n, i) => (i < 30 ? n.replace("Garden of", "Field by") : n).replace(/,n/, ",m"));
    const next = await loadNow(db, "ones", `name,code,note\n${others.join("\n")}\nBrindle Hollow Garden,BHG,third\n`);
    const third = await lifeOf(db, next.id, 60);
    expect(third).toMatchObject({ outcome: "merged", pairs: [{ other: null, row: [load.id, 60], band: "same" }] });
    expect(third.row!.values).toContain("BHG");
    const [found3] = (await findValue(db, "third")).records;
    expect(stateWords(found3!)).toBe(`became one with record 61 of load ${load.id}`);
  });

  it("ends with what is kept where the bytes have gone, and is nobody's where there is no such record", async () => {
    const { db } = system;
    await expect(lifeOf(db, 1, 99)).rejects.toMatchObject({ code: "no-record" });
    await expect(lifeOf(db, 999_999, 0)).rejects.toMatchObject({ code: "no-load" });
    const gone = await loadNow(db, "lives", "no,site,n\nz-1,Fen,1\n");
    await tamper(system, `update sieve.delivery_file set expired_at = now() where delivery = ${gone.delivery}`);
    await tamper(
      system,
      `delete from sieve.chunk where file in (select id from sieve.delivery_file where delivery = ${gone.delivery})`,
    );
    const life = await lifeOf(db, gone.id, 0);
    expect(life).toMatchObject({ outcome: "inserted", made: null });
  });
});
