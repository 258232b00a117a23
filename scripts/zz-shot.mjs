import { launchBrowser } from "./lib/browser.mjs";
const steps = JSON.parse(process.argv[2]);
const browser = await launchBrowser();
const page = await browser.newPage();
await page.setViewport({ width: 1280, height: 800 });
page.on("pageerror", (e) => console.log("pageerror", e.message));
page.on("console", (m) => m.type() === "error" && console.log("console", m.text()));
page.on("dialog", (d) => d.accept());
for (const [what, a, b] of steps) {
  if (what === "go") await page.goto("http://127.0.0.1:4310" + a, { waitUntil: "networkidle0" });
  else if (what === "wait") await new Promise((r) => setTimeout(r, a));
  else if (what === "text") await page.waitForFunction((t) => document.body.innerText.includes(t), { timeout: 30000 }, a);
  else if (what === "click") await page.evaluate((t) => { const e = [...document.querySelectorAll("button,a,summary,[role=tab],label")].find((x) => x.innerText.trim().startsWith(t)); if (!e) throw new Error("no " + t); e.click(); }, a);
  else if (what === "keys") await page.keyboard.press(a);
  else if (what === "type") await page.keyboard.type(a);
  else if (what === "focus") await page.focus(a);
  else if (what === "select") await page.select(a, b);
  else if (what === "size") await page.setViewport({ width: a, height: b });
  else if (what === "shot") await page.screenshot({ path: a, fullPage: b === true });
  else if (what === "eval") console.log(JSON.stringify(await page.evaluate(a)));
}
await browser.close();
