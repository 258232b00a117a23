import { execFileSync } from "node:child_process";
import { mkdtempSync, readFileSync, writeFileSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { parse } from "csv-parse/sync";
import { beforeAll, describe, expect, it } from "vitest";
import type { LoadReport } from "@/core/report/report.ts";
import { build } from "../../scripts/build.mjs";
import { makeDeliveries } from "../../demo/generate.ts";
import { ACCESSIONS } from "../../demo/plan.ts";

const folder = mkdtempSync(join(tmpdir(), "sieve-cli-"));
const at = (name: string): string => join(folder, name);
const sieve = (...args: string[]): { code: number; out: string; err: string } => {
  try {
    const out = execFileSync(process.execPath, ["dist/cli.js", ...args], { encoding: "utf8", stdio: "pipe" });
    return { code: 0, out, err: "" };
  } catch (error) {
    const e = error as { status: number; stdout: string; stderr: string };
    return { code: e.status, out: e.stdout, err: e.stderr };
  }
};
beforeAll(async () => await build());

describe("read", () => {
  it("gives records as JSON Lines keyed by column, unreadable ones with their raw text", () => {
    writeFileSync(at("r.csv"), 'a;b\n1;"x;y"\n2\n__proto__;"z\n');
    const { out } = sieve("read", at("r.csv"));
    expect(
      out
        .trim()
        .split("\n")
        .map((l) => JSON.parse(l) as unknown),
    ).toEqual([
      { a: "1", b: "x;y" },
      { unreadable: { reason: "too-few-cells", line: 3, bytes: [12, 13], raw: "2" } },
      { unreadable: { reason: "quote", line: 4, bytes: [14, 26], raw: '__proto__;"z' } },
    ]);
  });

  it("takes every guess as an option", () => {
    writeFileSync(
      at("o.txt"),
      Uint8Array.of(...Buffer.from("made by hand\n'a|b'|caf"), 0xe9, ...Buffer.from("\n'it\\'s'|2\n")),
    );
    const { out } = sieve(
      "read",
      at("o.txt"),
      "--delimiter",
      "|",
      "--quote",
      "'",
      "--escape",
      "\\",
      "--no-header",
      "--skip",
      "1",
      "--encoding",
      "latin1",
    );
    expect(
      out
        .trim()
        .split("\n")
        .map((l) => JSON.parse(l) as unknown),
    ).toEqual([
      { "1": "a|b", "2": "café" },
      { "1": "it's", "2": "2" },
    ]);
  });
});

describe("sift", () => {
  it("writes good and held records and the report, and the three agree with the truth", () => {
    const [first, second] = makeDeliveries(5, 1, 0.4);
    writeFileSync(at("plan.json"), JSON.stringify({ ...ACCESSIONS, gates: [] }));
    for (const d of [first!, second!]) writeFileSync(at(d.name), d.bytes);
    const { code } = sieve(
      "sift",
      "--plan",
      at("plan.json"),
      at(first!.name),
      at(second!.name),
      "--good",
      at("good.csv"),
      "--held",
      at("held.csv"),
      "--report",
      at("report.json"),
    );
    expect(code).toBe(0);
    const report = JSON.parse(readFileSync(at("report.json"), "utf8")) as LoadReport;
    const good = parse(readFileSync(at("good.csv")), { columns: true }) as Record<string, string>[];
    const held = parse(readFileSync(at("held.csv")), { columns: true }) as Record<string, string>[];
    const truth = [...first!.truth, ...second!.truth];
    expect(held.map((h) => `${h["file"]}:${h["line"]}`).sort()).toEqual(truth.map((t) => `${t.file}:${t.line}`).sort());
    expect(good).toHaveLength(first!.records + second!.records - truth.length);
    expect(report.balance).toMatchObject({
      read: first!.records + second!.records,
      outcomes: { inserted: good.length, held: held.length },
    });
    expect(
      good.every((g) => /^\d{4}-\d\d-\d\d$/.test(g["collected_on"]!) && /^[tf]?$/.test(g["herbarium_sheet"]!)),
    ).toBe(true);
    expect(held.every((h) => h["problems"] !== "")).toBe(true);
  });

  it("ends with 1 when a gate closes", () => {
    writeFileSync(
      at("small.json"),
      JSON.stringify({
        format: "good-sieve/plan@1",
        feed: "f",
        contract: { fields: [{ name: "a", type: "integer" }] },
        load: { target: "t" },
      }),
    );
    writeFileSync(at("bad.csv"), "a\nx\n1\n");
    const { code, err } = sieve("sift", "--plan", at("small.json"), at("bad.csv"));
    expect(code).toBe(1);
    expect(err).toContain("50 % would be held");
  });
});
