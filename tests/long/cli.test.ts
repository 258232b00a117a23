import { createHash } from "node:crypto";
import { execFileSync, spawnSync } from "node:child_process";
import { existsSync, mkdtempSync, readFileSync, writeFileSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { parse } from "csv-parse/sync";
import { parquetReadObjects } from "hyparquet";
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

describe("propose", () => {
  it("says of a file with nothing in it that there is nothing to propose", () => {
    writeFileSync(at("nothing.csv"), "");
    const { code, out, err } = sieve("propose", at("nothing.csv"));
    expect([code, out]).toEqual([3, ""]);
    expect(err).toBe(
      `error: There is no column in ${at("nothing.csv")}, so nothing can be proposed.\nhint: Check that it is the right file.\n`,
    );
  });
});

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
      good.every((g) => /^\d{4}-\d\d-\d\d$/.test(g["collected_on"]!) && /^(yes|no|)$/.test(g["herbarium_sheet"]!)),
    ).toBe(true);
    expect(held.every((h) => h["problems"] !== "")).toBe(true);
  });

  it("writes good records in the format that the file's name says, and nothing of a file that is not whole", async () => {
    const plan = {
      format: "good-sieve/plan@1",
      feed: "lots",
      contract: {
        fields: [
          { name: "n", type: "integer" },
          { name: "what", type: "text" },
          { name: "day", type: "date" },
        ],
      },
      check: [{ name: "not in the future", that: "day == null || day <= load.day" }],
      gates: [],
      load: { target: "t" },
    };
    writeFileSync(at("lots.json"), JSON.stringify(plan));
    writeFileSync(at("lots.csv"), "n,what,day\n1,oak,2026-05-31\n2,elm,2026-06-02\n3,\u0001,\n");
    const good = (name: string, ...more: string[]): { code: number; err: string } =>
      sieve("sift", "--plan", at("lots.json"), at("lots.csv"), "--good", at(name), ...more);
    expect(good("good.jsonl", "--day", "2026-06-01").code).toBe(0);
    expect(
      readFileSync(at("good.jsonl"), "utf8")
        .trimEnd()
        .split("\n")
        .map((l) => JSON.parse(l) as unknown),
    ).toEqual([
      { n: 1, what: "oak", day: "2026-05-31" },
      { n: 3, what: "\u0001", day: null },
    ]);
    good("good.parquet", "--day", "2027-01-01");
    const bytes = readFileSync(at("good.parquet"));
    const rows = await parquetReadObjects({
      file: bytes.buffer.slice(bytes.byteOffset, bytes.byteOffset + bytes.length),
    });
    expect(rows.map((r) => r["n"])).toEqual([1n, 2n, 3n]);
    const refused = good("good.xml");
    expect(refused.code).not.toBe(0);
    expect(refused.err).toContain("a character that XML can't have");
    expect([existsSync(at("good.xml")), existsSync(at("good.xml.part"))]).toEqual([false, false]);
    expect(good("good.csv", "--day", "2026-02-31").err).toContain("“2026-02-31” is no day.");
  });

  it("writes good records into folders, with a manifest, told what the run is given", () => {
    const plan = {
      format: "good-sieve/plan@1",
      feed: "lots",
      parameters: [{ name: "at_least", type: "integer", default: "0" }],
      contract: {
        fields: [
          { name: "n", type: "integer" },
          { name: "what", type: "text" },
          { name: "day", type: "date" },
        ],
      },
      cleanse: [{ do: "leave-out", in: ["n"], when: "n < at_least()" }],
      gates: [],
      load: { target: "t" },
    };
    writeFileSync(at("told.json"), JSON.stringify(plan));
    const lines = Array.from({ length: 9000 }, (_, i) => `${i},${i % 3 === 0 ? "oak" : "elm"},2026-0${1 + (i % 2)}-05`);
    writeFileSync(at("many.csv"), `n,what,day\n${lines.join("\n")}\n`);
    const told = (...more: string[]) => sieve("sift", "--plan", at("told.json"), at("many.csv"), ...more);
    const { code } = told(
      ...["--good", at("out.jsonl"), "--partition", "what,day:month", "--records", "1000"],
      ...["--parameter", "at_least=3000"],
    );
    expect(code).toBe(0);
    const manifest = JSON.parse(readFileSync(at("out/manifest.json"), "utf8")) as {
      records: number;
      of: object;
      files: { path: string; records: number; sha256: string }[];
    };
    expect(manifest).toMatchObject({ records: 6000, of: { files: ["many.csv"] } });
    expect(manifest.files.map((f) => f.path.split("/").slice(0, 2).join("/")).sort()).toEqual([
      ...["what=elm/day=2026-01", "what=elm/day=2026-01", "what=elm/day=2026-02", "what=elm/day=2026-02"],
      ...["what=oak/day=2026-01", "what=oak/day=2026-02"],
    ]);
    for (const { path, records, sha256 } of manifest.files) {
      const bytes = readFileSync(at(`out/${path}`));
      expect(createHash("sha256").update(bytes).digest("hex")).toBe(sha256);
      const all = bytes
        .toString()
        .trimEnd()
        .split("\n")
        .map((l) => JSON.parse(l) as { n: number; what: string; day: string });
      expect(all).toHaveLength(records);
      expect(all.every((r) => path.startsWith(`what=${r.what}/day=${r.day.slice(0, 7)}/`) && r.n >= 3000)).toBe(true);
    }
    expect(told("--good", at("x"), "--partition", "where").err).toContain("where");
    expect(existsSync(at("x/manifest.json"))).toBe(false);
    expect(told("--good", at("x.csv"), "--parameter", "most=1").err).toContain("The plan has no parameter “most”.");
    expect(told("--good", at("x.csv"), "--parameter", "at_least=few").err).toContain("can't be “few”");
  });

  it("passes over lines with units, and says by which flag a doubt is settled", () => {
    writeFileSync(at("units.csv"), "site,what\n-,kg\nFen,oak\nCray,elm\n");
    const sites = (...flags: string[]): string[] =>
      sieve("read", at("units.csv"), ...flags)
        .out.trim()
        .split("\n")
        .map((l) => (JSON.parse(l) as { site: string }).site);
    expect(sites("--below", "0")).toEqual(["-", "Fen", "Cray"]);
    expect(sites("--below", "1")).toEqual(["Fen", "Cray"]);
    expect(sites("--below", "2")).toEqual(["Cray"]);
    const { stderr } = spawnSync(process.execPath, ["dist/cli.js", "profile", at("units.csv")], { encoding: "utf8" });
    expect(stderr).toContain("Set it by --below.");
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
