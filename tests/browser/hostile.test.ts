import { readFileSync, readdirSync } from "node:fs";
import { join, relative } from "node:path";
import { afterAll, beforeAll, describe, expect, it } from "vitest";
import { root } from "../../scripts/lib/machine.mjs";
import { shareSystem } from "../support/shared.ts";
import { loadNow, newFeed, type System } from "../support/system.ts";
import { program, type Web } from "../support/web.ts";

let system: System;
let web: Web;
const errors: string[] = [];

beforeAll(async () => {
  ({ system, web } = await shareSystem(errors));
  await newFeed(system.db, "things", [
    { name: "id", type: "text", required: true },
    { name: "n", type: "integer" },
  ]);
  await loadNow(system.db, "things", "id,n\na,1\nb,x\n");
});
afterAll(async () => {
  await web?.end();
  expect(errors).toEqual([]);
});

const app = join(root, "src/app");
const METHODS = ["GET", "POST", "PUT", "DELETE"] as const;

/** The paths of all files of a name below the application's folder, their parameters in square brackets. */
function paths(name: string, folder = app): string[] {
  return readdirSync(folder, { withFileTypes: true }).flatMap((entry) =>
    entry.isDirectory()
      ? paths(name, join(folder, entry.name))
      : entry.name === name
        ? [`/${relative(app, folder)}`]
        : [],
  );
}

const ROUTES = paths("route.ts").flatMap((path) => {
  const source = readFileSync(join(app, path, "route.ts"), "utf8");
  return METHODS.filter((m) => new RegExp(`export const ${m}\\b`).test(source)).map((method) => ({ method, path }));
});

/** What could stand in the place of a parameter: of nothing that there is, of no number, and worse. */
const PARAMETERS = [
  "999999",
  "nowhere",
  "-1",
  "99999999999999999999",
  "%27%3B%20drop%20table%20x%3B--",
  "%00",
  "..%2F..%2Fetc",
];
const QUERIES = [
  "",
  "?limit=-1&after=x&from=1e9&size=NaN&version=9&load=zz&feed=%27&check=%27&outcome=zzz&at=zz&is=zz&state=zz&q=%27&field=%27&step=x&was=zz&against=x&left=zz&file=%27&name=%27&key=%27&title=%27&sender=%27&since=x&delivery=x",
  "?feed=%27&q=%00&sender=nobody&check=nothing",
];
const BODIES = [
  undefined,
  "{not json",
  "null",
  "[]",
  JSON.stringify({ document: { format: "good-sieve/plan@1" }, note: "x", name: "x", reason: "" }),
  JSON.stringify({
    name: "a\0b",
    note: "\0",
    title: "\0",
    about: "\0",
    document: null,
    reason: "\0",
    records: [{ load: 1, record: -1, values: ["\0"] }],
    decisions: [{ pair: 1e12, decision: "same" }],
    delivery: 2 ** 40,
    checks: ["\0"],
    add: [["\0"]],
    remove: [1e12],
    from: -1,
  }),
  `${'{"a":'.repeat(2000)}1${"}".repeat(2000)}`,
];

const filled = (path: string, parameter: string): string => path.replace(/\[[^\]]+\]/g, parameter);

describe("every way in", () => {
  it("is known", () => {
    expect(ROUTES.length).toBeGreaterThan(50);
    expect(ROUTES.every((r) => r.path.startsWith("/api/"))).toBe(true);
  });

  it.each(ROUTES)("$method $path answers nonsense in words", async ({ method, path }) => {
    const bodies = method === "GET" ? [undefined] : BODIES;
    const parameters = path.includes("[") ? PARAMETERS : [""];
    // Each with each other one: a body and a parameter with one of the queries, turn by turn.
    const apart = bodies.length > 1 && parameters.length > 1;
    for (const [p, parameter] of parameters.entries()) {
      for (const [q, query] of QUERIES.entries()) {
        for (const [b, body] of bodies.entries()) {
          if (apart && (p + b) % QUERIES.length !== q) continue;
          const asked = `${method} ${filled(path, parameter)}${query} ${body?.slice(0, 60) ?? ""}`;
          const answer = await fetch(web.address + filled(path, parameter) + query, {
            method,
            ...(body === undefined ? {} : { body }),
            headers: program(web.address),
            signal: AbortSignal.timeout(20_000),
          });
          const text = answer.headers.get("content-type")?.includes("event-stream") ? "" : await answer.text();
          await answer.body?.cancel().catch(() => {});
          expect([asked, answer.status]).not.toEqual([asked, 500]);
          expect(text, asked).not.toMatch(/\n\s+at |node_modules|\.ts:\d+/);
          if (answer.status < 400 || !(answer.headers.get("content-type") ?? "").includes("problem+json")) continue;
          const problem = JSON.parse(text) as Record<string, unknown>;
          expect(String(problem["title"]).length, asked).toBeGreaterThan(5);
          expect(problem, asked).toHaveProperty("hint");
        }
      }
    }
  });

  it.each(ROUTES.filter((r) => r.method !== "GET"))("$method $path takes nothing from another site", async (r) => {
    const answer = await fetch(web.address + filled(r.path, "1"), {
      method: r.method,
      body: "{}",
      headers: { ...program(web.address), "sec-fetch-site": "cross-site" },
    });
    expect(answer.status).toBe(403);
    expect(await answer.json()).toMatchObject({ title: "The request came from another site." });
  });
});

describe("every page", () => {
  it.each(paths("page.tsx"))("%s is shown or is not there, whatever its address says", async (path) => {
    for (const parameter of path.includes("[") ? [...PARAMETERS, "1", "things"] : [""]) {
      for (const query of QUERIES) {
        const address = filled(path, parameter) + query;
        const answer = await fetch(web.address + address);
        expect([address, answer.status]).not.toEqual([address, 500]);
        expect(await answer.text(), address).not.toMatch(/Internal Server Error|node_modules/);
      }
    }
  });

  it("left the feed and its load as they were", async () => {
    const { rows } = await system.db.query("select name from sieve.feed order by name");
    expect(rows.map((r: { name: string }) => r.name)).toContain("things");
    const { rows: loads } = await system.db.query("select state from sieve.load");
    expect(loads.length).toBeGreaterThan(0);
    expect((await system.db.query("select from target.things")).rowCount).toBe(1);
  });
});
