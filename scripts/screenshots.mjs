/** One picture of each main view from the demo data, into docs/screenshots. The demo must be running. */
import { mkdirSync, readFileSync } from "node:fs";
import { join } from "node:path";
import { ensurePackages, root } from "./lib/machine.mjs";

ensurePackages({ browser: true, database: false });
const { launchBrowser } = await import("./lib/browser.mjs");
const address = `http://127.0.0.1:${process.env.PORT ?? 4310}`;
const out = join(root, "docs/screenshots");
mkdirSync(out, { recursive: true });

const VIEWS = [
  ["today", "/"],
  ["feed", "/feeds/accessions"],
  ["plan", "/feeds/accessions/plan"],
  ["load", "/loads/38"],
  ["load-stopped", "/loads/28"],
  // The one before first, so that there is something to lie beside.
  ["profile", "/deliveries/21/profile", "paper", "columns"],
  ["profile", "/deliveries/26/profile", "paper", "differ"],
  ["senders", "/senders"],
  ["quarantine", "/quarantine?feed=accessions&check=accession:pattern"],
  ["matches", "/matches"],
  ["reference", "/references/taxa", "paper", "Where it is used"],
  ["settings", "/settings"],
  ["writing-loam", "/writings/27?does=put+back", "loam", "put back"],
];
const browser = await launchBrowser();
for (const [name, path, theme = "paper", text = ""] of VIEWS) {
  const page = await browser.newPage();
  await page.evaluateOnNewDocument((t) => localStorage.setItem("theme", t), theme);
  const answer = await page.goto(address + path, { waitUntil: "networkidle0" }).catch(() => null);
  if (!answer?.ok()) {
    process.stderr.write(`error: ${address}${path} can't be shown\nhint: run npm run demo in another terminal first\n`);
    await browser.close();
    process.exit(3);
  }
  await page.evaluate(() => document.fonts.ready);
  // Some views go on working after they are there.
  await page.waitForFunction((t) => document.body.innerText.includes(t), { timeout: 30_000 }, text);
  await page.screenshot({ path: join(out, `${name}.png`) });
  await page.close();
  process.stdout.write(`docs/screenshots/${name}.png\n`);
}
await newFeed();
await planStages();
await askedAndCompared();
await browser.close();

/** The way from a file to a contract: a feed without a plan, begun with one of the demo's files. */
async function newFeed() {
  const page = await browser.newPage();
  await page.evaluateOnNewDocument(() => localStorage.setItem("theme", "paper"));
  const file = join(root, ".data/deliveries/cwa-2026-10.csv");
  const own = { origin: address, "sec-fetch-site": "same-origin" };
  const post = (path, json) =>
    fetch(address + path, {
      method: "POST",
      body: JSON.stringify(json),
      headers: { "content-type": "application/json", ...own },
    });
  // Made once; the pictures are the same when it is there already.
  await post("/api/feeds", { name: "arboretum_list", title: "Arboretum list", about: "A file that nobody knows yet." });
  const { id } = await (await post("/api/feeds/arboretum_list/deliveries", {})).json();
  await fetch(`${address}/api/deliveries/${id}/files?name=arboretum-list.csv`, {
    method: "PUT",
    body: readFileSync(file),
    headers: own,
  });
  await page.goto(`${address}/feeds/arboretum_list/begin?delivery=${id}`, { waitUntil: "networkidle0" });
  await page.waitForFunction(() => /columns of all/.test(document.body.innerText), { timeout: 30_000 });
  await page.screenshot({ path: join(out, "begin.png") });
  process.stdout.write("docs/screenshots/begin.png\n");
  await page.evaluate(() => [...document.querySelectorAll("[role=tab]")].at(-1).click());
  await page.waitForFunction(() => /what speaks for it/.test(document.body.innerText));
  await page.screenshot({ path: join(out, "proposal.png") });
  process.stdout.write("docs/screenshots/proposal.png\n");
  await page.close();
}

/** What a plan looks up, and what it compares. */
async function askedAndCompared() {
  for (const [name, feed, stage, text] of [
    ["look-up", "germination", "Look up", "a score of at least"],
    ["match", "collectors", "Match", "Just above"],
  ]) {
    const page = await browser.newPage();
    await page.evaluateOnNewDocument(() => localStorage.setItem("theme", "paper"));
    await page.goto(`${address}/feeds/${feed}/plan`, { waitUntil: "networkidle0" });
    await page.evaluate((s) => {
      const stages = [...document.querySelectorAll("nav[aria-label='Stages of the plan'] button")];
      stages.find((b) => b.innerText.startsWith(s)).click();
    }, stage);
    await page.waitForFunction((t) => document.body.innerText.includes(t), { timeout: 30_000 }, text);
    await page.screenshot({ path: join(out, `${name}.png`) });
    process.stdout.write(`docs/screenshots/${name}.png\n`);
    await page.close();
  }
}

/** The stages of a plan while it is being changed; nothing is saved. */
async function planStages() {
  const page = await browser.newPage();
  await page.evaluateOnNewDocument(() => localStorage.setItem("theme", "paper"));
  page.on("dialog", (dialog) => dialog.accept());
  await page.goto(`${address}/feeds/accessions/plan`, { waitUntil: "networkidle0" });
  const press = (text) =>
    page.evaluate((t) => [...document.querySelectorAll("button")].find((b) => b.innerText.includes(t)).click(), text);
  const shows = (text) => page.waitForFunction((t) => document.body.innerText.includes(t), { timeout: 30_000 }, text);
  const shot = async (name) => {
    await new Promise((resolve) => setTimeout(resolve, 400));
    await page.screenshot({ path: join(out, `${name}.png`) });
    process.stdout.write(`docs/screenshots/${name}.png\n`);
  };
  await press("Map\n");
  await page.waitForSelector('select[aria-label="Column of accession"]');
  await shot("map");
  await press("Cleanse\n");
  await shows("The records after step");
  await page.click('button[aria-label="Show the records after step 3"]');
  await page.evaluate(() =>
    [...document.querySelectorAll("section[aria-label=Records] label")]
      .find((l) => l.innerText.includes("only what it changes"))
      .click(),
  );
  await shot("cleanse");
  await press("Check\n");
  await press("Add a check");
  await shows("Of the sample");
  await page.click('[aria-label="Formula of check 1"]');
  await page.keyboard.down("Control");
  await page.keyboard.press("a");
  await page.keyboard.up("Control");
  await page.keyboard.type("altitude_m < 900 || country in ['NO', 'ES', 'PT'] || round(quantity_g, 1) > 40.0");
  await page.keyboard.press("Escape");
  await page.waitForFunction(() => /\d+ pass/.test(document.body.innerText));
  await page.evaluate(() =>
    document.querySelector("[aria-label='Checks by formula']").scrollIntoView({ block: "center" }),
  );
  await shot("check");
  await page.close();
}
