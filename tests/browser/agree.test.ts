import { mkdtempSync, writeFileSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { afterAll, beforeAll, describe, expect, it } from "vitest";
import type { Page } from "puppeteer-core";
import { retentionOf } from "@/store/retention.ts";
import { putConnection } from "@/store/connections.ts";
import { planInForce } from "@/store/feeds.ts";
import { shareSystem } from "../support/shared.ts";
import { asOthers, deliver, loadNow, newFeed, rows, tamper, waitFor, type System } from "../support/system.ts";
import { press, shows, textOf, type Web } from "../support/web.ts";

let system: System;
let web: Web;
const errors: string[] = [];

beforeAll(async () => {
  ({ system, web } = await shareSystem(errors));
});
afterAll(async () => {
  await web?.end();
  expect(errors).toEqual([]);
});

const folder = mkdtempSync(join(tmpdir(), "agree-"));
function fileOf(name: string, text: string): string {
  writeFileSync(join(folder, name), text);
  return join(folder, name);
}

/** Gives files to an input of the page. */
async function give(page: Page, label: string, ...paths: string[]): Promise<void> {
  const input = await page.waitForSelector(`input[aria-label="${label}"]`);
  await (input as unknown as { uploadFile(...p: string[]): Promise<void> }).uploadFile(...paths);
}

async function save(page: Page, note: string): Promise<void> {
  await press(page, "Save as version");
  await page.type('form input[maxlength="500"]', note);
  await press(page, "Save version");
  await page.waitForFunction(() => !document.body.innerText.includes("changed and not saved"));
}

describe("columns and fields", () => {
  it("a column is suggested by what is in it and accepted by a key; another becomes a field by a click", async () => {
    const { db } = system;
    const fields = [
      { name: "packet", type: "text", length: 12, pattern: "^P\\d+$" },
      { name: "sealed_on", type: "date", formats: ["yyyy-MM-dd"] },
      { name: "note", type: "text", length: 40 },
    ];
    await newFeed(db, "packets", fields);
    const lines = Array.from({ length: 30 }, (_, i) => `P${i},2026-03-${String((i % 28) + 1).padStart(2, "0")},${i},x`);
    await deliver(db, "packets", `packet,closed,seeds,note\n${lines.join("\n")}\n`);
    const page = await web.open("/feeds/packets/plan");
    await press(page, "Map");
    await shows(page, "100 % of its values would do");
    await page.focus('tr[aria-label="sealed_on"]');
    await page.keyboard.press("Enter");
    await page.waitForFunction(
      () => document.querySelector<HTMLSelectElement>('select[aria-label="Column of sealed_on"]')?.value === "closed",
    );
    await press(page, "Make a field of it");
    await page.waitForSelector('tr[aria-label="seeds"]');
    await press(page, "Undo");
    await page.waitForFunction(() => !document.querySelector('tr[aria-label="seeds"]'));
    await press(page, "Redo");
    await page.select('select[aria-label="Column of note"]', "@file");
    await save(page, "what the file calls them");
    const plan = (await planInForce(db, "packets")).document;
    expect(plan.contract.fields.map((f) => [f.name, f.also])).toEqual([
      ["packet", undefined],
      ["sealed_on", ["closed"]],
      ["note", ["@file"]],
      ["seeds", undefined],
    ]);
  });
});

describe("a table that was there before", () => {
  it("is chosen, looked at and made the contract; what would be altered is shown first", async () => {
    const { db } = system;
    await asOthers(
      system,
      `create schema vault; create table vault.shelf (shelf varchar(6) primary key,
      used integer not null check (used >= 0), total integer check (total >= used))`,
    );
    await newFeed(db, "shelves", [{ name: "shelf", type: "text" }]);
    const page = await web.open("/feeds/shelves/plan");
    await press(page, "Load");
    await shows(page, "The table target.shelves is made");
    await press(page, "Take a table that is there");
    await page.waitForSelector('select[aria-label="Table"]');
    await page.select('select[aria-label="Table"]', "vault.shelf");
    await shows(page, "What a contract can’t say stays with the database");
    await press(page, "Make it the contract");
    await shows(page, "The table vault.shelf is there already");
    await shows(page, 'add column "_load" integer');
    await save(page, "the vaults' own table");
    const load = await loadNow(db, "shelves", "shelf,used,total\nA1,2,5\nA2,9,3\nA3,-1,2\nA4,0,1\nA5,1,1\n");
    expect(load).toMatchObject({ state: "loaded", inserted: 3, held: 2 });
    const opened = await web.open(`/loads/${load.id}`);
    await shows(opened, "the target's rule shelf_check is broken");
  });
});

describe("a contract in an open standard", () => {
  it("is brought in with what it can't say listed, and taken back", async () => {
    await newFeed(system.db, "standards", [{ name: "old", type: "text" }]);
    const schema = fileOf(
      "shelf.schema.json",
      JSON.stringify({
        type: "object",
        properties: { shelf: { type: "string", maxLength: 6 }, used: { type: "integer", minimum: 0 }, any: {} },
        required: ["shelf"],
      }),
    );
    const page = await web.open("/feeds/standards/plan");
    await give(page, "A contract to bring in", schema);
    await shows(page, "brought in from JSON Schema");
    expect(await textOf(page, "[role=status]")).toContain("3 fields");
    await press(page, "Undo");
    await page.waitForFunction(() => !document.body.innerText.includes("changed and not saved"));
    const fault = fileOf("no.json", "{}");
    await give(page, "A contract to bring in", fault);
    await shows(page, "no contract that can be understood");
  });
});

describe("drift", () => {
  it("a code that comes again and again is one click from the plan", async () => {
    const { db } = system;
    await newFeed(db, "states", [{ name: "state", type: "code", values: ["new", "old"] }], {}, { gates: [] });
    const load = await loadNow(db, "states", `state\n${"new\n".repeat(60)}${"fresh\n".repeat(12)}`);
    const page = await web.open(`/loads/${load.id}`);
    await shows(page, "fresh (12)");
    await press(page, "Let state have these too");
    await shows(page, "changed and not saved");
    await save(page, "a new state");
    expect((await planInForce(db, "states")).document.contract.fields[0]!.values).toEqual(["new", "old", "fresh"]);
    const again = await loadNow(db, "states", `state\n${"fresh\n".repeat(3)}`);
    expect(again).toMatchObject({ inserted: 3, held: 0 });
  });
});

describe("files that nobody knows", () => {
  it("each becomes a feed of its own in one go, and shows its records", async () => {
    const page = await web.open("/feeds/new");
    await give(
      page,
      "Files of the new feed",
      fileOf("rooms-2026.csv", "room;degrees\nA1;-18,5\nB1;-20\n"),
      fileOf("keepers.jsonl", '{"name":"Ines","since":2019}\n{"name":"Odo","since":2021}\n'),
    );
    await page.locator("::-p-xpath(//label[contains(., 'a feed for each file')])").click();
    await press(page, "Begin 2 feeds");
    await shows(page, "2 feeds begun.");
    const begun = await page.$$eval('a[href*="/begin"]', (links) => links.map((a) => a.getAttribute("href")!));
    expect(begun).toHaveLength(2);
    await page.goto(web.address + begun[1]!, { waitUntil: "networkidle0" });
    await shows(page, "Ines");
    await shows(page, "2 columns of all 2 records");
    await press(page, "Make the feed and load");
    await page.waitForFunction(() => location.pathname.startsWith("/loads/"));
    const load = Number(new URL(page.url()).pathname.split("/")[2]);
    expect(await waitFor(system.db, load)).toMatchObject({ state: "loaded", inserted: 2 });
    expect((await rows(system.db, "keepers")).map((r) => r["name"])).toEqual(["Ines", "Odo"]);
  });

  it("dropped on Today they can become a new feed as well", async () => {
    const page = await web.open("/");
    await press(page, "Bring in files");
    await give(page, "Files", fileOf("lamps.csv", "lamp,hours\nL1,20\nL2,30\n"));
    await page.select("#bring-feed", "+");
    await press(page, "Look at 1 file");
    await page.waitForFunction(() => location.pathname.endsWith("/begin"));
    await shows(page, "L2");
  });
});

describe("other ways in", () => {
  it("a query is set up on the feed's page, taken once, and says what it took", async () => {
    const { db } = system;
    await asOthers(
      system,
      `create schema station; create table station.reading (id integer, degrees numeric);
      insert into station.reading values (1, -18), (2, -19.5);
      drop role if exists reader_of_pages;
      create role reader_of_pages login password 'seeds';
      do $$ begin execute format('grant connect on database %I to reader_of_pages', current_database()); end $$;
      grant usage on schema station to reader_of_pages;
      grant select on station.reading to reader_of_pages`,
    );
    const address = new URL(system.url);
    [address.username, address.password] = ["reader_of_pages", "seeds"];
    await putConnection(db, "station", address.href, "test");
    await newFeed(db, "readings", [
      { name: "id", type: "integer", required: true },
      { name: "degrees", type: "decimal", precision: 5, scale: 2 },
    ]);
    const page = await web.open("/feeds/readings");
    await press(page, "query");
    await page.type("#source-connection", "station");
    await page.type("#source-sql", "select id, degrees from station.reading");
    await page.type("#source-cursor", "id");
    await press(page, "Add and look now");
    await shows(page, "1 taken");
    await page.waitForFunction(() => document.querySelector('section a.count[href^="/loads/"]'));
    await expect
      .poll(() => rows(db, "readings", "id").catch(() => []), { timeout: 15_000 })
      .toMatchObject([{ degrees: "-18.00" }, { degrees: "-19.50" }]);
    await press(page, "Look now");
    await new Promise((resolve) => setTimeout(resolve, 1500));
    expect(await rows(db, "readings")).toHaveLength(2);
    await press(page, "Take away");
    await page.waitForFunction(() => !document.body.innerText.includes("1 taken"));
    await system.admin.query("drop owned by reader_of_pages; drop role reader_of_pages");
  });
});

describe("a plan being changed", () => {
  it("shows what a step does to the records, what a check finds, and which records would end otherwise", async () => {
    const { db } = system;
    await newFeed(db, "seeds", [
      { name: "lot", type: "text", length: 12, required: true },
      { name: "seeds", type: "integer" },
      { name: "alive", type: "integer" },
    ]);
    await loadNow(db, "seeds", "lot,seeds,alive\na 1,10,9\nb 2,10,12\nTEST,5,5\nd 4,,\n");
    const page = await web.open("/feeds/seeds/plan");
    await press(page, "Cleanse");
    await shows(page, "The records as they came");
    await shows(page, "All 4 records of the latest delivery");
    await page.select('select[aria-label="Add a step"]', "case");
    await shows(page, "after step 1");
    await page.locator("::-p-xpath(//button[normalize-space(.)='alive'])").click();
    await page.locator("::-p-xpath(//fieldset//label[contains(., 'lot')]/input)").click();
    await shows(page, "3 cells changed by it");
    expect(await page.$eval('td[title="was: a 1"]', (e) => e.textContent)).toBe("A 1");
    await page.select('select[aria-label="Add a step"]', "leave-out");
    await page.locator('[aria-label="Formula: Leave records out"]').click();
    await page.keyboard.down("Control");
    await page.keyboard.press("a");
    await page.keyboard.up("Control");
    await page.keyboard.type("lot == 'TEST'", { delay: 5 });
    await shows(page, "1 left out");

    await press(page, "Check");
    await press(page, "Add a check");
    await page.locator('[aria-label="Formula of check 1"]').click();
    await page.keyboard.down("Control");
    await page.keyboard.press("a");
    await page.keyboard.up("Control");
    await page.keyboard.type("alive <= sedds", { delay: 5 });
    await shows(page, "There is no field sedds");
    await page.keyboard.press("Backspace");
    for (let i = 0; i < 4; i++) await page.keyboard.press("Backspace");
    await page.keyboard.type("seeds ", { delay: 5 });
    await shows(page, "1 fail");
    await shows(page, "1 lacks a field");

    await press(page, "Try on the latest delivery");
    await shows(page, "records end otherwise");
    const table = await textOf(page, "table.w-auto");
    expect(table.replace(/\s+/g, " ")).toContain("inserted becomes held 1");
    expect(table.replace(/\s+/g, " ")).toContain("inserted becomes left out 1");
    const href = await page.$eval('table.w-auto a[href*="was=inserted"][href*="outcome=held"]', (a) =>
      a.getAttribute("href"),
    );
    await save(page, "a check by formula");
    const records = await web.open(href!);
    await shows(records, "that were inserted in trial");
    await shows(records, "B 2");
    const again = await loadNow(db, "seeds", "lot,seeds,alive\nx,1,2\ny,2,1\nTEST,1,1\n");
    expect(again).toMatchObject({ inserted: 1, held: 1, leftOut: 1 });
  });
});

describe("spellings of one value", () => {
  it("are listed beneath the proposed one with their counts, and decided by keys", async () => {
    const { db } = system;
    await newFeed(db, "sites", [{ name: "site", type: "text" }]);
    const lines = [
      ...Array<string>(30).fill("Outer Skerry"),
      "outer skerry",
      "Outer Skery",
      "Skerry (Outer)",
      "Mill Creek",
    ];
    await loadNow(db, "sites", `site\n${lines.join("\n")}\n`);
    const page = await web.open("/feeds/sites/plan");
    await press(page, "Cleanse");
    await page.waitForSelector('select[aria-label="Add a step"]');
    await page.select('select[aria-label="Add a step"]', "value-map");
    await press(page, "Find spellings of one value in site");
    await shows(page, "3 spellings of 1 value");
    await page.focus('tr[aria-label="Outer Skery, likely Outer Skerry"]');
    await page.keyboard.press("Enter");
    await shows(page, "2 spellings of 1 value");
    await page.focus('tr[aria-label="Skerry (Outer), likely Outer Skerry"]');
    await page.keyboard.press("Backspace");
    await shows(page, "1 spelling of 1 value");
    await press(page, "all 1");
    await shows(page, "No spellings are left");
    await save(page, "one spelling");
    const step = (await planInForce(db, "sites")).document.cleanse[0]!;
    expect(step["to"]).toMatchObject({ "Outer Skerry": ["Outer Skery", "outer skerry"] });
    const load = await loadNow(db, "sites", "site\nouter  SKERRY\nOuter Skery\n");
    expect((await rows(db, "sites", "_load desc")).slice(0, 2).map((r) => r["site"])).toEqual([
      "Outer Skerry",
      "Outer Skerry",
    ]);
    expect(load.report!.steps[0]!.changed).toBe(2);
  });
});

describe("how long what is kept", () => {
  it("is set by feed beside what it takes, says first what goes by it, and is taken away when asked", async () => {
    const { db } = system;
    await newFeed(db, "old_lots", [{ name: "lot", type: "integer", required: true }], { key: ["lot"] });
    const load = await loadNow(db, "old_lots", "lot\n1\n2\n3\n");
    await tamper(
      system,
      `update sieve.delivery set received_at = received_at - interval '40 days' where id = ${load.delivery}`,
      `update sieve.load set ended_at = ended_at - interval '40 days' where id = ${load.id}`,
    );
    const page = await web.open("/settings");
    const line = 'button[aria-label="Change how long what is kept of old_lots"]';
    await page.click(line);
    await shows(page, "Nothing of it expires now");
    const type = async (id: string, text: string): Promise<void> => {
      await page.click(`#${id}`, { count: 3 });
      await page.keyboard.press("Backspace");
      await page.type(`#${id}`, text);
    };
    await type("keep-bytesDays", "x");
    await shows(page, "Days are a number from 1 on");
    await type("keep-bytesDays", "30");
    await shows(page, "In the next run go the bytes of 1 file (10 B). They do not come back.");
    await type("keep-ledgerDays", "30");
    await shows(page, "the detail of 1 load with 3 records");
    await press(page, "Keep it so");
    await page.waitForFunction(() => !document.querySelector("form[aria-label^='How long']"));
    expect(await retentionOf(db, "old_lots")).toEqual({
      bytesDays: 30,
      ledgerDays: 30,
      settledDays: 400,
      undoLoads: 5,
    });
    await press(page, "Take away now");
    await shows(page, "1 file, 10 B; detail of 1 load");
    const records = await web.open(`/loads/${load.id}/records?outcome=inserted`);
    await shows(records, "is no longer kept");
    await shows(records, "by the feed’s retention");
  });
});
