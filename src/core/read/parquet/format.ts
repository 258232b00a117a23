import {
  parquetMetadataAsync,
  parquetRead,
  parquetReadObjects,
  type FileMetaData,
  type SchemaElement,
  type TimeUnit,
} from "hyparquet";
import { compressors } from "hyparquet-compressors";
import type { Block } from "../../kernel/block.ts";
import { SieveError } from "../../kernel/problem.ts";
import { PER_SECOND, bigFromBytes, dayText, decimalText, durationText, momentText, timeText } from "../logical.ts";
import type { Value } from "../documents.ts";
import type { Reader, RangedFile } from "../part.ts";
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
export const reader: Reader = {
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
    const shape = takeTypes(metadata);
    const documents = new DocumentReader(context.part, settings);
    yield opened(source, "parquet", settings, documents, readRows(buffer, metadata, shape, documents));
  },
};

/** How a stored number or some bytes become text. */
type Show = (value: unknown) => Value;

/** A part of the schema: how its values are shown, where it has any of its own, and what it is made of. */
interface Shape {
  readonly element: SchemaElement;
  readonly show: Show | null;
  readonly children: readonly Shape[];
}

/**
 * Decimals, times and moments are taken as the numbers and bytes that they are stored as: the library would make
 * doubles and milliseconds of them. Marks them as plain in the metadata.
 */
export function takeTypes({ schema }: FileMetaData): Shape {
  let next = 0;
  const take = (): Shape => {
    const element = schema[next++];
    if (!element) throw broken("Its schema breaks off.");
    const children = Array.from({ length: element.num_children ?? 0 }, take);
    const show = children.length > 0 ? null : showOf(element);
    if (show) {
      delete element.converted_type;
      delete element.logical_type;
    }
    return { element, show, children };
  };
  return take();
}

const perSecond = (unit: TimeUnit): bigint => PER_SECOND[unit.toLowerCase() as Lowercase<TimeUnit>];

function showOf({ converted_type: converted, logical_type: logical, scale = 0 }: SchemaElement): Show | null {
  const whole = (value: unknown): bigint =>
    value instanceof Uint8Array ? bigFromBytes(value) : BigInt(value as number | bigint);
  if (logical?.type === "DECIMAL") return (v) => decimalText(whole(v), logical.scale);
  if (converted === "DECIMAL") return (v) => decimalText(whole(v), scale);
  if (logical?.type === "TIME") return (v) => timeText(whole(v), perSecond(logical.unit));
  if (logical?.type === "TIMESTAMP") {
    const zone = logical.isAdjustedToUTC ? "Z" : "";
    return (v) => momentText(whole(v), perSecond(logical.unit), zone);
  }
  switch (converted) {
    case "TIME_MILLIS":
      return (v) => timeText(whole(v), PER_SECOND.millis);
    case "TIME_MICROS":
      return (v) => timeText(whole(v), PER_SECOND.micros);
    case "TIMESTAMP_MILLIS":
      return (v) => momentText(whole(v), PER_SECOND.millis);
    case "TIMESTAMP_MICROS":
      return (v) => momentText(whole(v), PER_SECOND.micros);
    case "INTERVAL":
      return (v) => (v instanceof Uint8Array && v.length === 12 ? durationText(v) : plain(v));
    case "BSON":
      return plain;
  }
  return null;
}

const PARSERS = {
  // The oldest moments have nanoseconds, which hardly any use.
  timestampFromNanoseconds: (n: bigint) =>
    n % 1000n === 0n ? momentText(n / 1000n, PER_SECOND.micros) : momentText(n, PER_SECOND.nanos),
  dateFromDays: (days: number) => dayText(days),
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
  shape: Shape,
  documents: DocumentReader,
): AsyncGenerator<Block> {
  const total = Number(metadata.num_rows);
  const columns = flatColumns(shape);
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
            utf8: !storesBytes(shape),
          });
          if (rows.length !== to - from) throw new Error(claims(to - from, rows.length));
          add = (from, to) => {
            for (let i = from; i < to; i++) documents.add(shown(rows[i], shape), row + 1 + i - from, 0, 0, "");
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
  readonly show: Show;
}

/** The columns, when there is nothing nested or repeated in the file; null otherwise. */
function flatColumns({ children }: Shape): FlatColumn[] | null {
  if (children.some((c) => c.children.length > 0 || c.element.num_children !== undefined)) return null;
  if (children.some((c) => c.element.repetition_type === "REPEATED")) return null;
  return children.map(({ element: c, show }) => {
    const said =
      ["UTF8", "ENUM", "JSON"].includes(c.converted_type ?? "") ||
      ["STRING", "ENUM", "JSON"].includes(c.logical_type?.type ?? "");
    return { name: c.name, text: show === null && c.type === "BYTE_ARRAY", loose: !said, show: show ?? plain };
  });
}

/** Whether bytes that are no text are among what is taken as stored. */
function storesBytes({ element, show, children }: Shape): boolean {
  return (show !== null && element.type === "BYTE_ARRAY") || children.some(storesBytes);
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
      const { text, show } = columns[c]!;
      const { values } = read[c]!;
      const data = columnData as ArrayLike<unknown>;
      const first = Math.max(rowStart, options.rowStart);
      got[c]! += Math.max(0, Math.min(rowEnd, rowStart + data.length, options.rowEnd) - first);
      for (let r = first; r < Math.min(rowEnd, options.rowEnd); r++) {
        const value = data[r - rowStart];
        values[r - options.rowStart] =
          text && value instanceof Uint8Array
            ? value
            : value === null || value === undefined
              ? cellOf(null)
              : cellOf(show(value));
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

/** A value as the library gives it, as a document's. */
function plain(value: unknown): Value {
  if (typeof value !== "object") return value as Value;
  if (value === null) return null;
  if (value instanceof Date) return value.toISOString();
  if (value instanceof Uint8Array) return value;
  if (Array.isArray(value)) return value.map(plain);
  return Object.fromEntries(Object.entries(value).map(([k, v]) => [k, plain(v)]));
}

/** A value that the library has put together of nested parts, each shown by its part of the schema. */
export function shown(value: unknown, shape: Shape): Value {
  if (value === null || value === undefined) return null;
  if (Array.isArray(value)) {
    const item = itemOf(shape);
    return value.map((v) => shown(v, item));
  }
  if (shape.children.length === 0) return (shape.show ?? plain)(value);
  if (typeof value !== "object" || value instanceof Uint8Array || value instanceof Date) return plain(value);
  const entries = Object.entries(value);
  const pair = shape.children[0]!;
  if (isMap(shape)) return Object.fromEntries(entries.map(([k, v]) => [k, shown(v, pair.children[1]!)]));
  const byName = new Map(shape.children.map((c) => [c.element.name, c]));
  return Object.fromEntries(
    entries.map(([k, v]) => {
      const child = byName.get(k);
      return [k, child ? shown(v, child) : plain(v)];
    }),
  );
}

const isMap = ({ element, children }: Shape): boolean =>
  (element.converted_type === "MAP" || element.logical_type?.type === "MAP") && children[0]?.children.length === 2;

/** What stands in a list: its one part, or the one part of that, as programs write it in both ways. A map's are its pairs. */
function itemOf(shape: Shape): Shape {
  const { element, children } = shape;
  const [only] = children;
  if (isMap(shape)) return only!;
  const isList = element.converted_type === "LIST" || element.logical_type?.type === "LIST";
  if (!isList || !only) return shape;
  return only.children.length === 1 ? only.children[0]! : only;
}
