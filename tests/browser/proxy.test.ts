import { spawn, spawnSync, type ChildProcess } from "node:child_process";
import { mkdtempSync, readFileSync, rmSync, writeFileSync } from "node:fs";
import { get } from "node:https";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { afterAll, beforeAll, expect, it } from "vitest";
import { freePort, root } from "../../scripts/lib/machine.mjs";
import { newFeed, newSystem, rows, type System } from "../support/system.ts";
import { press, shows, startWeb, type Web } from "../support/web.ts";

/** The application built for a path, behind nginx with TLS by the configuration that docs/nginx.conf gives. */
const UNDER = "/sieve";
let system: System;
let web: Web;
let proxy: ChildProcess;
let address: string;
const folder = mkdtempSync(join(tmpdir(), "sieve-proxy-"));
const errors: string[] = [];

beforeAll(async () => {
  const built = { SIEVE_PATH: UNDER, SIEVE_BUILT: ".next-path" };
  const build = spawnSync(process.execPath, [join(root, "node_modules/next/dist/bin/next"), "build"], {
    cwd: root,
    encoding: "utf8",
    // Not made small, which takes a third of the time.
    env: { ...process.env, ...built, SIEVE_READABLE: "1", NODE_ENV: "production", NEXT_TELEMETRY_DISABLED: "1" },
  });
  expect(build.status, build.stderr).toBe(0);
  const [crt, key] = [join(folder, "sieve.crt"), join(folder, "sieve.key")];
  const names = ["-subj", "/CN=127.0.0.1", "-addext", "subjectAltName=IP:127.0.0.1"];
  const made = spawnSync("openssl", [
    "req",
    "-x509",
    "-newkey",
    "rsa:2048",
    "-nodes",
    "-days",
    "2",
    "-keyout",
    key,
    "-out",
    crt,
    ...names,
  ]);
  expect(made.status).toBe(0);
  const [port, outside] = [await freePort(), await freePort()];
  const server = readFileSync(join(root, "docs/nginx.conf"), "utf8")
    .replace("listen 443 ssl", `listen 127.0.0.1:${outside} ssl`)
    .replace("/etc/ssl/sieve.crt", crt)
    .replace("/etc/ssl/sieve.key", key)
    .replace("127.0.0.1:4310", `127.0.0.1:${port}`);
  const paths = ["client_body", "proxy", "fastcgi", "uwsgi", "scgi"]
    .map((p) => `${p}_temp_path ${folder}/${p};`)
    .join("\n");
  writeFileSync(
    join(folder, "nginx.conf"),
    `user root;\ndaemon off;\npid ${folder}/pid;\nerror_log ${folder}/error.log;\nevents {}\nhttp {\naccess_log off;\n${paths}\n${server}}\n`,
  );
  system = await newSystem();
  await system.startWorker();
  const env = { ...built, SIEVE_HOSTS: `127.0.0.1:${outside}`, SIEVE_PROXIES: "127.0.0.1" };
  web = await startWeb(system.url, errors, { ...env, SIEVE_COSTLY_AT_ONCE: "5", SIEVE_COSTLY_A_SECOND: "0.01" }, port);
  proxy = spawn("/usr/sbin/nginx", ["-p", folder, "-e", join(folder, "error.log"), "-c", join(folder, "nginx.conf")], {
    stdio: ["ignore", "inherit", "inherit"],
  });
  address = `https://127.0.0.1:${outside}${UNDER}`;
  process.env["NODE_TLS_REJECT_UNAUTHORIZED"] = "0";
  const answers = (): Promise<boolean> =>
    fetch(`${address}/api/health`).then(
      (r) => r.ok,
      () => false,
    );
  while (!(await answers())) await new Promise((resolve) => setTimeout(resolve, 100));
}, 400_000);
afterAll(async () => {
  delete process.env["NODE_TLS_REJECT_UNAUTHORIZED"];
  proxy?.kill("SIGTERM");
  await web?.end();
  await system?.end();
  rmSync(folder, { recursive: true, force: true });
});

it("goes from a dropped file to the records behind a count, under a path and by TLS", async () => {
  const { db } = system;
  await newFeed(db, "seeds", [
    { name: "id", type: "integer", required: true },
    { name: "note", type: "text" },
  ]);
  const page = await web.newPage();
  // Its certificate is nobody's but ours.
  await (await page.createCDPSession()).send("Security.setIgnoreCertificateErrors", { ignore: true });
  page.on("pageerror", (error) => errors.push(String(error)));
  page.on("requestfailed", (r) => {
    // What was asked for beforehand is given up when another page opens.
    const failure = r.failure()?.errorText;
    if (failure !== "net::ERR_ABORTED") errors.push(`${r.url()}: ${failure}`);
  });
  page.on("response", (r) => r.status() >= 400 && errors.push(`${r.status()} ${r.url()}`));
  await page.goto(`${address}/feeds/seeds`, { waitUntil: "networkidle0" });
  // More than the proxy would take by itself.
  const text = `id,note\n${Array.from({ length: 60_000 }, (_, i) => `${i % 100 === 0 ? "x" : i},${"y".repeat(20)}`).join("\n")}\n`;
  await page.evaluate((t) => {
    const data = new DataTransfer();
    data.items.add(new File([t], "seeds.csv", { type: "text/csv" }));
    window.dispatchEvent(new DragEvent("dragenter", { dataTransfer: data, bubbles: true }));
    window.dispatchEvent(new DragEvent("drop", { dataTransfer: data, bubbles: true, cancelable: true }));
  }, text);
  await press(page, "Load 1 file");
  await page.waitForFunction((u) => location.pathname === `${u}/loads/1`, {}, UNDER);
  await expect
    .poll(
      () =>
        rows(db, "seeds").then(
          (r) => r.length,
          () => 0,
        ),
      { timeout: 60_000 },
    )
    .toBe(59_400);
  await page.goto(`${address}/loads/1`, { waitUntil: "networkidle0" });
  await shows(page, "59,400");
  await page.evaluate(() =>
    (document.querySelector('svg a[href*="outcome=held"]') as SVGAElement).dispatchEvent(
      new MouseEvent("click", { bubbles: true }),
    ),
  );
  await page.waitForFunction((u) => location.pathname === `${u}/loads/1/records`, {}, UNDER);
  await shows(page, "Records held");
  await page.goto(`${address}/quarantine`, { waitUntil: "networkidle0" });
  await press(page, "Today");
  await page.waitForFunction((u) => location.pathname === u || location.pathname === `${u}/`, {}, UNDER);
  expect(errors).toEqual([]);
});

/** A request from an address of this machine that is not the proxy's; gives the answer's status. */
async function ask(path: string, from: string, headers: Record<string, string> = {}): Promise<number> {
  return await new Promise((resolve, reject) => {
    get(`${address}${path}`, { localAddress: from, rejectUnauthorized: false, headers }, (answer) => {
      answer.resume();
      resolve(answer.statusCode ?? 0);
    }).on("error", reject);
  });
}

it("keeps who asks apart, as the proxy says who that is, and lets in nobody by another name", async () => {
  const path = "/api/loads/1/records?limit=1";
  for (let i = 0; i < 5; i++) expect(await ask(path, "127.0.0.2")).toBeLessThan(429);
  expect(await ask(path, "127.0.0.2")).toBe(429);
  expect(await ask(path, "127.0.0.3")).toBeLessThan(429);
  // What a client says of itself changes nothing: the proxy adds its own address behind it.
  expect(await ask(path, "127.0.0.2", { "x-forwarded-for": "198.51.100.4" })).toBe(429);
  expect((await fetch(`${web.address}${UNDER}/api/health`)).status).toBe(421);
});
