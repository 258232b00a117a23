import { connect, type AddressInfo } from "node:net";
import { createServer, type Server } from "node:http";
import { afterAll, beforeAll, describe, expect, it } from "vitest";
import type { Browser, Page } from "puppeteer-core";
import { launchBrowser } from "../../scripts/lib/browser.mjs";
import { freePort } from "../../scripts/lib/machine.mjs";
import { startCluster } from "../../scripts/lib/cluster.mjs";
import { makeKey } from "@/store/sender-keys.ts";
import { shareSystem } from "../support/shared.ts";
import { loadNow, newFeed, newSystem, tamper, waitFor, type System } from "../support/system.ts";
import { program, shows, startWeb, textOf, type Web } from "../support/web.ts";

let system: System;
let web: Web;
const errors: string[] = [];

beforeAll(async () => {
  ({ system, web } = await shareSystem(errors));
  await newFeed(system.db, "things", [{ name: "id", type: "text" }]);
  await loadNow(system.db, "things", "id\na\n");
});
afterAll(async () => {
  await web?.end();
});

/** What a page got for each thing that it tried. */
async function attack(page: Page, target: string): Promise<Record<string, string>> {
  return await page.evaluate(async (at) => {
    const tried: Record<string, () => Promise<Response>> = {
      read: () => fetch(`${at}/api/feeds`),
      "read with no-cors": () => fetch(`${at}/api/feeds`, { mode: "no-cors" }),
      page: () => fetch(`${at}/`),
      "make a feed": () =>
        fetch(`${at}/api/feeds`, { method: "POST", body: JSON.stringify({ name: "taken", title: "x", about: "" }) }),
      "make it as text": () =>
        fetch(`${at}/api/feeds`, {
          method: "POST",
          mode: "no-cors",
          headers: { "content-type": "text/plain" },
          body: JSON.stringify({ name: "taken", title: "x", about: "" }),
        }),
      undo: () => fetch(`${at}/api/loads/1/undo`, { method: "POST", mode: "no-cors", body: '{"reason":"x"}' }),
    };
    const got: Record<string, string> = {};
    for (const [name, ask] of Object.entries(tried)) {
      got[name] = await ask().then(
        async (r) => `${r.type} ${r.status} ${(await r.text().catch(() => "")).slice(0, 40)}`,
        () => "refused",
      );
    }
    return got;
  }, target);
}

async function nothingChanged(): Promise<void> {
  const { rows } = await system.db.query<{ name: string }>("select name from sieve.feed");
  expect(rows.map((r) => r.name)).toEqual(["things"]);
  expect((await system.db.query("select from target.things")).rowCount).toBe(1);
}

describe("a page from elsewhere", () => {
  let evil: Server;
  let browser: Browser;
  let origin: string;
  beforeAll(async () => {
    evil = createServer((_, response) => response.writeHead(200, { "content-type": "text/html" }).end("<p>hello"));
    await new Promise<void>((resolve) => evil.listen(0, "127.0.0.1", resolve));
    origin = `http://127.0.0.1:${(evil.address() as AddressInfo).port}`;
    // A name of somebody else that leads to this machine.
    browser = await launchBrowser({ names: ["seeds.example"] });
  });
  afterAll(async () => {
    await browser?.close();
    evil?.close();
  });

  it("of another origin reads no answer and changes nothing", async () => {
    const page = await browser.newPage();
    await page.goto(origin);
    for (const got of Object.values(await attack(page, web.address))) expect(got).toMatch(/^(refused|opaque 0 )/);
    await nothingChanged();
    const framed = await page.evaluate(async (at): Promise<string> => {
      const frame = document.createElement("iframe");
      frame.src = at;
      document.body.append(frame);
      await new Promise((resolve) => (frame.onload = resolve));
      try {
        return frame.contentDocument?.body.textContent ?? "out of reach";
      } catch {
        return "out of reach";
      }
    }, web.address);
    expect(framed).toBe("out of reach");
  });

  it("of another name for this machine is told that nobody of that name is here", async () => {
    const page = await browser.newPage();
    const renamed = web.address.replace("127.0.0.1", "seeds.example");
    const answer = await page.goto(renamed);
    expect(answer!.status()).toBe(421);
    for (const got of Object.values(await attack(page, renamed)))
      expect(got).toMatch(/^(refused|basic 421 |opaque 0 )/);
    await nothingChanged();
  });
});

describe("what a program asks", () => {
  it("is refused without saying where it comes from, and done when it says so; each answer has a number", async () => {
    const body = JSON.stringify({ name: "ours", title: "Ours", about: "" });
    const bare = await fetch(`${web.address}/api/feeds`, { method: "POST", body });
    expect(bare.status).toBe(403);
    const words = (await bare.json()) as Record<string, string>;
    expect(words["title"]).toContain("has no Origin and no Sec-Fetch-Site header");
    expect(words["request"]).toBe(bare.headers.get("x-request-id"));
    const made = await fetch(`${web.address}/api/feeds`, { method: "POST", body, headers: program(web.address) });
    expect(made.status).toBe(200);
    const twice = await fetch(`${web.address}/api/feeds`, { method: "POST", body, headers: program(web.address) });
    expect(twice.status).toBe(409);
    expect(await twice.json()).toMatchObject({ request: twice.headers.get("x-request-id") });
    await tamper(
      system,
      "delete from sieve.retention where feed = 'ours'",
      "delete from sieve.feed where name = 'ours'",
    );
  });

  it("has no pictures made for it", async () => {
    const answer = await fetch(`${web.address}/_next/image?url=%2Ficon.svg&w=64&q=75`);
    expect(answer.status).toBe(404);
  });

  it("is ended when it stops coming in the midst; one that comes slowly is heard to its end", async () => {
    const quick = await startWeb(system.url, errors, { SIEVE_SILENCE_SECONDS: "1" });
    try {
      const { port } = new URL(quick.address);
      const json = '{"name": "Not a name", "title": "", "about": ""}';
      const head = Object.entries(program(quick.address))
        .map(([k, v]) => `${k}: ${v}\r\n`)
        .join("");
      const say = async (pieces: string[], waitMs: number): Promise<string> =>
        await new Promise((resolve) => {
          let heard = "";
          const socket = connect(Number(port), "127.0.0.1", () => {
            socket.write(
              `POST /api/feeds HTTP/1.1\r\nhost: 127.0.0.1:${port}\r\nconnection: close\r\n${head}content-length: ${json.length}\r\n\r\n`,
            );
            for (const [i, piece] of pieces.entries()) setTimeout(() => socket.write(piece), (i + 1) * waitMs);
          });
          socket.on("data", (d) => (heard += d.toString()));
          socket.on("error", () => {});
          socket.on("close", () => resolve(heard));
        });
      const began = Date.now();
      expect(await say([json.slice(0, 10)], 100)).toBe("");
      expect(Date.now() - began).toBeLessThan(20_000);
      const third = Math.ceil(json.length / 3);
      const pieces = [0, 1, 2].map((i) => json.slice(i * third, (i + 1) * third));
      expect(await say(pieces, 600)).toContain("HTTP/1.1 422");
    } finally {
      await quick.end();
    }
  });

  it("is not read past its limit", async () => {
    let sent = 0;
    const body = new ReadableStream({
      pull(controller) {
        sent += 1 << 20;
        controller.enqueue(new Uint8Array(1 << 20).fill(97));
        if (sent > 450 << 20) controller.close();
      },
    });
    const answer = await fetch(`${web.address}/api/feeds`, {
      method: "POST",
      body,
      headers: program(web.address),
      duplex: "half",
    } as RequestInit).catch(() => null);
    if (answer) expect(answer.status).toBe(413);
    expect(sent).toBeLessThan(64 << 20);
  });
});

it("pages say that the store is away, and come back by themselves", async () => {
  const cluster = await startCluster("test-away", await freePort(), { settings: { fsync: "off" }, quiet: true });
  const away = await newSystem(cluster);
  const seen: string[] = [];
  const other = await startWeb(away.url, seen);
  try {
    const page = await other.open("/");
    expect(await textOf(page)).toContain("since yesterday");
    await cluster.stop();
    await page.reload({ waitUntil: "domcontentloaded" });
    await shows(page, "The store is away");
    const answer = await fetch(`${other.address}/api/feeds`);
    expect(answer.status).toBe(503);
    expect(await answer.json()).toMatchObject({ type: "urn:good-sieve:store-away" });
    expect((await fetch(`${other.address}/api/health`)).status).toBe(200);
    const ready = await fetch(`${other.address}/api/ready`);
    expect([ready.status, await ready.json()]).toMatchObject([503, { ready: false, store: "away" }]);
    // It comes however slowly the server answers: what is under way is not broken off by asking again.
    await page.setRequestInterception(true);
    page.on("request", (r) => void setTimeout(() => void r.continue(), r.isNavigationRequest() ? 5000 : 0));
    await cluster.restart();
    await shows(page, "since yesterday");
  } finally {
    await other.end();
    await away.end().catch(() => {});
    await cluster.stop();
  }
});

describe("a sender with a key", () => {
  it("brings a file and learns what came of it; nobody else does", async () => {
    const { db } = system;
    const { key } = await makeKey(db, { sender: "Calluna", feed: "things" }, "Ines");
    const bring = (with_: string, name = "b.csv", body = "id\nb\n"): Promise<Response> =>
      fetch(`${web.address}/api/bring/things?name=${name}`, {
        method: "PUT",
        headers: { authorization: `Bearer ${with_}` },
        body,
      });
    const refused = await bring("sieve-nothing");
    expect([refused.status, ((await refused.json()) as { type: string }).type]).toEqual([
      401,
      "urn:good-sieve:key-unknown",
    ]);
    const brought = (await (await bring(key)).json()) as { sender: string; delivery: number; load: number };
    expect(brought).toMatchObject({ sender: "Calluna", bytes: 5 });
    const done = await waitFor(db, brought.load);
    expect(done).toMatchObject({ state: "loaded", inserted: 1 });
    const came = (with_: string): Promise<Response> =>
      fetch(`${web.address}/api/bring/things/${brought.delivery}`, { headers: { authorization: `Bearer ${with_}` } });
    expect(await (await came(key)).json()).toEqual({ state: "loaded", load: done.id, read: 1, held: 0, error: "" });
    const other = await makeKey(db, { sender: "Erica" }, "Ines");
    expect((await came(other.key)).status).toBe(404);
    expect((await bring(key)).status).toBe(409);
  });
});
