import { mkdirSync, mkdtempSync, rmSync, utimesSync, writeFileSync } from "node:fs";
import { createServer, type Server } from "node:http";
import type { AddressInfo } from "node:net";
import { tmpdir } from "node:os";
import { join } from "node:path";
import fc from "fast-check";
import { afterAll, beforeAll, describe, expect, it } from "vitest";
import { lookAtSources, nameFits, type SourceSettings } from "@/engine/sources.ts";
import { listSources, makeSource } from "@/store/sources.ts";
import { newFeed, newSystem, rows, waitFor, type System } from "../support/system.ts";

let system: System;
let settings: SourceSettings;
let server: Server;
let address: string;
const pages: unknown[] = [];
const bodies = new Map<string, string>();

beforeAll(async () => {
  system = await newSystem();
  process.env["DATABASE_URL"] = system.url;
  await system.startWorker();
  settings = { inbox: mkdtempSync(join(tmpdir(), "sieve-inbox-")), hosts: ["127.0.0.1"] };
  server = createServer((request, response) => {
    const url = new URL(request.url!, "http://127.0.0.1");
    const body = bodies.get(url.pathname);
    if (url.pathname === "/list")
      response.end(JSON.stringify(pages[Number(url.searchParams.get("page") ?? 0)] ?? "nonsense"));
    else if (body !== undefined) response.end(body);
    else {
      response.statusCode = 404;
      response.end();
    }
  });
  await new Promise<void>((resolve) => server.listen(0, "127.0.0.1", resolve));
  address = `http://127.0.0.1:${(server.address() as AddressInfo).port}/list`;
});
afterAll(async () => {
  server?.close();
  rmSync(settings.inbox, { recursive: true, force: true });
  await system?.end();
});

const FIELDS = [{ name: "a", type: "integer" }];

/** Looks once, waits for the loads that come of it, and gives what the feed's one source has taken. */
async function look(feed: string) {
  const { db } = system;
  const [source] = await listSources(db, feed);
  await lookAtSources(db, settings, source!.id);
  const [after] = await listSources(db, feed);
  for (const t of after!.last) if (t.load) await waitFor(db, t.load);
  return after!;
}

const values = async (table: string): Promise<unknown[]> => (await rows(system.db, table, "a")).map((r) => r["a"]);

describe("a watched folder", () => {
  it("gives each file once, by its name's pattern, when nobody writes to it any more", async () => {
    const { db } = system;
    await newFeed(db, "boxed", FIELDS);
    await makeSource(db, "boxed", "inbox", { folder: "boxed", pattern: "lot-*.csv" }, 3600, "test");
    const put = (name: string, text: string, age = 60): void => {
      const path = join(settings.inbox, "boxed", name);
      mkdirSync(join(settings.inbox, "boxed"), { recursive: true });
      writeFileSync(path, text);
      const then = new Date(Date.now() - age * 1000);
      utimesSync(path, then, then);
    };
    put("lot-1.csv", "a\n1\n");
    put("other.csv", "a\n9\n");
    put("lot-2.csv", "a\n2\n", 0);
    expect(await look("boxed")).toMatchObject({ taken: 1, error: null });
    expect(await values("boxed")).toEqual([1]);
    put("lot-2.csv", "a\n2\n");
    expect((await look("boxed")).taken).toBe(2);
    expect((await look("boxed")).taken).toBe(2);
    // The same bytes under another name are taken, refused, and say so.
    put("lot-3.csv", "a\n2\n");
    const again = await look("boxed");
    expect(again.last.find((t) => t.item === "lot-3.csv")!.note).toContain("was loaded into this feed before");
    expect(await values("boxed")).toEqual([1, 2]);
  });

  it("can't be outside the inbox", async () => {
    for (const folder of ["../up", "/etc", "a/b", ".hidden", ""]) {
      await expect(makeSource(system.db, "boxed", "inbox", { folder }, 60, "test")).rejects.toThrow();
    }
  });
});

describe("a partner's outbox", () => {
  it("is read page by page; only what is new or has changed is taken", async () => {
    const { db } = system;
    await newFeed(db, "outed", FIELDS);
    await makeSource(db, "outed", "outbox", { address, pattern: "*" }, 3600, "test");
    bodies.set("/one", "a\n1\n").set("/two", "a\n2\n");
    pages[0] = { files: [{ name: "one.csv", href: "/one", version: 1 }], next: "/list?page=1" };
    pages[1] = { files: [{ name: "two.csv", href: "/two", version: "x" }] };
    expect(await look("outed")).toMatchObject({ taken: 2, error: null });
    bodies.set("/two", "a\n22\n");
    pages[1] = { files: [{ name: "two.csv", href: "/two", version: "y" }] };
    expect((await look("outed")).taken).toBe(3);
    expect(await values("outed")).toEqual([1, 2, 22]);
  });

  it("says what is wrong with it, and is never asked beyond the allowed hosts", async () => {
    const { db } = system;
    await newFeed(db, "odd", FIELDS);
    pages[0] = { files: [{ name: "gone.csv", href: "/gone", version: 1 }] };
    await makeSource(db, "odd", "outbox", { address }, 3600, "test");
    expect((await look("odd")).error!.message).toContain("answered 404");
    pages[0] = { nothing: true };
    expect((await look("odd")).error!.message).toContain("no list of files");
    pages[0] = { files: [{ name: "x.csv", href: "http://203.0.113.9/x", version: 1 }] };
    expect((await look("odd")).error!.message).toContain("203.0.113.9 is not one that may be asked");
  });
});

describe("a query on a database", () => {
  it("gives the records past the last one, and can't write", async () => {
    const { db } = system;
    await db.query(
      `create table public.reading (n integer, word text); insert into public.reading values (1, 'é\\"x'), (2, E'line\\nend')`,
    );
    await newFeed(
      db,
      "asked",
      [
        { name: "a", type: "integer", also: ["n"] },
        { name: "word", type: "text" },
      ],
      {},
      { read: { as: "json-lines" } },
    );
    await makeSource(db, "asked", "query", { sql: "select * from public.reading;", cursor: "n" }, 3600, "test");
    expect(await look("asked")).toMatchObject({ taken: 1, reached: "2", error: null });
    expect((await rows(db, "asked", "a")).map((r) => r["word"])).toEqual(['é\\"x', "line\nend"]);
    await db.query("insert into public.reading values (3, 'new')");
    expect(await look("asked")).toMatchObject({ taken: 2, reached: "3" });
    expect((await look("asked")).taken).toBe(2);
    expect(await values("asked")).toEqual([1, 2, 3]);
    // Another transaction has a record that comes before the newest, and has not ended yet.
    const late = await db.connect();
    await late.query("begin");
    await late.query("insert into public.reading values (4, 'late')");
    await db.query("insert into public.reading values (5, 'newest')");
    const looked = look("asked");
    await new Promise((resolve) => setTimeout(resolve, 400));
    await late.query("commit");
    late.release();
    expect(await looked).toMatchObject({ taken: 3, reached: "5", error: null });
    expect(await values("asked")).toEqual([1, 2, 3, 4, 5]);
    await newFeed(db, "writes", FIELDS);
    await makeSource(
      db,
      "writes",
      "query",
      { sql: "with d as (delete from public.reading returning n) select * from d", cursor: "n" },
      3600,
      "test",
    );
    expect((await look("writes")).error!.message).toBe("The query could not be run.");
    expect((await db.query("select 1 from public.reading")).rowCount).toBe(5);
  });
});

describe("a pattern of names", () => {
  it("fits as the same expression would", () => {
    const unit = fc.constantFrom("a", "b", "*", "?", ".");
    fc.assert(
      fc.property(
        fc.string({ unit, maxLength: 8 }),
        fc.string({ unit: fc.constantFrom("a", "b", "."), maxLength: 10 }),
        (pattern, name) => {
          const expression = new RegExp(
            `^${pattern.replace(/[.]/g, "\\.").replace(/\*+/g, ".*").replace(/\?/g, ".")}$`,
          );
          expect(nameFits(pattern, name)).toBe(expression.test(name));
        },
      ),
      { numRuns: 3000 },
    );
    expect(nameFits(`${"a*".repeat(40)}b`, "a".repeat(3000))).toBe(false);
  });
});
