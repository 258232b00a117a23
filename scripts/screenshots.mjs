/** One picture of each main view from the demo data, into docs/screenshots. The demo must be running. */
import { mkdirSync } from "node:fs";
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
  ["load", "/loads/25"],
  ["load-stopped", "/loads/28"],
  ["records", "/loads/25/records?field=scientific_name&is=changed"],
  ["quarantine", "/quarantine"],
  ["quarantine-loam", "/quarantine?check=quantity_g:type", "loam"],
];
const browser = await launchBrowser();
for (const [name, path, theme = "paper"] of VIEWS) {
  const page = await browser.newPage();
  await page.evaluateOnNewDocument((t) => localStorage.setItem("theme", t), theme);
  const answer = await page.goto(address + path, { waitUntil: "networkidle0" }).catch(() => null);
  if (!answer?.ok()) {
    process.stderr.write(`error: ${address}${path} can't be shown\nhint: run npm run demo in another terminal first\n`);
    await browser.close();
    process.exit(3);
  }
  await page.evaluate(() => document.fonts.ready);
  await page.screenshot({ path: join(out, `${name}.png`) });
  await page.close();
  process.stdout.write(`docs/screenshots/${name}.png\n`);
}
await browser.close();
