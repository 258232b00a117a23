import { strToU8, zipSync } from "fflate";
import { describe, expect, it, vi } from "vitest";
import { utf8 } from "@/core/kernel/bytes.ts";
import { unpackBlock } from "@/core/read/avro/bytes.ts";
import { shower } from "@/core/read/avro/show.ts";
import { rowsBelow } from "@/core/read/below.ts";
import { ROWS_TOGETHER } from "@/core/read/builder.ts";
import { asLines } from "@/core/read/delimited/guess.ts";
import { Flattener } from "@/core/read/documents.ts";
import { withoutExponent } from "@/core/type/exponent.ts";
import { findEncoding } from "@/core/read/encoding/names.ts";
import { DocumentReader } from "@/core/read/json/format.ts";
import { MOST_COLUMNS } from "@/core/read/options.ts";
import { openFile } from "@/core/read/source.ts";
import { avroBytes, memoryFile, memorySpool, readParts } from "../support/formats.ts";

describe("values of Avro", () => {
  it("of a union are shown as the branch that they are of", () => {
    const schema = [
      "null",
      { type: "record", name: "day", fields: [{ name: "on", type: { type: "int", logicalType: "date" } }] },
      { type: "array", items: { type: "int", logicalType: "date" } },
      { type: "bytes", logicalType: "decimal", precision: 4, scale: 2 },
      "string",
      "double",
    ];
    const show = shower(schema, new Map());
    expect(show({ on: 1 })).toEqual({ on: "1970-01-02" });
    expect(show([1, 2])).toEqual(["1970-01-02", "1970-01-03"]);
    expect(show(Uint8Array.of(1, 0))).toBe("2.56");
    expect([show("x"), show(0.5), show(null)]).toEqual(["x", 0.5, null]);
    // Whichever comes first.
    const turned = shower([...schema].reverse(), new Map());
    expect(turned({ on: 1 })).toEqual({ on: "1970-01-02" });
    expect(turned(Uint8Array.of(1, 0))).toBe("2.56");
  });

  it("are all there where more records come than are taken together, each with its number", async () => {
    const schema = {
      type: "record",
      name: "seed",
      fields: [
        { name: "n", type: "int" },
        { name: "name", type: "string" },
      ],
    };
    const count = ROWS_TOGETHER * 2 + 7;
    const seeds = Array.from({ length: count }, (_, n) => ({ n, name: `seed ${n}` }));
    const bytes = await avroBytes(schema, seeds, "null");
    const { parts } = await readParts(memoryFile("seeds.avro", bytes));
    expect(parts[0]!.records).toEqual(Array.from({ length: count }, (_, n) => ({ n: String(n), name: `seed ${n}` })));
    expect(parts[0]!.lines).toEqual(Array.from({ length: count }, (_, n) => n + 1));
  });

  it("packed by Snappy say how long they become, and are not believed where they can't", async () => {
    const literal = (text: string): Uint8Array => {
      const bytes = utf8(text);
      const length = [...(bytes.length < 128 ? [bytes.length] : [(bytes.length & 127) | 128, bytes.length >> 7])];
      const tag = bytes.length <= 60 ? [(bytes.length - 1) << 2] : [60 << 2, bytes.length - 1];
      return Uint8Array.from([...length, ...tag, ...bytes, 0, 0, 0, 0]);
    };
    for (const text of ["abc", "x".repeat(59), "y".repeat(200)]) {
      expect(Buffer.from(await unpackBlock(literal(text), "snappy")).toString()).toBe(text);
    }
    await expect(unpackBlock(Uint8Array.of(0x80, 0x80, 0x80, 0x80, 0x01, 0, 0, 0, 0), "snappy")).rejects.toThrow(
      expect.objectContaining({ detail: expect.stringContaining("unpacks to more than it can") }),
    );
  });
});

describe("JSON read in place", () => {
  /** Whether a text is read in place once another has shown its keys, and the cells that come of it. */
  function inPlace(first: string, text: string): { inPlace: boolean; cells: string[] } {
    const reader = new DocumentReader(0, {});
    const add = (t: string, line: number): void => {
      const bytes = utf8(t);
      reader.addText(bytes, 0, bytes.length, line, 0);
    };
    add(first, 1);
    const parsed = vi.spyOn(Flattener.prototype, "records");
    add(text, 2);
    const wasParsed = parsed.mock.calls.length > 0;
    parsed.mockRestore();
    const block = reader.take()!;
    const cells = reader.columns.map((_, c) => {
      const at = block.width + c;
      return Buffer.from(block.heap.bytes.subarray(block.start[at], block.end[at])).toString();
    });
    return { inPlace: !wasParsed && !block.unreadable.has(1), cells };
  }

  it.each([
    ["1e5", "100000"],
    ["1E+2", "100"],
    ["25e-1", "2.5"],
    ["-0.5", "-0.5"],
    ["true", "true"],
    ["null", ""],
    ['[1,[2,{"b":[3]}],"]"]', '1; [2,{"b":[3]}]; ]'],
    ['"caf\\u00e9"', "café"],
  ])("is so for %s", (value, cell) => {
    expect(inPlace('{"a":1,"b":2}', `{"a":${value},"b":3}`)).toEqual({ inPlace: true, cells: [cell, "3"] });
  });

  it.each(['{"a":1,"c":2}', '{"a":1,"a":2}', '{"a":01}', '{"a":1} x', '{"a":tru}', '{"a":1.}', '{"a":1e}'])(
    "is given up for %s",
    (text) => {
      expect(inPlace('{"a":1,"b":2}', text).inPlace).toBe(false);
    },
  );
});

describe("columns of documents", () => {
  it("are as many as a table can have, and no more", async () => {
    const row = (n: number): string =>
      JSON.stringify(Object.fromEntries(Array.from({ length: n }, (_, i) => [`c${i}`, 1])));
    const { parts } = await readParts(memoryFile("wide.jsonl", `${row(MOST_COLUMNS)}\n`));
    expect(parts[0]!.columns).toHaveLength(MOST_COLUMNS);
    const more = await readParts(memoryFile("wide.jsonl", `${row(MOST_COLUMNS + 1)}\n`));
    expect(more.error).toMatchObject({ code: "too-many-columns" });
  });
});

describe("numbers with an exponent", () => {
  it("become plain digits as long as those are not absurdly many", () => {
    expect(withoutExponent("1e59")).toBe(`1${"0".repeat(59)}`);
    expect(withoutExponent("1e60")).toBe("1e60");
    expect(withoutExponent("1e-61")).toBe(`0.${"0".repeat(60)}1`);
    expect(withoutExponent("1e-62")).toBe("1e-62");
    expect(withoutExponent("-12.50E1")).toBe("-125.0");
    expect(withoutExponent("12")).toBe("12");
  });
});

describe("a line below the header", () => {
  const below = (cells: readonly string[]): number =>
    rowsBelow([["a", "b"], cells, ["1", "2"], ["3", "4"]], { header: true, row: 0 }, () => "", {}).rows;

  it("says units, also of one by another with powers", () => {
    for (const unit of ["kg/m³", "kg m-3", "m s^2", "g/m2", "kg·m", "g*m", "(kg/m)"])
      expect([unit, below([unit, "kg"])]).toEqual([unit, 1]);
    for (const word of ["oak/ash", "kg/ash", "oak m", "m-3x s"]) expect([word, below([word, "kg"])]).toEqual([word, 0]);
  });
});

describe("records that end with a mark", () => {
  it("have their line ends taken away, and those within for blanks", () => {
    expect(asLines("a\nb~\r\n\r\nc\r\n\r\nd~", "~")).toBe("a b\nc d\n");
  });
});

describe("words for encodings", () => {
  it("are code pages by number, and nothing that only has one in it", () => {
    expect(["28592", "cp28597", "28599", "28603", "28606"].map(findEncoding)).toEqual([
      ...["iso-8859-2", "iso-8859-7", "windows-1254", "iso-8859-13", "iso-8859-16"],
    ]);
    expect(["x28592", "285921", "28602", "28607", "28590", "iso 8859-99"].map(findEncoding)).toEqual(
      Array(6).fill(null),
    );
  });
});

describe("files of several", () => {
  it("count their parts, each block with its own", async () => {
    const zip = zipSync({ "a.csv": strToU8("x,y\n1,2\n3,4\n"), "b.csv": strToU8("x,y\n5,6\n7,8\n") });
    const parts: [string, number][] = [];
    const counter = { next: 3 };
    for await (const opened of openFile(memoryFile("two.zip", zip), {}, memorySpool, counter)) {
      for await (const block of opened.blocks) parts.push([opened.name, block.file]);
    }
    expect(parts.map(([, part]) => part)).toEqual([3, 4]);
    expect(counter.next).toBe(5);
  });

  it("of the binary workbooks of before 2007 are said to be that", async () => {
    const old = Uint8Array.of(0xd0, 0xcf, 0x11, 0xe0, 0xa1, 0xb1, 0x1a, 0xe1, ...new Uint8Array(600));
    const { error } = await readParts(memoryFile("old.xls", old));
    expect(error).toMatchObject({ code: "old-workbook", hint: "Open it and save it as .xlsx." });
  });
});
