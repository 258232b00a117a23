import { readFileSync, readdirSync } from "node:fs";
import { describe, expect, it } from "vitest";
import { z } from "zod";
import { ROUTES } from "@/routes/index.ts";
import { apiPage, openApiDocument } from "@/routes/openapi.ts";
import { declare, numberOf, pathWith } from "@/routes/declare.ts";
import { COMMON_PROBLEMS, OF_WHAT_IS_GIVEN, STATUS, isNotThere, statusOf } from "@/routes/problems.ts";
import { changeClusters, loadRecords } from "@/routes/loads.ts";
import { releaseHeld } from "@/routes/quarantine.ts";

const all = ROUTES.flatMap((g) => g.routes);
const lineOf = ({ method, path }: { method: string; path: string }): string => `${method} ${path}`;

/** The files of the routes, each with the methods that it answers to. */
function answered(): string[] {
  const acts = ["cancel", "let-through", "without", "drop", "undo"];
  return readdirSync("src/app/api", { recursive: true, encoding: "utf8" })
    .filter((f) => f.endsWith("route.ts"))
    .flatMap((file) => {
      const text = readFileSync(`src/app/api/${file}`, "utf8");
      const path = `/api/${file.replace(/\/?route\.ts$/, "").replace(/\[(\w+)\]/g, "{$1}")}`;
      const methods = [...text.matchAll(/export (?:const|async function) (GET|POST|PUT|DELETE)\b/g)].map((m) => m[1]!);
      return methods.flatMap((m) =>
        path.endsWith("/{act}") ? acts.map((a) => `${m} ${path.replace("{act}", a)}`) : [`${m} ${path}`],
      );
    });
}

describe("the API", () => {
  it("declares every request that it answers, and answers every one that it declares", () => {
    expect(all.map(lineOf).sort()).toEqual(answered().sort());
    expect(new Set(all.map(lineOf)).size).toBe(all.length);
  });

  it("lists every problem that anything here throws", () => {
    const thrown = new Set(
      readdirSync("src", { recursive: true, encoding: "utf8" })
        .filter((f) => /\.tsx?$/.test(f))
        .flatMap((f) =>
          [...readFileSync(`src/${f}`, "utf8").matchAll(/new SieveError\(\s*"([a-z-]+)"/g)].map((m) => m[1]!),
        ),
    );
    expect(thrown.size).toBeGreaterThan(80);
    const known = new Set([...Object.keys(STATUS), ...COMMON_PROBLEMS, ...OF_WHAT_IS_GIVEN]);
    expect([...thrown].filter((c) => !known.has(c))).toEqual([]);
    expect([...OF_WHAT_IS_GIVEN, ...Object.keys(STATUS)].filter((c) => !thrown.has(c))).toEqual(
      // These two are of errors that are none of ours.
      ["failure", "store-away"],
    );
    for (const r of all) for (const code of r.problems) expect(known, lineOf(r)).toContain(code);
  });

  it("tells what is not there from what is not right", () => {
    expect([isNotThere("no-load"), isNotThere("no-right"), isNotThere("no-room"), isNotThere("usage")]).toEqual([
      true,
      false,
      false,
      false,
    ]);
    expect([statusOf("plan-moved"), statusOf("plan-invalid"), statusOf("no-room")]).toEqual([409, 422, 507]);
  });

  it("is described as OpenAPI 3.1 has it", () => {
    const document = openApiDocument("1.2.3") as {
      openapi: string;
      info: { version: string };
      paths: Record<string, Record<string, { operationId: string; parameters: { name: string; in: string }[] }>>;
    };
    expect([document.openapi, document.info.version]).toEqual(["3.1.0", "1.2.3"]);
    const operations = Object.values(document.paths).flatMap((p) => Object.values(p));
    expect(operations).toHaveLength(all.length);
    expect(new Set(operations.map((o) => o.operationId)).size).toBe(all.length);
    for (const [path, own] of Object.entries(document.paths)) {
      const named = [...path.matchAll(/\{(\w+)\}/g)].map((m) => m[1]);
      for (const { parameters } of Object.values(own)) {
        expect(parameters.filter((p) => p.in === "path").map((p) => p.name)).toEqual(named);
      }
    }
    const text = JSON.stringify(document);
    expect(text).toContain('"enum":["same","different"]');
    expect(text).not.toContain("undefined");
    expect(JSON.parse(text)).toEqual(document);
  });

  it("is described in docs/api.md, which is made from the same", () => {
    const plain = (t: string): string => t.replace(/[ -]+/g, " ");
    expect(plain(readFileSync("docs/api.md", "utf8"))).toBe(plain(apiPage()));
  });
});

describe("a declaration", () => {
  it("holds what is asked to what may be", () => {
    const query = z.object(loadRecords.query);
    expect(query.parse({ outcome: "held", limit: "7" })).toEqual({ outcome: "held", from: 0, limit: 7 });
    expect(() => query.parse({ limit: "501" })).toThrow();
    expect(() => query.parse({ outcome: "lost" })).toThrow();
    expect(z.object(loadRecords.params).parse({ id: "12" })).toEqual({ id: 12 });
    expect(() => z.object(loadRecords.params).parse({ id: "1e3" })).toThrow(/The load is not a number/);
    expect(releaseHeld.body!.parse({ records: [{ load: 1, record: 0 }] })).toEqual({
      records: [{ load: 1, record: 0 }],
      overtaken: false,
      reason: "",
    });
    expect(() => releaseHeld.body!.parse({ records: [] })).toThrow();
    expect(changeClusters.body!.safeParse({ act: "split", first: 0, at: 0 }).success).toBe(false);
  });

  it("has a path that is filled, with nothing in it that leads elsewhere", () => {
    const d = declare("GET /api/x/{a}/y/{b}", { about: "", params: { a: z.string(), b: numberOf("The b") } });
    expect(pathWith(d.path, { a: "../..", b: 7 })).toBe("/api/x/..%2F../y/7");
    expect(() => pathWith(d.path, { a: "x" })).toThrow(/needs b/);
  });
});
