import { readFileSync } from "node:fs";
import type { ChildProcess } from "node:child_process";
import { afterAll, beforeAll, describe, expect, it } from "vitest";
import { HOSTILE_FORMULAS, hostileFiles, type HostileFile } from "../../demo/hostile-set.ts";
import { newFeed, newSystem, type System } from "../support/system.ts";
import { program, startWeb, type Web } from "../support/web.ts";

/** Whatever arrives, everybody else goes on working: probed while it is sent, looked at, profiled and loaded. */

const ENDED_WITHIN_MS = 60_000;
/** Between two questions of somebody else: often enough to meet whatever keeps the server busy, and no load by itself. */
const PAUSE_MS = 750;
let system: System;
let web: Web;
let worker: ChildProcess;
const errors: string[] = [];
/** What a probe was not answered, or not as it should. */
const unanswered: string[] = [];
/** How long each answer to somebody else took, in milliseconds. */
const waits: number[] = [];
let probing = true;
let probedFrom = 0;
let probes: Promise<void>[] = [];

/** HOSTILE_ALL sends those too that keep their reader busy for long; HOSTILE_SEED makes other ones. */
const FILES = hostileFiles(Number(process.env["HOSTILE_SEED"] ?? 1)).filter(
  (f) => !f.long || process.env["HOSTILE_ALL"] !== undefined,
);
/** Made before anybody is probed: making some of them keeps this very process busy for seconds. */
const BYTES = new Map<string, Uint8Array>();
const feedOf = (file: HostileFile): string => `feed_${file.as.replace("-", "_")}`;

beforeAll(async () => {
  for (const file of FILES) BYTES.set(file.name, file.bytes());
  system = await newSystem();
  worker = await system.startWorker();
  const fields = [
    { name: "a", type: "text" },
    { name: "b", type: "integer" },
  ];
  for (const as of new Set(FILES.map((f) => f.as))) {
    await newFeed(system.db, feedOf({ as } as HostileFile), fields, {}, { read: { as } });
  }
  web = await startWeb(system.url, errors, { SIEVE_COSTLY_AT_ONCE: "100000", SIEVE_LOOK_SECONDS: "10" });
  const probe = async (path: string): Promise<void> => {
    while (probing) {
      const began = performance.now();
      try {
        const answer = await fetch(web.address + path);
        await answer.text();
        if (answer.status !== 200) unanswered.push(`${path}: ${answer.status}`);
      } catch (error) {
        if (probing) unanswered.push(`${path}: ${String((error as Error).cause ?? error)}`);
      }
      waits.push(performance.now() - began);
      await new Promise((resolve) => setTimeout(resolve, PAUSE_MS));
    }
  };
  probedFrom = performance.now();
  probes = [probe("/api/health"), probe("/")];
});
afterAll(async () => {
  probing = false;
  await Promise.allSettled(probes);
  await web?.end();
  await system?.end();
});

async function call(
  method: string,
  path: string,
  body?: unknown,
): Promise<{ status: number; json: Record<string, unknown> }> {
  const answer = await fetch(web.address + path, {
    method,
    headers: program(web.address),
    ...(body === undefined ? {} : { body: body instanceof Uint8Array ? Buffer.from(body) : JSON.stringify(body) }),
    signal: AbortSignal.timeout(ENDED_WITHIN_MS),
  });
  const text = await answer.text();
  expect(text, path).not.toMatch(/\n\s+at |node_modules/);
  return { status: answer.status, json: JSON.parse(text) as Record<string, unknown> };
}

async function until<T>(look: () => Promise<T>, ended: (t: T) => boolean): Promise<T> {
  const began = Date.now();
  for (;;) {
    const state = await look();
    if (ended(state)) return state;
    if (Date.now() - began > ENDED_WITHIN_MS) throw new Error(`not ended: ${JSON.stringify(state).slice(0, 300)}`);
    await new Promise((resolve) => setTimeout(resolve, 100));
  }
}

const inWords = (error: unknown): boolean => {
  const { message = "", title = message } = (error ?? {}) as { message?: string; title?: string };
  return title.length > 10 && title.endsWith(".") && !/something failed|should not have/i.test(title);
};

describe("a file that means harm", () => {
  it.each(FILES)(
    "$name ends in words or in records, wherever it is put",
    async (file) => {
      const feed = feedOf(file);
      const { json: delivery } = await call("POST", `/api/feeds/${feed}/deliveries`, {});
      await call(
        "PUT",
        `/api/deliveries/${delivery["id"]}/files?name=${encodeURIComponent(file.name)}`,
        BYTES.get(file.name)!,
      );
      const preview = await call("POST", `/api/deliveries/${delivery["id"]}/preview`, { read: {} });
      if (preview.status === 200) {
        for (const part of preview.json["parts"] as { error: unknown }[]) {
          if (part.error) expect(inWords(part.error), JSON.stringify(part.error)).toBe(true);
        }
      } else expect(inWords(preview.json), JSON.stringify(preview.json)).toBe(true);
      const sample = await call("POST", `/api/feeds/${feed}/sample`, {
        delivery: delivery["id"],
        read: { as: file.as },
      });
      if (sample.status !== 200) expect(inWords(sample.json), JSON.stringify(sample.json)).toBe(true);
      const { json: asked } = await call("POST", `/api/deliveries/${delivery["id"]}/profile`, { read: null });
      const { json: started } = await call("POST", `/api/deliveries/${delivery["id"]}/load`, { again: true });
      const profile = await until(
        async () => (await call("GET", `/api/profiles/${asked["profile"]}`)).json,
        (p) => p["state"] === "done" || p["state"] === "failed",
      );
      if (profile["state"] === "failed") expect(inWords(profile["error"]), JSON.stringify(profile["error"])).toBe(true);
      const load = await until(
        async () => (await call("GET", `/api/loads/${started["load"]}`)).json,
        (l) => l["state"] !== "queued" && l["state"] !== "running",
      );
      expect(["loaded", "stopped", "failed"]).toContain(load["state"]);
      if (load["state"] === "failed") expect(inWords(load["error"]), JSON.stringify(load["error"])).toBe(true);
      // Once is enough to know.
      expect(load["attempts"]).toBe(1);
    },
    240_000,
  );

  it("invents no record: what Parquet says of itself is held against what there is", async () => {
    const { rows } = await system.db.query<{ n: number }>(
      "select count(*)::int as n from sieve.load l join sieve.delivery_file f on f.delivery = l.delivery where f.name in ('lying.parquet', 'half.parquet', 'footer.parquet') and l.state = 'loaded'",
    );
    expect(rows).toEqual([{ n: 0 }]);
  });
});

describe("a formula that costs much", () => {
  it.each(HOSTILE_FORMULAS.map((f, i) => [i, f] as const))(
    "number %i is refused or done in time",
    async (_, formula) => {
      const feed = "feed_delimited";
      const { document } = (
        (await call("GET", `/api/feeds/${feed}/plans`)).json["plans"] as { document: object }[]
      )[0]!;
      const plan = { ...document, checks: [{ check: "formula", formula, message: "x" }] };
      const tried = await call("POST", `/api/feeds/${feed}/trial`, { document: plan });
      if (tried.status !== 200) {
        expect(inWords(tried.json), JSON.stringify(tried.json)).toBe(true);
        return;
      }
      await until(
        async () => (await call("GET", `/api/loads/${tried.json["load"]}`)).json,
        (l) => l["state"] !== "queued" && l["state"] !== "running",
      );
    },
    120_000,
  );
});

it("nobody else waited long, and no process grew large", async () => {
  const sorted = [...waits].sort((a, b) => a - b);
  const at = (share: number): number => Math.round(sorted[Math.floor(share * (sorted.length - 1))]!);
  const peak = (pid: number): number =>
    Math.round(Number(/VmHWM:\s+(\d+) kB/.exec(readFileSync(`/proc/${pid}/status`, "utf8"))![1]) / 1024);
  const memory = { web: peak(web.pid), worker: peak(worker.pid!) };
  process.stdout.write(
    `${waits.length} answers to others: half within ${at(0.5)} ms, 99 % within ${at(0.99)} ms, the slowest ${at(1)} ms; peak memory of web ${memory.web} MB, of the worker ${memory.worker} MB\n`,
  );
  // Two ask all the while, each a moment after it was answered.
  expect(waits.length).toBeGreaterThan((performance.now() - probedFrom) / (4 * PAUSE_MS));
  expect(unanswered).toEqual([]);
  // How long is measured and told; that everybody was answered is what is held here.
  expect(at(1)).toBeLessThan(20_000);
  expect(memory.web).toBeLessThan(600);
  expect(memory.worker).toBeLessThan(800);
});
