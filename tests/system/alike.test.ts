import { Readable } from "node:stream";
import { describe, expect, it } from "vitest";
import { closeAlike, countOpenBefore, findAlike, reopenAlike } from "@/engine/release/alike.ts";
import { undoLoad } from "@/engine/undo/undo.ts";
import { makeDelivery, receiveFile } from "@/store/deliveries.ts";
import { getHeld } from "@/store/held.ts";
import { askForLoad } from "@/store/load-requests.ts";
import { sieve } from "../support/shell.ts";
import { newFeed, useSystem, waitFor } from "../support/system.ts";

/** Held records that come again without their mark and under another key. */

const system = useSystem();
const FIELDS = [
  { name: "id", type: "text", required: true, pattern: "[A-Z]-[0-9]+" },
  { name: "taxon", type: "text" },
  { name: "site", type: "text" },
  { name: "on", type: "date" },
  { name: "n", type: "integer" },
];

async function load(feed: string, sender: string, text: string): Promise<number> {
  const { db } = system;
  const delivery = await makeDelivery(db, feed, "test", sender);
  const bytes = new TextEncoder().encode(text);
  await receiveFile(db, delivery, "a.csv", Readable.from([bytes]), bytes.length);
  return (await waitFor(db, await askForLoad(db, delivery))).id;
}

const HELD =
  "id,taxon,site,on,n\n,Silene alba,Moor,2026-05-01,12\n?,Carex nigra,Fen,2026-05-02,x\nB-9,Poa annua,Fen,2026-05-03,x\n";

describe("held records that may have come again", () => {
  it("are shown beside what is most like them, and closed by who says that they are the same", async () => {
    const { db } = system;
    await newFeed(db, "seeds", FIELDS, { key: ["id"], mode: "upsert" }, { gates: [] });
    const first = await load("seeds", "Beck", HELD);
    const other = await load("seeds", "Tarn", "id,taxon,site,on,n\n,Silene alba,Moor,2026-05-01,12\n");
    const second = await load(
      "seeds",
      "Beck",
      // As another file writes them, in another order; one with a wrong number again; and a stranger of the very same.
      "n,on,site,taxon,id\n12,2026-05-01,Moor,Silene alba,A-1\n7,2026-05-02,Fen,Carex nigra,A-2\n7,2026-05-03,Fen,Poa annua,B-10\n",
    );
    expect(await countOpenBefore(db, second)).toBe(3);
    const found = await findAlike(db, second);
    expect(found).toMatchObject({ looked: 3, more: 0, among: 3, fields: ["id", "taxon", "site", "on", "n"] });
    // The third has a sound key, which is another's here.
    expect(found.pairs.map((p) => [p.load, p.record, p.again, p.outcome, `${p.same} of ${p.sound}`])).toEqual([
      [first, 0, 0, "inserted", "4 of 4"],
      [first, 1, 1, "inserted", "3 of 3"],
    ]);
    expect(found.pairs[0]).toMatchObject({
      was: ["", "Silene alba", "Moor", "2026-05-01", "12"],
      is: ["A-1", "Silene alba", "Moor", "2026-05-01", "12"],
    });
    expect((await getHeld(db, first, 0)).state).toBe("held");

    const said = found.pairs.map(({ load: of, record, again }) => ({ load: of, record, again }));
    expect(await closeAlike(db, second, said, "Ines")).toBe(2);
    expect(await closeAlike(db, second, said, "Ines")).toBe(0);
    expect(await getHeld(db, first, 1)).toMatchObject({
      state: "closed",
      endedBy: "Ines",
      reason: `said to be its record 2 of load ${second}`,
    });
    expect(await countOpenBefore(db, second)).toBe(1);
    // One of them was not it after all.
    expect(await reopenAlike(db, [{ load: first, record: 1 }])).toBe(1);
    expect(await getHeld(db, first, 1)).toMatchObject({ state: "held", reason: "", endedBy: "", endedAt: null });
    expect(await reopenAlike(db, [{ load: first, record: 1 }])).toBe(0);
    // What the load has brought back is held again without it.
    await undoLoad(db, second, "not ours", "Ines");
    expect((await getHeld(db, first, 0)).state).toBe("held");
    expect((await getHeld(db, first, 1)).state).toBe("held");
    expect((await getHeld(db, other, 0)).state).toBe("held");
    await expect(closeAlike(db, second, said, "Ines")).rejects.toMatchObject({ code: "wrong-state" });
  });

  it("are not those that a load has closed itself, by their key", async () => {
    const { db } = system;
    await newFeed(db, "known", FIELDS, { key: ["id"], mode: "upsert" }, { gates: [] });
    const first = await load("known", "Beck", HELD);
    const second = await load("known", "Beck", "id,taxon,site,on,n\nB-9,Poa annua,Fen,2026-05-03,y\n");
    expect((await getHeld(db, first, 2)).state).toBe("closed");
    expect(await countOpenBefore(db, second)).toBe(2);
    expect((await findAlike(db, second)).pairs).toEqual([]);
    // What a load has met itself is not taken back here.
    expect(await reopenAlike(db, [{ load: first, record: 2 }])).toBe(0);
  });

  it("are listed and closed from the command line, those that are the same in all that was sound", async () => {
    const { db } = system;
    await newFeed(db, "lines", FIELDS, { key: ["id"], mode: "upsert" }, { gates: [] });
    const first = await load("lines", "Beck", HELD);
    const second = await load(
      "lines",
      "Beck",
      "id,taxon,site,on,n\nA-1,Silene alba,Moor,2026-05-01,12\nA-2,Carex nigra,Fenn,2026-05-02,7\n",
    );
    const listed = sieve(system, "alike", String(second));
    expect(listed.stdout).toBe(
      `load ${first}, line 2: record 1 here, inserted; 4 of 4 sound fields the same\n` +
        "  id: “”, here “A-1”\n" +
        `load ${first}, line 3: record 2 here, inserted; 2 of 3 sound fields the same, 1 spelled otherwise\n` +
        "  id: “?”, here “A-2”\n  site: “Fen”, here “Fenn”\n  n: “x”, here “7”\n",
    );
    expect(listed.stderr).toContain("3 held records looked for among 2 records: 2 alike, 1 in all that was sound");
    expect((await getHeld(db, first, 0)).state).toBe("held");
    expect(sieve(system, "alike", String(second), "--close").stderr).toContain("of which 1 are closed");
    expect(await getHeld(db, first, 0)).toMatchObject({ state: "closed", endedBy: "command line" });
    expect((await getHeld(db, first, 1)).state).toBe("held");
    expect(JSON.parse(sieve(system, "alike", String(second), "--json").stdout)).toMatchObject({ looked: 2, among: 2 });
    expect(sieve(system, "alike", "9999").status).toBe(3);
    // No more are counted than are asked for, as a feed may have any number of them.
    expect(await countOpenBefore(db, second, 1)).toBe(1);
  });

  it("are none where nothing is held", async () => {
    const { db } = system;
    await newFeed(db, "clean", FIELDS, { key: ["id"] }, { gates: [] });
    const only = await load("clean", "Beck", "id,taxon,site,on,n\nA-1,Silene alba,Moor,2026-05-01,12\n");
    expect(await findAlike(db, only)).toMatchObject({ looked: 0, more: 0, among: 0, pairs: [] });
  });

  it("are found too where they could not be read, by the cells that they have", async () => {
    const { db } = system;
    await newFeed(db, "short", FIELDS, { key: ["id"], mode: "upsert" }, { gates: [] });
    const first = await load("short", "Beck", "id,taxon,site,on,n\nA-1,Silene alba,2026-05-01,12\n");
    const second = await load("short", "", "id,taxon,site,on,n\nA-1,Silene alba,Moor,2026-05-01,12\n");
    const { pairs } = await findAlike(db, second);
    expect(pairs.map((p) => [p.load, p.record, p.again])).toEqual([[first, 0, 0]]);
  });
});
