import { describe, expect, it } from "vitest";
import { endKey, listKeys, makeKey, senderOfKey } from "@/store/sender-keys.ts";
import { sieve } from "../support/shell.ts";
import { newFeed, useSystem } from "../support/system.ts";

/** Keys by which senders bring their files themselves. */

const system = useSystem();

describe("a sender's key", () => {
  it("says whose a file is, for the feed that it is for, until it is ended, and is kept nowhere as it is", async () => {
    const { db } = system;
    for (const feed of ["seeds", "visits"]) await newFeed(db, feed, [{ name: "id", type: "text" }]);
    const all = await makeKey(db, { sender: " Calluna " }, "Ines");
    const one = await makeKey(db, { sender: "Erica", feed: "seeds" }, "Ines");
    expect(await senderOfKey(db, all.key, "visits")).toBe("Calluna");
    expect(await senderOfKey(db, one.key, "seeds")).toBe("Erica");
    const unknown = { code: "key-unknown" };
    await expect(senderOfKey(db, one.key, "visits")).rejects.toMatchObject(unknown);
    await expect(senderOfKey(db, all.key, "nowhere")).rejects.toMatchObject(unknown);
    await expect(senderOfKey(db, `${all.key}x`, "visits")).rejects.toMatchObject(unknown);
    expect((await listKeys(db, "Calluna"))[0]).toMatchObject({ feed: null, endsWith: all.key.slice(-4) });
    expect((await listKeys(db, "Calluna"))[0]!.usedAt).not.toBeNull();
    const { rows } = await db.query<{ all: string }>("select to_jsonb(k)::text as all from sieve.sender_key k");
    for (const row of rows) for (const { key } of [all, one]) expect(row.all).not.toContain(key.slice(6, 20));
    await endKey(db, all.id, "Ines");
    await expect(senderOfKey(db, all.key, "visits")).rejects.toMatchObject(unknown);
    await expect(endKey(db, all.id, "Ines")).rejects.toMatchObject({ code: "no-sender-key" });
    await expect(makeKey(db, { sender: "Erica", feed: "nowhere" }, "Ines")).rejects.toMatchObject({ code: "no-feed" });
    await expect(makeKey(db, { sender: "  " }, "Ines")).rejects.toMatchObject({ code: "usage" });
  });

  it("is made, listed and ended from the command line", async () => {
    const { db } = system;
    const made = sieve(system, "sender-key", "Quillfen", "--feed", "seeds");
    expect(made.stdout).toMatch(/^sieve-[\w-]{32}\n$/);
    expect(await senderOfKey(db, made.stdout.trim(), "seeds")).toBe("Quillfen");
    const { id } = (await listKeys(db, "Quillfen"))[0]!;
    expect(sieve(system, "sender-key").stdout).toContain(`${id}  Quillfen, seeds, …`);
    expect(sieve(system, "sender-key", "--end", String(id)).stdout).toBe(`key ${id} is ended\n`);
  });
});
