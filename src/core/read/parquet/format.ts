import { parquetMetadataAsync, parquetRead, parquetReadObjects, type FileMetaData } from "hyparquet";
import { compressors } from "hyparquet-compressors";
import type { Block } from "../../kernel/block.ts";
import { SieveError } from "../../kernel/problem.ts";
import { bigFromBytes, decimalText, momentText } from "../avro/format.ts";
import type { Value } from "../documents.ts";
import type { FormatPart, RangedFile } from "../part.ts";
import { ROWS_TOGETHER, type CellValue, type ColumnValues } from "../builder.ts";
import { DocumentReader, cellOf, opened } from "../json/format.ts";

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

/** For flat files texts stay bytes, which are copied as they are. */
const FLAT_PARSERS = {
  ...PARSERS,
  stringFromBytes: (bytes: Uint8Array | undefined) => bytes,
  jsonFromBytes: (bytes: Uint8Array | undefined) => bytes,
};

type Sliced = Parameters<typeof parquetRead>[0]["file"];
type ReadOptions = Parameters<typeof parquetRead>[0] & { rowStart: number; rowEnd: number };

async function* readRows(
  file: Sliced,
  metadata: FileMetaData,
  decimals: ReadonlyMap<string, number>,
  documents: DocumentReader,
): AsyncGenerator<Block> {
  const total = Number(metadata.num_rows);
  const columns = flatColumns(metadata, decimals);
  if (columns) documents.setColumns(columns.map((c) => c.name));
  const stretch = Math.max(1000, Math.floor(VALUES / Math.max(1, metadata.schema.length)));
  let row = 0;
  let groupFrom = 0;
  for (const group of metadata.row_groups) {
    const groupTo = groupFrom + Number(group.num_rows);
    for (let from = groupFrom; from < groupTo; from += stretch) {
      const to = Math.min(groupTo, from + stretch);
      const options = { file, metadata, compressors, rowStart: from, rowEnd: to };
      /** Adds the rows from one of the stretch on to before another. */
      let add: (from: number, to: number) => void;
      try {
        if (columns) {
          const values = await columnsOf(options, columns);
          add = (from, to) => documents.addRows(values, from, to, row + 1);
        } else {
          const rows = await parquetReadObjects({
            ...options,
            parsers: PARSERS as never,
            utf8: decimals.size === 0,
          });
          if (rows.length !== to - from) throw new Error(claims(to - from, rows.length));
          add = (from, to) => {
            for (let i = from; i < to; i++)
              documents.add(plain(rows[i], undefined, decimals), row + 1 + i - from, 0, 0, "");
          };
        }
      } catch (error) {
        const rest = documents.take();
        if (rest) yield rest;
        throw broken((error as Error).message);
      }
      const step = columns ? ROWS_TOGETHER : 1;
      for (let i = 0; i < to - from; i += step) {
        const next = Math.min(to - from, i + step);
        add(i, next);
        row += next - i;
        if (documents.full) yield documents.take()!;
      }
    }
    groupFrom = groupTo;
  }
  const rest = documents.take();
  if (rest) yield rest;
  if (row !== total) throw broken(`It promises ${total} rows and has ${row}.`);
}

/** A column of a flat file. */
interface FlatColumn {
  readonly name: string;
  /** Its bytes are a text, as the file says or as it does not say otherwise. */
  readonly text: boolean;
  /** The file does not say that they are a text. */
  readonly loose: boolean;
  /** Of a decimal. */
  readonly scale: number | undefined;
}

/** The columns, when there is nothing nested or repeated in the file; null otherwise. */
function flatColumns({ schema }: FileMetaData, decimals: ReadonlyMap<string, number>): FlatColumn[] | null {
  const [root, ...columns] = schema;
  if (root?.num_children !== columns.length) return null;
  if (columns.some((c) => c.num_children !== undefined || c.repetition_type === "REPEATED")) return null;
  return columns.map((c) => {
    const said =
      ["UTF8", "ENUM", "JSON"].includes(c.converted_type ?? "") ||
      ["STRING", "ENUM", "JSON"].includes(c.logical_type?.type ?? "");
    const scale = decimals.get(c.name);
    return { name: c.name, text: scale === undefined && c.type === "BYTE_ARRAY", loose: !said, scale };
  });
}

/** Some rows of a flat file, column by column. */
async function columnsOf(options: ReadOptions, columns: readonly FlatColumn[]): Promise<ColumnValues[]> {
  const rows = options.rowEnd - options.rowStart;
  const read = columns.map(({ loose }) => ({ values: new Array<CellValue>(rows), loose }));
  const byName = new Map(columns.map((c, i) => [c.name, i]));
  const got = new Array<number>(columns.length).fill(0);
  await parquetRead({
    ...options,
    parsers: FLAT_PARSERS as never,
    utf8: false,
    onChunk: ({ columnName, columnData, rowStart, rowEnd }) => {
      const c = byName.get(columnName)!;
      const { text, scale } = columns[c]!;
      const { values } = read[c]!;
      const data = columnData as ArrayLike<unknown>;
      const first = Math.max(rowStart, options.rowStart);
      got[c]! += Math.max(0, Math.min(rowEnd, rowStart + data.length, options.rowEnd) - first);
      for (let r = first; r < Math.min(rowEnd, options.rowEnd); r++) {
        const value = data[r - rowStart];
        values[r - options.rowStart] =
          text && value instanceof Uint8Array ? value : cellOf(plain(value, scale, NO_DECIMALS));
      }
    },
  });
  // A file's own count of its rows is believed no further than there are values.
  const short = got.findIndex((n) => n !== rows);
  if (short >= 0) throw new Error(`${claims(rows, got[short]!)} in its column ${columns[short]!.name}`);
  return read;
}

function claims(rows: number, has: number): string {
  return `Of ${rows} rows that it says it has there are ${has}`;
}

const NO_DECIMALS: ReadonlyMap<string, number> = new Map();

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
