import { mkdtempSync, readFileSync, readdirSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { strFromU8, unzipSync } from "fflate";
import { describe, expect, it } from "vitest";
import { verifyLoad } from "@/engine/look/verify.ts";
import { packForSenders } from "@/engine/out/to-senders.ts";
import { undoLoad } from "@/engine/undo/undo.ts";
import { countHeld, getHeld, listHeld, type HeldFilter } from "@/store/held.ts";
import type { Load } from "@/store/loads.ts";
import { sieve } from "../support/shell.ts";
import { loadFrom, newFeed, useSystem } from "../support/system.ts";

const system = useSystem();

const FIELDS = [
  { name: "id", type: "text", required: true },
  { name: "n", type: "integer", also: ["Anzahl"] },
];

const send = (feed: string, sender: string, name: string, file: string | Uint8Array): Promise<Load> =>
  loadFrom(system.db, feed, sender, file, name);

async function packed(filter: HeldFilter): Promise<{ files: Record<string, string>; done: object }> {
  const pieces: Buffer[] = [];
  const done = await packForSenders(system.db, filter, (bytes) =>
    Promise.resolve(void pieces.push(Buffer.from(bytes))),
  );
  const files = Object.entries(unzipSync(Buffer.concat(pieces))).map(([n, b]) => [n, strFromU8(b)] as const);
  return { files: Object.fromEntries(files), done };
}

describe("held records for their senders", () => {
  it("are apart by feed, sender and layout, each with its mark and problem, and a letter says what they are", async () => {
    for (const feed of ["garden", "museum"])
      await newFeed(system.db, feed, FIELDS, { key: ["id"], mode: "upsert" }, { gates: [] });
    const first = await send("garden", "Mibora", "a.csv", "id,n\nx1,bad\nx2,2\n,3\n");
    await send("garden", "Mibora", "b.csv", "Anzahl;id\nworse;y1\n5;y2\n");
    await send("garden", "Erica / Lyng", "c.csv", "id,n\nz1,no\n");
    await send("museum", "Mibora", "m.csv", "id,n\nm1,?\n");
    const { files, done } = await packed({});
    expect(done).toEqual({ names: ["Erica / Lyng", "Mibora"], files: 4, records: 5 });
    expect(Object.keys(files).sort()).toEqual([
      "garden/Erica - Lyng/c-to-mend.csv",
      "garden/Erica - Lyng/letter.html",
      "garden/Erica - Lyng/letter.txt",
      "garden/Mibora/a-to-mend.csv",
      "garden/Mibora/b-to-mend.txt",
      "garden/Mibora/letter.html",
      "garden/Mibora/letter.txt",
      "museum/Mibora/letter.html",
      "museum/Mibora/letter.txt",
      "museum/Mibora/m-to-mend.csv",
    ]);
    const own = files["garden/Mibora/a-to-mend.csv"]!.replace(/^\ufeff/, "").split("\r\n");
    expect(own[0]).toBe("id,n,sieve mark,sieve problem");
    expect(own[1]).toMatch(new RegExp(`^x1,bad,${first.id}-1,`));
    expect(own[2]).toMatch(new RegExp(`^,3,${first.id}-3,`));
    const letter = files["garden/Mibora/letter.txt"]!;
    expect(letter).toContain("garden: 3 records to look at, for Mibora");
    expect(letter).toContain("a-to-mend.csv  (2 records)");
    expect(letter).toContain("b-to-mend.txt  (1 record)");
    expect(letter).toContain("2 records: n is not a whole number");
    expect(files["garden/Mibora/letter.html"]).toContain("<h1>garden: 3 records to look at, for Mibora</h1>");
    const some = await packed({ load: first.id });
    expect(some.done).toMatchObject({ files: 1, records: 2 });
  });

  it("go into a folder from the command line too, which lists who owes what, and notes what was handed over", async () => {
    const told = (...args: string[]) => sieve(system, "senders", ...args);
    await newFeed(system.db, "herbarium", FIELDS, { key: ["id"], mode: "upsert" }, { gates: [] });
    await send("herbarium", "Calluna", "h.csv", "id,n\nx1,bad\nx2,2\nx3,no\n");
    expect(told("--sender", "Calluna").stdout).toBe("Calluna: 1 delivery to herbarium; 2 held\n");
    const folder = mkdtempSync(join(tmpdir(), "sieve-senders-"));
    const written = told("--into", folder, "--feed", "herbarium", "--given");
    expect(written.stdout).toBe(
      `2 records for 1 sender in 1 file: ${folder}\nCalluna: 2 records with it from now on\n`,
    );
    expect(readdirSync(join(folder, "herbarium/Calluna")).sort()).toEqual([
      "h-to-mend.csv",
      "letter.html",
      "letter.txt",
    ]);
    expect(readFileSync(join(folder, "herbarium/Calluna/h-to-mend.csv"), "utf8")).toContain("x3,no");
    expect(told("--feed", "herbarium").stdout).toMatch(
      /^Calluna: 1 delivery to herbarium; 2 held, 2 records with it since \d{4}-\d\d-\d\d\n$/,
    );
    const [listed] = JSON.parse(told("--json", "--feed", "herbarium").stdout) as object[];
    expect(listed).toMatchObject({ name: "Calluna", held: 2, withThem: 2 });
    expect(told("--given")).toMatchObject({ status: 2, stderr: expect.stringContaining("--into") as string });
    expect(told("--into", folder, "--feed", "nothing").stderr).toContain("No record is held");
  });

  it("come back: those that are sound are closed by their marks, those that are not live on as they came last", async () => {
    const { db } = system;
    await newFeed(db, "back", FIELDS, { key: ["id"], mode: "upsert" }, { gates: [] });
    const first = await send("back", "Mibora", "a.csv", "id,n\nx1,bad\nx2,2\nx3,worse\n,4\n");
    expect(await countHeld(db, { feed: "back" })).toBe(3);
    const { files } = await packed({ feed: "back" });
    // One is mended, one is still wrong, and one has got the key that it lacked: no key would know it again.
    const mended = files["back/Mibora/a-to-mend.csv"]!.replace("x1,bad", "x1,1").replace("\n,4,", "\nx4,4,");
    const load = await send("back", "Mibora", "a-mended.csv", mended);
    expect(load.report!.files[0]!.extra).toEqual([]);
    expect(load.report!.drift).toEqual([]);
    expect(load).toMatchObject({ state: "loaded", inserted: 2, held: 1 });
    expect(load.report!.returned).toEqual({ accepted: 2, again: 1 });
    expect(await countHeld(db, { feed: "back" })).toBe(1);
    const closed = await listHeld(db, { load: first.id, state: "closed" });
    expect(closed.map((h) => [h.line, h.endedBy, h.reason])).toEqual([
      [2, `load ${load.id}`, `load ${load.id} accepted it as its record 1`],
      [4, `load ${load.id}`, "came again, still wrong, as record 2"],
      [5, `load ${load.id}`, `load ${load.id} accepted it as its record 3`],
    ]);
    expect((await verifyLoad(db, first.id)).differs).toEqual([]);
    expect((await verifyLoad(db, load.id)).differs).toEqual([]);
    await undoLoad(db, load.id, "wrong file", "steward");
    expect(await countHeld(db, { load: first.id })).toBe(3);
    expect(await countHeld(db, { feed: "back" })).toBe(3);
  });

  it("come back as the table that went to the sender, where a feed is sent something else", async () => {
    const { db } = system;
    const nested = [
      { ...FIELDS[0]!, also: ["lot.id"] },
      { ...FIELDS[1]!, also: ["tests.n"] },
    ];
    await newFeed(db, "lots", nested, { key: ["id"] }, { gates: [], read: { as: "json-lines", each: "tests" } });
    const tests = (...n: unknown[]): string => JSON.stringify(n.map((x) => ({ n: x })));
    const lines = [`{"lot":{"id":"x1"},"tests":${tests("bad")}}`, `{"lot":{"id":"x2"},"tests":${tests(2)}}`];
    const first = await send("lots", "Mibora", "a.jsonl", lines.join("\n"));
    expect(first).toMatchObject({ state: "loaded", inserted: 1, held: 1 });
    const { files } = await packed({ feed: "lots" });
    const table = files["lots/Mibora/a-to-mend.csv"]!;
    const load = await send("lots", "Mibora", "a-to-mend.csv", table.replace(",bad,", ",1,"));
    expect(load).toMatchObject({ state: "loaded", read: 1, inserted: 1, held: 0 });
    expect(load.report!.returned).toEqual({ accepted: 1, again: 0 });
    expect(load.report!.drift).toEqual([]);
    expect((await verifyLoad(db, load.id)).differs).toEqual([]);
  });

  it("come back as the JSON that went to the sender, each record as it was written", async () => {
    const { db } = system;
    await newFeed(db, "parcels", FIELDS, { key: ["id"] }, { gates: [], read: { as: "json", records: "$.parcels" } });
    const text = '{"parcels": [{"id": "x1", "n": "bad", "more": {"of": 1.10}}, {"id": "x2", "n": 2}]}';
    const first = await send("parcels", "Mibora", "a.json", text);
    expect(first).toMatchObject({ state: "loaded", inserted: 1, held: 1 });
    const { files } = await packed({ feed: "parcels" });
    const own = files["parcels/Mibora/a-to-mend.json"]!;
    expect(own).toContain('{"id": "x1", "n": "bad", "more": {"of": 1.10},"sieve mark":');
    const load = await send("parcels", "Mibora", "a-to-mend.json", own.replace('"bad"', "1"));
    expect(load).toMatchObject({ state: "loaded", read: 1, inserted: 1, held: 0 });
    expect(load.report!.returned).toEqual({ accepted: 1, again: 0 });
    // What is theirs and no field takes, but nothing of ours.
    expect(load.report!.drift.map((d) => d.kind === "extra column" && d.name)).toEqual(["more.of"]);
  });

  it("sent again as they are do not pile up, by their key, or without one by all that is in them", async () => {
    const { db } = system;
    await newFeed(db, "piles", FIELDS, { key: ["id"], mode: "upsert" }, { gates: [] });
    await newFeed(db, "keyless", FIELDS, {}, { gates: [] });
    for (const feed of ["piles", "keyless"]) {
      const loads: Load[] = [];
      for (let i = 0; i < 3; i++)
        loads.push(await send(feed, "Mibora", `${i}.csv`, `id,n\nx1,bad\nx2,worse\nx${i + 5},1\n`));
      expect(await countHeld(db, { feed })).toBe(2);
      // The one that is held knows as what it came before, and for what it was held.
      const before = async (n: number) => (await getHeld(db, loads[n]!.id, 1)).before;
      expect((await before(2)).map((b) => [b.load, b.record, b.line])).toEqual([
        [loads[1]!.id, 1, 3],
        [loads[0]!.id, 1, 3],
      ]);
      expect((await before(2))[0]!.problems[0]!.message).toContain("worse");
      expect(await before(0)).toEqual([]);
      await undoLoad(db, loads[2]!.id, "once too often", "steward");
      expect((await before(1)).map((b) => b.load)).toEqual([loads[0]!.id]);
      await send(feed, "Mibora", "again.csv", `id,n\nx1,bad\nx2,worse\nx9,1\n`);
      const other = await send(feed, "Erica", "e.csv", "id,n\nx1,bad\n");
      // What another sender sends is another's.
      expect(other.report!.returned).toBeUndefined();
      expect(await countHeld(db, { feed })).toBe(3);
    }
    const differs = await send("keyless", "Mibora", "d.csv", "id,n\nx1,bad!\n");
    expect(differs.report!.returned).toBeUndefined();
  });

  it("by marks of another feed, of another sender, of nothing or of what is no mark close nothing", async () => {
    const { db } = system;
    for (const feed of ["ours", "theirs"]) await newFeed(db, feed, FIELDS, {}, { gates: [] });
    const ours = await send("ours", "Mibora", "a.csv", "id,n\nx1,bad\n");
    const marks = [`${ours.id}-1`, "999999-1", `${ours.id}-0`, `${ours.id}-9`, "-1-1", "1e3-2", "' or 1=1"];
    const text = `id,n,sieve mark\n${marks.map((m, i) => `y${i},${i},"${m}"`).join("\n")}\n`;
    expect((await send("theirs", "Mibora", "b.csv", text)).report!.returned).toBeUndefined();
    expect((await send("ours", "Erica", "c.csv", text)).report!.returned).toBeUndefined();
    expect(await countHeld(db, { load: ours.id })).toBe(1);
    const own = await send("ours", "Mibora", "d.csv", text.replaceAll("y", "z"));
    expect(own).toMatchObject({ state: "loaded", read: marks.length, inserted: marks.length });
    expect(own.report!.returned).toEqual({ accepted: 1, again: 0 });
    expect(await countHeld(db, { load: ours.id })).toBe(0);
  });

  it("are refused in words where there are none", async () => {
    await newFeed(system.db, "empty", FIELDS);
    await expect(packed({ feed: "empty" })).rejects.toMatchObject({ code: "no-records" });
  });
});
