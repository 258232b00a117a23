import { strFromU8, unzipSync } from "fflate";
import { describe, expect, it } from "vitest";
import { packForSenders } from "@/engine/out/to-senders.ts";
import { makeDelivery, receiveFile } from "@/store/deliveries.ts";
import { countHeld, type HeldFilter } from "@/store/held.ts";
import { askForLoad, type Load } from "@/store/loads.ts";
import { newFeed, waitFor, useSystem } from "../support/system.ts";

const system = useSystem();

const FIELDS = [
  { name: "id", type: "text", required: true },
  { name: "n", type: "integer", also: ["Anzahl"] },
];

async function* once(bytes: Uint8Array): AsyncGenerator<Uint8Array> {
  yield await Promise.resolve(bytes);
}

async function send(feed: string, sender: string, name: string, text: string | Uint8Array): Promise<Load> {
  const { db } = system;
  const delivery = await makeDelivery(db, feed, "test", sender);
  const bytes = typeof text === "string" ? new TextEncoder().encode(text) : text;
  await receiveFile(db, delivery, name, once(bytes), bytes.length);
  return await waitFor(db, await askForLoad(db, delivery, true));
}

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
    expect(done).toEqual({ senders: 3, files: 4, records: 5 });
    expect(Object.keys(files).sort()).toEqual([
      "garden/Erica - Lyng/c-to-mend.csv",
      "garden/Erica - Lyng/letter.txt",
      "garden/Mibora/a-to-mend.csv",
      "garden/Mibora/b-to-mend.txt",
      "garden/Mibora/letter.txt",
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
    const some = await packed({ load: first.id });
    expect(some.done).toEqual({ senders: 1, files: 1, records: 2 });
  });

  it("come back as they were mended: nothing is a column too many, and what was held is overtaken by what came", async () => {
    await newFeed(system.db, "back", FIELDS, { key: ["id"], mode: "upsert" }, { gates: [] });
    await send("back", "Mibora", "a.csv", "id,n\nx1,bad\nx2,2\nx3,worse\n");
    expect(await countHeld(system.db, { feed: "back" })).toBe(2);
    const { files } = await packed({ feed: "back" });
    const mended = files["back/Mibora/a-to-mend.csv"]!.replace("x1,bad", "x1,1");
    const load = await send("back", "Mibora", "a-mended.csv", mended);
    expect(load.report!.files[0]!.extra).toEqual([]);
    expect(load.report!.drift).toEqual([]);
    expect(load).toMatchObject({ state: "loaded", inserted: 1, held: 1 });
    expect(await countHeld(system.db, { feed: "back", state: "overtaken" })).toBe(1);
  });

  it("are refused in words where there are none", async () => {
    await newFeed(system.db, "empty", FIELDS);
    await expect(packed({ feed: "empty" })).rejects.toMatchObject({ code: "no-records" });
  });
});
