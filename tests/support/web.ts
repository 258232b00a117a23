import { fork, type ChildProcess } from "node:child_process";
import { join } from "node:path";
import type { Browser, BrowserContext, Page } from "puppeteer-core";
import { launchBrowser } from "../../scripts/lib/browser.mjs";
import { freePort, root } from "../../scripts/lib/machine.mjs";

/** How long a page is waited for, in milliseconds. */
const PATIENCE = 120_000;

export interface Web {
  address: string;
  /** A page of a browser that nobody else looks into, with nothing open yet. */
  newPage(): Promise<Page>;
  /** The number of its process. */
  pid: number;
  open(path: string, theme?: "paper" | "loam"): Promise<Page>;
  /** Goes to another page in one that is open, which has by then what all pages have in common. */
  visit(page: Page, path: string): Promise<void>;
  end(): Promise<void>;
}

/** What a program sends with what changes something. */
export const program = (address: string): Record<string, string> => ({
  "content-type": "application/json",
  origin: address,
  "sec-fetch-site": "same-origin",
});

/** The browser of all test files, which share a process; started when the first page is asked for, it ends with the process. */
let browser: Promise<Browser> | undefined;

/** A process of the built web application. */
export interface Server {
  readonly address: string;
  readonly process: ChildProcess;
}

/** The built web application on a free port, or on one that is said. */
export async function startServer(url: string, env: Record<string, string> = {}, port?: number): Promise<Server> {
  port ??= await freePort();
  const server = fork(join(root, "dist/web.js"), ["start", String(port)], {
    cwd: root,
    env: { ...process.env, NODE_ENV: "production", DATABASE_URL: url, ...env },
    stdio: ["ignore", "ignore", "inherit", "ipc"],
  });
  await new Promise<void>((resolve, reject) => {
    server.once("message", () => resolve());
    server.once("exit", (code) => reject(new Error(`the web application ended with ${code}`)));
  });
  return { address: `http://127.0.0.1:${port}`, process: server };
}

/** A server of its own, which ends with its pages; see `webOf`. */
export async function startWeb(
  url: string,
  errors: string[],
  env: Record<string, string> = {},
  port?: number,
): Promise<Web> {
  const server = await startServer(url, env, port);
  const web = webOf(server, errors);
  return {
    ...web,
    async end() {
      await web.end();
      server.process.kill("SIGKILL");
    },
  };
}

/** A server with a browser that has nothing of others. Errors in pages are collected in `errors`. */
export function webOf({ address, process: server }: Server, errors: string[]): Web {
  let own: BrowserContext | undefined;
  const newPage = async (): Promise<Page> => {
    own ??= await (await (browser ??= launchBrowser())).createBrowserContext();
    const page = await own.newPage();
    // Asked at each frame otherwise, which has a processor ask and do little else.
    const wait = page.waitForFunction.bind(page) as (...args: unknown[]) => Promise<never>;
    page.waitForFunction = (isSo: unknown, options: object = {}, ...args: unknown[]) =>
      wait(isSo, { polling: 100, ...options }, ...args);
    return page;
  };
  return {
    address,
    newPage,
    pid: server.pid!,
    async open(path, theme = "paper") {
      const page = await newPage();
      // What is tested is what a page does, not how soon on a machine that has other things to do.
      page.setDefaultTimeout(PATIENCE);
      page.on("pageerror", (error) => errors.push(`${path}: ${String(error)}`));
      // What the page's policy has refused is a fault of the page.
      page.on("console", (message) => {
        if (/Content Security Policy/.test(message.text())) errors.push(`${path}: ${message.text()}`);
      });
      page.on("dialog", (dialog) => {
        errors.push(`${path}: a dialog said ${dialog.message()}`);
        void dialog.accept();
      });
      await page.evaluateOnNewDocument((t) => localStorage.setItem("theme", t), theme);
      await this.visit(page, path);
      return page;
    },
    async visit(page, path) {
      await page.goto(address + path, { waitUntil: "load" });
      await page.waitForFunction(isAlive, { polling: 50 });
      // What a page asks for at once; a stream of news goes on.
      await page.waitForNetworkIdle({ idleTime: 150, timeout: 3000 }).catch(() => {});
    },
    async end() {
      await own?.close();
    },
  };
}

/** Runs in a page: whether its controls answer, which React says by what it keeps on them. */
function isAlive(): boolean {
  return [...document.querySelectorAll("a, button, input, select, textarea")].every((e) =>
    Object.keys(e).some((key) => key.startsWith("__reactFiber$")),
  );
}

export async function textOf(page: Page, selector = "main"): Promise<string> {
  return await page.$eval(selector, (e) => (e as HTMLElement).innerText);
}

/** Waits until the page shows a text, through reloads too. What it shows instead is said if it never does. */
export async function shows(page: Page, text: string): Promise<void> {
  const until = Date.now() + PATIENCE;
  let seen: string;
  do {
    // A page that is just being replaced by another has no text to give.
    seen = await page.evaluate(() => document.body.innerText).catch((error: unknown) => String(error));
    if (seen.includes(text)) return;
    await new Promise((resolve) => setTimeout(resolve, 120));
  } while (Date.now() < until);
  throw new Error(`${page.url()} does not show “${text}” but: ${seen}`);
}

let presses = 0;

/**
 * Presses the first button or link with a text. A panel that comes at that moment moves what is to be pressed, so that
 * something else may be: then it is pressed again.
 */
export async function press(page: Page, text: string): Promise<void> {
  const id = ++presses;
  const until = Date.now() + PATIENCE;
  await page.evaluate((n) => void Object.assign(window, { pressing: { id: n, received: false } }), id);
  const button = page
    .locator(`::-p-xpath(//*[self::button or self::a][contains(normalize-space(.), "${text}")])`)
    .filter((element) => {
      const { pressing } = window as unknown as { pressing?: { received: boolean } };
      element.addEventListener("click", () => pressing && (pressing.received = true), { once: true, capture: true });
      return true;
    });
  while (Date.now() < until) {
    await button.click();
    const pressing = await page
      .evaluate(() => (window as unknown as { pressing?: { id: number; received: boolean } }).pressing)
      .catch(() => undefined);
    // Another page knows of none.
    if (!pressing || pressing.id !== id || pressing.received) return;
  }
  throw new Error(`“${text}” could not be pressed at ${page.url()}`);
}
