import { afterAll, beforeAll, expect, it } from "vitest";
import type { Page } from "puppeteer-core";
import { ACCESSIONS, firstDraft } from "../../demo/plan.ts";
import { makeDeliveries } from "../../demo/generate.ts";
import { findRecords } from "@/engine/look/records.ts";
import { makeDelivery, receiveFile } from "@/store/deliveries.ts";
import { makeFeed, planInForce, savePlan } from "@/store/feeds.ts";
import { afterOf, openNotices } from "@/store/after.ts";
import { makeReference } from "@/store/references.ts";
import { getLoad } from "@/store/loads.ts";
import { askForLoad } from "@/store/load-requests.ts";
import { shareSystem } from "../support/shared.ts";
import { waitFor, type System } from "../support/system.ts";
import { press, shows, textOf, type Web } from "../support/web.ts";

let system: System;
let web: Web;
let load = 0;
const errors: string[] = [];

beforeAll(async () => {
  ({ system, web } = await shareSystem(errors));
  const { db } = system;
  await makeFeed(db, { name: "accessions", title: "Accessions", about: "" });
  await savePlan(db, "accessions", firstDraft(), "a draft", "test");
  await savePlan(db, "accessions", ACCESSIONS, "the contract", "test");
  for (const d of makeDeliveries(5, 1, 0.3).slice(0, 2)) {
    const id = await makeDelivery(db, "accessions", "test", d.sender);
    const pieces = (async function* () {
      yield d.bytes;
    })();
    await receiveFile(db, id, d.name, pieces, d.bytes.length);
    load = await askForLoad(db, id);
    await waitFor(db, load);
  }
});
afterAll(async () => {
  await web?.end();
  expect(errors).toEqual([]);
});

const stepTitles = (page: Page): Promise<string[]> =>
  page.$$eval("ol li b", (all) => all.map((e) => (e as HTMLElement).innerText));

it("the preview's thread shows what the load made of the same records", async () => {
  const page = await web.open("/feeds/accessions/plan");
  await press(page, "Cleanse");
  await page.waitForSelector('[aria-label="The records as they stand"] tbody tr');
  const shown = await page.$eval('[aria-label="The records as they stand"]', (region) => {
    const heads = [...region.querySelectorAll("th")].map((th) => th.innerText.trim());
    return [...region.querySelectorAll("tbody tr")].map((tr) => {
      const cells = [...tr.querySelectorAll("td")].map((td) => td.textContent.trim());
      return Object.fromEntries(heads.map((h, i) => [h, cells[i] ?? ""]));
    });
  });
  expect(shown.length).toBeGreaterThan(50);
  const { fields, records } = await findRecords(system.db, load, {}, 0, 5000);
  const byLine = new Map(records.map((r) => [r.line, r]));
  // Types make dates and yes and no canonical; all else must be the same to the letter.
  const plain = fields.filter((f) => !["collected_on", "packed_at", "herbarium_sheet"].includes(f));
  for (const row of shown) {
    const record = byLine.get(Number(row["line"]!.replace(/\D/g, "")))!;
    for (const f of plain) expect(row[f]).toBe(record.values[fields.indexOf(f)]!.trim());
  }
});

it("one record is picked and typed over, and each step and check says what it makes of it", async () => {
  const page = await web.open("/feeds/accessions/plan");
  await press(page, "Cleanse");
  await page.waitForSelector('[aria-label="The records as they stand"] tbody tr');
  await page.click('[aria-label^="Try the record of line"]');
  await page.waitForSelector('[aria-label="One record"]');
  const input = '[aria-label="One record"] tbody tr:first-child input';
  const came = await page.$eval(input, (e) => (e as HTMLInputElement).value);
  await page.focus(input);
  await page.keyboard.press("Home");
  await page.keyboard.type("  ");
  await shows(page, "typed over");
  await page.waitForFunction(() =>
    /Trim the ends/i.test(document.querySelector('[aria-label="One record"]')!.textContent),
  );
  expect(await textOf(page, '[aria-label="One record"]')).toContain(came);
  await page.keyboard.type("no accession");
  await page.waitForFunction(() =>
    document.querySelector('[aria-label="One record"]')!.textContent.includes("It would be held"),
  );
  await press(page, "back to what came");
  await page.waitForFunction(
    () => !document.querySelector('[aria-label="One record"]')!.textContent.includes("typed over"),
  );
  expect(await page.$eval(input, (e) => (e as HTMLInputElement).value)).toBe(came);
});

it("steps are moved by key, switched off and copied into another place, and each change can be undone", async () => {
  const page = await web.open("/feeds/accessions/plan");
  await press(page, "Cleanse");
  await page.waitForSelector('[aria-label="The records as they stand"]');
  const before = await stepTitles(page);
  await page.focus('[aria-label^="Move step 2"]');
  await page.keyboard.press("Space");
  await new Promise((resolve) => setTimeout(resolve, 200));
  await page.keyboard.press("ArrowDown");
  await new Promise((resolve) => setTimeout(resolve, 400));
  await page.keyboard.press("Space");
  await page.waitForFunction((t) => document.querySelectorAll("ol li b")[1]!.textContent !== t, {}, before[1]!);
  const moved = await stepTitles(page);
  expect(moved.slice(0, 3)).toEqual([before[0], before[2], before[1]]);
  await page.click('[aria-label="Switch step 1 off"]');
  await page.waitForSelector('[aria-label="Switch step 1 on"]');
  await page.click('[aria-label="Copy step 2"]');
  await shows(page, "1 step copied");
  await page.click('[aria-label="Show the records after step 1"]');
  await press(page, "put in after step 1");
  await shows(page, "1 step put in");
  expect(await stepTitles(page)).toHaveLength(before.length + 1);
  for (let i = 0; i < 3; i++) await press(page, "Undo");
  expect(await stepTitles(page)).toEqual(before);
});

it("a check between records is added, tried and saved with what is different, and two versions stand beside each other", async () => {
  const page = await web.open("/feeds/accessions/plan");
  await press(page, "Check");
  await page.select('[aria-label="Add a check between records"]', "has parent");
  await shows(page, "has its parent");
  await page.select('[aria-label^="When partner is the accession"]', "note");
  await press(page, "Save as version 3");
  await shows(page, "check partner is the accession of a good record");
  await page.type("main form input", "partners are accessions");
  await press(page, "Save version 3");
  await shows(page, "version 3: partners are accessions");
  expect((await planInForce(system.db, "accessions")).document.check).toMatchObject([
    { check: "has parent", fields: ["partner"], of: ["accession"], on_failure: "note" },
  ]);
  await page.goto(`${web.address}/feeds/accessions/versions?from=1&to=2`, { waitUntil: "networkidle0" });
  const text = await textOf(page);
  expect(text).toContain("5 differences between version 1 and version 2");
  expect(text).toMatch(/field altitude_m, least\s+0\s+-430/);
  await press(page, "Go back to it");
  await shows(page, "between version 3 and version 4");
  expect((await planInForce(system.db, "accessions")).document.cleanse).toHaveLength(5);
});

it("a load is undone with a reason, after a look at what that does, and stands beside another", async () => {
  const page = await web.open(`/loads/${load}`);
  await press(page, "Beside another");
  await shows(page, `Load ${load} beside load ${load - 1}`);
  const { writing, inserted } = await getLoad(system.db, load);
  await page.goto(`${web.address}/loads/${load}`, { waitUntil: "networkidle0" });
  // One row has been changed by another program since.
  await system.db.query(
    "update target.accession set site = 'by hand' where accession = (select min(accession) from target.accession where _load = $1)",
    [load],
  );
  await press(page, "Undo this load");
  await shows(page, "rows go, as they were not there before");
  expect(await textOf(page)).toContain("row that was changed since");
  expect(await textOf(page, "main table")).toContain("by hand");
  await page.type("main form input", "sent in error");
  await press(page, `Undo ${inserted! - 1} rows`);
  await shows(page, "Undone by writing");
  expect(await textOf(page)).toContain("1 left as it is");
  expect(await getLoad(system.db, load)).toMatchObject({ state: "undone", undone: "sent in error" });
  // What is left can be taken too, one by one.
  await page.goto(`${web.address}/writings/${writing}`, { waitUntil: "networkidle0" });
  await page.click('td input[type="checkbox"]');
  await page.type("main form input", "this one as well");
  await press(page, "1 over newer ones");
  await shows(page, "1 row went");
  const { rows } = await system.db.query("select from target.accession where _load = $1", [load]);
  expect(rows).toEqual([]);
  // And the undo itself can be undone.
  await page.goto(`${web.address}/feeds/accessions/writings`, { waitUntil: "networkidle0" });
  expect(await textOf(page)).toContain(`undo of writing ${writing}`);
});

it("what is done after a load is added, saved, done, and said on the load’s page", async () => {
  const { db } = system;
  await makeFeed(db, { name: "seen", title: "Seen by visitors", about: "" });
  const page = await web.open("/feeds/accessions/plan");
  await press(page, "Load");
  await shows(page, "After a load");
  await page.select('[aria-label="Add what is done after a load"]', "feed");
  await page.waitForSelector('select option[value="seen"]');
  const chooser = await page.waitForSelector('xpath///label[span[text()="feed"]]/select');
  await chooser!.select("seen");
  await page.select('[aria-label="Add what is done after a load"]', "notice");
  await shows(page, "put a notice on Today");
  await press(page, "Save as version");
  await page.waitForSelector("main form input");
  await page.type("main form input", "visitors see it");
  await press(page, "Save version");
  for (let i = 0; i < 600 && !(await planInForce(db, "accessions")).document.after; i++)
    await new Promise((r) => setTimeout(r, 100));
  expect((await planInForce(db, "accessions")).document.after).toMatchObject([
    { do: "feed", feed: "seen" },
    { do: "notice" },
  ]);
  const [next] = makeDeliveries(5, 1, 0.3);
  const id = await makeDelivery(db, "accessions", "test", next!.sender);
  const pieces = (async function* () {
    yield next!.bytes;
  })();
  await receiveFile(db, id, next!.name, pieces, next!.bytes.length);
  const done = await waitFor(db, await askForLoad(db, id, { again: true }));
  expect(done.state).toBe("loaded");
  for (let i = 0; i < 600 && (await afterOf(db, done.id)).some((a) => a.state !== "done"); i++)
    await new Promise((r) => setTimeout(r, 100));
  const report = await web.open(`/loads/${done.id}`);
  await shows(report, "After the load");
  await shows(report, "gives its records to the feed seen");
  await shows(report, "records to Seen by visitors as delivery");
  const said = `load ${done.id} has ${done.held} of ${done.read} records held`;
  await report.goto(`${web.address}/`, { waitUntil: "networkidle0" });
  await shows(report, said);
  await press(report, "Seen to");
  await shows(report, "Put it back");
  expect(await openNotices(db)).toEqual([]);
  await press(report, "Put it back");
  await report.waitForFunction(() => !document.body.innerText.includes("Put it back"));
  expect(await openNotices(db)).toHaveLength(1);
  await report.close();
  await page.close();
});

it("a table with a row for many records is added, written with the target, and undone with it", async () => {
  const { db } = system;
  const page = await web.open("/feeds/accessions/plan");
  await press(page, "Load");
  await press(page, "Add a target");
  const set = async (label: string, value: string): Promise<void> => {
    await page.waitForSelector(`[aria-label="${label}"]`);
    await page.select(`[aria-label="${label}"]`, value);
  };
  await set("What makes a row of accession_also", "key");
  // Beside a panel that may come at any moment, and move what is to be clicked.
  for (const name of ["accession", "country"])
    await page.$eval(`[aria-label="${name} is of the key of accession_also"]`, (e) => (e as HTMLElement).click());
  await set("What quantity_g takes of many records", "sum");
  await set("What accession has", "count");
  await page.$eval('[aria-label="Name of the column accession"]', (e) => (e as HTMLInputElement).select());
  await page.type('[aria-label="Name of the column accession"]', "accessions");
  await page.keyboard.press("Tab");
  await page.waitForSelector('[aria-label="What accessions has"]');
  await page.$eval('[aria-label="Table"]', (e) => (e as HTMLInputElement).select());
  await page.type('[aria-label="Table"]', "by_country");
  await page.keyboard.press("Tab");
  await shows(page, "The table target.by_country is made");
  await shows(page, "one row for each country, upsert");
  await press(page, "Save as version");
  await page.waitForSelector("main form input");
  await page.type("main form input", "sums by country");
  await press(page, "Save version");
  for (let i = 0; i < 600 && !(await planInForce(db, "accessions")).document.load.further; i++)
    await new Promise((r) => setTimeout(r, 100));
  await page.close();
  const [, next] = makeDeliveries(5, 1, 0.3);
  const id = await makeDelivery(db, "accessions", "test", next!.sender);
  const pieces = (async function* () {
    yield next!.bytes;
  })();
  await receiveFile(db, id, next!.name, pieces, next!.bytes.length);
  const done = await waitFor(db, await askForLoad(db, id, { again: true }));
  const [counts] = done.report!.further!;
  const { rows } = await db.query("select count(*)::int as n, sum(accessions)::int as of from target.by_country");
  expect(rows[0]).toEqual({ n: counts!.rows, of: counts!.records });
  const report = await web.open(`/loads/${done.id}`);
  expect(await textOf(report, '[aria-label="Balance of each further target"]')).toContain("target.by_country");
  await report.click('a[href^="/writings/"]');
  await report.waitForSelector('[aria-label="Rows"]');
  expect(await textOf(report, '[aria-label="Rows"]')).toContain("by_country");
  await report.type("main form input", "not by country");
  await press(report, "Undo ");
  for (let i = 0; i < 600 && (await getLoad(db, done.id)).state !== "undone"; i++)
    await new Promise((r) => setTimeout(r, 100));
  expect((await db.query("select count(*)::int as n from target.by_country")).rows).toEqual([{ n: 0 }]);
  await report.close();
});

it("a check by formula may be about several fields, and totals of the sender about sums of some", async () => {
  const page = await web.open("/feeds/accessions/plan");
  await press(page, "Check");
  await press(page, "Add a check");
  await page.select('[aria-label="What check 1 is about"]', "partner");
  await page.select('[aria-label="One more field of check 1"]', "site");
  await page.select('[aria-label="One more field of check 1"]', "country");
  await page.click('[aria-label="Take partner out of check 1"]');
  await press(page, "Load");
  await page.select('[aria-label="Add a gate"]', "control totals");
  await page.$eval('[aria-label^="Pattern of the totals"]', (e) => (e as HTMLInputElement).select());
  await page.keyboard.type("END;(?P<n>\\d+);(?P<grams>[\\d.]+)");
  await page.select('[aria-label="Group of the number of records"]', "n");
  await press(page, "one more sum");
  await page.select('[aria-label="Field of sum 1"]', "quantity_g");
  await press(page, "one more sum");
  await page.click('[aria-label="Take sum 2 out"]');
  await press(page, "The plan as JSON");
  const json = await page.$eval("textarea, .cm-content", (e) => (e as HTMLTextAreaElement).value ?? e.textContent);
  const plan = JSON.parse(json!) as { check: object[]; gates: object[] };
  expect(plan.check).toContainEqual(expect.objectContaining({ name: "check 1", in: ["site", "country"] }));
  expect(plan.gates).toContainEqual({
    limit: "control totals",
    in: "side file",
    name: "*.ctl",
    find: "END;(?P<n>\\d+);(?P<grams>[\\d.]+)",
    records: "n",
    sums: [{ field: "quantity_g", group: "grams" }],
  });
  await page.close();
});

it("a value is found from the top of any page, with what was done to its row", async () => {
  const { rows } = await system.db.query<{ accession: string }>(
    "select accession from target.accession order by 1 limit 1",
  );
  const page = await web.open("/");
  await page.type('[aria-label^="Go to a feed"]', `${rows[0]!.accession}\n`);
  await shows(page, "of targets");
  await shows(page, rows[0]!.accession);
  expect(await textOf(page)).toMatch(/came last as record \d+ of load \d+/);
  await page.close();
});

/** The plan's stage with a look-up in a list just added. */
async function withLookUp(name: string): Promise<Page> {
  const page = await web.open("/feeds/accessions/plan");
  await press(page, "Look up");
  const list = await page.waitForSelector('xpath///label[span[text()="look up in"]]/select');
  await list!.select(name);
  return page;
}

it("a look-up that is added says by what its records find their entries", async () => {
  const { db } = system;
  const entries = (
    await db.query<{ site: string }>("select distinct site from target.accession where site is not null")
  ).rows;
  await makeReference(
    db,
    { name: "places", title: "Places", about: "", shape: { columns: ["code", "place"], key: "code" } },
    entries.map((e, i) => [`P${i}`, e.site]),
    "test",
    "for a test",
  );
  const page = await withLookUp("places");
  await shows(page, "different values of site");
  const column = await page.$eval('[aria-label="Column of the list"]', (e) => (e as HTMLSelectElement).value);
  const field = await page.$eval('[aria-label="Field"]', (e) => (e as HTMLSelectElement).value);
  expect([field, column]).toEqual(["site", "place"]);
  await page.close();
});

it("a look-up in a list that calls countries otherwise is by score, of countries", async () => {
  const { db } = system;
  const { rows } = await db.query<{ country: string }>("select distinct country from target.accession");
  const names = new Intl.DisplayNames("de", { type: "region" });
  await makeReference(
    db,
    { name: "lands", title: "Lands", about: "", shape: { columns: ["no", "land"], key: "no" } },
    rows.map(({ country }, i) => [`L${i}`, names.of(country)!]),
    "test",
    "for a test",
  );
  const page = await withLookUp("lands");
  await shows(page, "as countries in other words");
  const chosen = (label: string): Promise<string> =>
    page.$eval(`[aria-label="${label}"]`, (e) => (e as HTMLSelectElement).value);
  expect([await chosen("Field"), await chosen("Column of the list")]).toEqual(["country", "land"]);
  expect([await chosen("Compared by"), await chosen("What the text is")]).toEqual(["words", "country"]);
  await page.select('[aria-label="What the text is"]', "place");
  expect(await chosen("What the text is")).toBe("place");
  await page.close();
});
