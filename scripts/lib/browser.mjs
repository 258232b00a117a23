/** Headless Chromium of Debian's packages through puppeteer-core, without a way to any network but loopback. */
import { mkdtempSync, rmSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import puppeteer from "puppeteer-core";
import { chromiumPath } from "./machine.mjs";

export async function launchBrowser() {
  const profile = mkdtempSync(join(tmpdir(), "sieve-browser-"));
  const browser = await puppeteer.launch({
    executablePath: chromiumPath(),
    userDataDir: profile,
    headless: true,
    args: [
      "--no-sandbox",
      "--disable-gpu",
      "--disable-quic",
      "--no-first-run",
      "--disable-background-networking",
      "--disable-component-update",
      "--disable-sync",
      "--disable-dev-shm-usage",
      "--host-resolver-rules=MAP * ~NOTFOUND , EXCLUDE 127.0.0.1",
    ],
    defaultViewport: { width: 1280, height: 800 },
  });
  const clear = () => rmSync(profile, { recursive: true, force: true, maxRetries: 3 });
  const close = browser.close.bind(browser);
  browser.close = async () => {
    await close();
    clear();
  };
  // One that nobody closes ends with this process.
  process.once("exit", () => {
    browser.process()?.kill("SIGKILL");
    clear();
  });
  return browser;
}
