import { parquetMetadataAsync, parquetRead, parquetReadObjects, type FileMetaData } from "hyparquet";
import { compressors } from "hyparquet-compressors";
import type { Block } from "../block.ts";
import { SieveError } from "../problem.ts";
import { bigFromBytes, decimalText, momentText } from "./avro.ts";
import type { Value } from "./documents.ts";
import type { FormatPart, RangedFile } from "./format.ts";
import { DocumentReader, opened } from "./json.ts";

/** Values that are decoded at a time: the library begins a group anew for each stretch of its rows. */
const VALUES = 2_000_000;

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

type Sliced = Parameters<typeof parquetRead>[0]["file"];

async function* readRows(
  file: Sliced,
  metadata: FileMetaData,
  decimals: ReadonlyMap<string, number>,
  documents: DocumentReader,
): AsyncGenerator<Block> {
  const total = Number(metadata.num_rows);
  const names = flatColumns(metadata);
  if (names) documents.setColumns(names);
  const stretch = Math.max(1000, Math.floor(VALUES / Math.max(1, metadata.schema.length)));
  let row = 0;
  let groupFrom = 0;
  for (const group of metadata.row_groups) {
    const groupTo = groupFrom + Number(group.num_rows);
    for (let from = groupFrom; from < groupTo; from += stretch) {
      const to = Math.min(groupTo, from + stretch);
      const options = {
        file,
        metadata,
        compressors,
        parsers: PARSERS as never,
        utf8: decimals.size === 0,
        rowStart: from,
        rowEnd: to,
      };
      let add: (i: number) => void;
      try {
        if (names) {
          const columns = await columnsOf(options, names);
          const values: Value[] = [];
          const scales = names.map((name) => decimals.get(name));
          add = (i) => {
            for (let c = 0; c < columns.length; c++) values[c] = plain(columns[c]![i], scales[c], decimals);
            documents.addFlat(values, row);
          };
        } else {
          const rows = await parquetReadObjects(options);
          add = (i) => documents.add(plain(rows[i], undefined, decimals), row, 0, 0, "");
        }
      } catch (error) {
        const rest = documents.take();
        if (rest) yield rest;
        throw broken((error as Error).message);
      }
      for (let i = 0; i < to - from; i++) {
        row++;
        add(i);
        if (documents.full) yield documents.take()!;
      }
    }
    groupFrom = groupTo;
  }
  const rest = documents.take();
  if (rest) yield rest;
  if (row !== total) throw broken(`It promises ${total} rows and has ${row}.`);
}

/** The columns' names, when there is nothing nested or repeated in the file; null otherwise. */
function flatColumns({ schema }: FileMetaData): string[] | null {
  const [root, ...columns] = schema;
  if (root?.num_children !== columns.length) return null;
  return columns.some((c) => c.num_children !== undefined || c.repetition_type === "REPEATED")
    ? null
    : columns.map((c) => c.name);
}

/** Some rows of a flat file, column by column. */
async function columnsOf(
  options: Parameters<typeof parquetRead>[0] & { rowStart: number; rowEnd: number },
  names: readonly string[],
): Promise<ArrayLike<unknown>[]> {
  const rows = options.rowEnd - options.rowStart;
  const columns = new Map<string, unknown[]>(names.map((name) => [name, new Array<unknown>(rows)]));
  await parquetRead({
    ...options,
    onChunk: ({ columnName, columnData, rowStart, rowEnd }) => {
      const column = columns.get(columnName)!;
      const first = Math.max(rowStart, options.rowStart);
      for (let r = first; r < Math.min(rowEnd, options.rowEnd); r++) {
        column[r - options.rowStart] = (columnData as ArrayLike<unknown>)[r - rowStart];
      }
    },
  });
  return names.map((name) => columns.get(name)!);
}

/** A value as the library gives it, as a document's. */
function plain(value: unknown, scale: number | undefined, decimals: ReadonlyMap<string, number>): Value {
  if (typeof value !== "object" && scale === undefined) return value as Value;
  if (value === null || value === undefined) return null;
  if (scale !== undefined) {
    return decimalText(value instanceof Uint8Array ? bigFromBytes(value) : BigInt(value as number | bigint), scale);
  }
  if (value instanceof Date) return value.toISOString();
  if (value instanceof Uint8Array) return value;
  if (Array.isArray(value)) return value.map((v) => plain(v, undefined, decimals));
  return Object.fromEntries(Object.entries(value as object).map(([k, v]) => [k, plain(v, decimals.get(k), decimals)]));
}
