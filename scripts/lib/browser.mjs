/** Headless Chromium of Debian's packages through puppeteer-core, without a way to any network but loopback. */
import { mkdtempSync, rmSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import puppeteer from "puppeteer-core";
import { HEADLESS_SHELL, chromiumPath } from "./machine.mjs";

/** `names`: names of other machines that lead to this one. */
export async function launchBrowser({ names = [] } = {}) {
  const profile = mkdtempSync(join(tmpdir(), "sieve-browser-"));
  const executablePath = chromiumPath();
  const browser = await puppeteer.launch({
    executablePath,
    userDataDir: profile,
    headless: executablePath === HEADLESS_SHELL ? "shell" : true,
    args: [
      "--no-sandbox",
      "--disable-gpu",
      "--disable-quic",
      "--no-first-run",
      "--disable-background-networking",
      "--disable-component-update",
      "--disable-sync",
      "--disable-dev-shm-usage",
      `--host-resolver-rules=${[...names.map((name) => `MAP ${name} 127.0.0.1`), "MAP * ~NOTFOUND", "EXCLUDE 127.0.0.1"].join(", ")}`,
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
