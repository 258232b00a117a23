import { readFileSync } from "node:fs";
import { gunzipSync } from "node:zlib";
import { describe, expect, it } from "vitest";
import { Heap, cellText, emptyCells } from "@/core/kernel/bytes.ts";
import { unicode, type UnicodeOptions } from "@/core/cleanse/unicode.ts";

/**
 * The normalisation test of Unicode 15.0: the lines of NormalizationTest.txt without their comments,
 * from the Unicode Character Database, © Unicode, Inc., under its licence (unicode.org/copyright.html).
 */
const lines = gunzipSync(readFileSync(new URL("../data/NormalizationTest-15.0.0.txt.gz", import.meta.url)))
  .toString()
  .split("\n")
  .filter((line) => /^[0-9A-F]/.test(line));
const tests = lines.map((line) =>
  line.split(";").map((cell) => String.fromCodePoint(...cell.split(" ").map((code) => parseInt(code, 16)))),
);

/** What the step makes of texts, all in one column as in a load. */
function made(form: UnicodeOptions["form"], texts: readonly string[]): string[] {
  const heap = new Heap(new Uint8Array(1024), 0);
  const cells = emptyCells(texts.length);
  texts.forEach((text, r) => {
    cells.start[r] = heap.append(text);
    cells.end[r] = heap.length;
  });
  const changed = new Uint8Array(texts.length);
  const count = unicode.apply({ form })(heap, cells, texts.length, changed);
  const after = texts.map((_, r) => cellText(heap, cells, r));
  expect(count).toBe(after.filter((text, r) => text !== texts[r]).length);
  expect(changed.reduce((n, c) => n + c, 0)).toBe(count);
  return after;
}

const column = (n: number): string[] => tests.map((t) => t[n]!);

describe("Unicode's own test of its forms", () => {
  it("is there whole", () => {
    expect(tests.length).toBeGreaterThan(18_000);
    expect(tests.every((t) => t.length === 5)).toBe(true);
  });

  // By form: the columns that become which one (Unicode Standard Annex 15, conformance test).
  it.each([
    ["NFC", [0, 1, 2], 1],
    ["NFC", [3, 4], 3],
    ["NFD", [0, 1, 2], 2],
    ["NFD", [3, 4], 4],
    ["NFKC", [0, 1, 2, 3, 4], 3],
    ["NFKD", [0, 1, 2, 3, 4], 4],
  ] as const)("is passed for %s of the columns %j", (form, from, to) => {
    for (const n of from) expect(made(form, column(n))).toEqual(column(to));
  });
});
