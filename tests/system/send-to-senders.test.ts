import { createHash } from "node:crypto";
import { mkdtempSync, readFileSync, readdirSync, rmSync, writeFileSync } from "node:fs";
import { createServer } from "node:http";
import type { AddressInfo } from "node:net";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { afterAll, beforeAll, beforeEach, describe, expect, it } from "vitest";
import type { Destination } from "@/core/write/files/destination.ts";
import type { OutSettings } from "@/engine/out/out-settings.ts";
import { sendToSenders } from "@/engine/out/send-to-senders.ts";
import { listHeld, type HeldFilter } from "@/store/held.ts";
import type { Load } from "@/store/loads.ts";
import { SENDING_LOCK } from "@/store/locks.ts";
import { getSender, putSender, recipientsOf, sendingsTo, takeBack } from "@/store/senders.ts";
import { sieve } from "../support/shell.ts";
import { loadFrom, newFeed, useSystem } from "../support/system.ts";

/** Held records that go to where each sender wants them. */

const system = useSystem();
const FIELDS = [
  { name: "id", type: "text", required: true },
  { name: "n", type: "integer" },
];

/** What a sender's receiver was given, by its path, in the order in which it came. */
const given = new Map<string, { bytes: Buffer; sha256: string }>();
/** Answers 507 from this file on. */
let fullAfter = Infinity;
/** Is done while a file is on its way. */
let meanwhile: (() => Promise<void>) | null = null;
const receiver = createServer((request, response) => {
  const parts: Buffer[] = [];
  request.on("data", (part: Buffer) => parts.push(part));
  request.on("end", () => {
    void (async () => {
      await meanwhile?.();
      meanwhile = null;
      response.statusCode = given.size >= fullAfter ? 507 : 201;
      if (response.statusCode === 201)
        given.set(request.url!, {
          bytes: Buffer.concat(parts),
          sha256: String(request.headers["content-sha256"]),
        });
      response.end();
    })();
  });
});
let settings: OutSettings;
let address: Destination;

beforeAll(async () => {
  await new Promise<void>((resolve) => receiver.listen(0, "127.0.0.1", resolve));
  const host = `127.0.0.1:${(receiver.address() as AddressInfo).port}`;
  settings = { out: mkdtempSync(join(tmpdir(), "sieve-sent-")), receivers: [host] };
  address = { to: "address", url: `http://${host}/in`, as: "basic" };
});
afterAll(() => {
  receiver.close();
  rmSync(settings.out, { recursive: true });
});
beforeEach(() => {
  given.clear();
  fullAfter = Infinity;
  meanwhile = null;
});

const load = (feed: string, sender: string, text: string): Promise<Load> => loadFrom(system.db, feed, sender, text);
const wants = (sender: string, destination: Destination | null): Promise<void> =>
  putSender(system.db, sender, { contact: "", address: "", note: "", daysToAnswer: null, destination }, "test");
const send = (filter: HeldFilter) => sendToSenders(system.db, filter, "test", settings);
/** Of what is held of a sender, what is noted as being with it, by line. */
const withThem = async (sender: string): Promise<number[]> =>
  (await listHeld(system.db, { sender }, "", 500)).filter((h) => h.withSender !== null).map((h) => h.line);
const newer = (feed: string) => newFeed(system.db, feed, FIELDS, { key: ["id"], mode: "upsert" }, { gates: [] });

describe("what is held", () => {
  it("goes to each sender's own folder or address, whole, once, and what went is with it", async () => {
    const { db } = system;
    for (const feed of ["one", "two"]) await newer(feed);
    await load("one", "Fen", "id,n\na,x\nb,1\n");
    await load("two", "Fen", "id,n\nc,y\nd,z\n");
    await load("one", "Moor", "id,n\ne,?\n");
    await load("one", "Heath", "id,n\nf,?\n");
    await load("one", "", "id,n\ng,?\n");
    await wants("Fen", { to: "folder", folder: "to/fen" });
    await wants("Moor", address);
    expect((await recipientsOf(db, { feed: "one" })).map((s) => [s.name, s.records, s.destination?.to])).toEqual([
      ["", 1, undefined],
      ["Fen", 1, "folder"],
      ["Heath", 1, undefined],
      ["Moor", 1, "address"],
    ]);
    const sent = await send({});
    expect(sent.map((s) => [s.sender, s.records, s.files, s.problem])).toEqual([
      ["", 0, 0, "Nobody has said whose they are."],
      ["Fen", 3, 2, ""],
      ["Heath", 0, 0, "Nobody has said where files for it go."],
      ["Moor", 1, 1, ""],
    ]);
    const [own] = readdirSync(join(settings.out, "to/fen"));
    const folder = join(settings.out, "to/fen", own!);
    expect(readdirSync(join(folder, "two")).sort()).toEqual(["letter.html", "letter.txt", "seeds-to-mend.csv"]);
    const manifest = JSON.parse(readFileSync(join(folder, "manifest.json"), "utf8")) as {
      records: number;
      files: { path: string; bytes: number; sha256: string }[];
    };
    expect(manifest).toMatchObject({ sender: "Fen", records: 3 });
    expect(manifest.files).toHaveLength(6);
    for (const { path, bytes, sha256 } of manifest.files) {
      const file = readFileSync(join(folder, path));
      expect([file.length, createHash("sha256").update(file).digest("hex")]).toEqual([bytes, sha256]);
    }
    // The manifest comes last, and each file as it was announced.
    const paths = [...given.keys()].map((p) => p.replace(/^\/in\/[\d-]+\//, ""));
    expect(paths).toEqual(["one/seeds-to-mend.csv", "one/letter.txt", "one/letter.html", "manifest.json"]);
    for (const { bytes, sha256 } of given.values())
      expect(createHash("sha256").update(bytes).digest("hex")).toBe(sha256);
    expect([...given.values()][0]!.bytes.toString()).toContain("e,?");
    expect(await withThem("Fen")).toEqual([2, 2, 3]);
    expect(await withThem("Heath")).toEqual([]);
    expect((await getSender(db, "Moor")).withThem).toBe(1);

    // What is with them is not sent again; what came since is, and what they say they do not have.
    await load("one", "Fen", "id,n\nh,new\n");
    given.clear();
    await wants("Fen", address);
    expect((await send({ sender: "Fen" })).map((s) => [s.records, s.files])).toEqual([[1, 1]]);
    expect([...given.values()][0]!.bytes.toString()).toMatch(/h,new/);
    await expect(send({ sender: "Fen" })).rejects.toMatchObject({ code: "no-records" });
    await takeBack(db, "Fen", "two");
    expect((await send({ sender: "Fen" })).map((s) => s.records)).toEqual([2]);
    const told = await sendingsTo(db, "Fen");
    expect(told.map((s) => [s.records, s.files, s.destination.to, s.endedAt !== null])).toEqual([
      [2, 1, "address", true],
      [1, 1, "address", true],
      [3, 2, "folder", true],
    ]);
  });

  it("is not noted as being with a sender that did not get all of it, and others get theirs", async () => {
    const { db } = system;
    await newer("three");
    await load("three", "Bog", "id,n\na,x\nb,x\n");
    await load("three", "Carr", "id,n\nc,x\n");
    await load("three", "Dune", "id,n\nd,x\n");
    await wants("Bog", address);
    await wants("Carr", { to: "address", url: "http://127.0.0.1:9/in", as: "basic" });
    await wants("Dune", { to: "folder", folder: "dune" });
    fullAfter = 2;
    const sent = await send({ feed: "three" });
    expect(sent.map((s) => [s.sender, s.records])).toEqual([
      ["Bog", 0],
      ["Carr", 0],
      ["Dune", 1],
    ]);
    expect(sent[0]!.problem).toMatch(/answered 507/);
    expect(sent[1]!.problem).toMatch(/127\.0\.0\.1:9 is not one that may be asked/);
    expect([await withThem("Bog"), await withThem("Carr"), await withThem("Dune")]).toEqual([[], [], [2]]);
    expect((await sendingsTo(db, "Bog"))[0]).toMatchObject({ records: 0, files: 0, problem: sent[0]!.problem });
    fullAfter = Infinity;
    given.clear();
    expect((await send({ feed: "three", sender: "Bog" }))[0]).toMatchObject({ records: 2, problem: "" });
    // Another folder than before: a receiver knows what was broken off from what is whole.
    expect([...given.keys()].every((path) => /^\/in\/\d{4}-\d\d-\d\d-\d+\//.test(path))).toBe(true);
  });

  it("leaves nothing in a folder where not all of it could be written", async () => {
    await newer("four");
    await load("four", "Mire", "id,n\na,x\n");
    await wants("Mire", { to: "folder", folder: "mire" });
    // A file stands where the folder would be.
    const broken = { ...settings, out: join(settings.out, "not-a-folder") };
    rmSync(broken.out, { recursive: true, force: true });
    writeFileSync(broken.out, "");
    const [sent] = await sendToSenders(system.db, { sender: "Mire" }, "test", broken);
    expect(sent!.problem).not.toBe("");
    expect(await withThem("Mire")).toEqual([]);
  });

  it("that came while files were on their way is not noted with them", async () => {
    await newer("five");
    await load("five", "Sike", "id,n\na,x\n");
    await wants("Sike", address);
    meanwhile = async () => void (await load("five", "Sike", "id,n\nb,x\nc,x\n"));
    expect((await send({ sender: "Sike" }))[0]).toMatchObject({ records: 1, problem: "" });
    expect(await withThem("Sike")).toEqual([2]);
    expect((await getSender(system.db, "Sike")).held).toBe(3);
  });

  it("is sent to one sender by one at a time", async () => {
    const { db } = system;
    await newer("six");
    await load("six", "Rill", "id,n\na,x\n");
    await wants("Rill", address);
    const other = await db.connect();
    await other.query("select pg_advisory_lock($1, hashtext($2))", [SENDING_LOCK, "Rill"]);
    expect((await send({ sender: "Rill" }))[0]!.problem).toBe("It is being sent to already.");
    await other.query("select pg_advisory_unlock_all()");
    other.release();
    expect((await send({ sender: "Rill" }))[0]!.problem).toBe("");
    expect(given.size).toBe(4);
  });

  it("goes from the command line too, where a sender's destination is said and shown", async () => {
    await newer("seven");
    await load("seven", "Tarn", "id,n\na,x\n");
    process.env["SIEVE_OUT"] = settings.out;
    const told = (...args: string[]) => sieve(system, ...args);
    expect(told("sender", "Tarn").stdout).toBe("Tarn: 1 held, 0 with it; files for it go to nowhere by themselves\n");
    expect(told("senders", "--send", "--sender", "Tarn")).toMatchObject({
      status: 0,
      stdout: "Tarn: nothing went. Nobody has said where files for it go.\n",
    });
    expect(told("sender", "Tarn", "--folder", "../out")).toMatchObject({
      status: 2,
      stderr: expect.stringContaining("can't go to “../out”") as string,
    });
    expect(told("sender", "Tarn", "--url", "http://127.0.0.1/x", "--object-storage").stderr).toContain(
      "needs a connection",
    );
    expect(told("sender", "Tarn", "--folder", "tarn").stdout).toContain("files for it go to the folder tarn");
    expect(told("senders", "--send", "--sender", "Tarn").stdout).toBe("Tarn: 1 record in 1 file to the folder tarn\n");
    expect(readdirSync(join(settings.out, "tarn"))).toHaveLength(1);
    expect(told("sender", "Tarn").stdout).toMatch(/1 with it; .*\n {2}sending \d+, .* to the folder tarn: 1 record\n$/);
    expect(told("sender", "Tarn", "--nowhere").stdout).toContain("nowhere by themselves");
    expect(told("sender", "Nobody").stderr).toContain("Nobody called “Nobody”");
  });
});
