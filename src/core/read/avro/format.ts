import avro from "avsc";
import { snappyUncompress } from "hyparquet";
import type { Block } from "../../kernel/block.ts";
import { concat } from "../../kernel/bytes.ts";
import { SieveError, grouped } from "../../kernel/problem.ts";
import { hexOf, type Value } from "../documents.ts";
import {
  PER_SECOND,
  bigFromBytes,
  dayText,
  decimalText,
  durationText,
  momentText,
  timeText,
  uuidText,
} from "../logical.ts";
import { MOST_EMPTY, walkOf, type Walk } from "./bounds.ts";
import type { FormatPart, SourceFile } from "../part.ts";
import { ROWS_TOGETHER, type CellValue } from "../builder.ts";
import { DocumentReader, cellOf, opened } from "../json/format.ts";
import { inflated } from "../unpack.ts";

const MAGIC = [0x4f, 0x62, 0x6a, 0x01];

/** Avro object container files (Apache Avro specification 1.11), blocks deflated, in Snappy or plain. */
export const avroFormat: FormatPart = {
  id: "avro",
  async *open(source, settings, context) {
    const documents = new DocumentReader(context.part, settings);
    yield opened(source, "avro", settings, context, documents, readAvro(source, documents));
  },
};

const broken = (detail: string): SieveError =>
  new SieveError("avro-broken", "The Avro file is damaged.", {
    detail,
    hint: "Ask the sender for the file again; nothing of it was loaded.",
  });

/** Takes bytes from a stream as they are asked for. */
class Bytes {
  private window: Uint8Array = new Uint8Array(0);
  private at = 0;
  private readonly chunks: AsyncIterator<Uint8Array>;
  constructor(source: SourceFile) {
    this.chunks = source.chunks()[Symbol.asyncIterator]();
  }
  /** False at the end of the file. */
  async more(n: number): Promise<boolean> {
    let have = this.window.length - this.at;
    if (have >= n) return true;
    const parts = [this.window.subarray(this.at)];
    while (have < n) {
      const next = await this.chunks.next();
      if (next.done) break;
      parts.push(next.value);
      have += next.value.length;
    }
    this.window = concat(parts);
    this.at = 0;
    return have >= n;
  }
  async take(n: number): Promise<Uint8Array> {
    if (n < 0 || !(await this.more(n))) throw broken("It breaks off in the middle.");
    return this.window.subarray(this.at, (this.at += n));
  }
  /** A zig-zag varint. */
  async long(): Promise<number> {
    let value = 0;
    for (let scale = 1; ; scale *= 128) {
      const byte = (await this.take(1))[0]!;
      value += (byte & 127) * scale;
      if (byte < 128) break;
      if (scale > 2 ** 49) throw broken("A length in it is not a number.");
    }
    return value % 2 === 0 ? value / 2 : -(value + 1) / 2;
  }
  async end(): Promise<void> {
    await this.chunks.return?.();
  }
}

/** 64-bit whole numbers, exactly. */
const longType = avro.types.LongType.__with({
  fromBuffer: (buffer: Buffer) => buffer.readBigInt64LE(),
  toBuffer: (n: bigint) => {
    const buffer = Buffer.alloc(8);
    buffer.writeBigInt64LE(n);
    return buffer;
  },
  fromJSON: BigInt,
  toJSON: Number,
  isValid: (n: unknown) => typeof n === "bigint",
  compare: (a: bigint, b: bigint) => (a === b ? 0 : a < b ? -1 : 1),
});

interface AvroField {
  name: string;
  type: unknown;
  logicalType?: string;
  scale?: number;
}

interface AvroSchema {
  type?: unknown;
  logicalType?: string;
  scale?: number;
  fields?: AvroField[];
  items?: unknown;
  values?: unknown;
  name?: string;
}

type Show = (value: unknown) => Value;

/** A field's type. Some programs say its logical type beside the type and not within it. */
function typeOf({ type, logicalType, scale }: AvroField): unknown {
  return typeof type === "string" && logicalType !== undefined ? { type, logicalType, scale } : type;
}

/** How a decoded value of a schema becomes text, by its logical type. */
function shower(schema: unknown, named: Map<string, Show>): Show {
  if (typeof schema === "string") return named.get(schema) ?? plain;
  if (Array.isArray(schema)) {
    const branches = schema
      .filter((s) => s !== "null")
      .map((s) => ({ show: shower(s, named), has: holderOf(s, named) }));
    return (v) => (v === null ? null : (branches.find((b) => branches.length === 1 || b.has(v))?.show ?? plain)(v));
  }
  const s = schema as AvroSchema;
  const show = showerOf(s, named);
  if (s.name && (s.type === "fixed" || s.type === "enum")) named.set(s.name, show);
  return show;
}

/** Whether a decoded value can be one of a union's branch. */
function holderOf(schema: unknown, named: ReadonlyMap<string, Show>): (value: unknown) => boolean {
  const type = typeof schema === "string" ? schema : (schema as AvroSchema).type;
  switch (type) {
    case "string":
    case "enum":
      return (v) => typeof v === "string";
    case "boolean":
      return (v) => typeof v === "boolean";
    case "int":
    case "float":
    case "double":
      return (v) => typeof v === "number";
    case "long":
      return (v) => typeof v === "bigint";
    case "bytes":
    case "fixed":
      return (v) => v instanceof Uint8Array;
    case "array":
      return Array.isArray;
  }
  // Another type by its name: bytes of a fixed length, or a record.
  if (typeof schema === "string" && named.has(schema)) return () => true;
  return (v) => typeof v === "object" && !Array.isArray(v) && !(v instanceof Uint8Array);
}

function showerOf(s: AvroSchema, named: Map<string, Show>): Show {
  switch (s.logicalType) {
    case "date":
      return (v) => dayText(Number(v));
    case "time-millis":
      return (v) => timeText(BigInt(v as number), PER_SECOND.millis);
    case "time-micros":
      return (v) => timeText(BigInt(v as bigint), PER_SECOND.micros);
    case "timestamp-millis":
    case "timestamp-micros":
    case "timestamp-nanos":
    case "local-timestamp-millis":
    case "local-timestamp-micros":
    case "local-timestamp-nanos": {
      const perSecond = PER_SECOND[s.logicalType.slice(s.logicalType.lastIndexOf("-") + 1) as keyof typeof PER_SECOND];
      const zone = s.logicalType.startsWith("local-") ? "" : "Z";
      return (v) => momentText(BigInt(v as bigint), perSecond, zone);
    }
    case "decimal":
      // Of text or a number, a decimal is not one by the specification.
      return (v) => (v instanceof Uint8Array ? decimalText(bigFromBytes(v), s.scale ?? 0) : plain(v));
    case "uuid":
      return (v) => (v instanceof Uint8Array && v.length === 16 ? uuidText(v) : plain(v));
    case "duration":
      return (v) => (v instanceof Uint8Array && v.length === 12 ? durationText(v) : plain(v));
  }
  if (s.type === "record" || s.type === "error") {
    const fields: [string, Show][] = [];
    const show: Show = (v) => {
      const out: Record<string, Value> = {};
      for (const [name, f] of fields) out[name] = f((v as Record<string, unknown>)[name]);
      return out;
    };
    if (s.name) named.set(s.name, show);
    for (const f of s.fields ?? []) fields.push([f.name, shower(typeOf(f), named)]);
    return show;
  }
  if (s.type === "array") {
    const item = shower(s.items, named);
    return (v) => (v as unknown[]).map(item);
  }
  if (s.type === "map") {
    const value = shower(s.values, named);
    return (v) => Object.fromEntries(Object.entries(v as object).map(([k, x]) => [k, value(x)]));
  }
  return typeof s.type === "object" ? shower(s.type, named) : plain;
}

const plain: Show = (v) => (v instanceof Uint8Array ? hexOf(v) : (v as Value));

async function* readAvro(source: SourceFile, documents: DocumentReader): AsyncGenerator<Block> {
  const bytes = new Bytes(source);
  try {
    const { schema, type, codec, sync } = await readHead(bytes);
    const records = new AvroRecords(schema, type, documents);
    while (await bytes.more(1)) {
      const count = await bytes.long();
      if (count < 0) throw broken(`The number of records after record ${grouped(records.read)} is less than nothing.`);
      const packed = await bytes.take(await bytes.long());
      yield* records.ofBlock(count, await unpackBlock(packed, codec));
      const mark = await bytes.take(16);
      if (sync.some((b, i) => mark[i] !== b)) {
        throw broken(
          `The mark after record ${grouped(records.read)} is not the file's, so what stands there can't be trusted.`,
        );
      }
    }
    const rest = documents.take();
    if (rest) yield rest;
  } catch (error) {
    if (error instanceof SieveError) throw error;
    throw broken((error as Error).message);
  } finally {
    await bytes.end();
  }
}

/** What a container says of itself before its blocks. */
interface Head {
  readonly schema: unknown;
  readonly type: avro.Type;
  readonly codec: string;
  /** What stands behind each block. */
  readonly sync: Uint8Array;
}

/** How types are made of schemas: each with a registry of its own, which names are put into. */
const withLongs = () => ({ registry: { long: longType }, wrapUnions: false });

async function readHead(bytes: Bytes): Promise<Head> {
  const magic = await bytes.take(4);
  if (MAGIC.some((b, i) => magic[i] !== b)) throw broken("It does not begin as an Avro container does.");
  const meta = new Map<string, Uint8Array>();
  for (let n = await bytes.long(); n !== 0; n = await bytes.long()) {
    if (n < 0) await bytes.long();
    for (let i = Math.abs(n); i > 0; i--) {
      const key = new TextDecoder().decode(await bytes.take(await bytes.long()));
      meta.set(key, (await bytes.take(await bytes.long())).slice());
    }
  }
  const sync = (await bytes.take(16)).slice();
  const word = (key: string): string => new TextDecoder().decode(meta.get(key) ?? new Uint8Array(0));
  try {
    const schema: unknown = JSON.parse(word("avro.schema"));
    const type = avro.Type.forSchema(schema as avro.Schema, withLongs());
    return { schema, type, codec: word("avro.codec") || "null", sync };
  } catch (error) {
    throw broken(`Its schema can't be understood: ${(error as Error).message}.`);
  }
}

/** Makes records of a container's blocks: column by column where they are flat, as documents otherwise. */
class AvroRecords {
  /** How many records there were so far. */
  read = 0;
  private readonly show: Show | null;
  private readonly flat: ReturnType<typeof flatFields>;
  /** Many records as one value. */
  private readonly many: avro.Type;
  private readonly walk: Walk;
  private readonly columns: { values: CellValue[]; loose: boolean }[];

  constructor(
    schema: unknown,
    private readonly type: avro.Type,
    private readonly documents: DocumentReader,
  ) {
    this.show = isPlain(schema) ? null : shower(schema, new Map());
    this.flat = flatFields(schema);
    if (this.flat) documents.setColumns(this.flat.map((f) => f.name));
    this.columns = (this.flat ?? []).map(() => ({ values: [], loose: false }));
    this.many = avro.Type.forSchema({ type: "array", items: type }, withLongs());
    this.walk = walkOf(schema);
  }

  /** All records of a block at once, as if they were an array, which is a count, its items and a nought. */
  *ofBlock(count: number, data: Uint8Array): Generator<Block> {
    const buffer = Buffer.alloc(data.length + 11);
    const head = writeLong(buffer, count);
    buffer.set(data, head);
    const end = head + data.length;
    let records: unknown[] | null = null;
    try {
      if (count > data.length || !this.flat) walkAll(this.walk, buffer, head, end, count);
      records = this.many.fromBuffer(buffer.subarray(0, end + 1)) as unknown[];
    } catch {
      // One of them is broken: those before it are read one by one.
    }
    if (records) yield* this.add(records);
    else yield* this.oneByOne(buffer, head, end, count);
  }

  private *oneByOne(buffer: Buffer, head: number, end: number, count: number): Generator<Block> {
    let at = head;
    for (let i = 0; i < count; i++) {
      const breaksOff = broken(`Record ${grouped(this.read + 1)} breaks off.`);
      if (!endsWithin(this.walk, buffer, at, end) || (at === end && i > MOST_EMPTY)) throw breaksOff;
      const { value, offset } = this.type.decode(buffer, at) as { value: unknown; offset: number };
      if (offset < 0 || offset > end) throw breaksOff;
      yield* this.add([value]);
      at = offset;
    }
    if (at !== end) throw broken(`After record ${grouped(this.read)} there are bytes that belong to none.`);
  }

  private *add(records: readonly unknown[]): Generator<Block> {
    const { flat, columns, show, documents } = this;
    const step = flat ? ROWS_TOGETHER : 1;
    for (let from = 0; from < records.length; from += step) {
      const to = Math.min(records.length, from + step);
      if (flat) {
        flat.forEach(({ name, show }, f) => {
          const { values } = columns[f]!;
          for (let i = from; i < to; i++) {
            const value = (records[i] as Record<string, unknown>)[name];
            values[i - from] = cellOf(show ? show(value) : (value as Value));
          }
        });
        documents.addRows(columns, 0, to - from, this.read + 1);
      } else {
        const value = records[from];
        documents.add(show ? show(value) : (value as Value), this.read + 1, 0, 0, "");
      }
      this.read += to - from;
      if (documents.full) yield documents.take()!;
    }
  }
}

function endsWithin(walk: Walk, bytes: Uint8Array, at: number, end: number): boolean {
  try {
    return walk(bytes, at, end) <= end;
  } catch {
    return false;
  }
}

/** Goes over all records of a block; throws where they don't end with it. */
function walkAll(walk: Walk, bytes: Uint8Array, from: number, end: number, count: number): void {
  let at = from;
  for (let i = 0; i < count; i++) {
    const next = walk(bytes, at, end);
    // Records of nothing at all: as many as anybody may mean.
    if (next === at && i > MOST_EMPTY) throw new RangeError("too many records of nothing");
    at = next;
  }
  if (at !== end) throw new RangeError("bytes are left");
}

/** Writes a number that is not negative as Avro's zig-zag varint; gives its length. */
function writeLong(bytes: Uint8Array, n: number): number {
  let at = 0;
  for (let rest = n * 2; ; rest = Math.floor(rest / 128)) {
    if (rest < 128) {
      bytes[at++] = rest;
      return at;
    }
    bytes[at++] = (rest % 128) + 128;
  }
}

const SCALARS = ["string", "boolean", "int", "long", "float", "double", "bytes"];

/** The fields of a schema of records that have nothing nested in them; null for any other. */
function flatFields(schema: unknown): { name: string; show: Show | null }[] | null {
  const { type, fields } = schema as AvroSchema;
  if (type !== "record" || !fields) return null;
  const scalarNames = new Set(
    fields
      .flatMap((f) => [f.type].flat())
      .flatMap((t) => {
        const { type: of, name } = (t ?? {}) as AvroSchema;
        return name && (of === "fixed" || of === "enum") ? [name] : [];
      }),
  );
  const isScalar = (s: unknown): boolean =>
    typeof s === "string"
      ? SCALARS.includes(s) || scalarNames.has(s)
      : Array.isArray(s)
        ? s.filter((b) => b !== "null").length === 1 && s.every((b) => b === "null" || isScalar(b))
        : ["enum", "fixed"].includes((s as AvroSchema).type as string) || isScalar((s as AvroSchema).type);
  if (!fields.every((f) => isScalar(f.type))) return null;
  // Fields may name types that others before them have defined.
  const named = new Map<string, Show>();
  return fields.map((f) => ({ name: f.name, show: isPlain(f) && !isNamed(f.type) ? null : shower(typeOf(f), named) }));
}

/** Whether the schema is a name that is none of the specification's. */
function isNamed(schema: unknown): boolean {
  return Array.isArray(schema)
    ? schema.some(isNamed)
    : typeof schema === "string" && ![...SCALARS, "null"].includes(schema);
}

/** Whether values of the schema are text, numbers and the like, to be shown as they are. */
function isPlain(schema: unknown): boolean {
  return !/"logicalType"|"bytes"|"fixed"/.test(JSON.stringify(schema));
}

async function unpackBlock(bytes: Uint8Array, codec: string): Promise<Uint8Array> {
  if (codec === "null") return bytes;
  if (codec === "deflate") return inflated(bytes, "deflate-raw");
  if (codec === "snappy") {
    // Snappy's own beginning says how long it becomes; four bytes of checksum follow it.
    let length = 0;
    for (let i = 0, scale = 1; i < 5; i++, scale *= 128) {
      length += (bytes[i]! & 127) * scale;
      if (bytes[i]! < 128) break;
    }
    // At its best it makes sixty-four bytes of three.
    if (length > bytes.length * 32) throw broken("A block says that it unpacks to more than it can.");
    const out = new Uint8Array(length);
    snappyUncompress(bytes.subarray(0, -4), out);
    return out;
  }
  throw new SieveError("avro-codec", `The Avro file is packed by ${codec}, which can't be read.`, {
    hint: "Ask the sender for deflate, snappy or no packing.",
  });
}
