import { isUtf8, textOf } from "../bytes.ts";
import { SieveError } from "../problem.ts";
import type { Block } from "../block.ts";
import { BlockBuilder } from "./builder.ts";
import { Flattener, type Value } from "./documents.ts";
import type { FormatPart, OpenContext, Opened, ReadSettings, SourceFile } from "./format.ts";
import { JsonCutter, parseJson, pathKeys } from "./json-text.ts";
import { lines, utf8Chunks } from "./text.ts";

/** The records of documents, as blocks. */
export function documentReader(part: number, settings: Pick<ReadSettings, "each" | "arrays">) {
  const flattener = new Flattener(settings);
  const builder = new BlockBuilder(part);
  return {
    columns: flattener.columns as readonly string[],
    flattener,
    /** Adds the records of a document; yields each block that is full. */
    *add(document: Value, line: number, start: number, end: number, raw: Uint8Array | string): Generator<Block> {
      for (const values of flattener.records(document)) {
        const width = flattener.columns.length;
        if (!builder.fits(width)) yield builder.take()!;
        builder.add(values, width, { line, start, end }, raw);
      }
    },
    *addUnreadable(
      reason: "not-json" | "encoding",
      line: number,
      start: number,
      end: number,
      raw: Uint8Array,
    ): Generator<Block> {
      if (!builder.fits(flattener.columns.length)) yield builder.take()!;
      builder.addUnreadable({ reason, cells: 0 }, flattener.columns.length, { line, start, end }, raw);
    },
    *end(): Generator<Block> {
      const last = builder.take();
      if (last) yield last;
    },
  };
}

type Documents = ReturnType<typeof documentReader>;

function* addText(documents: Documents, bytes: Uint8Array, line: number, start: number): Generator<Block> {
  const end = start + bytes.length;
  const text = textOf(bytes, 0, bytes.length);
  if (text.includes("\ufffd") && !isUtf8(bytes, 0, bytes.length)) {
    yield* documents.addUnreadable("encoding", line, start, end, bytes);
    return;
  }
  let value: Value;
  try {
    value = parseJson(text);
  } catch {
    yield* documents.addUnreadable("not-json", line, start, end, bytes);
    return;
  }
  yield* documents.add(value, line, start, end, bytes);
}

/** One JSON document a line. A line that is not JSON is held, and derails no other. */
export const jsonLines: FormatPart = {
  id: "json-lines",
  async *open(source, settings, context) {
    const documents = documentReader(context.part, settings);
    yield opened(source, "json-lines", settings, context, documents, readLines(source, context, documents));
  },
};

async function* readLines(source: SourceFile, context: OpenContext, documents: Documents): AsyncGenerator<Block> {
  for await (const found of lines(utf8Chunks(source.chunks(), context.encoding))) {
    for (const { bytes, line, start } of found) {
      if (isBlank(bytes)) continue;
      yield* addText(documents, bytes, line, start);
    }
  }
  yield* documents.end();
}

function isBlank(bytes: Uint8Array): boolean {
  for (const b of bytes) if (b !== 32 && b !== 9 && b !== 13) return false;
  return true;
}

/** One JSON text whose records are the elements of an array in it, read without keeping the text. */
export const json: FormatPart = {
  id: "json",
  async *open(source, settings, context) {
    const found = settings.records ? [settings.records] : arraysIn(context.head);
    const array = new TextDecoder()
      .decode(context.head.subarray(0, 200))
      .replace(/^\ufeff/, "")
      .trimStart()
      .startsWith("[");
    const path = found[0] ?? (array ? "$" : "");
    const documents = documentReader(context.part, settings);
    const others = settings.records ? undefined : { records: found.slice(1) };
    yield {
      ...opened(
        source,
        "json",
        { ...settings, records: path === "" ? undefined : path },
        context,
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
  documents: Documents,
  path: readonly string[] | null,
): AsyncGenerator<Block> {
  const cutter = new JsonCutter(path);
  const broken = (why: string): SieveError =>
    new SieveError("json-broken", `The JSON text breaks off or can't be understood: ${why}.`, {
      hint: "Ask the sender for the whole file; nothing of it was loaded.",
    });
  let any = false;
  for await (const chunk of utf8Chunks(source.chunks(), context.encoding)) {
    try {
      for (const { bytes, line, start } of cutter.push(chunk)) {
        any = true;
        yield* addText(documents, bytes, line, start);
      }
    } catch (error) {
      if (!(error instanceof SyntaxError)) throw error;
      yield* documents.end();
      throw broken(error.message);
    }
  }
  yield* documents.end();
  if (cutter.open) throw broken("its last bracket or quote is not closed");
  if (!any && path !== null && path.length > 0 && !cutter.arrays.includes(`$.${path.join(".")}`)) {
    throw new SieveError("no-records", `There is no array at $.${path.join(".")}.`, {
      detail: cutter.arrays.length > 0 ? `Arrays of objects are at ${cutter.arrays.join(", ")}.` : "",
      hint: "Set the path of the records.",
    });
  }
}

export function opened(
  source: SourceFile,
  as: "json" | "json-lines" | "xml" | "avro" | "parquet",
  settings: ReadSettings,
  context: OpenContext,
  documents: Documents,
  blocks: AsyncGenerator<Block>,
): Opened {
  const text = as === "json" || as === "json-lines" || as === "xml";
  return {
    name: source.name,
    options: {
      as,
      ...(text ? { encoding: context.encoding } : {}),
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
