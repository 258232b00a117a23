import { describe, expect, it } from "vitest";
import { memoryFile, readParts } from "../support/formats.ts";
import { planOf } from "../support/plans.ts";
import { csv, siftAll } from "../support/sift.ts";
import type { ReadSettings } from "@/core/read/settings.ts";

/** Files whose records end with a mark of their own, and not with a line end. */

async function seen(
  text: string,
  settings: ReadSettings = {},
  step = 1 << 16,
): Promise<{ columns: readonly string[]; rows: string[]; row: unknown }> {
  const { parts, error } = await readParts(memoryFile("f.txt", text, step), settings);
  expect(error).toBeNull();
  const [part] = parts;
  return {
    columns: part!.columns,
    rows: part!.records.map((r) => part!.columns.map((c) => r[c] ?? "").join("/")),
    row: (part!.options as { row?: string }).row,
  };
}

const TREES = [
  ["id", "tree", "mass"],
  ["1", "oak", "12.5"],
  ["2", "elm", "11"],
  ["3", "ash", "9.5"],
];
const made = (between: string, end: string): string => TREES.map((r) => r.join(between) + end).join("");
const EXPECTED = ["1/oak/12.5", "2/elm/11", "3/ash/9.5"];

describe("records that end with a mark", () => {
  it.each([
    ["the separators of ASCII", "\u001f", "\u001e", "\u001e"],
    ["the separators of ASCII, line ends behind", "\u001f", "\u001e\n", "\u001e"],
    ["tildes", "|", "~", "~"],
    ["tildes and line ends", "|", "~\r\n", "~"],
    ["carets", ";", "^", "^"],
    ["bars", ",", "|", "|"],
  ])("%s", async (_, between, end, row) => {
    expect(await seen(made(between, end))).toEqual({ columns: TREES[0], rows: EXPECTED, row });
    // The last one may have none behind it, or a line end alone.
    expect((await seen(made(between, end).slice(0, -end.length))).rows).toEqual(EXPECTED);
    expect((await seen(`${made(between, end).slice(0, -end.length)}\n`)).rows).toEqual(EXPECTED);
    // However the bytes come.
    for (const step of [1, 2, 3, 7])
      expect((await seen(made(between, end), { row, delimiter: between }, step)).rows).toEqual(EXPECTED);
  });

  it("have line ends in their values", async () => {
    const text = "id\u001fnote\u001e1\u001ftwo\nlines\u001e2\u001fcr\rlf\u001e3\u001fx\u001e";
    expect((await seen(text)).rows).toEqual(["1/two\nlines", "2/cr\rlf", "3/x"]);
    expect((await seen('id|note~1|"a~b"~2|c~3|d~', { row: "~" })).rows).toEqual(["1/a~b", "2/c", "3/d"]);
  });

  it("are passed over at both ends, and told where they can't be read", async () => {
    const plan = planOf(
      [
        { name: "id", type: "integer" },
        { name: "tree", type: "text" },
      ],
      {
        read: { as: "delimited", delimiter: "|", row: "~", skip: 1, skip_end: 1, header: true },
      },
    );
    const { records, report } = await siftAll(plan, [csv("a title~id|tree~1|oak~2|elm|more~3|ash~the end~\n")]);
    expect(records.map((r) => [r.line, r.held, r.values[1]])).toEqual([
      [3, false, "oak"],
      [4, true, ""],
      [5, false, "ash"],
    ]);
    expect(report.files[0]!.unreadable).toEqual({ "too-many-cells": 1 });
  });
});

describe("marks that end nothing", () => {
  it.each([
    ["a caret between cells", "a^b^c\n1^2^3\n4^5^6\n", ["1/2/3", "4/5/6"]],
    ["tildes in values", "id,note\n1,a~b~c~d\n2,~~~~\n", ["1/a~b~c~d", "2/~~~~"]],
    ["one line of bars", "a|b|c|d|e\n", []],
    ["bars between cells", "a|b\n1|2\n3|4\n5|6\n7|8\n", ["1/2", "3/4", "5/6", "7/8"]],
  ])("%s", async (_, text, rows) => {
    const own = await seen(text, { header: true });
    expect([own.rows, own.row]).toEqual([rows, undefined]);
  });
});

describe("what ends a record", () => {
  it.each([
    [{ row: "~", delimiter: "~" }, "The delimiter can't begin with what ends a record"],
    [{ row: "'", quote: "'", delimiter: "," }, "What ends a record must be one ASCII character, and not the quote."],
  ])("is one mark and no other: %o", async (settings, message) => {
    const { error } = await readParts(memoryFile("f.txt", "a,b~1,2~"), settings);
    expect(error!.message).toContain(message);
  });
});
