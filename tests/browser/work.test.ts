import { readFileSync, readdirSync } from "node:fs";
import { createRequire } from "node:module";
import { join } from "node:path";
import { Readable } from "node:stream";
import { unzipSync } from "fflate";
import { afterAll, beforeAll, describe, expect, it } from "vitest";
import type { Page } from "puppeteer-core";
import { ACCESSIONS, AFTER_ACCESSIONS, FURTHER_ACCESSIONS } from "../../demo/plan.ts";
import { makeDeliveries } from "../../demo/generate.ts";
import { makeFeed, planInForce, savePlan } from "@/store/feeds.ts";
import { makeDelivery, receiveFile } from "@/store/deliveries.ts";
import { countHeld } from "@/store/held.ts";
import { getSender } from "@/store/senders.ts";
import { askForLoad } from "@/store/load-requests.ts";
import { OUT, shareSystem } from "../support/shared.ts";
import { newFeed, waitFor, type System } from "../support/system.ts";
import { program, press, shows, textOf, type Web } from "../support/web.ts";

let system: System;
let web: Web;
const errors: string[] = [];
const loads: number[] = [];
/** Who sent the first delivery. */
let sender = "";

beforeAll(async () => {
  ({ system, web } = await shareSystem(errors));
  const { db } = system;
  await makeFeed(db, { name: "accessions", title: "Accessions", about: "What the gardens send" });
  await savePlan(db, "accessions", ACCESSIONS, "the first", "test");
  for (const d of makeDeliveries(11, 1, 0.4)) {
    sender ||= d.sender;
    const id = await makeDelivery(db, "accessions", "test", d.sender);
    await receiveFile(
      db,
      id,
      d.name,
      (async function* () {
        yield d.bytes;
      })(),
      d.bytes.length,
    );
    const load = await askForLoad(db, id);
    await waitFor(db, load);
    loads.push(load);
  }
});
afterAll(async () => {
  await web?.end();
});

/** Gives files to the page's file chooser, as a person does. */
async function choose(page: Page, files: { name: string; text: string }[]): Promise<void> {
  await page.evaluate((list) => {
    const data = new DataTransfer();
    for (const f of list) data.items.add(new File([f.text], f.name, { type: "text/csv" }));
    window.dispatchEvent(new DragEvent("dragenter", { dataTransfer: data, bubbles: true }));
    window.dispatchEvent(new DragEvent("drop", { dataTransfer: data, bubbles: true, cancelable: true }));
  }, files);
}

const HEADER = "accession,partner,scientific_name,collected_on,site,country,quantity_g\n";

describe("from a load to its held records and into the target", () => {
  it("Today lists every delivery with counts that lead to their records", async () => {
    const page = await web.open("/");
    expect(await textOf(page, "h1")).toContain("5 deliveries since yesterday");
    const href = await page.$eval("td.held a", (a) => a.getAttribute("href")!);
    const count = Number(await page.$eval("td.held a", (a) => a.textContent));
    const records = await web.open(href);
    await shows(records, `${count} records`);
    await page.bringToFront();
    await page.keyboard.press("ArrowDown");
    await page.keyboard.press("Enter");
    await page.waitForFunction(() => location.pathname.startsWith("/loads/"));
  });

  it("a load's held count leads to the quarantine; a mend passes at once, is released, and is in the target", async () => {
    const { db } = system;
    const page = await web.open(`/loads/${loads[0]}`);
    await press(page, "Work through");
    await shows(page, "What is wrong, for the sender");
    const before = Number(/(\d+) held record/.exec(await textOf(page, "h1"))![1]);
    await page.goto(`${web.address}/quarantine?load=${loads[0]}&check=altitude_m:type`, { waitUntil: "networkidle0" });
    await shows(page, "“about 40” is not a whole number");
    await page.keyboard.press("e");
    await page.keyboard.down("Control");
    await page.keyboard.press("a");
    await page.keyboard.up("Control");
    await page.keyboard.type("41");
    await shows(page, "passes all");
    const accession = await page.$eval(
      "section[aria-label='Records'] tbody tr:not([aria-hidden]) td:nth-child(5)",
      (e) => e.textContent!,
    );
    await page.keyboard.press("Enter");
    await shows(page, "Released 1 record into accession");
    const { rows } = await db.query("select altitude_m from target.accession where accession = $1", [accession]);
    expect(rows).toEqual([{ altitude_m: 41 }]);
    await page.goto(`${web.address}/quarantine?load=${loads[0]}`, { waitUntil: "networkidle0" });
    expect(await textOf(page, "h1")).toContain(`${before - 1} held record`);
  });

  it("discards with a reason and takes it back", async () => {
    const page = await web.open(`/quarantine?load=${loads[1]}`);
    const before = await textOf(page, "h1");
    await page.keyboard.press(" ");
    await page.keyboard.press("x");
    await shows(page, "will not be loaded");
    await page.keyboard.type("withdrawn");
    await page.keyboard.press("Enter");
    await shows(page, "Discarded 1 record.");
    await press(page, "Take that back");
    await page.waitForFunction((h) => document.querySelector("h1")?.innerText === h, {}, before);
  });
});

describe("bringing in files", () => {
  it("dropped files become one delivery and a load that balances; the same bytes are refused with a link", async () => {
    const files = [
      { name: "one.csv", text: `${HEADER}ZZZ-2026-000001,BHG,Silene uniflora,2026-05-01,Gull Ness,GB,1.5\n` },
      { name: "two.csv", text: `${HEADER}ZZZ-2026-000002,BHG,Armeria maritima,2026-05-02,Gull Ness,GB,2\n` },
    ];
    const page = await web.open("/");
    await choose(page, files);
    await shows(page, "two.csv");
    await press(page, "Load 2 files");
    await page.waitForFunction(() => location.pathname.startsWith("/loads/"));
    await shows(page, "2 of 2 records loaded, 0 held");
    const again = await web.open("/feeds/accessions");
    await choose(again, [files[0]!]);
    await shows(again, "one.csv");
    await press(again, "Load 1 file");
    await shows(again, "was loaded into this feed before");
    expect(await textOf(again, "dialog[open]")).toContain("Open load");
  });

  it("never runs text from files as HTML", async () => {
    const evil = `<img src=x onerror="alert(1)"><script>alert(2)</script>`;
    const page = await web.open("/");
    await choose(page, [
      {
        name: `${evil}.csv`,
        text: `${HEADER.replace("\n", `,"${evil.replaceAll('"', '""')}"\n`)}"${evil.replaceAll('"', '""')}",BHG,x,2026-05-01,y,GB,1,z\nZZZ-2026-000003,BHG,"${evil.replaceAll('"', '""')}",2026-05-01,y,GB,1,z\nZZZ-2026-000004,BHG,x,2026-05-01,y,GB,1,z\nZZZ-2026-000005,BHG,x,2026-05-01,y,GB,1,z\nZZZ-2026-000006,BHG,x,2026-05-01,y,GB,1,z\n`,
      },
    ]);
    await press(page, "Load 1 file");
    await page.waitForFunction(() => location.pathname.startsWith("/loads/"));
    await shows(page, "1 held");
    const id = Number(new URL(page.url()).pathname.split("/")[2]);
    for (const path of [
      `/loads/${id}`,
      `/loads/${id}/records?outcome=held`,
      `/loads/${id}/records?outcome=loaded`,
      `/quarantine?load=${id}`,
    ]) {
      const shown = await web.open(path);
      expect(await shown.$$eval("main img, main script", (list) => list.length)).toBe(0);
      expect(await textOf(shown)).toContain("<script>");
    }
    expect(errors).toEqual([]);
  });
});

describe("the plan", () => {
  it("is changed for many fields at once, tried without being saved, undone, and saved as a version with a note", async () => {
    const { db } = system;
    const page = await web.open("/feeds/accessions/plan");
    for (const name of ["latitude", "longitude", "altitude_m"]) await page.click(`input[aria-label='Pick ${name}']`);
    await page.select("select[aria-label='Property']", "on failure");
    await page.select("select[aria-label='Value']", "note");
    await press(page, "Change 3 fields");
    expect(await page.$eval("select[aria-label='On failure of latitude']", (s) => (s as HTMLSelectElement).value)).toBe(
      "note",
    );
    await press(page, "Try on the latest delivery");
    await shows(page, "Whole report");
    expect((await planInForce(db, "accessions")).version).toBe(1);
    await press(page, "Undo");
    expect(await page.$eval("select[aria-label='On failure of latitude']", (s) => (s as HTMLSelectElement).value)).toBe(
      "hold",
    );
    await press(page, "Redo");
    await press(page, "Save as version 2");
    await page.keyboard.type("coordinates are only noted");
    await press(page, "Save version 2");
    await shows(page, "coordinates are only noted");
    const plan = await planInForce(db, "accessions");
    expect(plan.version).toBe(2);
    expect(plan.document.contract.fields.filter((f) => f.on_failure === "note").map((f) => f.name)).toEqual([
      "latitude",
      "longitude",
      "altitude_m",
    ]);
  });

  it("says what is wrong with it at once, and can't be saved so", async () => {
    const page = await web.open("/feeds/accessions/plan");
    await page.click("input[aria-label='Pattern of accession']", { count: 3 });
    await page.keyboard.type("(");
    await page.keyboard.press("Enter");
    await shows(page, "can't be understood");
    expect(await page.$eval("button.btn-primary", (b) => (b as HTMLButtonElement).disabled)).toBe(true);
  });

  it("holds a text to its least length, and forgets it with another type", async () => {
    const page = await web.open("/feeds/accessions/plan");
    await page.evaluate(() =>
      document.querySelector("input[aria-label='Name of site']")!.closest("tr")!.querySelector("button")!.click(),
    );
    await page.waitForSelector("section[aria-label='More of site'] input[type=number]");
    await page.type("section[aria-label='More of site'] input[type=number]", "7");
    await page.keyboard.press("Tab");
    await shows(page, "site has at least 7 characters");
    await page.select("select[aria-label='Type of site']", "uuid");
    await page.waitForFunction(() => !document.querySelector("section[aria-label='More of site'] input[type=number]"));
    await press(page, "The plan as JSON");
    const json = JSON.parse(await page.$eval("textarea", (t) => t.value)) as typeof ACCESSIONS;
    expect(json.contract.fields.find((f) => f.name === "site")).toEqual({
      ...without(
        ACCESSIONS.contract.fields.find((f) => f.name === "site")!,
        ["length", "shortest"],
      ),
      type: "uuid",
    });
  });

  it("follows a renamed field through steps and key", async () => {
    const page = await web.open("/feeds/accessions/plan");
    await page.click("input[aria-label='Name of accession']", { count: 3 });
    await page.keyboard.type("number");
    await page.keyboard.press("Enter");
    await press(page, "The plan as JSON");
    const json = JSON.parse(await page.$eval("textarea", (t) => t.value)) as typeof ACCESSIONS;
    expect(json.load.key).toEqual(["number"]);
    expect(json.cleanse.some((s) => s.in.includes("number"))).toBe(true);
    expect(json.contract.fields[0]!.also).toContain("accession");
  });
});

describe("a load on its way", () => {
  it("tells its progress as server-sent events and can be cancelled", async () => {
    const lines = Array.from(
      { length: 250_000 },
      (_, i) => `YYY-2026-${String(i).padStart(6, "0")},BHG,Silene uniflora,2026-05-01,Gull Ness,GB,1.5`,
    );
    const page = await web.open("/");
    await choose(page, [{ name: "large.csv", text: `${HEADER}${lines.join("\n")}\n` }]);
    await press(page, "Load 1 file");
    await shows(page, "records so far");
    await press(page, "Cancel this load");
    await shows(page, "was cancelled; nothing was written");
    const { rows } = await system.db.query("select 1 from target.accession where accession like 'YYY%' limit 1");
    expect(rows).toEqual([]);
  });
});

function without(thing: object, names: readonly string[]): object {
  return Object.fromEntries(Object.entries(thing).filter(([name]) => !names.includes(name)));
}

/** A load of a feed that has forty fields with long names, each wrong in a record of its own; made once. */
async function longNames(db: System["db"]): Promise<number> {
  const feed = "long_names";
  const before = await db.query<{ id: number }>("select id from sieve.load where feed = $1", [feed]);
  if (before.rows[0]) return before.rows[0].id;
  const names = Array.from({ length: 40 }, (_, i) => `what_the_sender_calls_the_weight_of_lot_${i}_in_grams`);
  const fields = names.map((name) => ({ name, type: "integer", least: -1_000_000_000, most: 1_000_000_000 }));
  await newFeed(db, feed, fields, {}, { gates: [] });
  const rows = names.map((_, i) => names.map((__, k) => (i === k ? "not a whole number but a long text" : "7")).join());
  const id = await makeDelivery(db, feed, "test", "The Sender of Long Names and of Little Else, Limited");
  const bytes = new TextEncoder().encode([names.join(), ...rows, names.map(() => "1").join(), ""].join("\n"));
  await receiveFile(db, id, `${"a-long-name-of-a-file-".repeat(6)}.csv`, Readable.from([bytes]), bytes.length);
  const load = await askForLoad(db, id);
  await waitFor(db, load);
  return load;
}

/** Runs in a page: hides all but the first rows of long lists and tables, which are alike; looking at each takes minutes. */
function fewRows(): void {
  for (const list of document.querySelectorAll("tbody, ul, ol, select"))
    for (const row of [...list.children].slice(8)) (row as HTMLElement).style.display = "none";
}

/** Runs in a page: what of its controls and headings stands beyond its right edge, where nobody can scroll to it. */
function beyond(): string[] {
  const wide = document.documentElement.scrollWidth - window.innerWidth;
  const found = wide > 0 ? [`the page is ${wide} wider`] : [];
  for (const e of document.querySelectorAll<HTMLElement>("a, button, input, select, label, th, h1, h2, summary")) {
    if (e.offsetParent === null) continue;
    let scrolls = false;
    for (let up = e.parentElement; up; up = up.parentElement) {
      if (["auto", "scroll"].includes(getComputedStyle(up).overflowX)) scrolls = true;
    }
    if (!scrolls && e.getBoundingClientRect().right > window.innerWidth + 1) {
      found.push(`${e.tagName} ${(e.innerText || (e.ariaLabel ?? "")).slice(0, 60)}`);
    }
  }
  return found;
}

describe("a delivery that is run again", () => {
  it("is tried without a step, with a reason, and both the page and the report say so", async () => {
    const page = await web.open("/feeds/accessions/run?delivery=1");
    await shows(page, "Try 1 delivery");
    // Others that came later are loaded, and stay as they are.
    expect(await textOf(page)).toMatch(/newer deliver(y is|ies are) loaded and not chosen/);
    await page.evaluate(() =>
      [...document.querySelectorAll("summary")].find((s) => s.innerText.startsWith("Steps"))!.click(),
    );
    await page.evaluate(() => document.querySelector<HTMLInputElement>("details[open] li input")!.click());
    const ready = () =>
      page.evaluate(
        () => ![...document.querySelectorAll("button")].find((b) => b.innerText.startsWith("Try"))!.disabled,
      );
    expect(await ready()).toBe(false);
    await page.type("section[aria-label='What the run is given'] label input:not([type=checkbox])", "to see");
    expect(await ready()).toBe(true);
    await press(page, "Try 1 delivery");
    await page.waitForFunction(
      () => /unchanged.*with other inputs/.test(document.body.innerText.replace(/\s+/g, " ")),
      {
        timeout: 60_000,
      },
    );
    const trial = await page.$$eval("td a", (all) => all.find((a) => /unchanged/.test(a.innerText))!.href);
    await page.goto(trial.replace(/\/beside.*$/, ""), { waitUntil: "networkidle0" });
    await shows(page, "What the run was given");
    expect(await textOf(page)).toMatch(/Step switched off: .*to see/);
    await page.close();
  });
});

describe("a sender", () => {
  it("is told what it keeps back, which is noted, and taken back", async () => {
    const page = await web.open("/senders");
    await press(page, sender);
    await shows(page, "How it sends");
    const held = await countHeld(system.db, { sender });
    await press(page, `Hand back ${held} records`);
    await shows(page, `With them: ${held} records since today`);
    const files = await fetch(`${web.address}/api/quarantine/senders?sender=${encodeURIComponent(sender)}`);
    expect(Object.keys(unzipSync(new Uint8Array(await files.arrayBuffer()))).length).toBeGreaterThan(1);
    await page.type("input[type=number]", "5");
    await press(page, "Keep this");
    await shows(page, `With them: ${held} records since today of 5`);
    await press(page, "They do not have them");
    await shows(page, "From then on the records are noted as being with the sender.");
    await page.close();
  });

  it("is sent what is held of it to where it wants its files, from its page and from the quarantine", async () => {
    const at = encodeURIComponent(sender);
    const page = await web.open(`/senders/${at}`);
    const held = await countHeld(system.db, { sender });
    await page.select("form select", "folder");
    await page.type("input[placeholder^=senders]", "back/to-them");
    await press(page, "Keep this");
    await press(page, `Send ${held} records`);
    await shows(page, "went to the folder back/to-them.");
    await shows(page, `With them: ${held} records since today`);
    await shows(page, "What went to it");
    const [first] = readdirSync(join(OUT, "back/to-them"));
    expect(readdirSync(join(OUT, "back/to-them", first!)).sort()).toEqual(["accessions", "manifest.json"]);
    await press(page, "They do not have them");
    await shows(page, "From then on the records are noted as being with the sender.");
    await page.goto(`${web.address}/quarantine?sender=${at}`, { waitUntil: "networkidle0" });
    await shows(page, `${held} held records`);
    await shows(page, "all senders");
    await press(page, "send each what it does not have yet");
    await shows(page, "to the folder back/to-them");
    await press(page, `Send ${held} records to 1 sender`);
    await shows(page, "with a letter went to the folder back/to-them");
    await press(page, "Close the list");
    expect(readdirSync(join(OUT, "back/to-them"))).toHaveLength(2);
    expect((await getSender(system.db, sender)).withThem).toBe(held);
    await page.close();
  });
});

describe("every screen", () => {
  const axe = readFileSync(createRequire(import.meta.url).resolve("axe-core/axe.min.js"), "utf8");
  /** What axe finds on a page, each with one element that has it. */
  const faults = async (page: Page, only: readonly string[]): Promise<string[]> =>
    await page.evaluate(async (runOnly) => {
      const { axe } = window as unknown as {
        axe: { run: (o: object) => Promise<{ violations: { id: string; nodes: { html: string }[] }[] }> };
      };
      // Where all is well nothing more is asked, which takes much of its time.
      const { violations } = await axe.run({ runOnly, resultTypes: ["violations"], preload: false });
      return violations.map((v) => `${v.id}: ${v.nodes[0]?.html.slice(0, 160)}`);
    }, only);
  it("has no fault that axe finds in either theme, and nothing wider than the window", async () => {
    const { db } = system;
    await makeFeed(db, { name: "unknown", title: "Unknown", about: "" });
    const long = await longNames(db);
    // With all that a plan's last stage can have.
    const copies = [{ connection: "elsewhere" }];
    const more = { load: { ...ACCESSIONS.load, further: FURTHER_ACCESSIONS, copies }, after: AFTER_ACCESSIONS };
    await makeFeed(db, { name: "further", title: "Further", about: "" });
    await savePlan(db, "further", { ...ACCESSIONS, feed: "further", ...more }, "for a test", "test");
    const id = await makeDelivery(db, "unknown", "test", "");
    const bytes = new TextEncoder().encode("a;b\n1;2\n");
    await receiveFile(db, id, "a.csv", Readable.from([bytes]), bytes.length);
    const page = await web.open("/feeds", "paper");
    for (const path of [
      "/",
      "/feeds",
      "/feeds/new",
      "/feeds/unknown/begin",
      "/deliveries/1/profile",
      "/deliveries/1/records?column=Partner&is=value&value=BHG",
      "/feeds/accessions",
      "/feeds/accessions/plan",
      "/feeds/further/plan?stage=Load",
      `/loads/${loads[0]}`,
      `/loads/${loads[0]}/records?outcome=held`,
      `/loads/${loads[0]}/records/7`,
      `/loads/${loads[0]}/alike`,
      "/quarantine",
      "/quarantine?state=overtaken",
      "/feeds/accessions/writings",
      "/feeds/accessions/period",
      "/feeds/accessions/out",
      "/feeds/accessions/copies",
      "/feeds/accessions/run?delivery=1",
      "/senders",
      `/senders/${encodeURIComponent(sender)}`,
      "/writings/1",
      "/settings",
      "/find?value=BHG",
      "/find?value=nothing",
      // With nothing in them.
      "/matches",
      "/references",
      "/formulas",
      "/feeds/accessions/versions",
      "/feeds/unknown",
      "/quarantine?feed=unknown",
      // Forty fields with long names, all of them wrong.
      "/feeds/long_names",
      "/feeds/long_names/plan",
      `/loads/${long}`,
      `/loads/${long}/records`,
      "/quarantine?feed=long_names",
    ]) {
      await web.visit(page, path);
      for (const [width, height] of [
        [1280, 800],
        [1024, 700],
      ] as const) {
        await page.setViewport({ width, height });
        expect(await page.evaluate(beyond), `${path}, ${width} wide`).toEqual([]);
      }
      await page.evaluate(fewRows);
      await page.evaluate(axe);
      expect(await faults(page, ["wcag2a", "wcag2aa"]), path).toEqual([]);
      // A theme changes nothing but colours, as its button does.
      await page.evaluate(() => {
        document.documentElement.dataset["theme"] = "loam";
        for (const a of document.getAnimations()) a.finish();
      });
      expect(await faults(page, ["color-contrast"]), `${path} in loam`).toEqual([]);
    }
    await page.close();
    expect(errors).toEqual([]);
  }, 900_000);

  it("answers what does not exist with a page, and the API with problem details", async () => {
    for (const path of ["/loads/999999", "/feeds/nothing", "/loads/x/records"]) {
      const page = await web.open(path);
      expect(await textOf(page)).toContain("nothing at this address");
    }
    const answer = await fetch(`${web.address}/api/loads/999999`);
    expect(answer.status).toBe(404);
    expect(answer.headers.get("content-type")).toContain("problem+json");
    expect(await answer.json()).toMatchObject({ type: "urn:good-sieve:no-load" });
    const foreign = await fetch(`${web.address}/api/loads/1/cancel`, {
      method: "POST",
      headers: { ...program(web.address), "sec-fetch-site": "cross-site" },
    });
    expect(foreign.status).toBe(403);
  });

  it("shows the keys and moves by them", async () => {
    const page = await web.open("/");
    await page.keyboard.press("?");
    await shows(page, "Discard with a reason");
    await page.keyboard.press("Escape");
    await page.keyboard.press("q");
    await page.waitForFunction(() => location.pathname === "/quarantine");
    await page.keyboard.press("/");
    await page.keyboard.type(`${loads[0]}`);
    await page.keyboard.press("Enter");
    await page.waitForFunction((id) => location.pathname === `/loads/${id}`, {}, loads[0]);
  });
});

describe("a feed from files that nobody knows yet", () => {
  it("goes from a dropped file to a loaded target without a type typed", async () => {
    const { db } = system;
    const page = await web.open("/feeds/new");
    const text = [
      "Key;Kept on;kg;Garden",
      ...Array.from({ length: 60 }, (_, i) => `K${i};${(i % 28) + 1}.05.2026;${i},5;${["BHG", "CWA"][i % 2]}`),
    ].join("\n");
    await choose(page, [{ name: "seed-lots-2026.csv", text }]);
    await press(page, "Look at 1 file");
    await page.waitForSelector("[aria-label='First records']");
    await shows(page, "61 of the first 61 lines have 4 cells");
    await shows(page, "4 columns of all 60 records");
    await press(page, "Contract");
    await shows(page, "60 values are days that exist");
    await shows(page, "one record for each key");
    await press(page, "Make the feed and load 60 records");
    await page.waitForFunction(() => location.pathname.startsWith("/loads/"));
    await shows(page, "60 of 60 records loaded");
    const { rows } = await db.query("select key, kept_on, kg, garden from target.seed_lots order by _record limit 1");
    expect(rows).toEqual([{ key: "K0", kept_on: "2026-05-01", kg: "0.5", garden: "BHG" }]);
    await page.close();
  });

  it("shows each guess with its evidence; a guess that is changed draws the records again", async () => {
    const page = await web.open("/feeds/new");
    await choose(page, [
      { name: "tests.jsonl", text: '{"acc":"A","t":[{"n":1},{"n":2}]}\n{"acc":"B","t":[{"n":3}]}\n' },
    ]);
    await press(page, "Look at 1 file");
    await shows(page, "each line is a JSON document");
    expect(await page.$$eval("[aria-label='First records'] tbody tr", (r) => r.length)).toBe(2);
    const each = await page.evaluate(
      () => [...document.querySelectorAll("label")].find((l) => l.textContent === "a record for each of")!.htmlFor,
    );
    await page.select(`[id="${each}"]`, "t");
    await page.waitForFunction(() => document.querySelectorAll("[aria-label='First records'] tbody tr").length === 3);
    await shows(page, "t.n");
    await page.close();
  });

  it("makes a feed of each kind where files of several kinds come at once", async () => {
    const { db } = system;
    const page = await web.open("/feeds/new");
    await choose(page, [
      { name: "lots-2026-10.csv", text: "lot,mass\nL1,12\nL2,13\n" },
      { name: "rooms.csv", text: "room,floor\nA1,1\nB1,2\n" },
      { name: "lots-2026-11.csv", text: "lot,mass\nL3,14\n" },
    ]);
    await press(page, "Look at 3 files");
    await shows(page, "These files are of 2 kinds");
    await press(page, "Make a feed of each");
    await shows(page, "1 more feed begun");
    await shows(page, "Make the feed and load 3 records");
    await page.evaluate(() => [...document.querySelectorAll("a")].find((a) => a.textContent === "rooms")!.click());
    await page.waitForFunction(() => location.pathname === "/feeds/rooms/begin");
    await shows(page, "Make the feed and load 2 records");
    const { rows } = await db.query("select name from sieve.feed where name in ('lots', 'rooms') order by 1");
    expect(rows).toEqual([{ name: "lots" }, { name: "rooms" }]);
    await page.close();
  });

  it("asks what nothing tells, and loads nothing before it is said", async () => {
    const page = await web.open("/feeds/new");
    await choose(page, [{ name: "people.csv", text: "Anna,Brindle\nBert,Quill\nCarla,Cray\nDora,Fen\n" }]);
    await press(page, "Look at 1 file");
    await shows(page, "Nothing tells whether the first line names the columns or is a record");
    await shows(page, "Until it is said, nothing is loaded");
    const disabled = (): Promise<boolean> =>
      page.$$eval("button", (all) => all.find((b) => b.textContent!.startsWith("Make the feed"))!.disabled);
    await shows(page, "Make the feed and load 3 records");
    expect(await disabled()).toBe(true);
    await press(page, "line 1 is a record");
    await shows(page, "Make the feed and load 4 records");
    expect(await disabled()).toBe(false);
    expect(await textOf(page)).not.toContain("Nothing tells");
    await page.close();

    const units = await web.open("/feeds/new");
    await choose(units, [{ name: "woods.csv", text: "site,what\n-,kg\nFen,oak\nCray,elm\nQuill,ash\n" }]);
    await press(units, "Look at 1 file");
    await shows(units, "Nothing tells whether the line below the names says units or types");
    await press(units, "line 2 is a record");
    await shows(units, "Make the feed and load 4 records");
    await units.close();
  });

  it("a profile's numbers lead to the records that they count", async () => {
    const { db } = system;
    const { rows } = await db.query<{ delivery: number }>("select min(delivery)::int as delivery from sieve.load");
    const page = await web.open(`/deliveries/${rows[0]!.delivery}/profile`);
    await shows(page, "14 columns");
    const href = await page.$$eval("td a.count", (links) =>
      links.map((a) => a.getAttribute("href")!).find((h) => h.includes("is=empty"))!,
    );
    await page.goto(web.address + href, { waitUntil: "networkidle0" });
    await shows(page, "is empty");
    expect(await page.$$eval("[aria-label='Records'] tbody tr", (r) => r.length)).toBeGreaterThan(0);
    await page.close();
  });
});
