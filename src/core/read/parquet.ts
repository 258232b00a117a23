import { parquetMetadataAsync, parquetReadObjects, type FileMetaData } from "hyparquet";
import { compressors } from "hyparquet-compressors";
import type { Block } from "../block.ts";
import { SieveError } from "../problem.ts";
import { bigFromBytes, decimalText, momentText } from "./avro.ts";
import type { Value } from "./documents.ts";
import type { FormatPart, RangedFile } from "./format.ts";
import { DocumentReader, opened } from "./json.ts";

/** Rows that are decoded at a time. */
const ROWS = 8192;

const broken = (detail: string): SieveError =>
  new SieveError("parquet-broken", "The Parquet file is damaged or not whole.", {
    detail,
    hint: "Ask the sender for the file again; nothing of it was loaded.",
  });

/** Apache Parquet, with its own types: decimals and 64-bit numbers keep every digit. */
export const parquet: FormatPart = {
  id: "parquet",
  async *open(source, settings, context) {
    const file = source.range ? (source as RangedFile) : await context.spool(source.name, source.chunks());
    const end = file.bytes < 12 ? new Uint8Array(0) : await file.range(file.bytes - 4, file.bytes);
    if (new TextDecoder().decode(end) !== "PAR1") throw broken("Its end, which says where everything is, is missing.");
    const buffer = {
      byteLength: file.bytes,
      slice: async (start: number, to = file.bytes): Promise<ArrayBuffer> => {
        const bytes = await file.range(start < 0 ? file.bytes + start : start, to);
        return bytes.buffer.slice(bytes.byteOffset, bytes.byteOffset + bytes.length) as ArrayBuffer;
      },
    };
    let metadata: FileMetaData;
    try {
      metadata = await parquetMetadataAsync(buffer);
    } catch (error) {
      throw broken((error as Error).message);
    }
    const decimals = takeDecimals(metadata);
    const documents = new DocumentReader(context.part, settings);
    yield opened(source, "parquet", settings, context, documents, readRows(buffer, metadata, decimals, documents));
  },
};

/**
 * Decimals are taken as the whole numbers or bytes that they are stored as: the library would make
 * doubles of them. Gives the scale by column; marks them as plain in the metadata.
 */
function takeDecimals(metadata: FileMetaData): Map<string, number> {
  const scales = new Map<string, number>();
  for (const element of metadata.schema) {
    if (element.converted_type !== "DECIMAL" && element.logical_type?.type !== "DECIMAL") continue;
    const logical = element.logical_type?.type === "DECIMAL" ? element.logical_type : null;
    scales.set(element.name, element.scale ?? logical?.scale ?? 0);
    delete element.converted_type;
    delete element.logical_type;
  }
  return scales;
}

const PARSERS = {
  timestampFromMilliseconds: (n: bigint) => momentText(n, 1000n),
  timestampFromMicroseconds: (n: bigint) => momentText(n, 1_000_000n),
  timestampFromNanoseconds: (n: bigint) => momentText(n / 1000n, 1_000_000n),
  dateFromDays: (days: number) => new Date(days * 86_400_000).toISOString().slice(0, 10),
};

async function* readRows(
  file: { byteLength: number; slice(start: number, end?: number): Promise<ArrayBuffer> },
  metadata: FileMetaData,
  decimals: ReadonlyMap<string, number>,
  documents: DocumentReader,
): AsyncGenerator<Block> {
  const total = Number(metadata.num_rows);
  const plain = (value: unknown, scale: number | undefined): Value => {
    if (scale !== undefined && value !== null && value !== undefined) {
      return decimalText(value instanceof Uint8Array ? bigFromBytes(value) : BigInt(value as number | bigint), scale);
    }
    if (value instanceof Date) return value.toISOString();
    if (value instanceof Uint8Array) return value;
    if (Array.isArray(value)) return value.map((v) => plain(v, undefined));
    if (typeof value === "object" && value !== null) {
      return Object.fromEntries(Object.entries(value).map(([k, v]) => [k, plain(v, decimals.get(k))]));
    }
    return value as Value;
  };
  let row = 0;
  let groupFrom = 0;
  for (const group of metadata.row_groups) {
    const groupTo = groupFrom + Number(group.num_rows);
    // A row group is what a Parquet file is unpacked by; within it, some rows at a time.
    for (let from = groupFrom; from < groupTo; from += ROWS * 8) {
      let rows: Record<string, unknown>[];
      try {
        rows = await parquetReadObjects({
          file,
          metadata,
          compressors,
          parsers: PARSERS as never,
          utf8: decimals.size === 0,
          rowStart: from,
          rowEnd: Math.min(groupTo, from + ROWS * 8),
        });
      } catch (error) {
        const rest = documents.take();
        if (rest) yield rest;
        throw broken((error as Error).message);
      }
      for (const values of rows) {
        const document = decimals.size === 0 ? (values as Value) : plain(values, undefined);
        row++;
        documents.add(document, row, 0, 0, "");
        if (documents.full) yield documents.take()!;
      }
    }
    groupFrom = groupTo;
  }
  const rest2 = documents.take();
  if (rest2) yield rest2;
  if (row !== total) throw broken(`It promises ${total} rows and has ${row}.`);
}
