import fc from "fast-check";
import { describe, expect, it } from "vitest";
import { textOf, utf8 } from "@/core/kernel/bytes.ts";
import type { Block } from "@/core/kernel/block.ts";
import { DocumentReader } from "@/core/read/json/format.ts";
import { Flattener, parseJson } from "@/core/read/documents.ts";

/** What a reader makes of JSON texts: a list of cells for each record, null for one that can't be read. */
function read(texts: readonly (string | Uint8Array)[], each?: string): { columns: string[]; records: unknown[] } {
  const reader = new DocumentReader(0, { each });
  texts.forEach((text, i) => {
    const bytes = typeof text === "string" ? utf8(text) : text;
    reader.addText(bytes, 0, bytes.length, i + 1, 0);
  });
  const columns = [...reader.columns];
  const block = reader.take() as Block;
  const records = Array.from({ length: block.count }, (_, r) =>
    block.unreadable.has(r)
      ? null
      : columns.map((_, c) => {
          const i = r * block.width + c;
          return textOf(block.heap.bytes, block.start[i]!, block.end[i]!);
        }),
  );
  return { columns, records };
}

/** A NUL can stand in no text that is kept, half a pair of surrogates in no UTF-8. */
const canBeKept = (text: string): boolean =>
  !text.includes("\0") && new TextDecoder("utf-8", { ignoreBOM: true }).decode(utf8(text)) === text;

/** The same by the parser and the flattener alone. */
function parsed(texts: readonly string[], each?: string): { columns: string[]; records: unknown[] } {
  const flattener = new Flattener({ each });
  const records: (string[] | null)[] = [];
  for (const text of texts) {
    try {
      flattener.records(parseJson(text, true), (values) => {
        const cells = [...values].map((v) => v ?? "");
        records.push(cells.every(canBeKept) ? cells : null);
      });
    } catch {
      records.push(null);
    }
  }
  const { columns } = flattener;
  return { columns, records: records.map((r) => r && columns.map((_, c) => r[c] ?? "")) };
}

const key = fc.constantFrom("a", "b", "name", "é", 'qu"ote', "x.y", "1");
const number = fc.oneof(
  fc.integer().map(String),
  fc.double({ noNaN: true, noDefaultInfinity: true }).map((n) => JSON.stringify(n)),
  fc.constantFrom("1.50", "0.10", "-0", "1e3", "1.5E-7", "12345678901234567890.123456789012345", "1E+2"),
);
const scalar = fc.oneof(
  fc.string({ unit: "binary", maxLength: 12 }).map((s) => JSON.stringify(s)),
  fc.constantFrom('"\\u00e9\\n"', '"\\ud83c\\udf31"', '"🌱"', "true", "false", "null", '""'),
  number,
);
const space = fc.constantFrom("", " ", "\t ", "\r");
const { document } = fc.letrec<{ document: string; value: string; array: string }>((tie) => ({
  array: fc
    .array(fc.oneof({ weight: 4, arbitrary: scalar }, tie("document")), { maxLength: 3 })
    .map((v) => `[${v.join(",")}]`),
  value: fc.oneof(
    { depthSize: "small" },
    { weight: 6, arbitrary: scalar },
    { weight: 1, arbitrary: tie("array") },
    tie("document"),
  ),
  document: fc
    .tuple(fc.array(fc.tuple(key, tie("value")), { maxLength: 5 }), space)
    .map(([pairs, s]) => `{${s}${pairs.map(([k, v]) => `${JSON.stringify(k)}${s}:${s}${v}`).join(`${s},${s}`)}${s}}`),
}));
/** Texts of the same few keys, so that most are read without being parsed. */
const texts = fc.array(fc.oneof(document, document), { minLength: 1, maxLength: 8 }).map((list) => [...list, ...list]);

/** Cells by column name: the order in which columns are met differs where keys are digits. */
function byName({ columns, records }: { columns: string[]; records: unknown[] }): unknown[] {
  return records.map((r) => r && Object.fromEntries(columns.map((c, i) => [c, (r as string[])[i]])));
}

describe("JSON read in place", () => {
  it("gives what parsing gives, with every digit, and calls the same texts broken", () => {
    fc.assert(
      fc.property(texts, fc.option(fc.constantFrom("a", "name"), { nil: undefined }), (list, each) => {
        expect(byName(read(list, each))).toEqual(byName(parsed(list, each)));
      }),
      { numRuns: 600 },
    );
  });

  it("agrees on texts that were damaged anywhere", () => {
    fc.assert(
      fc.property(
        texts,
        fc.nat(),
        fc.constantFrom("", '"', "\\", ",", "}", "]", "0", "e", "\u0001"),
        (list, at, mark) => {
          const damaged = list.map((t) => {
            const letters = [...t];
            letters[at % (letters.length + 1)] = mark;
            return letters.join("");
          });
          const all = [...list, ...damaged];
          expect(byName(read(all))).toEqual(byName(parsed(all)));
        },
      ),
      { numRuns: 600 },
    );
  });

  it("holds bytes that are not UTF-8, whether the keys are known or not", () => {
    const wrong = utf8('{"a":"x?"}').map((b) => (b === 63 ? 0xe9 : b));
    expect(read([wrong, '{"a":"y"}', wrong]).records).toEqual([null, ["y"], null]);
  });

  it("leaves a mark of byte order that a value begins with", () => {
    const text = '{"a":"\ufeffx"}';
    expect(read([text, text]).records).toEqual([["\ufeffx"], ["\ufeffx"]]);
  });

  it("takes a key for nothing but a key", () => {
    const text = '{"__proto__":"x","constructor":{"prototype":"y"}}';
    expect(read([text, text])).toEqual({
      columns: ["__proto__", "constructor.prototype"],
      records: [
        ["x", "y"],
        ["x", "y"],
      ],
    });
  });

  it("gives up where a key is given twice, and which value is meant can't be told", () => {
    const { records } = read(['{"a":1,"b":2}', '{"a":1,"a":3}', '{"a":4}']);
    expect(records).toEqual([["1", "2"], null, ["4", ""]]);
  });
});
