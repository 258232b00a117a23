import { execFileSync } from "node:child_process";
import { mkdtempSync, readFileSync, writeFileSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { parse } from "csv-parse/sync";
import { beforeAll, describe, expect, it } from "vitest";
import { csvRow } from "@/core/write/csv.ts";
import { build } from "../../scripts/build.mjs";
import { PERSON_FIELDS, miswritten, peopleFrom, peopleWithRepeats } from "../../demo/people.ts";
import { Random } from "../../demo/random.ts";

const folder = mkdtempSync(join(tmpdir(), "sieve-match-"));
const at = (name: string): string => join(folder, name);
const sieve = (...args: string[]): string =>
  execFileSync(process.execPath, ["dist/cli.js", ...args], { encoding: "utf8", stdio: ["pipe", "pipe", "ignore"] });
const rowsOf = (name: string): Record<string, string>[] => parse(readFileSync(at(name)), { columns: true });
const write = (name: string, columns: readonly string[], rows: readonly (readonly string[])[]): string => {
  writeFileSync(at(name), [columns, ...rows].map((r) => csvRow([...r])).join(""));
  return at(name);
};

const FIELDS = [
  { in: ["given"], by: "person" },
  { in: ["family"], by: "person" },
  { in: ["born"], by: "date" },
  { in: ["town"], by: "words", as: "place" },
  { in: ["phone"], by: "edit", as: "code" },
];
const planWith = (match: object): string => {
  const fields = PERSON_FIELDS.map((name) => ({ name, type: name === "born" ? "date" : "text" }));
  const plan = { format: "good-sieve/plan@1", feed: "people", contract: { fields }, load: { target: "people" }, match };
  writeFileSync(at("plan.json"), JSON.stringify(plan));
  return at("plan.json");
};

const outputs = ["--pairs", at("p.csv"), "--clusters", at("c.csv"), "--kept", at("k.csv"), "--report", at("r.json")];

beforeAll(async () => await build());

describe("match from a shell", () => {
  it("writes pairs, clusters and what would be kept of a file, by the lines of their records", () => {
    const { records, person } = peopleWithRepeats(3, 1500);
    const file = write(
      "people.csv",
      PERSON_FIELDS,
      records.map((r) => PERSON_FIELDS.map((f) => r[f])),
    );
    sieve("match", "--plan", planWith({ fields: FIELDS }), file, ...outputs);
    const pairs = rowsOf("p.csv");
    expect(Object.keys(pairs[0]!)).toEqual(["line_a", "line_b", "score", "band", ...PERSON_FIELDS]);
    const of = (line: string | undefined): number => person[Number(line) - 2]!;
    const same = pairs.filter((p) => p["band"] === "same");
    expect(same.length).toBeGreaterThan(150);
    expect(same.every((p) => Number(p["line_a"]) < Number(p["line_b"]))).toBe(true);
    const right = same.filter((p) => of(p["line_a"]) === of(p["line_b"])).length;
    expect(right / same.length).toBeGreaterThan(0.98);
    const report = JSON.parse(readFileSync(at("r.json"), "utf8")) as Record<string, unknown>;
    expect(report).toMatchObject({ records: 1500, against: null, entries: 0, pairs: { same: same.length } });
    // Each record is in one cluster at most, and each cluster is one kept record.
    const clusters = rowsOf("c.csv");
    const lines = clusters.map((c) => c["line"]);
    expect(new Set(lines).size).toBe(lines.length);
    const numbers = new Set(clusters.map((c) => c["cluster"]));
    const kept = rowsOf("k.csv");
    expect(kept).toHaveLength(1500 - lines.length + numbers.size);
    expect(kept.filter((k) => k["cluster"] !== "")).toHaveLength(numbers.size);
    expect(report["clusters"]).toBe(numbers.size);
  });

  it("looks records up among known ones", () => {
    const random = new Random(5);
    const known = Array.from({ length: 800 }, peopleFrom(5, 800));
    const arriving = known.slice(0, 300).map((p) => miswritten(random, p, 2));
    const cells = (list: readonly (typeof known)[number][]): string[][] =>
      list.map((p) => PERSON_FIELDS.map((f) => p[f]));
    const a = write("arriving.csv", PERSON_FIELDS, cells(arriving));
    const b = write("known.csv", PERSON_FIELDS, cells(known));
    sieve("match", "--plan", planWith({ fields: FIELDS }), a, "--against", b, "--pairs", at("p.csv"));
    const best = new Map<string, string>();
    for (const p of rowsOf("p.csv")) if (!best.has(p["line_a"]!)) best.set(p["line_a"]!, p["line_b"]!);
    const right = [...best].filter(([x, y]) => x === y).length;
    expect(right / arriving.length).toBeGreaterThan(0.97);
  });

  it("compares with the entries of a list, which hold records together and are never kept alone", () => {
    const arriving = [
      ["Sorrel", "Ness", "1960-02-03", "Quillfen", ""],
      ["Sorel", "Ness", "1960-02-03", "Quillfen", "0123 456789"],
      ["Alder", "Brook", "1971-11-30", "Marrow Isle", ""],
    ];
    const file = write("three.csv", PERSON_FIELDS, arriving);
    const list = write(
      "members.csv",
      ["no", ...PERSON_FIELDS],
      [
        ["M1", "Sorrel", "Ness", "1960-02-03", "Quillfen", "0123 456789"],
        ["M2", "Bram", "Tarn", "1980-01-01", "Saltmere", "0999 111222"],
      ],
    );
    const weights = [9, 8, 7, 4, 1, -2, -8];
    const fields = FIELDS.map((f) => ({ ...f, weights: f.by === "date" ? [9, 5, 4, 1, -2, -8] : weights }));
    const plan = planWith({
      against: ["delivery", "list"],
      list: { name: "members" },
      fields,
      limits: { same: 80, ask: 50 },
    });
    sieve("match", "--plan", plan, file, "--list", `members=${list}`, ...outputs);
    const pairs = rowsOf("p.csv").map((p) => [p["file_a"], p["line_a"], p["file_b"], p["line_b"], p["band"]].join(" "));
    expect(pairs.sort()).toEqual([
      "three.csv 2 members M1 same",
      "three.csv 2 three.csv 3 same",
      "three.csv 3 members M1 same",
    ]);
    expect(rowsOf("c.csv").map((c) => `${c["cluster"]} ${c["size"]} ${c["side"]} ${c["file"]} ${c["line"]}`)).toEqual([
      "1 3 A three.csv 2",
      "1 3 A three.csv 3",
      "1 3 L members M1",
    ]);
    expect(rowsOf("k.csv").map((k) => `${k["size"]} ${k["given"]} ${k["phone"]}`)).toEqual([
      "3 Sorel 0123 456789",
      "1 Alder ",
    ]);
    expect(JSON.parse(readFileSync(at("r.json"), "utf8"))).toMatchObject({ records: 3, entries: 2, against: null });
    // The same entries beside a file of known records.
    const known = write("known.csv", PERSON_FIELDS, [["Alder", "Brook", "1971-11-30", "Marrow Isle", ""]]);
    sieve("match", "--plan", plan, file, "--against", known, "--list", `members=${list}`, ...outputs);
    expect(rowsOf("p.csv").map((p) => `${p["line_a"]} ${p["file_b"]} ${p["line_b"]}`)).toEqual([
      "2 members M1",
      "3 members M1",
      "4 known.csv 2",
    ]);
  });
});
