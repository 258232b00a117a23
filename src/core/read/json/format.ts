import { isUtf8, textOf } from "../../kernel/bytes.ts";
import { SieveError, listed } from "../../kernel/problem.ts";
import type { Block } from "../../kernel/block.ts";
import { BlockBuilder, type ColumnValues, type Place } from "../builder.ts";
import { Flattener, KeyTwice, hexOf, parseJson, textOfScalar, type Value } from "../documents.ts";
import type { OpenContext, Opened, Reader, SourceFile } from "../part.ts";
import type { ReadSettings } from "../settings.ts";
import { JsonScan } from "./scan.ts";
import { JsonCutter, mayLoseDigits, pathKeys } from "./text.ts";
import { begun, lines, utf8Chunks } from "../text.ts";

/** A value that has nothing nested in it, as a cell. */
export function cellOf(value: Value): string | number | undefined {
  if (typeof value === "string") return value;
  if (value === null || value === undefined) return undefined;
  if (value instanceof Uint8Array) return hexOf(value);
  if (typeof value !== "number") return textOfScalar(value);
  const size = Math.abs(value);
  return size < 1e21 && (size >= 1e-6 || size === 0) ? value : textOfScalar(value);
}

/** The records of documents, as blocks. */
export class DocumentReader {
  readonly flattener: Flattener;
  private readonly builder: BlockBuilder;
  private readonly scan: JsonScan;
  /** The names of columns where records are arrays. */
  private heading: readonly string[] | null = null;

  constructor(part: number, settings: Pick<ReadSettings, "each" | "arrays">) {
    this.flattener = new Flattener(settings);
    this.builder = new BlockBuilder(part);
    this.scan = new JsonScan(this.flattener, this.builder);
  }

  get columns(): readonly string[] {
    return this.flattener.columns;
  }

  /** Adds the records of a document. Take the block when it is full before adding the next. */
  add(document: Value, line: number, start: number, end: number, raw: Uint8Array | string): void {
    const { builder, flattener } = this;
    const place = { line, start, end };
    const named = Array.isArray(document) ? this.named(document) : document;
    if (named === null) return;
    flattener.records(named, (values) => builder.add(values, flattener.columns.length, place, raw));
  }

  /** Arrays in place of objects are rows of a table: the first names the columns where it is words alone. Null for that one. */
  private named(row: readonly Value[]): Value | null {
    if (!this.heading) {
      const isHeading =
        row.length > 0 && row.every((v) => typeof v === "string" && v !== "") && new Set(row).size === row.length;
      this.heading = isHeading ? (row as string[]) : row.map((_, i) => String(i + 1));
      if (isHeading) return null;
    }
    const heading = this.heading;
    return Object.fromEntries(row.map((v, i) => [heading[i] ?? `column ${i + 1}`, v]));
  }

  /** The path of an array that becomes records of its own, if one does. */
  get each(): string | undefined {
    return this.flattener.options.each;
  }

  /** Adds a record by its cells in the order of the columns. */
  addCells(cells: readonly (string | undefined)[], place: Place, raw: string): void {
    this.builder.add(cells, this.flattener.columns.length, place, raw);
  }

  /** Names the columns of documents that have nothing nested in them, which then come by `addRows`. */
  setColumns(names: readonly string[]): void {
    for (const name of names) this.flattener.nameColumn(name);
  }

  /** Adds records by the values of their columns, as `BlockBuilder.addRows`. */
  addRows(columns: readonly ColumnValues[], from: number, to: number, line: number): void {
    this.builder.addRows(columns, from, to, line);
  }

  /** Adds a document from its JSON text; one that is none is a record that can't be read. */
  addText(bytes: Uint8Array, from: number, to: number, line: number, start: number): void {
    const end = start + to - from;
    const raw = bytes.subarray(from, to);
    const at = this.builder.open(this.flattener.columns.length, { line, start, end }, raw);
    if (at >= 0 && this.scan.record(at, at + raw.length)) {
      this.builder.close();
      return;
    }
    const text = textOf(bytes, from, to);
    if (text.includes("\ufffd") && !isUtf8(bytes, from, to)) {
      this.addUnreadable("encoding", line, start, end, raw);
      return;
    }
    let value: Value;
    try {
      value = parseJson(text, mayLoseDigits(bytes, from, to));
    } catch (error) {
      this.addUnreadable(error instanceof KeyTwice ? "key-twice" : "not-json", line, start, end, raw);
      return;
    }
    try {
      this.add(value, line, start, end, raw);
    } catch (error) {
      // Nested deeper than anything can be written down again.
      if (!(error instanceof RangeError)) throw error;
      this.addUnreadable("not-json", line, start, end, raw);
    }
  }

  private addUnreadable(
    reason: "not-json" | "key-twice" | "encoding",
    line: number,
    start: number,
    end: number,
    raw: Uint8Array,
  ): void {
    this.builder.addUnreadable({ reason, cells: 0 }, this.flattener.columns.length, { line, start, end }, raw);
  }

  get full(): boolean {
    return this.builder.full;
  }

  /** The records added since the last block, or null for none. */
  take(): Block | null {
    return this.builder.take();
  }
}

function isJson(text: string): boolean {
  try {
    JSON.parse(text);
    return true;
  } catch {
    return false;
  }
}

/** One JSON document a line. A line that is not JSON is held, and derails no other. */
export const linesReader: Reader = {
  isSo(text, name) {
    const [first = "", second = ""] = begun(text)
      .split(/\r?\n/)
      .filter((l) => l.trim() !== "");
    // A document alone in its file is one of JSON where that is what the file is called, or where records are within it.
    const alone = second === "" && (/\[\s*\{/.test(first) || /\.json$/i.test(name));
    const objects = first.startsWith("{") && !alone && (second === "" || second.startsWith("{"));
    const arrays = first.startsWith("[") && second.startsWith("[");
    return (objects || arrays) && isJson(first) ? "each line is a JSON document" : null;
  },
  async *open(source, settings, context) {
    const documents = new DocumentReader(context.part, settings);
    yield opened(source, "json-lines", settings, documents, readLines(source, context, documents));
  },
};

async function* readLines(source: SourceFile, context: OpenContext, documents: DocumentReader): AsyncGenerator<Block> {
  for await (const { bytes, from, to, line, base } of lines(utf8Chunks(source.chunks(), context.encoding))) {
    for (let i = 0; i < from.length; i++) {
      const start = from[i]!;
      if (isBlank(bytes, start, to[i]!)) continue;
      documents.addText(bytes, start, to[i]!, line + i, base + start);
      if (documents.full) yield documents.take()!;
    }
  }
  const last = documents.take();
  if (last) yield last;
}

function isBlank(bytes: Uint8Array, from: number, to: number): boolean {
  for (let p = from; p < to; p++) if (bytes[p] !== 32 && bytes[p] !== 9 && bytes[p] !== 13) return false;
  return true;
}

/** One JSON text whose records are the elements of an array in it, read without keeping the text. */
export const jsonReader: Reader = {
  isSo: (text) => (/^[[{]\s*(["\]}{[]|-?\d|true|false|null)/.test(begun(text)) ? "it begins as JSON does" : null),
  async *open(source, settings, context) {
    const found = settings.records ? [settings.records] : arraysIn(context.head);
    const array = new TextDecoder()
      .decode(context.head.subarray(0, 200))
      .replace(/^\ufeff/, "")
      .trimStart()
      .startsWith("[");
    const path = found[0] ?? (array ? "$" : "");
    const documents = new DocumentReader(context.part, settings);
    const others = settings.records ? undefined : { records: found.slice(1) };
    yield {
      ...opened(
        source,
        "json",
        { ...settings, records: path === "" ? undefined : path },
        documents,
        readJson(source, context, documents, path === "" ? null : pathKeys(path)),
      ),
      evidence: {
        records: settings.records
          ? "as set"
          : path === ""
            ? "no array of objects, so the text is one record"
            : `the first array of objects is at ${path}`,
      },
      others,
    };
  },
};

/** Paths of arrays of objects in the beginning of a JSON text, shallowest first. */
export function arraysIn(head: Uint8Array): string[] {
  const cutter = new JsonCutter(["\u0000"]);
  try {
    for (const _ of cutter.push(head));
  } catch {
    // What is wrong with the text is said when it is read.
  }
  const depth = (path: string): number => path.split(".").length;
  return [...cutter.arrays].sort((a, b) => depth(a) - depth(b));
}

async function* readJson(
  source: SourceFile,
  context: OpenContext,
  documents: DocumentReader,
  path: readonly string[] | null,
): AsyncGenerator<Block> {
  const cutter = new JsonCutter(path);
  const broken = (why: string): SieveError =>
    new SieveError("json-broken", `The JSON text breaks off or can't be understood: ${why}.`, {
      hint: "Ask the sender for the whole file; nothing of it was loaded.",
    });
  for await (const chunk of utf8Chunks(source.chunks(), context.encoding)) {
    try {
      for (const { bytes, line, start } of cutter.push(chunk)) {
        documents.addText(bytes, 0, bytes.length, line, start);
        if (documents.full) yield documents.take()!;
      }
    } catch (error) {
      if (!(error instanceof SyntaxError)) throw error;
      const before = documents.take();
      if (before) yield before;
      throw broken(error.message);
    }
  }
  const last = documents.take();
  if (last) yield last;
  if (cutter.open) throw broken("its last bracket or quote is not closed");
  if (path === null || cutter.met) return;
  const at = `$${path.map((key) => `.${key}`).join("")}`;
  if (cutter.within.includes(at)) {
    throw new SieveError("no-records", `The array at ${at} is within the elements of another array.`, {
      detail: `Arrays of objects that are not are at ${listed(cutter.arrays)}.`,
      hint: "Set the path of the records to one of these, and let the array become records of its own.",
    });
  }
  throw new SieveError("no-records", `There is no array at ${at}.`, {
    detail: cutter.arrays.length > 0 ? `Arrays of objects are at ${cutter.arrays.join(", ")}.` : "",
    hint: "Set the path of the records.",
  });
}

export function opened(
  source: SourceFile,
  as: string,
  settings: ReadSettings,
  documents: DocumentReader,
  blocks: AsyncGenerator<Block>,
): Opened {
  return {
    name: source.name,
    options: {
      as,
      ...(settings.records ? { records: settings.records } : {}),
      ...(settings.each ? { each: settings.each } : {}),
      ...(settings.arrays ? { arrays: settings.arrays } : {}),
    },
    evidence: {},
    columns: () => documents.columns,
    arrays: () => [...documents.flattener.arrays.keys()].filter((path) => path !== ""),
    blocks,
    resumable: false,
  };
}
