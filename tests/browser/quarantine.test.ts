import { strFromU8, unzipSync } from "fflate";
import { afterAll, beforeAll, describe, expect, it } from "vitest";
import { makeDelivery, receiveFile } from "@/store/deliveries.ts";
import { countHeld } from "@/store/held.ts";
import { releaseRecords } from "@/engine/release/release.ts";
import { askForLoad } from "@/store/load-requests.ts";
import { shareSystem } from "../support/shared.ts";
import { newFeed, rows, waitFor, type System } from "../support/system.ts";
import { press, shows, textOf, type Web } from "../support/web.ts";

/** A held record's way: to its sender and back, all of a cause at once, and rows on their way out. */

let system: System;
let web: Web;
const errors: string[] = [];

const FIELDS = [
  { name: "id", type: "text", required: true, pattern: "^x\\d+$" },
  { name: "land", type: "code", values: ["NO", "SE"] },
  { name: "day", type: "date" },
  { name: "n", type: "integer" },
];

async function send(feed: string, name: string, text: string): Promise<number> {
  const { db } = system;
  const delivery = await makeDelivery(db, feed, "test", "Mibora");
  const bytes = new TextEncoder().encode(text);
  const once = async function* (): AsyncGenerator<Uint8Array> {
    yield await Promise.resolve(bytes);
  };
  await receiveFile(db, delivery, name, once(), bytes.length);
  const load = await askForLoad(db, delivery, { again: true });
  await waitFor(db, load);
  return load;
}

beforeAll(async () => {
  ({ system, web } = await shareSystem(errors));
  for (const feed of ["first", "second"]) {
    await newFeed(system.db, feed, FIELDS, { key: ["id"], mode: "upsert" }, { gates: [] });
  }
  const held = Array.from({ length: 700 }, (_, i) => `x${i},N.O,2026-05-01,${i}`);
  await send("first", "a.csv", `id,land,day,n\n${held.join("\n")}\nx900,SE,2026-05-02\n`);
  await send("second", "b.csv", "id,land,day,n\nx1,??,2026-05-01,1\nx2,NO,2026-06-01,2\n");
});
afterAll(async () => {
  await web?.end();
  expect(errors).toEqual([]);
});

describe("held records", () => {
  it("of the same check in two feeds are two causes, each with its own records", async () => {
    const page = await web.open("/quarantine");
    const links = await page.$$eval("section[aria-label='What is wrong'] a", (all) =>
      all.map((a) => [a.textContent ?? "", a.getAttribute("href")!] as const),
    );
    const land = links.filter(([text]) => text.includes("land is not one of"));
    expect(land.map(([text]) => text.replace(/.*values/, ""))).toEqual(["700first", "1second"]);
    await page.goto(web.address + land[1]![1], { waitUntil: "networkidle0" });
    await shows(page, "1 record: land is not one of the allowed values");
    expect(await textOf(page, "section[aria-label='Records']")).toContain("??");
  });

  it("go to their senders in an archive", async () => {
    const page = await web.open("/quarantine");
    const href = await page.$$eval("a", (all) => all.find((a) => /for their senders/.test(a.textContent ?? ""))!.href);
    const files = unzipSync(new Uint8Array(await (await fetch(href)).arrayBuffer()));
    expect(Object.keys(files).sort()).toEqual([
      "first/Mibora/a-to-mend.csv",
      "first/Mibora/letter.html",
      "first/Mibora/letter.txt",
      "second/Mibora/b-to-mend.csv",
      "second/Mibora/letter.html",
      "second/Mibora/letter.txt",
    ]);
    expect(strFromU8(files["first/Mibora/letter.txt"]!)).toContain(
      "700 records: land is not one of the allowed values",
    );
  });

  it("with a cell too few have a button that puts the others where they fit", async () => {
    const page = await web.open("/quarantine?feed=first&check=read%3Atoo-few-cells");
    await shows(page, "3 cells where 4 columns are.");
    await page.$$eval("button", (all) => all.find((b) => b.textContent === "Put them where they fit")!.click());
    await shows(page, "passes all");
    expect(await page.$$eval("form label input", (all) => all.map((i) => i.value))).toEqual([
      "x900",
      "SE",
      "2026-05-02",
      "",
    ]);
    await page.$$eval("button", (all) => all.find((b) => b.textContent?.startsWith("Release this record"))!.click());
    await shows(page, "Released 1 record");
    expect((await rows(system.db, "first")).map((r) => r["id"])).toEqual(["x900"]);
  });

  it("of a cause are released at once, more than a page has, after it was seen what that does", async () => {
    const page = await web.open("/quarantine?feed=first&check=land%3Atype");
    await shows(page, "the first 500");
    const press = (words: string): Promise<void> =>
      page.$$eval("button", (all, w) => all.find((b) => b.textContent?.includes(w))!.click(), words);
    await press("of this cause at once");
    await page.select("#all-how", "replace");
    await page.type("input[aria-label='The text to be replaced']", ".");
    await press("See what it would do");
    await shows(page, "700 would be released");
    await shows(page, "N.O to NO");
    expect(await countHeld(system.db, { feed: "first" })).toBe(700);
    // Somebody else holds the quarantine, so that it takes its time.
    const other = await system.admin.connect();
    await other.query("begin; lock table sieve.held in exclusive mode");
    await press("Release 700 records");
    await shows(page, "Mended 700 of 700");
    await press("Stop it");
    await shows(page, "Stopping…");
    await other.query("rollback");
    other.release();
    await shows(page, "It was stopped, and what it had done until then is taken back.");
    expect(await countHeld(system.db, { feed: "first" })).toBe(700);
    await press("Release 700 records");
    await shows(page, "The quarantine is empty");
    expect(await countHeld(system.db, { feed: "first" })).toBe(0);
    expect(await rows(system.db, "first")).toHaveLength(701);
  });
});

describe("mends that were made again and again", () => {
  it("are suggested in the quarantine, lead to the plan, and become a step that is saved", async () => {
    await newFeed(system.db, "third", FIELDS, { key: ["id"], mode: "upsert" }, { gates: [] });
    for (const [name, id] of [
      ["c.csv", "x1"],
      ["d.csv", "x2"],
    ] as const) {
      const load = await send("third", name, `id,land,day,n\n${id},Norge,2026-05-01,1\n`);
      await releaseRecords(system.db, [{ load, record: 0, values: { land: "NO" } }], "Ines");
    }
    await send("third", "e.csv", "id,land,day,n\nx3,Norge,2026-05-01,1\n");
    const page = await web.open("/quarantine?feed=third");
    await shows(page, "1 mend made again and again could be a step");
    await shows(page, "set it, mends 1");
    await page.click("a[href='/feeds/third/plan?stage=Cleanse']");
    await shows(page, "Mended by hand again and again");
    // A formula that is not whole yet takes nothing away but the offer.
    await page.select('select[aria-label="Add a step"]', "leave-out");
    await page.locator('[aria-label="Formula: Leave records out"]').click();
    await page.keyboard.type(" &&");
    await shows(page, "The plan has a fault.");
    await press(page, "Undo");
    for (let i = 0; i < 3; i++) await press(page, "Undo");
    await shows(page, "Mended by hand again and again");
    await page.click("button[aria-label='Make a step of Norge to NO in land']");
    await shows(page, "Map values in");
    await page.waitForFunction(() => !document.body.textContent.includes("Mended by hand again and again"));
    await press(page, "Save as version 2");
    await page.waitForSelector("main form input");
    await page.type("main form input", "Norge is Norway");
    await press(page, "Save version 2");
    await shows(page, "version 2: Norge is Norway");
    await send("third", "f.csv", "id,land,day,n\nx4,Norge,2026-05-01,1\n");
    expect(await countHeld(system.db, { feed: "third" })).toBe(1);
  });
});

describe("a held record that came again under another key", () => {
  it("is looked for from the load's page, closed by who says that it is the same, and held again where not", async () => {
    await newFeed(system.db, "fourth", FIELDS, { key: ["id"], mode: "upsert" }, { gates: [] });
    const first = await send("fourth", "g.csv", "id,land,day,n\n#17,NO,2026-07-01,5\n");
    const second = await send("fourth", "h.csv", "id,land,day,n\nx17,NO,2026-07-01,5\nx18,SE,2026-07-01,6\n");
    const page = await web.open(`/loads/${second}`);
    await shows(page, "1 record held before is still held");
    await press(page, "look for it among these");
    await shows(page, "1 record held before was looked for among the 2 records of this load: 1 is like one of them.");
    await shows(page, "3 of 3 sound fields the same");
    // What differs comes first.
    expect(await page.$$eval("main th", (all) => all.map((t) => t.textContent))).toEqual([
      "",
      "id",
      "land",
      "day",
      "n",
    ]);
    await press(page, "It is the same");
    await shows(page, "closed hold it again");
    expect(await countHeld(system.db, { feed: "fourth" })).toBe(0);
    const life = await web.open(`/loads/${first}/records/0`);
    await shows(life, "was held, and came back by steward");
    await shows(life, "#17,NO,2026-07-01,5");
    await life.click(`a[href="/loads/${second}/records/0"]`);
    await shows(life, "Its row in the target now");
    await page.bringToFront();
    await press(page, "hold it again");
    await shows(page, "It is the same");
    expect(await countHeld(system.db, { feed: "fourth" })).toBe(1);
  });
});

describe("rows on their way out", () => {
  it("are counted as they are chosen, and come as they were asked for", async () => {
    const page = await web.open("/feeds/second/out");
    await shows(page, "Download 1 row");
    await page.select("#out-format", "json-lines");
    await page.select("select[aria-label='Add folders by a field']", "day");
    await shows(page, "1 row in 1 folder");
    await shows(page, "day=2026-05/{feed}-{day}-{n}.jsonl");
    await shows(page, "sieve out second second-out/ --format json-lines --partition day:month");
    const href = await page.$eval("a[download]", (a) => a.href);
    const files = unzipSync(new Uint8Array(await (await fetch(href)).arrayBuffer()));
    const [path] = Object.keys(files).filter((n) => n.endsWith(".jsonl"));
    expect(path).toMatch(/^day=2026-06\/second-\d{4}-\d\d-\d\d-0001\.jsonl$/);
    expect(JSON.parse(strFromU8(files[path!]!))).toEqual({ id: "x2", land: "NO", day: "2026-06-01", n: 2 });
  });

  it("may be what a query gives, by the role of a connection, once it is one that reads", async () => {
    const page = await web.open("/feeds/second/out");
    await page.select("#out-what", "query");
    await page.locator("textarea[aria-label='The query']").fill("delete from target.second");
    await page.keyboard.press("Tab");
    await shows(page, "The query could not be run.");
    expect(await page.$("a[download]")).toBeNull();
    await page.locator("textarea[aria-label='The query']").fill("select id, day, n * 2 as twice from target.second");
    await page.keyboard.press("Tab");
    await shows(page, "by 3 columns: id (text), day (date), twice (integer)");
    await page.select("select[aria-label='Add folders by a field']", "day");
    await shows(page, "day=2026-05/query-{day}-{n}.csv");
    await shows(page, "--connection reader --format csv --partition day:month");
    const href = await page.$eval("a[download]", (a) => a.href);
    const files = unzipSync(new Uint8Array(await (await fetch(href)).arrayBuffer()));
    const [path] = Object.keys(files).filter((n) => n.endsWith(".csv"));
    expect(path).toMatch(/^day=2026-06\/query-\d{4}-\d\d-\d\d-0001\.csv$/);
    expect(strFromU8(files[path!]!)).toBe("id,day,twice\r\nx2,2026-06-01,4\r\n");
  });

  it("of a target that is not there yet are refused in words", async () => {
    await newFeed(system.db, "unloaded", FIELDS);
    const page = await web.open("/feeds/unloaded/out");
    await shows(page, "The table unloaded is not there yet.");
  });
});
