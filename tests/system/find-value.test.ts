import { describe, expect, it } from "vitest";
import { findValue } from "@/engine/look/find-value.ts";
import { releaseRecords } from "@/engine/release/release.ts";
import { discardRecords } from "@/engine/release/discard.ts";
import { undoLoad } from "@/engine/undo/undo.ts";
import { sieve } from "../support/shell.ts";
import { loadNow, newFeed, tamper, useSystem } from "../support/system.ts";
import { changeWords, stateWords } from "@/core/report/found-words.ts";
import { placeOf } from "@/ui/find/found-words.ts";

const system = useSystem();
const FIELDS = [
  { name: "no", type: "text", required: true },
  { name: "site", type: "text" },
  { name: "n", type: "integer" },
  { name: "day", type: "date" },
];

describe("a record is found again", () => {
  it("by its key, with what was done to it, whichever load and whoever did it", async () => {
    const { db } = system;
    await newFeed(db, "finds", FIELDS, { key: ["no"], mode: "upsert" }, { gates: [] });
    const one = await loadNow(db, "finds", "no,site,n,day\nA-1,Fen,1,2026-01-01\nA-2,Cray,2,2026-01-02\n");
    const two = await loadNow(db, "finds", "no,site,n,day\nA-1,Fen,5,2026-01-01\nA-3,Fen,x,\n");
    const three = await loadNow(db, "finds", "no,site,n,day\nA-1,Brindle,5,2026-02-01\n");
    const { rows, records, unfinished } = await findValue(db, " A-1 ");
    expect(unfinished).toEqual([]);
    expect(records).toEqual([]);
    expect(rows).toHaveLength(1);
    expect(rows[0]).toMatchObject({
      ...{ feed: "finds", target: "finds", in: ["no"], load: three.id, record: 0 },
      values: ["A-1", "Brindle", "5", "2026-02-01"],
    });
    expect(rows[0]!.changes.map((c) => [changeWords(c), c.fields])).toEqual([
      [
        `load ${three.id} changed it`,
        [
          { name: "site", was: "Fen", is: "Brindle" },
          { name: "day", was: "2026-01-01", is: "2026-02-01" },
        ],
      ],
      [`load ${two.id} changed it`, [{ name: "n", was: "1", is: "5" }]],
    ]);
    // What was undone was not done.
    await undoLoad(db, three.id, "x", "t");
    const [after] = (await findValue(db, "A-1")).rows;
    expect(after!.values[1]).toBe("Fen");
    expect(after!.changes.map((c) => c.load)).toEqual([two.id]);
    expect((await findValue(db, "A-2")).rows[0]).toMatchObject({ load: one.id, changes: [] });
  });

  it("by any text or day that it has, across feeds, and by nothing else", async () => {
    const { db } = system;
    await newFeed(
      db,
      "other_finds",
      [...FIELDS.slice(0, 2), { name: "id", type: "integer" }],
      { key: ["id"] },
      { gates: [] },
    );
    await loadNow(db, "other_finds", "no,site,id\nB-1,Fen,77\n");
    const bySite = await findValue(db, "Fen");
    expect(bySite.rows.map((r) => [r.feed, r.values[0], r.in.join()])).toEqual([
      ["finds", "A-1", "site"],
      ["other_finds", "B-1", "site"],
    ]);
    expect((await findValue(db, "77")).rows.map((r) => r.feed)).toEqual(["other_finds"]);
    for (const none of ["fen", "Fe", "A-4", "2026-02-31", "", "'; drop table x; --", "9".repeat(200)]) {
      expect(await findValue(db, none)).toMatchObject({ rows: [], records: [], unfinished: [], more: { rows: false } });
    }
  });

  it("that is held, or was, with what became of it", async () => {
    const { db } = system;
    const load = await loadNow(db, "finds", "no,site,n,day\nH-1,Quill,x,\nH-2,Quill,y,\nH-3,Quill,z,\n");
    await releaseRecords(db, [{ load: load.id, record: 1, values: { n: "4" } }], "Ines");
    await discardRecords(db, [{ load: load.id, record: 2 }], "a test of the balance", "Ines");
    const { rows, records } = await findValue(db, "Quill");
    expect(rows.map((r) => r.values[0])).toEqual(["H-2"]);
    expect(records.map((r) => [r.values[0], r.line, stateWords(r)])).toEqual([
      ["H-1", 2, "is held"],
      ["H-2", 3, "was held, and was released by Ines"],
      ["H-3", 4, "was held, and was discarded by Ines: a test of the balance"],
    ]);
    expect(records[0]).toMatchObject({ feed: "finds", file: "file-0.csv", load: load.id });
    expect(placeOf(records[0]!)).toBe(`/quarantine?load=${load.id}`);
    expect(placeOf(records[1]!)).toBe(`/loads/${load.id}/records/1`);
  });

  it("that a step left out, wherever in a load it stood, by its values as they were then", async () => {
    const { db } = system;
    const cleanse = [
      { do: "trim", in: "*" },
      { do: "leave-out", in: "*", when: "n < 0" },
      { do: "leave-out", in: "*", when: "site == 'none'" },
    ];
    await newFeed(db, "leaves", FIELDS, { key: ["no"] }, { gates: [], cleanse });
    const lines = Array.from({ length: 30_000 }, (_, i) =>
      i % 1000 === 7 ? `L-${i},away,-${i},` : i === 25_001 ? `L-${i},none,3,` : `L-${i},there,${i},`,
    );
    const load = await loadNow(db, "leaves", `no,site,n,day\n${lines.join("\n")}\n`);
    const found = async (value: string) => (await findValue(db, value)).records;
    const [one, ...more] = await found("L-12007");
    expect(more).toEqual([]);
    expect(one).toMatchObject({
      ...{ feed: "leaves", load: load.id, record: 12_007, state: "left out", line: 12_009, file: "file-0.csv" },
      values: ["L-12007", "away", "-12007", ""],
      reason: "step 2, leave out when n < 0",
    });
    expect(stateWords(one!)).toBe("was left out: step 2, leave out when n < 0");
    expect(placeOf(one!)).toBe(`/loads/${load.id}/records/12007`);
    expect((await found("none")).map((r) => [r.record, r.reason])).toEqual([
      [25_001, "step 3, leave out when site == 'none'"],
    ]);
    expect((await found("-25007")).map((r) => r.record)).toEqual([25_007]);
    // As many as are given of what has very many, the first of a load first.
    expect((await found("away")).map((r) => r.record)).toEqual(Array.from({ length: 30 }, (_, i) => i * 1000 + 7));
    // One that became a row is none that was left out, though its block has some.
    expect(await found("L-12006")).toEqual([]);
    expect((await findValue(db, "L-12006")).rows).toHaveLength(1);
    await undoLoad(db, load.id, "x", "t");
    expect(await found("L-12007")).toEqual([]);
  });

  it("that was left out is not shown once the bytes of its delivery have expired", async () => {
    const { db } = system;
    const cleanse = [{ do: "leave-out", in: "*", when: "n < 0" }];
    await newFeed(db, "leaves_no_more", FIELDS, { key: ["no"] }, { gates: [], cleanse });
    await loadNow(db, "leaves_no_more", "no,site,n,day\nGONE-1,Fen,-1,\n");
    expect((await findValue(db, "GONE-1")).records).toHaveLength(1);
    await tamper(
      system,
      "update sieve.delivery_file f set expired_at = now() from sieve.delivery d where d.id = f.delivery and d.feed = 'leaves_no_more'",
    );
    await tamper(
      system,
      "delete from sieve.chunk c using sieve.delivery_file f, sieve.delivery d where f.id = c.file and d.id = f.delivery and d.feed = 'leaves_no_more'",
    );
    expect((await findValue(db, "GONE-1")).records).toEqual([]);
  });

  it("from the command line, in words or as JSON, and says where it is nowhere", () => {
    const find = (...args: string[]) => sieve(system, "find", ...args);
    const told = find("A-1");
    expect(told.status).toBe(0);
    expect(told.stdout).toMatch(
      /^finds, table finds: no=A-1, site=Fen, n=5, day=2026-01-01\n {2}came last as record 1 of load \d+\n/,
    );
    expect(told.stdout).toMatch(/ load \d+ changed it \(.*\): n from 1 to 5\n/);
    expect(find("H-1").stdout).toMatch(/^finds, load \d+, line 2 of file-0\.csv is held\n$/);
    expect((JSON.parse(find("A-1", "--json").stdout) as { rows: object[] }).rows).toHaveLength(1);
    expect(find("nobody")).toMatchObject({ status: 1, stdout: "nothing has nobody\n" });
  });
});
